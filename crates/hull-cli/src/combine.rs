//! `hull unite`, `hull subtract`, `hull intersect`.

use crate::{End, input, output};
use anyhow::{Result, anyhow};
use hull_geometry::Watch;
use hull_workshop::combine::{Together, together};
use std::path::PathBuf;

/// Files whose numbers are in one unit, and the file to write.
#[derive(clap::Args)]
pub struct Combine {
    /// Two or more closed bodies, and last the file to write (.stl, .obj, .ply).
    #[arg(required = true, num_args = 3..)]
    files: Vec<PathBuf>,
}

pub fn run(c: &Combine, how: Together) -> Result<End> {
    let (out, files) = c.files.split_last().ok_or_else(|| anyhow!("no files"))?;
    let bodies = input::named(files)?;
    let (body, change) = together(&bodies, how, &Watch::default()).map_err(|e| anyhow!("{e}"))?;
    println!("{}", change.sentence);
    let written = output::write(&body, out)?;
    output::tell(out, &body, written.as_ref())?;
    println!("wrote {}", out.display());
    Ok(End::Ready)
}
