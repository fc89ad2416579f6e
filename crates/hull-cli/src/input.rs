//! Reading files from disk.

use anyhow::{Context, Result, anyhow, bail};
use hull_exact::parameter_loops::Reader;
use hull_formats::{Content, Design, archive};
use hull_geometry::{Unit, Watch};
use hull_workshop::handover::frames;
use hull_workshop::neighbours::Neighbour;
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::{Body, Destination, apply, exact};
use rayon::prelude::*;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The name of a file without its folders.
pub fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or(path.as_os_str()).to_string_lossy().into_owned()
}

/// Reads a geometry file.
///
/// # Errors
/// With the file, the place and the reason.
pub fn open(path: &Path) -> Result<Content> {
    let bytes = bytes(path).with_context(|| format!("cannot read {}", path.display()))?;
    let beside = |name: &str| std::fs::read(path.parent()?.join(name)).ok();
    Ok(hull_formats::open_beside(&path.to_string_lossy(), &bytes, &beside, &Watch::default())?)
}

/// Reads a geometry file as a body with a surface; design geometry gets facets that suit its size.
///
/// # Errors
/// With the file, the place and the reason; also if there is no surface.
pub fn body(path: &Path, reader: Reader) -> Result<Body> {
    let body = any_body(path, reader)?;
    if let Some(kinds) = body.instead_of_surface() {
        return Err(anyhow!("{}: the file holds {kinds} and no faces, so there is no surface", path.display()));
    }
    Ok(body)
}

/// Reads a geometry file as a body, whatever it holds.
///
/// # Errors
/// With the file, the place and the reason.
pub fn any_body(path: &Path, reader: Reader) -> Result<Body> {
    watched(path, reader, &Watch::default())
}

fn watched(path: &Path, reader: Reader, watch: &Watch) -> Result<Body> {
    if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("json")) {
        let bytes = bytes(path).with_context(|| format!("cannot read {}", path.display()))?;
        return frames::from_json(&file_name(path), &bytes).map_err(|e| anyhow!(e));
    }
    match watch.timed(|_| "reading".into(), || open(path))? {
        Content::Exact(design) => exact_body(path, *design, reader, watch),
        other => Ok(Body::of(&file_name(path), other, watch)?),
    }
}

/// The bodies of a file, each with the name it goes by: one, but for a zip, which has as many as geometry files in it.
///
/// # Errors
/// With the file, the place and the reason.
pub fn bodies(path: &Path, reader: Reader, watch: &Watch) -> Result<Vec<(PathBuf, Body)>> {
    let name = path.to_string_lossy();
    if !archive::is_archive(&name) {
        return Ok(vec![(path.to_path_buf(), watched(path, reader, watch)?)]);
    }
    let bytes = bytes(path).with_context(|| format!("cannot read {}", path.display()))?;
    let found = archive::unpack(&name, &bytes)?;
    for left in &found.left {
        eprintln!("hull: {name}: “{left}” is of no format that is read");
    }
    let of = |(inner, bytes): (String, Vec<u8>)| -> Result<_> {
        let whole = path.join(inner);
        let body = match hull_formats::open(&whole.to_string_lossy(), &bytes, watch)? {
            Content::Exact(design) => exact_body(&whole, *design, reader, watch)?,
            other => Body::of(&file_name(&whole), other, watch)?,
        };
        Ok((whole, body))
    };
    found.files.into_iter().map(of).collect()
}

/// The body of design geometry, with facets that suit its size.
///
/// # Errors
/// If there is nothing in it that could be shown.
pub fn exact_body(path: &Path, design: Design, reader: Reader, watch: &Watch) -> Result<Body> {
    let name = file_name(path);
    let made = || exact::body_without_choices(&name, design, reader, watch);
    let body = watch.timed(|_| "facets and exact figures".into(), made)?;
    match exact::nothing_in(&body) {
        Some(sentence) => Err(anyhow!(sentence)),
        None => Ok(body),
    }
}

/// All bytes of a file. Regular files are read in as many pieces at once as there are threads: most of the
/// time goes into memory that is touched for the first time.
fn bytes(path: &Path) -> std::io::Result<Vec<u8>> {
    let file = std::fs::File::open(path)?;
    let about = file.metadata()?;
    if !about.is_file() {
        return std::fs::read(path);
    }
    let mut bytes = vec![0; about.len() as usize];
    let piece = bytes.len().div_ceil(rayon::current_num_threads()).max(1 << 20);
    bytes.par_chunks_mut(piece).enumerate().try_for_each(|(i, out)| file.read_exact_at(out, (i * piece) as u64))?;
    Ok(bytes)
}

/// Reads a text file.
///
/// # Errors
/// With the file and the reason.
pub fn text(path: &Path) -> Result<String> {
    std::fs::read_to_string(path).with_context(|| format!("cannot read {}", path.display()))
}

/// Bodies of files that lie beside another, for rules that ask what faces them and for clearances, under their files' names;
/// blanks stand for hyphens and underscores. Files that do not say their unit are in `unit`, if there is one.
///
/// # Errors
/// If a file cannot be used, or its unit is known where that of the other body, as it will be, is not (`sized`), or the other way round.
pub fn beside(files: &[PathBuf], unit: Option<Unit>, sized: bool) -> Result<Vec<Neighbour>> {
    let of = |path: &PathBuf| {
        let mut body = self::body(path, Reader::Trusting)?;
        if let Some(unit) = unit.filter(|_| body.facts.scale.is_none()) {
            body = apply(&body, &SetUnit { unit }.into(), &Destination::asking_nothing(), &Watch::default())?.0;
        }
        match (body.facts.scale.is_some(), sized) {
            (true, false) => bail!("{} says its unit, so the body beside it needs one too", path.display()),
            (false, true) => bail!("{} does not say its unit, which the body beside it has: name it", path.display()),
            _ => {}
        }
        let name = path.file_stem().unwrap_or_default().to_string_lossy().replace(['-', '_'], " ");
        Ok(Neighbour { name, mesh: Arc::new(body.mesh) })
    };
    files.iter().map(of).collect()
}

/// Bodies of facets under their files' names. Numbers are taken as they stand, whatever the files say of their units.
///
/// # Errors
/// If a file cannot be used.
pub fn named(files: &[PathBuf]) -> Result<Vec<(String, Body)>> {
    let one = |path: &PathBuf| {
        let mut body = body(path, Reader::Trusting)?;
        body.facts.scale = None;
        let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        Ok((name, body))
    };
    files.iter().map(one).collect()
}
