//! Turning facets the same way, and shells outward.

use crate::mesh::{Bounds, FacetId, Mesh, NONE, Point};
use crate::topology::neighbours;
use crate::vector::{add, cross, dot, norm, scale, sub};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::VecDeque;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// What was turned.
#[derive(Clone, Debug, Default)]
pub struct Oriented {
    /// Facets that were turned over, ascending.
    pub turned: Vec<FacetId>,
    /// Shells that cannot be turned the same way all over (one-sided, like a twisted band).
    pub one_sided: usize,
}

/// Finds the facets to turn so that neighbours agree and every shell faces outward: a shell inside an odd
/// number of other closed shells bounds a cavity and faces into it.
///
/// # Errors
/// [`Cancelled`].
pub fn facets_to_turn(mesh: &Mesh, watch: &Watch) -> Result<Oriented, Cancelled> {
    watch.report(0.0, "comparing neighbours")?;
    let across = neighbours(mesh);
    let n = mesh.triangles.len();
    let mut patch_of: TiVec<FacetId, u32> = ti_vec![NONE; n];
    let mut turned: TiVec<FacetId, bool> = ti_vec![false; n];
    let mut patches: Vec<ConnectedFacets> = Vec::new();
    let mut one_sided = 0;
    for seed in mesh.triangles.keys() {
        if patch_of[seed] != NONE || mesh.is_zero_area(seed) {
            continue;
        }
        watch.check()?;
        let number = patches.len() as u32;
        let mut patch = ConnectedFacets { facets: Vec::new(), closed: true, bounds: Bounds::EMPTY };
        let mut agree = true;
        patch_of[seed] = number;
        let mut queue = VecDeque::from([seed]);
        while let Some(f) = queue.pop_front() {
            patch.facets.push(f);
            for p in mesh.corners(f) {
                patch.bounds = patch.bounds.including(p);
            }
            for (edge, &g) in across[f].iter().enumerate() {
                if g == FacetId::NONE {
                    patch.closed = false;
                    continue;
                }
                let turn = turned[f] ^ runs_same_way(mesh, f, edge, g);
                if patch_of[g] == NONE {
                    patch_of[g] = number;
                    turned[g] = turn;
                    queue.push_back(g);
                } else if turned[g] != turn {
                    agree = false;
                }
            }
        }
        one_sided += usize::from(!agree);
        patches.push(patch);
    }
    watch.report(0.5, "telling inside from outside")?;
    let flips: Vec<bool> = patches
        .par_iter()
        .enumerate()
        .map(|(i, patch)| {
            let outward = patch.signed_volume(mesh, &turned) >= 0.0;
            let probe = mesh.corners(patch.facets[0])[0];
            let around = patches
                .iter()
                .enumerate()
                .filter(|(j, other)| *j != i && other.closed && other.bounds.contains(&patch.bounds))
                .filter(|(_, other)| other.winding(mesh, &turned, probe).abs() > 0.5)
                .count();
            outward == (around % 2 == 1)
        })
        .collect();
    let turned =
        mesh.triangles.keys().filter(|&f| patch_of[f] != NONE && turned[f] ^ flips[patch_of[f] as usize]).collect();
    Ok(Oriented { turned, one_sided })
}

/// Whether facet `g` runs edge `edge` of facet `f` in the same direction as `f` does.
pub fn runs_same_way(mesh: &Mesh, f: FacetId, edge: usize, g: FacetId) -> bool {
    let t = mesh.triangles[f];
    let (from, to) = (t[edge], t[(edge + 1) % 3]);
    let o = mesh.triangles[g];
    (0..3).any(|k| o[k] == from && o[(k + 1) % 3] == to)
}

struct ConnectedFacets {
    facets: Vec<FacetId>,
    closed: bool,
    bounds: Bounds,
}

impl ConnectedFacets {
    fn corners(&self, mesh: &Mesh, turned: &TiSlice<FacetId, bool>, f: FacetId) -> [Point; 3] {
        let [a, b, c] = mesh.corners(f);
        if turned[f] { [a, c, b] } else { [a, b, c] }
    }

    /// Volume under the facets; for an open patch, of the cone from the middle of its rim's box, which is
    /// positive where most of it faces away from there.
    fn signed_volume(&self, mesh: &Mesh, turned: &TiSlice<FacetId, bool>) -> f64 {
        let apex = if self.closed { self.bounds.centre() } else { self.middle(mesh) };
        self.facets
            .iter()
            .map(|&f| {
                let [a, b, c] = self.corners(mesh, turned, f).map(|p| sub(p, apex));
                dot(a, cross(b, c))
            })
            .sum()
    }

    fn middle(&self, mesh: &Mesh) -> Point {
        let sum = self.facets.iter().fold([0.0; 3], |s, &f| {
            let [a, b, c] = mesh.corners(f);
            add(s, scale(add(add(a, b), c), 1.0 / 3.0))
        });
        scale(sum, 1.0 / self.facets.len() as f64)
    }

    /// Winding number about `p`: the solid angle of every facet, summed (A. Van Oosterom and J. Strackee,
    /// 1983; A. Jacobson et al., SIGGRAPH 2013).
    fn winding(&self, mesh: &Mesh, turned: &TiSlice<FacetId, bool>, p: Point) -> f64 {
        let angle: f64 = self
            .facets
            .iter()
            .map(|&f| {
                let [a, b, c] = self.corners(mesh, turned, f).map(|q| sub(q, p));
                let (la, lb, lc) = (norm(a), norm(b), norm(c));
                let below = la * lb * lc + dot(a, b) * lc + dot(b, c) * la + dot(c, a) * lb;
                2.0 * dot(a, cross(b, c)).atan2(below)
            })
            .sum();
        angle / (4.0 * std::f64::consts::PI)
    }
}
