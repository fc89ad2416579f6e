//! Facets that are tangled: they run through or lie on others, or meet at edges and points where a surface has more than
//! two sides.

use crate::Rebuilt;
use crate::corners::Corners;
use crate::crossings::Crossing;
use crate::mesh::{FacetId, Mesh, PointId};
use crate::sets::Sets;
use crate::topology::{Topology, neighbours};
use crate::vector::norm;
use std::collections::HashSet;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// Pieces that are left of a tangle with no more than this share of the area go with it.
const SCRAP: f64 = 1e-3;

/// Which facets are tangled: those of the crossings, at edges of three and more, at edges whose facets face opposite
/// ways, around non-manifold vertices, without area, or there twice; and those that have a point of one in `rings` rounds.
pub fn tangled(mesh: &Mesh, topology: &Topology, crossings: &[Crossing], rings: usize) -> TiVec<FacetId, bool> {
    let corners = Corners::new(mesh, |_| false);
    let mut marked: TiVec<FacetId, bool> = ti_vec![false; mesh.triangles.len()];
    let mut mark = |f: FacetId| marked[f] = true;
    crossings.iter().flat_map(|c| c.facets).for_each(&mut mark);
    topology.duplicates.iter().chain(&topology.zero_area).for_each(|f| mark(*f));
    topology.pinched.iter().flat_map(|p| corners.at(*p)).for_each(|f| mark(*f));
    let edges = topology.overshared.iter().map(|e| e.ends).chain(topology.misdirected.iter().copied());
    for [a, b] in edges {
        corners.at(a).iter().filter(|f| mesh.triangles[**f].contains(&b)).for_each(|f| mark(*f));
    }
    for _ in 0..rings {
        let points: HashSet<PointId> = marked.keys().filter(|f| marked[*f]).flat_map(|f| mesh.triangles[f]).collect();
        points.iter().flat_map(|p| corners.at(*p)).for_each(|f| marked[*f] = true);
    }
    marked
}

/// The surface without the marked facets, and without small pieces that hung together with the rest by them alone.
pub fn without(mesh: &Mesh, marked: &TiSlice<FacetId, bool>) -> Rebuilt {
    let across = neighbours(mesh);
    let sets = Sets::new(mesh.triangles.len());
    for (f, list) in across.iter_enumerated().filter(|(f, _)| !marked[*f]) {
        list.iter().filter(|g| **g != FacetId::NONE && !marked[**g]).for_each(|g| sets.unite(f, *g));
    }
    let mut beside = HashSet::new();
    for (f, list) in across.iter_enumerated().filter(|(f, _)| !marked[*f]) {
        if list.iter().any(|g| *g != FacetId::NONE && marked[*g]) {
            beside.insert(sets.root(f));
        }
    }
    let size = |f: FacetId| norm(mesh.area_vector(f)) / 2.0;
    let mut areas: TiVec<FacetId, f64> = ti_vec![0.0; mesh.triangles.len()];
    let mut whole = 0.0;
    for f in mesh.triangles.keys().filter(|f| !marked[*f]) {
        areas[sets.root(f)] += size(f);
        whole += size(f);
    }
    let scrap = |f: FacetId| beside.contains(&sets.root(f)) && areas[sets.root(f)] < SCRAP * whole;
    Rebuilt::keeping(mesh, |f| !marked[f] && !scrap(f))
}
