//! `hull regions`.

use crate::{End, input, output};
use anyhow::{Context, Result, anyhow};
use hull_geometry::Watch;
use hull_workshop::handover::{distinct, file_stem};
use hull_workshop::regions::part;
use std::path::PathBuf;

/// Files whose numbers are in one unit, and the folder to write.
#[derive(clap::Args)]
pub struct Regions {
    /// Closed bodies: what lies in several belongs to the smallest.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The folder to write: an OBJ a region, a group a boundary, double precision.
    #[arg(long)]
    out: PathBuf,
    /// What is in none of the bodies but closed in becomes a region too.
    #[arg(long)]
    spaces: bool,
}

pub fn run(r: &Regions) -> Result<End> {
    let bodies = input::named(&r.files)?;
    let (made, sentence) = part(&bodies, r.spaces, &Watch::default()).map_err(|e| anyhow!("{e}"))?;
    println!("{sentence}");
    std::fs::create_dir_all(&r.out).with_context(|| format!("cannot make {}", r.out.display()))?;
    let stems = distinct(made.iter().map(|m| file_stem(&m.name)).collect());
    for (mut m, stem) in made.into_iter().zip(stems) {
        // Boundaries are what the file is to say.
        m.body.facts.labels = m
            .body
            .facts
            .boundaries
            .iter()
            .map(|b| hull_formats::Label { name: b.name.clone(), material: None })
            .collect();
        m.body.columns.label.clone_from(&m.body.columns.boundary);
        let path = r.out.join(format!("{stem}.obj"));
        let written = output::write(&m.body, &path)?;
        output::tell(&path, &m.body, written.as_ref())?;
        println!("wrote {}", path.display());
    }
    Ok(End::Ready)
}
