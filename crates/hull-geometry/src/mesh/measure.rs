//! Area, volume, centroid, inertia, shortest edge and smallest angle.
//!
//! Volume integrals: D. Eberly, Polyhedral Mass Properties (Revisited), 2002, taken about the middle of the
//! box so that a body far from the origin loses no digits.

use crate::mesh::{Bounds, FacetId, Mesh, NONE, Point, PointId};
use crate::vector::{V3, add, cross, distance, dot, norm, scale, sub};
use rayon::prelude::*;
use typed_index_collections::TiSlice;

/// Facets are summed in chunks of fixed size, in order: the same digits whatever the thread count.
const CHUNK: usize = 1 << 14;

/// Figures of a set of facets. Volume and what follows from it mean something for closed surfaces only.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Mass {
    /// Of all facets.
    pub area: f64,
    /// Signed: positive where facets face outward.
    pub volume: f64,
    /// Centre of the enclosed volume.
    pub centroid: Point,
    /// Second moments of the volume about the centroid at density one: xx, yy, zz, xy, yz, zx entries of
    /// the inertia tensor.
    pub inertia: [f64; 6],
}

#[derive(Clone, Copy, Default)]
struct Sums {
    area2: f64,
    volume6: f64,
    first: V3,
    /// Integrals of xx, yy, zz, xy, yz, zx.
    second: [f64; 6],
}

impl Sums {
    fn with(self, o: Sums) -> Sums {
        let mut second = self.second;
        for (a, b) in second.iter_mut().zip(o.second) {
            *a += b;
        }
        Sums { area2: self.area2 + o.area2, volume6: self.volume6 + o.volume6, first: add(self.first, o.first), second }
    }

    fn of(a: V3, b: V3, c: V3) -> Sums {
        let normal = cross(sub(b, a), sub(c, a));
        let six = dot(a, cross(b, c));
        let sum = add(add(a, b), c);
        let product = |i: usize, j: usize| (sum[i] * sum[j] + a[i] * a[j] + b[i] * b[j] + c[i] * c[j]) * six / 120.0;
        Sums {
            area2: norm(normal),
            volume6: six,
            first: scale(sum, six / 24.0),
            second: [product(0, 0), product(1, 1), product(2, 2), product(0, 1), product(1, 2), product(2, 0)],
        }
    }

    fn mass(&self, origin: Point) -> Mass {
        let volume = self.volume6 / 6.0;
        let c = if volume == 0.0 { [0.0; 3] } else { scale(self.first, 1.0 / volume) };
        let about = |k: usize, i: usize, j: usize| self.second[k] - volume * c[i] * c[j];
        let [xx, yy, zz] = [about(0, 0, 0), about(1, 1, 1), about(2, 2, 2)];
        Mass {
            area: self.area2 / 2.0,
            volume,
            centroid: add(origin, c),
            inertia: [yy + zz, xx + zz, xx + yy, -about(3, 0, 1), -about(4, 1, 2), -about(5, 2, 0)],
        }
    }
}

/// Figures of the whole mesh.
pub fn mass(mesh: &Mesh, bounds: &Bounds) -> Mass {
    let origin = bounds.centre();
    let parts: Vec<Sums> = mesh
        .triangles
        .raw
        .par_chunks(CHUNK)
        .map(|chunk| {
            chunk.iter().fold(Sums::default(), |sums, t| {
                let [a, b, c] = t.map(|p| sub(mesh.points[p], origin));
                sums.with(Sums::of(a, b, c))
            })
        })
        .collect();
    parts.into_iter().fold(Sums::default(), Sums::with).mass(origin)
}

/// Figures of one group of facets.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct GroupFigures {
    /// How many.
    pub facets: usize,
    /// Of them together.
    pub area: f64,
    /// Signed; taken about the given origin, so that for an open group it is only a share.
    pub volume: f64,
}

impl GroupFigures {
    fn add(&mut self, other: GroupFigures) {
        self.facets += other.facets;
        self.area += other.area;
        self.volume += other.volume;
    }
}

