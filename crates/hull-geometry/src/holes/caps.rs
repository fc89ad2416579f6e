//! Openings of a closed solid: faces with a hole in them, the mouths of its bores, and plugs that close them.

use crate::mesh::{FacetId, Mesh, Point, PointId};
use crate::regions::Regions;
use crate::topology::{OpenEdge, open_loops};
use crate::tree::FacetTree;
use crate::triangulate;
use crate::triangulate::plane_axes;
use crate::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use std::collections::{HashMap, HashSet};
use typed_index_collections::TiSlice;

/// One mouth.
#[derive(Clone, Debug, PartialEq)]
pub struct Mouth {
    /// Points around it, in order; seen from outside they run as its cap's outline does.
    pub rim: Vec<PointId>,
    /// Outward of the face that it is in; of a curved one, of its cap.
    pub normal: V3,
    /// The middle of the rim.
    pub at: Point,
    /// The area of its cap, of a curved one as seen along the normal.
    pub area: f64,
}

/// Degrees within which a face is flat.
const FLAT: f64 = 0.5;
/// Degrees within which the facets of a curved face go on.
const CURVED: f64 = 40.0;
/// A cap of a curved face goes on as the face does: facets at the rim face its way, the cosine no less than this.
const ONWARD: f64 = 0.2;
/// So much of a rim has to be as a mouth's is: slivers beside it may face anywhere.
const MOSTLY: f64 = 0.75;
/// Behind a mouth there is room for this part of its size at least: else its cap would lie on a wall.
const ROOM: f64 = 0.05;
/// Degrees off the normal of a mouth at which it is looked whether it opens outside.
const LOOKS: [f64; 2] = [20.0, 40.0];

/// Finds the mouths of a closed surface: inner rims of its faces behind which the surface goes in. Those of curved faces count
/// where they open outside: where one bore meets another inside, there is none.
pub fn mouths(mesh: &Mesh) -> Vec<Mouth> {
    let across = crate::topology::neighbours(mesh);
    let regions = Regions::new(mesh);
    let mut out: Vec<Mouth> =
        rims(mesh, &regions, &across, FLAT).iter().filter_map(|rim| flat_mouth(mesh, rim)).collect();
    let tree = FacetTree::of(mesh);
    let known: HashSet<PointId> = out.iter().flat_map(|m| m.rim.iter().copied()).collect();
    let curved = rims(mesh, &regions, &across, CURVED);
    let mut curved: Vec<Mouth> = curved
        .iter()
        .filter(|rim| !rim.edges.iter().any(|e| known.contains(&e.from)))
        .filter_map(|rim| curved_mouth(mesh, rim))
        .filter(|mouth| has_room(mesh, &tree, mouth) && opens_outside(mesh, &tree, mouth))
        .collect();
    // The rim of a countersink lies behind the one that it opens with.
    let all: Vec<Mouth> = out.iter().chain(&curved).cloned().collect();
    curved.retain(|mouth| !all.iter().any(|other| other != mouth && is_before(mesh, other, mouth)));
    out.extend(curved);
    out
}

/// A rim of a face: its edges in order, as the face's facets run them, and the facets beyond them.
struct Rim {
    edges: Vec<OpenEdge>,
    beyond: Vec<FacetId>,
    /// Whether the face has no other rim.
    is_alone: bool,
}

