//! Closed runs of sharp or open edges: rims of bores, ends of pipes, outlines of flat faces.

use crate::mesh::{FacetId, Mesh, PointId};
use crate::topology::neighbours;
use crate::vector::{dot, unit};
use typed_index_collections::{TiVec, ti_vec};

/// Loops of edges that have one facet, or whose two facets turn by more than `degrees`, through points at which exactly two
/// such edges meet; each as its points in order, beginning with the lowest.
pub fn sharp_loops(mesh: &Mesh, degrees: f64) -> Vec<Vec<PointId>> {
    let least = degrees.to_radians().cos();
    let across = neighbours(mesh);
    let normal = |f: FacetId| unit(mesh.area_vector(f));
    // The two that follow each point, and how many there are.
    let mut beside: TiVec<PointId, ([PointId; 2], u8)> = ti_vec![([PointId::NONE; 2], 0); mesh.points.len()];
    for f in mesh.triangles.keys() {
        let (t, own) = (mesh.triangles[f], normal(f));
        for k in 0..3 {
            let other = across[f][k];
            // An edge of two facets is told by the lower one.
            let is_sharp = match other {
                FacetId::NONE => true,
                g if g < f => false,
                g => own.zip(normal(g)).is_some_and(|(a, b)| dot(a, b) < least),
            };
            let (a, b) = (t[k], t[(k + 1) % 3]);
            if is_sharp {
                for (p, q) in [(a, b), (b, a)] {
                    let (list, count) = &mut beside[p];
                    if let Some(slot) = list.get_mut(usize::from(*count)) {
                        *slot = q;
                    }
                    *count = count.saturating_add(1);
                }
            }
        }
    }
    let mut seen = ti_vec![false; mesh.points.len()];
    let mut out = Vec::new();
    for first in mesh.points.keys() {
        let (mut run, mut before, mut at) = (Vec::new(), PointId::NONE, first);
        while !seen[at] && beside[at].1 == 2 {
            seen[at] = true;
            run.push(at);
            let [a, b] = beside[at].0;
            let next = if a == before { b } else { a };
            (before, at) = (at, next);
        }
        if at == first && run.len() > 2 {
            out.push(run);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes::{cone, cuboid};

    /// A cone has its foot's rim; corners of a box have three sharp edges each, and are no loop.
    #[test]
    fn rims_are_loops_and_corners_are_not() {
        let found = sharp_loops(&cone(5.0, 8.0, 24), 40.0);
        assert_eq!((found.len(), found[0].len()), (1, 24));
        assert!(sharp_loops(&cuboid([3.0, 2.0, 1.0]), 40.0).is_empty());
    }
}
