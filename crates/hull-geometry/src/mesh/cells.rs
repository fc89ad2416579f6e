//! Cells: faces of more than three corners, kept as groups of triangles with one cell number.

use crate::mesh::{FacetId, Point, PointId};
use crate::triangulate;
use crate::vector::distance;
use std::collections::HashMap;
use typed_index_collections::TiSlice;

/// How far corners of a polygon of more than four may lie off one plane, in parts of its size.
const FLAT: f64 = 1e-6;
/// From no more corners of an outline it is tried whether it says the same.
const MOST_TURNS: usize = 24;

/// The polygons that triangles form: those with the same cell number one, in the order of their first ones. Each is given
/// by its outline, so points that stitching put on an edge are part of it; it begins where a reader makes the same triangles
/// of it again, which of a square or a regular polygon depends on the corner. Where a reader would make others from every
/// corner, or the outline is not one loop, has points within, or is not flat, the triangles are given.
pub fn polygons(
    points: &TiSlice<PointId, Point>,
    triangles: &TiSlice<FacetId, [PointId; 3]>,
    cell_of: &TiSlice<FacetId, u32>,
) -> Vec<Vec<PointId>> {
    let mut order: Vec<FacetId> = triangles.keys().collect();
    let mesh = triangles;
    order.sort_by_key(|&f| cell_of[f]);
    let mut groups: Vec<Vec<FacetId>> =
        order.chunk_by(|a, b| cell_of[*a] == cell_of[*b]).map(<[FacetId]>::to_vec).collect();
    groups.sort_by_key(|g| g[0]);
    let mut polygons = Vec::with_capacity(groups.len());
    for group in groups {
        let same =
            |p: Vec<PointId>| if group.len() == 1 { Some(p) } else { turned_to_say_the_same(points, mesh, &group, p) };
        match outline(mesh, &group).and_then(same) {
            Some(polygon) => polygons.push(polygon),
            None => polygons.extend(group.iter().map(|&f| mesh[f].to_vec())),
        }
    }
    polygons
}

fn outline(mesh: &TiSlice<FacetId, [PointId; 3]>, group: &[FacetId]) -> Option<Vec<PointId>> {
    if let [only] = group {
        return Some(mesh[*only].to_vec());
    }
    let mut next: HashMap<PointId, PointId> = HashMap::new();
    let edges: std::collections::HashSet<(PointId, PointId)> = group
        .iter()
        .flat_map(|&f| {
            let t = mesh[f];
            [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])]
        })
        .collect();
    for &(a, b) in edges.iter().filter(|(a, b)| !edges.contains(&(*b, *a))) {
        if next.insert(a, b).is_some() {
            return None;
        }
    }
    let first = group.iter().flat_map(|&f| mesh[f]).find(|p| next.contains_key(p))?;
    let mut polygon = vec![first];
    loop {
        let here = *next.get(&polygon[polygon.len() - 1])?;
        if here == first {
            return (polygon.len() == next.len()).then_some(polygon);
        }
        if polygon.len() > next.len() {
            return None;
        }
        polygon.push(here);
    }
}

/// The outline from the first of its corners from which it says the same as its triangles.
fn turned_to_say_the_same(
    points: &TiSlice<PointId, Point>,
    mesh: &TiSlice<FacetId, [PointId; 3]>,
    group: &[FacetId],
    mut outline: Vec<PointId>,
) -> Option<Vec<PointId>> {
    let turns = outline.len().min(MOST_TURNS);
    (0..turns).find(|i| {
        outline.rotate_left(usize::from(*i > 0));
        says_the_same(points, mesh, group, &outline)
    })?;
    Some(outline)
}

/// Whether who reads a polygon gets the triangles that it was made of, or others in their plane.
fn says_the_same(
    points: &TiSlice<PointId, Point>,
    triangles: &TiSlice<FacetId, [PointId; 3]>,
    group: &[FacetId],
    polygon: &[PointId],
) -> bool {
    if polygon.len() != group.len() + 2 {
        return false;
    }
    let places: Vec<Point> = polygon.iter().map(|&p| points[p]).collect();
    let sorted = |mut all: Vec<[PointId; 3]>| {
        all.iter_mut().for_each(|t| {
            let least = (0..3).min_by_key(|&k| t[k]).unwrap_or(0);
            t.rotate_left(least);
        });
        all.sort_unstable();
        all
    };
    let read = triangulate::face(&places).into_iter().map(|t| t.map(|k| polygon[k as usize])).collect();
    if sorted(read) != sorted(group.iter().map(|&f| triangles[f]).collect()) {
        return false;
    }
    polygon.len() == 4 || is_flat(&places)
}

/// Whether corners lie in one plane. Outlines that are not convex are kept: formats of polygons allow them.
fn is_flat(places: &[Point]) -> bool {
    let size = places.iter().map(|p| distance(*p, places[0])).fold(0.0, f64::max);
    triangulate::out_of_plane(places) <= FLAT * size
}
