//! Writing bodies of facets.

use crate::convert::written;
use anyhow::{Context, Result, anyhow, bail};
use hull_formats::format::{dotted, listed};
use hull_formats::{FileFormat, Format, Received};
use hull_workshop::Body;
use std::path::Path;

/// Writes a body's facets as the ending of the file's name says, with the numbers as they are.
///
/// # Errors
/// If the ending is of no format for facets, or the file cannot be written.
pub fn write(body: &Body, path: &Path) -> Result<()> {
    let format = FileFormat::of_name(&path.to_string_lossy()).map_err(|e| anyhow!(e))?;
    if format.write.is_none() {
        let facets = listed(&dotted(|f| f.write.is_some()), "or");
        bail!("{}: the result is facets; write {facets}, and convert that", path.display());
    }
    let mut received = Received::plain(Format::StlBinary, body.mesh.clone());
    if !body.facts.labels.is_empty() {
        received.labels.clone_from(&body.facts.labels);
    }
    received.label_of.clone_from(&body.columns.label);
    received.cell_of.clone_from(&body.columns.cell);
    std::fs::write(path, written(&received, format, false)?).with_context(|| format!("cannot write {}", path.display()))
}
