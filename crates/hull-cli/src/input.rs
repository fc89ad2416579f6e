//! Reading files from disk.

use anyhow::{Context, Result};
use hull_formats::Received;
use hull_geometry::Watch;
use std::path::Path;

/// The name of a file without its folders.
pub fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or(path.as_os_str()).to_string_lossy().into_owned()
}

/// Reads a geometry file.
///
/// # Errors
/// With the file, the place and the reason.
pub fn receive(path: &Path) -> Result<Received> {
    let bytes = std::fs::read(path).with_context(|| format!("cannot read {}", path.display()))?;
    Ok(hull_formats::read(&path.to_string_lossy(), &bytes, &Watch::default())?)
}

/// Reads a text file.
///
/// # Errors
/// With the file and the reason.
pub fn text(path: &Path) -> Result<String> {
    std::fs::read_to_string(path).with_context(|| format!("cannot read {}", path.display()))
}