/// Figures of each of `groups` sets of facets; facets in group [`NONE`] are left out.
pub fn figures_by_group(
    mesh: &Mesh,
    group_of: &TiSlice<FacetId, u32>,
    groups: usize,
    origin: Point,
) -> Vec<GroupFigures> {
    let of_facet = |t: &[PointId; 3]| {
        let [a, b, c] = t.map(|p| sub(mesh.points[p], origin));
        let area = norm(cross(sub(b, a), sub(c, a))) / 2.0;
        GroupFigures { facets: 1, area, volume: dot(a, cross(b, c)) / 6.0 }
    };
    // Runs of one group are summed in their chunk, and the runs in order.
    let runs: Vec<Vec<(u32, GroupFigures)>> = (mesh.triangles.raw.par_chunks(CHUNK), group_of.raw.par_chunks(CHUNK))
        .into_par_iter()
        .map(|(triangles, group_of)| {
            let mut runs: Vec<(u32, GroupFigures)> = Vec::new();
            for (t, &group) in triangles.iter().zip(group_of).filter(|(_, group)| **group != NONE) {
                match runs.last_mut() {
                    Some((last, sum)) if *last == group => sum.add(of_facet(t)),
                    _ => runs.push((group, of_facet(t))),
                }
            }
            runs
        })
        .collect();
    let mut sums = vec![GroupFigures::default(); groups];
    runs.into_iter().flatten().for_each(|(group, sum)| sums[group as usize].add(sum));
    sums
}

/// A smallest value and the facet that has it.
pub type Least = Option<(f64, FacetId)>;

/// The shortest edge and the smallest corner angle (degrees) among facets with area.
pub fn shortest_edge_and_smallest_angle(mesh: &Mesh, shell_of: &TiSlice<FacetId, u32>) -> (Least, Least) {
    let least = |a: Least, b: Least| match (a, b) {
        (Some(x), Some(y)) => Some(if y.0 < x.0 || (y.0 == x.0 && y.1 < x.1) { y } else { x }),
        (x, None) => x,
        (None, y) => y,
    };
    // The smallest angle has the largest cosine: no arc cosine needed to find it.
    let (edge, cosine) = mesh
        .par_facets()
        .with_min_len(CHUNK)
        .filter(|&f| shell_of[f] != NONE)
        .map(|f| {
            let [a, b, c] = mesh.corners(f);
            let (u, v, w) = (sub(b, a), sub(c, b), sub(a, c));
            let (lu, lv, lw) = (norm(u), norm(v), norm(w));
            let largest = (-dot(u, w) / (lu * lw)).max(-dot(u, v) / (lu * lv)).max(-dot(v, w) / (lv * lw));
            (Some((lu.min(lv).min(lw), f)), Some((-largest, f)))
        })
        .reduce(|| (None, None), |x, y| (least(x.0, y.0), least(x.1, y.1)));
    (edge, cosine.map(|(_, f)| (smallest_angle(mesh, f), f)))
}

/// The smallest corner angle of one facet in degrees, by the arc tangent: exact enough for needles too.
pub fn smallest_angle(mesh: &Mesh, facet: FacetId) -> f64 {
    let p = mesh.corners(facet);
    (0..3)
        .map(|i| {
            let (u, v) = (sub(p[(i + 1) % 3], p[i]), sub(p[(i + 2) % 3], p[i]));
            norm(cross(u, v)).atan2(dot(u, v)).to_degrees()
        })
        .fold(f64::INFINITY, f64::min)
}

/// Centre of area of the facets: the balance point of an open surface.
pub fn area_centroid(mesh: &Mesh) -> Point {
    let mut area = 0.0;
    let mut moment = [0.0; 3];
    for t in &mesh.triangles {
        let [a, b, c] = t.map(|p| mesh.points[p]);
        let w = norm(cross(sub(b, a), sub(c, a)));
        area += w;
        moment = add(moment, scale(add(add(a, b), c), w / 3.0));
    }
    if area > 0.0 { scale(moment, 1.0 / area) } else { mesh.bounds().centre() }
}

/// The median length of the given edges; zero if there are none.
pub fn median_length(mesh: &Mesh, edges: impl Iterator<Item = (PointId, PointId)>) -> f64 {
    let mut lengths: Vec<f64> = edges.map(|(a, b)| distance(mesh.points[a], mesh.points[b])).collect();
    if lengths.is_empty() {
        return 0.0;
    }
    let middle = lengths.len() / 2;
    *lengths.select_nth_unstable_by(middle, f64::total_cmp).1
}
