//! `hull leak`.

use crate::{End, input};
use anyhow::{Result, anyhow};
use hull_exact::parameter_loops::Reader;
use hull_flow::leaks::{leak, length, place_inside, tight_from};
use hull_flow::passages::lost;
use hull_geometry::{Point, Watch};
use hull_workshop::numbers::four_digits;
use serde_json::json;
use std::path::PathBuf;

/// A surface, and the size of cells.
#[derive(clap::Args)]
pub struct Leak {
    file: PathBuf,
    /// The size of cells, in the file's unit; left out, a 200th of the body's diagonal.
    #[arg(long)]
    cell: Option<f64>,
    /// A place inside; left out, one is found.
    #[arg(long, value_parser = crate::section::place, allow_hyphen_values = true)]
    inside: Option<Point>,
    /// Look for the size of cells from which it is tight, too.
    #[arg(long)]
    all_sizes: bool,
    /// One JSON object.
    #[arg(long)]
    json: bool,
}

pub fn run(l: &Leak) -> Result<End> {
    let mesh = input::body(&l.file, Reader::Trusting)?.mesh;
    let diagonal = mesh.bounds().diagonal();
    let cell = l.cell.unwrap_or(diagonal / 200.0);
    let inside = match l.inside {
        Some(p) => p,
        None => {
            place_inside(&mesh).ok_or_else(|| anyhow!("no place inside was found: give one with --inside x,y,z"))?
        }
    };
    let watch = Watch::default();
    let found = leak(&mesh, inside, cell, &watch).map_err(|e| anyhow!("{e}"))?;
    let lost = lost(&mesh, cell, &watch);
    let tight = match l.all_sizes {
        true => {
            Some(tight_from(&mesh, inside, [diagonal / 400.0, diagonal / 10.0], &watch).map_err(|e| anyhow!("{e}"))?)
        }
        false => None,
    };
    if l.json {
        let way =
            found.as_ref().map(|w| json!({ "width": w.width, "at": w.at, "length": length(w), "points": w.points }));
        let passages = lost.as_ref().ok().map(|(all, seen_from)| {
            let all: Vec<_> = all.iter().map(|p| json!({ "at": p.at, "width": p.width, "rooms": p.rooms })).collect();
            json!({ "seen_from": seen_from, "all": all })
        });
        println!(
            "{}",
            json!({ "cell": cell, "inside": inside, "tight": found.is_none(), "way": way, "tight_from": tight, "lost_passages": passages })
        );
    } else {
        match &found {
            None => println!("tight for cells of {} from {}", four_digits(cell), inside.map(four_digits).join(", ")),
            Some(w) => println!(
                "leaks for cells of {}: a way of {} from {} leads outside; its narrowest place is {} wide, at {}",
                four_digits(cell),
                four_digits(length(w)),
                inside.map(four_digits).join(", "),
                four_digits(w.width),
                w.at.map(four_digits).join(", ")
            ),
        }
        match tight {
            Some(Some(size)) => println!("tight from cells of {}", four_digits(size)),
            Some(None) => println!("it leaks at every size up to a tenth of the diagonal"),
            None => {}
        }
        match &lost {
            Err(e) => println!("lost passages were not looked for: {e}"),
            Ok((all, seen_from)) if all.is_empty() => {
                println!("no passage of {} or more would be closed", four_digits(*seen_from));
            }
            Ok((all, _)) => all.iter().for_each(|p| {
                println!(
                    "would close a passage {} wide at {}, with {} behind it",
                    four_digits(p.width),
                    p.at.map(four_digits).join(", "),
                    four_digits(p.rooms[0])
                );
            }),
        }
    }
    Ok(if found.is_none() { End::Ready } else { End::NotReady })
}
