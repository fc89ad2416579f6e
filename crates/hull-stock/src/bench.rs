//! A stand-in for a scanner: a body seen from stations, with noise, drop-out and what hides behind itself left out.

use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, FacetId, Mesh, Point, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// How a body is scanned.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Scan {
    /// Where the scanner stands; it looks at the body's middle.
    pub stations: Vec<Point>,
    /// Rays across and down from each station.
    pub rays: usize,
    /// Standard deviation along the ray, in the body's unit.
    pub noise: f64,
    /// The part of rays that come back with nothing, 0 to 1.
    pub lost: f64,
    /// Makes other noise.
    pub seed: u64,
    /// Whether what each station sees is joined to a sheet of facets: a scanner's raw mesh, with sheets that lie over each
    /// other, noise, holes and ragged rims.
    #[serde(default)]
    pub sheets: bool,
}

/// Neighbours in a sheet are not joined where they are so many times as far apart as neighbouring rays are at the middle of
/// the body.
const JUMP: f64 = 4.0;

/// Points that were seen, with the direction of the surface at each.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Seen {
    /// Places.
    pub points: Vec<Point>,
    /// Of length one.
    pub normals: Vec<V3>,
    /// Facets of sheets, one sheet a station, where they were asked for; they look at their scanner.
    pub facets: Vec<[u32; 3]>,
}

/// Rays steeper to the surface than this many degrees from its normal do not come back.
const STEEPEST: f64 = 82.0;

/// Numbers that follow from a place in the scan: the same for the same seed, whatever the thread count.
fn number(seed: u64, n: u64) -> f64 {
    // The finalizer of SplitMix64 (G. Steele, D. Lea and C. Flood, 2014).
    let mut x = seed.wrapping_add(n.wrapping_mul(0x9e37_79b9_7f4a_7c15));
    x = (x ^ (x >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    x = (x ^ (x >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((x ^ (x >> 31)) >> 11) as f64 / (1_u64 << 53) as f64
}

/// Scans a body.
///
/// # Errors
/// [`Cancelled`].
pub fn scan(mesh: &Mesh, how: &Scan, watch: &Watch) -> Result<Seen, Cancelled> {
    let tree = FacetTree::of(mesh);
    let bounds = mesh.bounds();
    let (middle, reach) = (bounds.centre(), 0.55 * bounds.diagonal());
    let mut out = Seen::default();
    for (s, station) in how.stations.iter().enumerate() {
        watch.report(s as f64 / how.stations.len() as f64, "scanning")?;
        let Some(ahead) = unit(sub(middle, *station)) else { continue };
        let aside = unit(cross(ahead, if ahead[2].abs() < 0.9 { [0.0, 0.0, 1.0] } else { [1.0, 0.0, 0.0] }));
        let aside = aside.unwrap_or([1.0, 0.0, 0.0]);
        let up = cross(aside, ahead);
        let rows: Vec<Vec<Option<(Point, V3)>>> = (0..how.rays)
            .into_par_iter()
            .map(|j| {
                let one = |i: usize| {
                    let n = ((s * how.rays + j) * how.rays + i) as u64 * 4;
                    let at = |k: usize| (2.0 * (k as f64 + 0.5) / how.rays as f64 - 1.0) * reach;
                    let target = add(middle, add(scale(aside, at(i)), scale(up, at(j))));
                    let ray = unit(sub(target, *station))?;
                    if number(how.seed, n) < how.lost {
                        return None;
                    }
                    let far = norm(sub(middle, *station)) + 2.0 * reach;
                    let (facet, t) = first(&tree, mesh, *station, ray, far)?;
                    let normal = unit(mesh.area_vector(facet))?;
                    let slope = dot(normal, ray);
                    if slope.abs() < STEEPEST.to_radians().cos() {
                        return None;
                    }
                    // Normal distribution (G. Box and M. Muller, 1958).
                    let (u, v) = (number(how.seed, n + 1).max(1e-300), number(how.seed, n + 2));
                    let off = how.noise * (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos();
                    Some((add(*station, scale(ray, t + off)), if slope > 0.0 { scale(normal, -1.0) } else { normal }))
                };
                (0..how.rays).map(one).collect()
            })
            .collect();
        let mut number_of = vec![vec![None; how.rays]; if how.sheets { how.rays } else { 0 }];
        for (j, row) in rows.into_iter().enumerate() {
            for (i, (p, n)) in row.into_iter().enumerate().filter_map(|(i, seen)| Some((i, seen?))) {
                if how.sheets {
                    number_of[j][i] = Some(out.points.len() as u32);
                }
                out.points.push(p);
                out.normals.push(n);
            }
        }
        let joined = sheet(&number_of, &out.points, JUMP * 2.0 * reach / how.rays as f64);
        out.facets.extend(joined);
    }
    Ok(out)
}

/// Facets between neighbouring rays that came back, in rows from below, none with a side longer than `longest`.
fn sheet(number_of: &[Vec<Option<u32>>], points: &[Point], longest: f64) -> Vec<[u32; 3]> {
    let mut out = Vec::new();
    for rows in number_of.windows(2) {
        for i in 1..rows[0].len() {
            // Seen from the scanner: below left, below right, above right, above left.
            let round = [rows[0][i - 1], rows[0][i], rows[1][i], rows[1][i - 1]];
            let short = |t: &[u32; 3]| {
                (0..3).all(|k| distance(points[t[k] as usize], points[t[(k + 1) % 3] as usize]) <= longest)
            };
            let triangles = match round {
                [Some(a), Some(b), Some(c), Some(d)] => [Some([a, b, c]), Some([a, c, d])],
                [None, Some(b), Some(c), Some(d)] => [Some([b, c, d]), None],
                [Some(a), None, Some(c), Some(d)] => [Some([a, c, d]), None],
                [Some(a), Some(b), None, Some(d)] => [Some([a, b, d]), None],
                [Some(a), Some(b), Some(c), None] => [Some([a, b, c]), None],
                _ => [None, None],
            };
            out.extend(triangles.into_iter().flatten().filter(short));
        }
    }
    out
}

/// The first facet that a ray meets, and how far it is.
fn first(tree: &FacetTree, mesh: &Mesh, from: Point, ray: V3, far: f64) -> Option<(FacetId, f64)> {
    tree.first_hit(mesh, from, ray, far, |_| true, &mut 0)
}
