//! Facets cut along a plane, so that every facet lies on one side of it. Nothing is closed.

use crate::mesh::{FacetId, Mesh, Point, PointId, Rebuilt};
use crate::vector::{V3, area_vector, dot, lerp, norm, sub};
use std::collections::HashMap;
use typed_index_collections::{TiSlice, TiVec};

/// Points no further from the plane than this part of the body's diagonal lie on it: sharper pieces would be all rounding.
const ON: f64 = 1e-10;

/// Cuts the facets for which `only` holds along the plane through `at` across `normal` (a unit vector). Neighbours that
/// are not cut get the new points on their edges, so that none is left open.
pub fn slice(mesh: &Mesh, at: Point, normal: V3, only: impl Fn(FacetId) -> bool) -> Rebuilt {
    let near = ON * mesh.bounds().diagonal();
    let height: TiVec<PointId, f64> = mesh.points.iter().map(|p| dot(sub(*p, at), normal)).collect();
    let side = |p: PointId| {
        let h = height[p];
        if h.abs() <= near { 0 } else { h.signum() as i8 }
    };
    let mut points = mesh.points.clone();
    let mut split: HashMap<[PointId; 2], PointId> = HashMap::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        for k in 0..3 {
            let (a, b) = (t[k].min(t[(k + 1) % 3]), t[k].max(t[(k + 1) % 3]));
            if side(a) * side(b) < 0 && only(f) {
                split.entry([a, b]).or_insert_with(|| {
                    let (p, q) = (height[a], height[b]);
                    points.push_and_get_key(lerp(mesh.points[a], mesh.points[b], p / (p - q)))
                });
            }
        }
    }
    let mut triangles = TiVec::with_capacity(mesh.triangles.len() + 2 * split.len());
    let mut origin = TiVec::with_capacity(triangles.capacity());
    for (f, &t) in mesh.triangles.iter_enumerated() {
        let middle = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            split.get(&[a.min(b), a.max(b)]).copied()
        });
        divide(t, middle, &points, &mut triangles);
        origin.resize(triangles.len(), f);
    }
    Rebuilt { mesh: Mesh { points, triangles }, origin }
}

/// Whether a facet lies ahead of the plane: most of it does.
pub fn is_ahead(mesh: &Mesh, facet: FacetId, at: Point, normal: V3) -> bool {
    mesh.corners(facet).iter().map(|p| dot(sub(*p, at), normal)).sum::<f64>() > 0.0
}

/// A facet with points on some of its edges, as facets between them.
fn divide(
    t: [PointId; 3],
    middle: [Option<PointId>; 3],
    points: &TiSlice<PointId, Point>,
    out: &mut TiVec<FacetId, [PointId; 3]>,
) {
    let first = |wanted: bool| (0..3).find(|&k| middle[k].is_some() == wanted).unwrap_or(0);
    match middle.iter().flatten().count() {
        0 => out.push(t),
        1 => {
            let k = first(true);
            let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
            let m = middle[k].unwrap_or(a);
            out.extend([[a, m, c], [m, b, c]]);
        }
        2 => {
            // From the edge that stays: a b is whole, m lies on b c, n on c a.
            let k = first(false);
            let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
            let (m, n) = (middle[(k + 1) % 3].unwrap_or(b), middle[(k + 2) % 3].unwrap_or(c));
            out.push([n, m, c]);
            let size = |t: [PointId; 3]| {
                let [p, q, r] = t.map(|x| points[x]);
                norm(area_vector(p, q, r))
            };
            // The diagonal that leaves the fatter pair.
            let (one, other) = ([[a, b, m], [a, m, n]], [[a, b, n], [b, m, n]]);
            let least = |pair: [[PointId; 3]; 2]| size(pair[0]).min(size(pair[1]));
            out.extend(if least(one) >= least(other) { one } else { other });
        }
        _ => {
            let [ab, bc, ca] = middle.map(|m| m.unwrap_or(t[0]));
            out.extend([[t[0], ab, ca], [ab, t[1], bc], [bc, t[2], ca], [ab, bc, ca]]);
        }
    }
}
