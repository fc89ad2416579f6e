//! `hull convert`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow};
use hull_formats::{Family, Part, Received, obj, ply, stl};
use hull_geometry::{Unit, transform};
use std::path::Path;

pub fn run(from: &Path, to: &Path, units: Option<(Unit, Unit)>, ascii: bool) -> Result<End> {
    let family: Family = to.to_string_lossy().parse().map_err(|e: String| anyhow!(e))?;
    let mut received = input::receive(from)?;
    if let Some((from, to)) = units {
        transform::enlarge(&mut received.mesh, from.millimetres() / to.millimetres());
    }
    let bytes = written(&received, family, ascii);
    std::fs::write(to, bytes).with_context(|| format!("cannot write {}", to.display()))?;
    Ok(End::Ready)
}

fn written(received: &Received, family: Family, ascii: bool) -> Vec<u8> {
    let groups = by_label(received);
    let parts: Vec<Part> = groups.iter().map(|(name, facets)| Part { name, facets }).collect();
    match family {
        Family::Stl if ascii => stl::write_ascii(&received.mesh, &parts),
        Family::Stl => {
            let all: Vec<u32> = (0..received.mesh.triangles.len() as u32).collect();
            stl::write_binary(&received.mesh, &all)
        }
        Family::Obj => obj::write(&received.mesh, &received.cell_of, &parts),
        Family::Ply => ply::write(&received.mesh, &received.cell_of, ascii),
    }
}

/// The facets of each name in the file; labels of one name go together.
fn by_label(received: &Received) -> Vec<(String, Vec<u32>)> {
    let mut groups: Vec<(String, Vec<u32>)> = Vec::new();
    let place: Vec<usize> = received
        .labels
        .iter()
        .map(|label| {
            let name = if label.name.is_empty() { label.material.as_deref().unwrap_or("") } else { &label.name };
            groups.iter().position(|g| g.0 == name).unwrap_or_else(|| {
                groups.push((name.to_string(), Vec::new()));
                groups.len() - 1
            })
        })
        .collect();
    for f in 0..received.mesh.triangles.len() {
        let label = received.label_of.get(f).copied().unwrap_or(0) as usize;
        groups[place[label]].1.push(f as u32);
    }
    groups
}
