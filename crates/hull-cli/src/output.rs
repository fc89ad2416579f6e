//! Writing bodies of facets, points and lines.

use crate::convert::written;
use anyhow::{Context, Result, anyhow, bail};
use hull_formats::format::{dotted, listed};
use hull_formats::{FileFormat, Format, Received, dxf};
use hull_geometry::{Mesh, Unit, Watch};
use hull_workshop::Body;
use hull_workshop::handover::frames;
use hull_workshop::repair::{Defects, defects};
use std::path::Path;

/// Writes a body's facets as the ending of the file's name says, with the numbers as they are; gives what is wrong with the
/// file as it was written: it is read back, as single precision and polygons may undo what was clean before. Nothing where
/// the file holds exactly what was to be written.
///
/// # Errors
/// If the ending is of no format for facets, or the file cannot be written or read back.
pub fn write(body: &Body, path: &Path) -> Result<Option<Defects>> {
    if !body.has_surface() && (body.frame().is_some() || body.wires().is_some()) {
        return lines(body, path).map(|()| None);
    }
    let format = FileFormat::of_name(&path.to_string_lossy()).map_err(|e| anyhow!(e))?;
    if let (false, Some(cloud)) = (body.has_surface(), body.cloud()) {
        let Some(write) = format.write_points else {
            let points = listed(&dotted(|f| f.write_points.is_some()), "or");
            bail!("{}: the result is points; write {points}", path.display());
        };
        std::fs::write(path, write(cloud, false, body.facts.scale.is_some().then_some(Unit::Mm)))
            .with_context(|| format!("cannot write {}", path.display()))?;
        return Ok(None);
    }
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
    keep(&received, format, false, path)
}

/// Writes a frame or lines, which have no facets.
fn lines(body: &Body, path: &Path) -> Result<()> {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    let unit = if body.facts.scale.is_some() { Some(Unit::Mm) } else { None };
    let bytes = match (body.frame(), body.wires(), ending.as_str()) {
        (Some(frame), _, "json") => frames::json(frame),
        (Some(frame), _, "vtu") => frames::grid(frame, 1.0),
        (Some(frame), _, "dxf") => frames::drawing(frame, 1.0, Unit::Mm),
        (Some(_), ..) => bail!("{}: the result is a frame; write .json, .vtu or .dxf", path.display()),
        (None, Some(wires), "dxf") => dxf::write_lines(&wires.model, &wires.placed, unit),
        _ => bail!("{}: the result is lines; write .dxf, and convert that", path.display()),
    };
    std::fs::write(path, bytes).with_context(|| format!("cannot write {}", path.display()))
}

/// Writes what was received to a file of a format, reads it back and says what is wrong with it as it stands there;
/// nothing where it holds exactly what was to be written.
///
/// # Errors
/// If the format has no place for facets, or the file cannot be written or read back.
pub fn keep(received: &Received, format: &FileFormat, ascii: bool, path: &Path) -> Result<Option<Defects>> {
    let bytes = as_named(path, format, written(received, format, ascii)?)?;
    let back = hull_formats::read(&path.to_string_lossy(), &bytes, &Watch::default()).map_err(|e| anyhow!("{e}"))?;
    std::fs::write(path, bytes).with_context(|| format!("cannot write {}", path.display()))?;
    if same(&received.mesh, &back.mesh) {
        return Ok(None);
    }
    let (defects, ..) = defects(&Body::from_received("", back), &Watch::default())?;
    Ok(Some(defects))
}

/// A file in the form that its ending says, where a format has several.
///
/// # Errors
/// If it cannot be said so.
pub fn as_named(path: &Path, format: &FileFormat, bytes: Vec<u8>) -> Result<Vec<u8>> {
    if format.id != hull_formats::usd::FORMAT.id {
        return Ok(bytes);
    }
    hull_formats::usd::as_named(&path.to_string_lossy(), bytes).map_err(|e| anyhow!("{}: {e}", path.display()))
}

/// Whether two surfaces have the same facets in the same places, hanging together alike.
fn same(a: &Mesh, b: &Mesh) -> bool {
    a.triangles.len() == b.triangles.len()
        && a.points.len() == b.points.len()
        && a.triangles.keys().all(|f| a.corners(f) == b.corners(f))
}

/// Says what is worse in a file than in what was to be written; whether anything is. `is`: the file's defects, where it holds
/// something else.
///
/// # Errors
/// None but being cancelled.
pub fn tell(path: &Path, meant: &Body, is: Option<&Defects>) -> Result<bool> {
    let Some(is) = is else { return Ok(false) };
    let meant = defects(meant, &Watch::default())?.0;
    let worse: Vec<String> = meant
        .named()
        .into_iter()
        .zip(is.named())
        .filter(|(meant, is)| is.1 > meant.1)
        .map(|(meant, is)| format!("{} {} ({} before)", is.1, is.0, meant.1))
        .collect();
    if !worse.is_empty() {
        eprintln!("{}: as written it has {}; another format keeps more digits", path.display(), worse.join(", "));
    }
    Ok(!worse.is_empty())
}
