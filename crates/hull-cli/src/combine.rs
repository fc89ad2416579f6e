//! `hull unite`, `hull subtract`, `hull intersect`.

use crate::{End, input, output};
use anyhow::{Result, anyhow};
use hull_geometry::Watch;
use hull_workshop::combine::{Together, together};
use std::path::PathBuf;

/// Files whose numbers are in one unit, and the file to write.
#[derive(clap::Args)]
pub struct Combine {
    /// A closed body.
    body: PathBuf,
    /// Another one.
    other: PathBuf,
    /// More of them, if there are more, and last the file to write (.stl, .obj, .ply).
    #[arg(required = true)]
    out: Vec<PathBuf>,
}

pub fn run(c: &Combine, how: Together) -> Result<End> {
    let (out, more) = c.out.split_last().ok_or_else(|| anyhow!("no file to write is named"))?;
    let files: Vec<PathBuf> = [&c.body, &c.other].into_iter().chain(more).cloned().collect();
    let bodies = input::named(&files)?;
    let (body, change) = together(&bodies, how, &Watch::default()).map_err(|e| anyhow!("{e}"))?;
    println!("{}", change.sentence);
    let written = output::write(&body, out)?;
    output::tell(out, &body, written.as_ref())?;
    println!("wrote {}", out.display());
    Ok(End::Ready)
}