/// The rims of all faces that go on within an angle.
fn rims(mesh: &Mesh, regions: &Regions, across: &TiSlice<FacetId, [FacetId; 3]>, angle: f64) -> Vec<Rim> {
    let (region_of, count) = regions.split(angle);
    let mut edges: Vec<Vec<OpenEdge>> = vec![Vec::new(); count];
    let mut beyond: HashMap<[PointId; 2], FacetId> = HashMap::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        for k in 0..3 {
            let g = across[f][k];
            if g == FacetId::NONE || region_of[g] != region_of[f] {
                let (from, to) = (t[k], t[(k + 1) % 3]);
                edges[region_of[f] as usize].push(OpenEdge { from, to, facet: f });
                beyond.insert([from, to], g);
            }
        }
    }
    let mut out = Vec::new();
    for own in &edges {
        let loops = open_loops(mesh, own);
        for one in &loops {
            let next: HashMap<PointId, &OpenEdge> =
                one.edges.iter().map(|e| (own[*e as usize].from, &own[*e as usize])).collect();
            let Some(list) = around(&next, &own[one.edges[0] as usize]) else { continue };
            let edges: Vec<OpenEdge> = list.into_iter().copied().collect();
            let beyond = edges.iter().map(|e| beyond.get(&[e.from, e.to]).copied().unwrap_or(FacetId::NONE)).collect();
            out.push(Rim { edges, beyond, is_alone: loops.len() == 1 });
        }
    }
    out
}

impl Rim {
    fn points(&self, mesh: &Mesh) -> Vec<Point> {
        self.edges.iter().map(|e| mesh.points[e.from]).collect()
    }

    /// The mouth that it is of, where its cap faces `normal`.
    fn mouth(&self, normal: V3, at: Point, area: f64) -> Mouth {
        Mouth { rim: self.edges.iter().rev().map(|e| e.from).collect(), normal, at, area }
    }
}

fn middle(points: &[Point]) -> Point {
    scale(points.iter().fold([0.0; 3], |s, p| add(s, *p)), 1.0 / points.len() as f64)
}

/// Twice the area that points go round, as a vector.
fn turned(points: &[Point], at: Point) -> V3 {
    let pairs = points.iter().zip(points.iter().cycle().skip(1));
    pairs.fold([0.0; 3], |s, (p, q)| add(s, cross(sub(*p, at), sub(*q, at))))
}

/// The mouth in a flat face that has a rim around it besides.
fn flat_mouth(mesh: &Mesh, rim: &Rim) -> Option<Mouth> {
    if rim.is_alone {
        return None;
    }
    let normal = unit(mesh.area_vector(rim.edges[0].facet))?;
    let points = rim.points(mesh);
    let at = middle(&points);
    let flat = points.iter().all(|p| dot(sub(*p, at), normal).abs() < 1e-6 * (1.0 + distance(*p, at)));
    let area = dot(turned(&points, at), normal) / 2.0;
    // Inner rims run the other way round, and what is beyond them goes in.
    let goes_in = |g: &FacetId| {
        *g != FacetId::NONE && mesh.corners(*g).iter().any(|p| dot(sub(*p, at), normal) < -1e-9 * (1.0 + norm(*p)))
    };
    (flat && area < 0.0 && rim.beyond.iter().all(goes_in)).then(|| rim.mouth(normal, at, -area))
}

/// What a rim of a curved face closes, if a cap over it would go on as the face does and what is beyond it goes in.
fn curved_mouth(mesh: &Mesh, rim: &Rim) -> Option<Mouth> {
    let points = rim.points(mesh);
    let at = middle(&points);
    let around = turned(&points, at);
    let normal = scale(unit(around)?, -1.0);
    let (mut all, mut good) = (0.0, 0.0);
    for (e, g) in rim.edges.iter().zip(&rim.beyond) {
        let from = mesh.points[e.from];
        let length = distance(from, mesh.points[e.to]);
        all += length;
        let Some(n) = unit(mesh.area_vector(e.facet)).filter(|n| dot(*n, normal) >= ONWARD) else { continue };
        let goes_in = *g != FacetId::NONE && mesh.corners(*g).iter().any(|p| dot(sub(*p, from), n) < -1e-3 * length);
        good += if goes_in { length } else { 0.0 };
    }
    let is_mouth = good >= MOSTLY * all;
    is_mouth.then(|| rim.mouth(normal, at, norm(around) / 2.0))
}

