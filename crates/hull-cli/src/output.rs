//! Writing bodies of facets.

use crate::convert::written;
use anyhow::{Context, Result, anyhow, bail};
use hull_formats::{Family, Format, Received};
use hull_workshop::Body;
use std::path::Path;

/// Writes a body's facets as the ending of the file's name says, with the numbers as they are.
///
/// # Errors
/// If the ending is of no format for facets, or the file cannot be written.
pub fn write(body: &Body, path: &Path) -> Result<()> {
    let family: Family = path.to_string_lossy().parse().map_err(|e: String| anyhow!(e))?;
    if matches!(family, Family::Step | Family::Iges) {
        bail!("{}: the result is facets; write .stl, .obj or .ply, and convert that", path.display());
    }
    let mut received = Received::plain(Format::StlBinary, body.mesh.clone());
    if !body.facts.labels.is_empty() {
        received.labels.clone_from(&body.facts.labels);
    }
    received.label_of.clone_from(&body.label_of);
    received.cell_of.clone_from(&body.cell_of);
    std::fs::write(path, written(&received, family, false)).with_context(|| format!("cannot write {}", path.display()))
}
