//! Splitting a surface into regions by the angle between neighbouring facets.

use crate::mesh::{FacetId, Mesh, PointId};
use crate::orient::runs_same_way;
use crate::sets::Sets;
use crate::topology::neighbours;
use crate::vector::{cross, dot, norm, scale};
use rayon::prelude::*;
use typed_index_collections::TiVec;

/// A surface's neighbourhood relation, for splitting it at several angles or from several facets.
pub struct Regions<'a> {
    mesh: &'a Mesh,
    across: TiVec<FacetId, [FacetId; 3]>,
}

impl<'a> Regions<'a> {
    /// Makes ready to tell regions.
    pub fn new(mesh: &'a Mesh) -> Regions<'a> {
        Regions { mesh, across: neighbours(mesh) }
    }

    /// Angle in degrees between the facets on both sides of an edge of `f`; 0 for coplanar ones.
    fn angle(&self, f: FacetId, edge: usize) -> f64 {
        let g = self.across[f][edge];
        let u = self.mesh.area_vector(f);
        let turn = if runs_same_way(self.mesh, f, edge, g) { -1.0 } else { 1.0 };
        let v = scale(self.mesh.area_vector(g), turn);
        norm(cross(u, v)).atan2(dot(u, v)).to_degrees()
    }

    /// The facet across an edge of another, if the two turn by at most `angle` degrees there.
    pub fn connected(&self, f: FacetId, edge: usize, angle: f64) -> Option<FacetId> {
        let g = self.across[f][edge];
        (g != FacetId::NONE && self.angle(f, edge) <= angle).then_some(g)
    }

    /// The region number of each facet, regions numbered by their lowest facet, and how many there are:
    /// neighbouring facets belong together if the angle between them is at most `angle` degrees.
    pub fn split(&self, angle: f64) -> (TiVec<FacetId, u32>, usize) {
        let sets = Sets::new(self.mesh.triangles.len());
        self.mesh.par_facets().with_min_len(1 << 12).for_each(|f| {
            for edge in 0..3 {
                if self.across[f][edge] > f
                    && let Some(g) = self.connected(f, edge, angle)
                {
                    sets.unite(f, g);
                }
            }
        });
        sets.numbered(|_| false)
    }

    /// A tint for each facet, so that touching regions of [`Regions::split`] can be told apart: each region
    /// takes the lowest of `tints` tints (at least one) that no touching region of a lower number has, or
    /// one by its number where all are taken. With the tints, the number of regions.
    pub fn tints(&self, angle: f64, tints: u8) -> (TiVec<FacetId, u8>, usize) {
        let (region_of, regions) = self.split(angle);
        let mut touching: Vec<(u32, u32)> = self
            .mesh
            .par_facets()
            .with_min_len(1 << 12)
            .flat_map_iter(|f| {
                let mine = region_of[f];
                self.across[f].into_iter().filter(|&g| g != FacetId::NONE).filter_map({
                    let region_of = &region_of;
                    move |g| (region_of[g] < mine).then(|| (mine, region_of[g]))
                })
            })
            .collect();
        touching.par_sort_unstable();
        touching.dedup();
        let mut tint = vec![0u8; regions];
        let mut next = touching.iter().peekable();
        for region in 0..regions as u32 {
            let mut taken = [false; 256];
            while let Some((_, lower)) = next.next_if(|pair| pair.0 == region) {
                taken[tint[*lower as usize] as usize] = true;
            }
            let by_number = (region % u32::from(tints.max(1))) as u8;
            tint[region as usize] = (0..tints).find(|&t| !taken[t as usize]).unwrap_or(by_number);
        }
        (region_of.into_iter().map(|r| tint[r as usize]).collect(), regions)
    }

    /// The facets reached from `seed` over edges of at most `angle` degrees, ascending.
    pub fn grow(&self, seed: FacetId, angle: f64) -> Vec<FacetId> {
        let mut reached = std::collections::BTreeSet::from([seed]);
        let mut open = vec![seed];
        while let Some(f) = open.pop() {
            for edge in 0..3 {
                if let Some(g) = self.connected(f, edge, angle)
                    && reached.insert(g)
                {
                    open.push(g);
                }
            }
        }
        reached.into_iter().collect()
    }

    /// Edges between two facets worth drawing, as pairs of points: those at which the facets turn by more
    /// than `angle` degrees or for which `differ` holds between the two.
    pub fn outlines(&self, angle: f64, differ: impl Fn(FacetId, FacetId) -> bool + Sync) -> Vec<[PointId; 2]> {
        self.mesh
            .par_facets()
            .with_min_len(1 << 12)
            .flat_map_iter(|f| {
                let t = self.mesh.triangles[f];
                (0..3).map(move |e| (e, self.across[f][e])).filter_map({
                    let differ = &differ;
                    move |(e, g)| {
                        let drawn = g != FacetId::NONE && f < g && (differ(f, g) || self.angle(f, e) > angle);
                        drawn.then(|| [t[e], t[(e + 1) % 3]])
                    }
                })
            })
            .collect()
    }
}
