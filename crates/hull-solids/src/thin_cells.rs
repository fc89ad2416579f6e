//! Cells thinner than rounding: between faces that were meant to be one and are a few roundings apart.
//!
//! What a rule says of such a cell means nothing, and keeping or dropping it would leave sheets without thickness on the
//! result. It goes with the cells around it that have thickness, by the area that it shares with either kind.

use crate::arrangement::Arrangement;
use crate::cells::Cells;
use crate::handles::{CellId, FaceId};
use hull_geometry::vector::{area_vector, dot, norm, sub};
use rayon::prelude::*;
use std::collections::BTreeMap;
use typed_index_collections::{TiVec, ti_vec};

/// A cell is thin if its volume is less than its area times so many steps of the largest coordinate.
const STEPS: f64 = 16.0;

/// What is said of cells, thin ones following the others around them.
pub fn settled<T: Copy + Ord>(a: &Arrangement, cells: &Cells, mut inside: TiVec<CellId, T>) -> TiVec<CellId, T> {
    let bounds = a.mesh.bounds();
    let (centre, reach) = (bounds.centre(), bounds.min.iter().chain(&bounds.max).fold(0.0_f64, |m, x| m.max(x.abs())));
    // Six times the volume behind each face as seen from the middle, and twice the area.
    let measures: Vec<(f64, f64)> = a
        .faces
        .raw
        .par_iter()
        .map(|t| {
            let [p, q, r] = t.map(|p| sub(a.places[p].near, centre));
            let area = area_vector(p, q, r);
            (dot(area, p), norm(area))
        })
        .collect();
    let measures: TiVec<FaceId, (f64, f64)> = measures.into();
    let mut volume: TiVec<CellId, f64> = ti_vec![0.0; cells.count];
    let mut area: TiVec<CellId, f64> = ti_vec![0.0; cells.count];
    for (f, (v, s)) in measures.iter_enumerated() {
        let [front, back] = cells.of_face(f);
        volume[back] += v;
        volume[front] -= v;
        area[back] += s;
        area[front] += s;
    }
    let least = 3.0 * STEPS * f64::EPSILON * reach;
    let mut thin: TiVec<CellId, bool> = volume.iter().zip(&area).map(|(v, s)| v.abs() <= least * s).collect();
    if !thin.contains(&true) || thin.iter().all(|t| *t) {
        return inside;
    }
    // From the cells with thickness inwards, where thin ones lie side by side.
    loop {
        let mut shared: TiVec<CellId, BTreeMap<T, f64>> = ti_vec![BTreeMap::new(); cells.count];
        for (f, (_, s)) in measures.iter_enumerated() {
            let [front, back] = cells.of_face(f);
            for (own, other) in [(front, back), (back, front)] {
                if thin[own] && !thin[other] {
                    *shared[own].entry(inside[other]).or_default() += s;
                }
            }
        }
        let mut found = false;
        for (c, by) in shared.into_iter_enumerated() {
            // The largest area; the least value where two are equal.
            let most = by.into_iter().filter(|(_, s)| *s > 0.0).reduce(|m, x| if x.1 > m.1 { x } else { m });
            if let Some((value, _)) = most {
                (inside[c], thin[c], found) = (value, false, true);
            }
        }
        if !found {
            return inside;
        }
    }
}
