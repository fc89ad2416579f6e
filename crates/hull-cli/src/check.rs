//! `hull check`.

use crate::{End, input};
use anyhow::Result;
use hull_formats::Received;
use hull_geometry::{Unit, Watch};
use hull_workshop::Figures;
use hull_workshop::numbers::{count, short};
use std::path::{Path, PathBuf};

pub fn run(files: &[PathBuf], unit: Option<Unit>, json: bool) -> Result<End> {
    let mut ready = true;
    for path in files {
        let received = input::receive(path)?;
        let (figures, _) = hull_workshop::survey::figures(&received.mesh, unit, &Watch::default())?;
        let wrong = shortcomings(&figures);
        ready &= wrong.is_empty();
        if json {
            let mut object = serde_json::to_value(&figures)?;
            object["file"] = path.to_string_lossy().into();
            object["format"] = received.format.to_string().into();
            println!("{object}");
        } else {
            print(path, &received, &figures, &wrong);
        }
    }
    Ok(if ready { End::Ready } else { End::Short })
}

/// What keeps the surface from being a clean closed one.
fn shortcomings(f: &Figures) -> Vec<String> {
    [
        (f.open_edges, "open edges"),
        (f.overshared_edges, "edges shared by three or more facets"),
        (f.misdirected_edges, "edges between facets that face opposite ways"),
        (f.pinched_points, "pinched points"),
        (f.duplicate_triangles, "duplicate facets"),
        (f.zero_area_triangles, "facets without area"),
        (usize::from(f.closed && f.misdirected_edges == 0 && f.volume < 0.0), "surface inside out"),
    ]
    .into_iter()
    .filter(|(n, _)| *n > 0)
    .map(|(n, what)| format!("{} {what}", count(n)))
    .collect()
}

fn print(path: &Path, received: &Received, f: &Figures, wrong: &[String]) {
    let unit = f.unit.map_or("file units", Unit::symbol);
    let size = f.bbox.size().map(short).join(" × ");
    println!("{} ({})", path.display(), received.format);
    println!("  {} triangles, {} points, {} shells", count(f.triangles), count(f.points), count(f.shells));
    println!("  size {size} {unit}, area {} {unit}², volume {} {unit}³", short(f.area), short(f.volume));
    if f.unit.is_none() {
        println!("  no unit: the file does not say what its numbers are (--unit mm, cm, m, in or ft)");
    }
    for skipped in &received.skipped {
        println!("  skipped: {} × {}", count(skipped.count), skipped.what);
    }
    if wrong.is_empty() {
        println!("  ready: closed, every edge has two facets, all face the same way outward");
    } else {
        println!("  short: {}", wrong.join("; "));
        if f.open_edges > 0 {
            println!(
                "  the open edges form {} loops, {} {unit} long in all",
                count(f.open_loops),
                short(f.open_length)
            );
        }
    }
}
