//! Openings of a closed solid: flat faces with a hole in them, the mouths of its bores, and plugs that close them.

use crate::mesh::{Mesh, Point};
use crate::regions::Regions;
use crate::topology::{OpenEdge, open_loops};
use crate::vector::{V3, add, distance, dot, norm, scale, sub, unit};
use crate::{NONE, triangulate};
use std::collections::HashMap;

/// One mouth.
#[derive(Clone, Debug, PartialEq)]
pub struct Mouth {
    /// Points around it, in order; seen from outside they run as its cap's outline does.
    pub rim: Vec<u32>,
    /// Outward of the face that it is in.
    pub normal: V3,
    /// The middle of the rim.
    pub at: Point,
    /// The area of its flat cap.
    pub area: f64,
}

/// Degrees within which a face is flat.
const FLAT: f64 = 0.5;

/// Finds the mouths of a closed surface: inner rims of its flat faces behind which the surface goes in.
pub fn mouths(mesh: &Mesh) -> Vec<Mouth> {
    let regions = Regions::new(mesh);
    let (region_of, count) = regions.split(FLAT);
    let mut edges: Vec<Vec<OpenEdge>> = vec![Vec::new(); count];
    let mut beyond: HashMap<[u32; 2], u32> = HashMap::new();
    let across = crate::topology::neighbours(mesh);
    for (f, t) in mesh.triangles.iter().enumerate() {
        for k in 0..3 {
            let g = across[f][k];
            if g == NONE || region_of[g as usize] != region_of[f] {
                let (from, to) = (t[k], t[(k + 1) % 3]);
                edges[region_of[f] as usize].push(OpenEdge { from, to, facet: f as u32 });
                beyond.insert([from, to], g);
            }
        }
    }
    let mut out = Vec::new();
    for rim in edges.iter().filter(|e| e.len() > 5) {
        let Some(normal) = unit(mesh.area_vector(rim[0].facet)) else { continue };
        let loops = open_loops(mesh, rim);
        if loops.len() < 2 {
            continue;
        }
        for one in &loops {
            let next: HashMap<u32, &OpenEdge> =
                one.edges.iter().map(|e| (rim[*e as usize].from, &rim[*e as usize])).collect();
            let Some(list) = around(&next, &rim[one.edges[0] as usize]) else { continue };
            let points: Vec<Point> = list.iter().map(|e| mesh.points[e.from as usize]).collect();
            let at = scale(points.iter().fold([0.0; 3], |s, p| add(s, *p)), 1.0 / points.len() as f64);
            let flat = points.iter().all(|p| dot(sub(*p, at), normal).abs() < 1e-6 * (1.0 + distance(*p, at)));
            let turned: V3 = points
                .iter()
                .zip(points.iter().cycle().skip(1))
                .fold([0.0; 3], |s, (p, q)| add(s, crate::vector::cross(sub(*p, at), sub(*q, at))));
            let area = dot(turned, normal) / 2.0;
            // Inner rims run the other way round, and what is beyond them goes in.
            let goes_in = list.iter().all(|e| {
                let g = beyond.get(&[e.from, e.to]).copied().unwrap_or(NONE);
                g != NONE && mesh.corners(g).iter().any(|p| dot(sub(*p, at), normal) < -1e-9 * (1.0 + norm(*p)))
            });
            if flat && area < 0.0 && goes_in {
                let rim = list.iter().rev().map(|e| e.from).collect();
                out.push(Mouth { rim, normal, at, area: -area });
            }
        }
    }
    out
}

/// Edges in the order in which one leads to the next, back to the first; `None` where they touch themselves.
fn around<'a>(next: &HashMap<u32, &'a OpenEdge>, first: &'a OpenEdge) -> Option<Vec<&'a OpenEdge>> {
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
    let inner: Vec<Point> = mouth.rim.iter().map(|p| mesh.points[*p as usize]).collect();
    let n = inner.len() as u32;
    let mut out = Mesh::default();
    out.points.extend(&inner);
    out.points.extend(inner.iter().map(|p| add(*p, scale(mouth.normal, depth))));
    for t in triangulate::flat(&inner)? {
        out.triangles.push([t[0], t[2], t[1]]);
        out.triangles.push(t.map(|p| p + n));
    }
    for i in 0..n {
        let j = (i + 1) % n;
        out.triangles.extend([[i, j, n + j], [i, n + j, n + i]]);
    }
    Some(out)
}
