//! Cells: faces of more than three corners, kept as groups of triangles with one cell number.

use crate::mesh::Mesh;
use std::collections::HashMap;

/// The polygons of a mesh: facets with the same cell number form one, in the order of their first facets.
/// Each is given by its outline, so points that stitching put on an edge are part of it. A cell whose
/// outline is not one loop is given as its triangles.
pub fn polygons(mesh: &Mesh, cell_of: &[u32]) -> Vec<Vec<u32>> {
    if cell_of.is_empty() {
        return mesh.triangles.iter().map(|t| t.to_vec()).collect();
    }
    let mut order: Vec<u32> = (0..mesh.triangles.len() as u32).collect();
    order.sort_by_key(|&f| cell_of[f as usize]);
    let mut groups: Vec<Vec<u32>> =
        order.chunk_by(|a, b| cell_of[*a as usize] == cell_of[*b as usize]).map(<[u32]>::to_vec).collect();
    groups.sort_by_key(|g| g[0]);
    let mut polygons = Vec::with_capacity(groups.len());
    for group in groups {
        match outline(mesh, &group) {
            Some(polygon) => polygons.push(polygon),
            None => polygons.extend(group.iter().map(|&f| mesh.triangles[f as usize].to_vec())),
        }
    }
    polygons
}

fn outline(mesh: &Mesh, group: &[u32]) -> Option<Vec<u32>> {
    if let [only] = group {
        return Some(mesh.triangles[*only as usize].to_vec());
    }
    let mut next: HashMap<u32, u32> = HashMap::new();
    let edges: std::collections::HashSet<(u32, u32)> = group
        .iter()
        .flat_map(|&f| {
            let t = mesh.triangles[f as usize];
            [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])]
        })
        .collect();
    for &(a, b) in edges.iter().filter(|(a, b)| !edges.contains(&(*b, *a))) {
        if next.insert(a, b).is_some() {
            return None;
        }
    }
    let first = group.iter().flat_map(|&f| mesh.triangles[f as usize]).find(|p| next.contains_key(p))?;
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
