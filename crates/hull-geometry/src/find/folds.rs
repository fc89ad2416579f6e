//! Facets of bad shape: needles, caps, and facets folded back on their neighbours.

use crate::mesh::{FacetId, Mesh};
use crate::topology::neighbours;
use crate::vector::{distance, dot, unit};
use rayon::prelude::*;

/// A facet is a needle if its shortest edge is this part of its longest at most, and a cap if its widest angle is more
/// than [`CAP`] degrees.
pub const NEEDLE: f64 = 0.01;
/// Degrees from which the widest angle makes a cap.
pub const CAP: f64 = 178.0;
/// Neighbours are folded back on each other if their normals are at least this many degrees apart.
pub const FOLD: f64 = 170.0;

/// Facets of bad shape, ascending.
#[derive(Clone, Debug, Default)]
pub struct BadShapes {
    /// Facets with one very short side.
    pub needles: Vec<FacetId>,
    /// Facets with one very wide angle.
    pub caps: Vec<FacetId>,
}

/// Needles and caps among facets with an area.
pub fn bad_shapes(mesh: &Mesh) -> BadShapes {
    let limit = CAP.to_radians().cos();
    let kind: Vec<u8> = mesh
        .par_facets()
        .map(|f| {
            let c = mesh.corners(f);
            let mut sides = [distance(c[0], c[1]), distance(c[1], c[2]), distance(c[2], c[0])];
            sides.sort_by(f64::total_cmp);
            let [a, b, l] = sides;
            if a <= NEEDLE * l {
                u8::from(!mesh.is_zero_area(f))
            } else if a * a + b * b - l * l <= 2.0 * a * b * limit {
                2 * u8::from(!mesh.is_zero_area(f))
            } else {
                0
            }
        })
        .collect();
    let of = |k: u8| mesh.triangles.keys().zip(&kind).filter(|(_, kind)| **kind == k).map(|(f, _)| f).collect();
    BadShapes { needles: of(1), caps: of(2) }
}

/// Pairs of neighbours folded back on each other.
pub fn folds(mesh: &Mesh) -> Vec<[FacetId; 2]> {
    let limit = FOLD.to_radians().cos();
    let across = neighbours(mesh);
    mesh.par_facets()
        .flat_map_iter(|f| {
            let own = unit(mesh.area_vector(f));
            let beside = across[f];
            beside.into_iter().filter(move |&g| g != FacetId::NONE && g > f).filter_map(move |g| {
                let other = unit(mesh.area_vector(g))?;
                (dot(own?, other) <= limit).then_some([f, g])
            })
        })
        .collect()
}