fn has_room(mesh: &Mesh, tree: &FacetTree, mouth: &Mouth) -> bool {
    let size = mouth.area.sqrt();
    // From a little outside, so that a wall in the rim is met.
    let from = add(mouth.at, scale(mouth.normal, 1e-3 * size));
    tree.first_hit(mesh, from, scale(mouth.normal, -1.0), ROOM * size, |_| true, &mut 0).is_none()
}

/// Whether most ways out of a mouth lead outside: to a bore that goes on, only the straight one does.
fn opens_outside(mesh: &Mesh, tree: &FacetTree, mouth: &Mouth) -> bool {
    let (x, y) = plane_axes(mouth.normal);
    let size = mouth.area.sqrt();
    let from = add(mouth.at, scale(mouth.normal, 1e-3 * size));
    let ways: Vec<V3> = LOOKS
        .iter()
        .flat_map(|angle| {
            let (sine, cosine) = angle.to_radians().sin_cos();
            (0..8).map(move |k| {
                let (s, c) = (f64::from(k) * std::f64::consts::FRAC_PI_4).sin_cos();
                [0, 1, 2].map(|i| cosine * mouth.normal[i] + sine * (c * x[i] + s * y[i]))
            })
        })
        .collect();
    let is_free = |way: &&V3| tree.first_hit(mesh, from, **way, f64::INFINITY, |_| true, &mut 0).is_none();
    2 * ways.iter().filter(is_free).count() >= ways.len()
}

/// Whether the straight way out of a mouth leads through another one.
fn is_before(mesh: &Mesh, other: &Mouth, mouth: &Mouth) -> bool {
    let slant = dot(mouth.normal, other.normal);
    let far = dot(sub(other.at, mouth.at), other.normal) / slant;
    if slant < 0.5 || far.is_nan() || far <= 0.0 {
        return false;
    }
    let through = add(mouth.at, scale(mouth.normal, far));
    let points: Vec<Point> = other.rim.iter().map(|p| mesh.points[*p]).collect();
    // How often the rim winds round that place, seen along its normal.
    let pairs = points.iter().zip(points.iter().cycle().skip(1));
    let angle: f64 = pairs
        .map(|(p, q)| {
            let (u, v) = (sub(*p, through), sub(*q, through));
            let flat = |w: V3| sub(w, scale(other.normal, dot(w, other.normal)));
            let (u, v) = (flat(u), flat(v));
            dot(cross(u, v), other.normal).atan2(dot(u, v))
        })
        .sum();
    angle.abs() > std::f64::consts::PI
}

/// Edges in the order in which one leads to the next, back to the first; `None` where they touch themselves.
fn around<'a>(next: &HashMap<PointId, &'a OpenEdge>, first: &'a OpenEdge) -> Option<Vec<&'a OpenEdge>> {
    let mut list = vec![first];
    while let Some(edge) = list.last().and_then(|e| next.get(&e.to)).filter(|e| e.from != first.from) {
        list.push(edge);
        if list.len() > next.len() {
            return None;
        }
    }
    (list.len() == next.len()).then_some(list)
}

/// A closed plug on a mouth: its inner face lies in the mouth, the rest stands `depth` outside.
///
/// `None` if the mouth crosses itself. The facets of the inner face come first, two by two with those of the outer one.
pub fn plug(mesh: &Mesh, mouth: &Mouth, depth: f64) -> Option<Mesh> {
    let inner: Vec<Point> = mouth.rim.iter().map(|p| mesh.points[*p]).collect();
    let n = PointId::from(inner.len());
    let mut out = Mesh::default();
    out.points.extend(&inner);
    out.points.extend(inner.iter().map(|p| add(*p, scale(mouth.normal, depth))));
    for t in triangulate::flat(&inner)? {
        let t = t.map(PointId);
        out.triangles.push([t[0], t[2], t[1]]);
        out.triangles.push(t.map(|p| p + n));
    }
    for i in 0..inner.len() {
        let [i, j] = [i, (i + 1) % inner.len()].map(PointId::from);
        out.triangles.extend([[i, j, n + j], [i, n + j, n + i]]);
    }
    Some(out)
}
