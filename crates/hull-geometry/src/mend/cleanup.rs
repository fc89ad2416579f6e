//! Removing duplicate facets and facets without area.

use crate::mesh::{FacetId, Mesh, PointId, Rebuilt};
use crate::topology::Topology;
use crate::vector::distance;
use crate::watch::{Cancelled, Watch};
use std::collections::HashMap;
use typed_index_collections::{TiVec, ti_vec};

/// Cutting a neighbour may leave it without area too, so that a row of such facets goes one a round.
const ROUNDS: usize = 64;

/// Drops every facet that repeats an earlier one. Returns the rest and how many went.
///
/// # Errors
/// [`Cancelled`].
pub fn without_duplicates(mesh: &Mesh, watch: &Watch) -> Result<(Rebuilt, usize), Cancelled> {
    let duplicates = Topology::of(mesh, watch)?.duplicates;
    let rebuilt = Rebuilt::keeping(mesh, |f| duplicates.binary_search(&f).is_err());
    Ok((rebuilt, duplicates.len()))
}

/// Drops facets without area. Where one has three distinct corners, the facet across its long edge is cut
/// at the middle corner, so that no gap opens. Returns the rest and how many went.
///
/// # Errors
/// [`Cancelled`].
pub fn without_zero_area(mesh: &Mesh, watch: &Watch) -> Result<(Rebuilt, usize), Cancelled> {
    let mut triangles = mesh.triangles.clone();
    let mut origin: TiVec<FacetId, FacetId> = triangles.keys().collect();
    let mut removed = 0;
    for _ in 0..ROUNDS {
        watch.check()?;
        let now = Mesh { points: mesh.points.clone(), triangles: triangles.clone() };
        let flat: Vec<FacetId> = triangles.keys().filter(|&f| now.is_zero_area(f)).collect();
        if flat.is_empty() {
            break;
        }
        let mut across_edge: HashMap<[PointId; 2], Vec<FacetId>> = HashMap::new();
        for &f in &flat {
            if let Some((a, b, _)) = long_edge(&now, f) {
                across_edge.insert([a.min(b), a.max(b)], Vec::new());
            }
        }
        for (f, t) in triangles.iter_enumerated() {
            for k in 0..3 {
                let (a, b) = (t[k], t[(k + 1) % 3]);
                if let Some(list) = across_edge.get_mut(&[a.min(b), a.max(b)]) {
                    list.push(f);
                }
            }
        }
        let mut gone: TiVec<FacetId, bool> = ti_vec![false; triangles.len()];
        let mut cut: TiVec<FacetId, bool> = ti_vec![false; triangles.len()];
        for &f in &flat {
            if cut[f] {
                continue;
            }
            let Some((a, b, middle)) = long_edge(&now, f) else {
                gone[f] = true;
                removed += 1;
                continue;
            };
            let beside: Vec<FacetId> = across_edge[&[a.min(b), a.max(b)]].iter().copied().filter(|&g| g != f).collect();
            if beside.iter().any(|&g| gone[g] || cut[g]) {
                // What lies across is another facet by now: the next round knows it.
                continue;
            }
            gone[f] = true;
            removed += 1;
            // The facet across runs the edge the other way; among several such, or none, any will do.
            if let Some(g) = beside.iter().copied().find(|&g| runs(now.triangles[g], b, a)).or(beside.first().copied())
            {
                cut[g] = true;
                let (first, second) = cut_at(triangles[g], a, b, middle);
                triangles[g] = first;
                triangles.push(second);
                origin.push(origin[g]);
                gone.push(false);
                cut.push(true);
            }
        }
        let mut keep = gone.iter().map(|g| !g);
        triangles.retain(|_| keep.next().unwrap_or(true));
        let mut keep = gone.iter().map(|g| !g);
        origin.retain(|_| keep.next().unwrap_or(true));
    }
    let mut order: Vec<FacetId> = origin.keys().collect();
    order.sort_by_key(|&i| origin[i]);
    let mut mesh = Mesh { points: mesh.points.clone(), triangles: order.iter().map(|&i| triangles[i]).collect() };
    mesh.drop_unused_points();
    Ok((Rebuilt { mesh, origin: order.iter().map(|&i| origin[i]).collect() }, removed))
}

/// The long edge of a facet without area and the corner between its ends; `None` if corners coincide.
fn long_edge(mesh: &Mesh, f: FacetId) -> Option<(PointId, PointId, PointId)> {
    let t = mesh.triangles[f];
    if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
        return None;
    }
    let length = |k: usize| distance(mesh.points[t[k]], mesh.points[t[(k + 1) % 3]]);
    let k = (0..3).max_by(|&i, &j| length(i).total_cmp(&length(j)))?;
    Some((t[k], t[(k + 1) % 3], t[(k + 2) % 3]))
}

/// Whether a facet runs an edge from `a` to `b`.
fn runs(t: [PointId; 3], a: PointId, b: PointId) -> bool {
    (0..3).any(|k| t[k] == a && t[(k + 1) % 3] == b)
}

/// Cuts a facet that has the edge `a b` at `middle`, keeping its direction.
fn cut_at(t: [PointId; 3], a: PointId, b: PointId, middle: PointId) -> ([PointId; 3], [PointId; 3]) {
    (t.map(|p| if p == b { middle } else { p }), t.map(|p| if p == a { middle } else { p }))
}
