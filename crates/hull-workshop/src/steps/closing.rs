//! What operations that rebuild facets share: how names follow.

use super::{Refusal, Report};
use crate::Body;
use crate::numbers::count;
use hull_geometry::sets::Sets;
use hull_geometry::topology::neighbours;
use hull_geometry::{FacetId, NONE, Rebuilt};
use std::collections::BTreeMap;

/// Follows a rebuilding; new facets go with the boundary around them where that is one and the same.
pub(super) fn follow_closed(body: &mut Body, rebuilt: Rebuilt) {
    let new: Vec<FacetId> = rebuilt.origin.keys().filter(|f| rebuilt.origin[*f] == FacetId::NONE).collect();
    body.take_rebuilt(rebuilt);
    let across = neighbours(&body.mesh);
    let is_new = |f: FacetId| new.binary_search(&f).ok();
    let sets = Sets::new(new.len());
    // For each set of new facets that hang together: the boundaries around.
    let mut around: Vec<Vec<u32>> = vec![Vec::new(); new.len()];
    for (i, &f) in new.iter().enumerate() {
        for g in across[f].into_iter().filter(|g| *g != FacetId::NONE) {
            match is_new(g) {
                Some(j) => sets.unite(i as u32, j as u32),
                None => around[i].push(body.columns.boundary[g]),
            }
        }
    }
    let mut one: BTreeMap<u32, Option<u32>> = BTreeMap::new();
    for (i, list) in around.iter().enumerate() {
        for b in list {
            let known = one.entry(sets.root(i as u32)).or_insert(Some(*b));
            *known = known.filter(|k| k == b);
        }
    }
    for (i, &f) in new.iter().enumerate() {
        body.columns.boundary[f] = one.get(&sets.root(i as u32)).copied().flatten().unwrap_or(NONE);
    }
}

/// Takes fewer facets; says how many of `what` went.
pub(super) fn shrink(body: &mut Body, rebuilt: Rebuilt, gone: usize, what: &str) -> Result<Report, Refusal> {
    if rebuilt.mesh.triangles.is_empty() {
        return Err("Nothing would be left.".into());
    }
    body.take_rebuilt(rebuilt);
    body.drop_empty_boundaries();
    Ok(format!("{} {what} removed.", count(gone)).into())
}
