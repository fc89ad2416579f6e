//! Many files at once: a zip with geometry files in it.

use crate::{FileFormat, ReadError};
use std::io::{Cursor, Read};
use zip::ZipArchive;

/// All files together may unpack to so many bytes.
const LARGEST: u64 = 2 << 30;
/// A zip may hold so many files.
const MOST: usize = 10_000;
/// One that unpacks to more than so many times its size, and to more than [`SMALL`], is no honest file.
const RATIO: u64 = 200;
const SMALL: u64 = 50 << 20;
/// Endings of what holds files itself.
const ARCHIVES: [&str; 7] = [".zip", ".7z", ".rar", ".gz", ".tar", ".tgz", ".xz"];

/// What a zip holds.
#[derive(Debug, Default)]
pub struct Unpacked {
    /// Geometry files: the path in the zip, and the bytes, with what they name of their neighbours in them.
    pub files: Vec<(String, Vec<u8>)>,
    /// Descriptions of robots, by their paths.
    pub robots: Vec<(String, Vec<u8>)>,
    /// Files of no format that is read.
    pub left: Vec<String>,
}

/// Whether a file's name says that it is a zip of files.
pub fn is_archive(name: &str) -> bool {
    name.to_ascii_lowercase().ends_with(".zip")
}

/// Whether a file's name says that it describes a robot: URDF, whose meshes stand beside it.
pub fn is_robot(name: &str) -> bool {
    name.to_ascii_lowercase().ends_with(".urdf")
}

/// Unpacks a zip.
///
/// # Errors
/// [`ReadError`] with the reason: it is damaged, unpacks to too much, leads out of its folder, holds a zip itself, or holds
/// no geometry.
pub fn unpack(name: &str, bytes: &[u8]) -> Result<Unpacked, ReadError> {
    let told = |why: String| ReadError::whole(name, why);
    let mut zip = ZipArchive::new(Cursor::new(bytes)).map_err(|e| told(format!("the zip cannot be opened: {e}")))?;
    if zip.len() > MOST {
        return Err(told(format!("the zip holds {} files; {MOST} are taken at once", zip.len())));
    }
    let (mut all, mut left, mut total) = (Vec::new(), Vec::new(), 0_u64);
    for i in 0..zip.len() {
        let entry = zip.by_index(i).map_err(|e| told(format!("file {} of the zip cannot be read: {e}", i + 1)))?;
        let path = entry.name().map_err(|e| told(format!("file {} of the zip has no name: {e}", i + 1)))?.to_string();
        if entry.is_dir() || path.split('/').any(|p| p.starts_with('.') && p != "." && p != ".." || p == "__MACOSX") {
            continue;
        }
        if path.starts_with('/') || path.contains(['\\', ':']) || path.split('/').any(|p| p == "..") {
            return Err(told(format!("“{path}” leads out of the zip's folder; nothing was taken")));
        }
        if ARCHIVES.iter().any(|e| path.to_ascii_lowercase().ends_with(e)) {
            return Err(told(format!("“{path}” holds files itself; unpack it first, nothing was taken")));
        }
        let packed = entry.compressed_size().max(1);
        let mut own = Vec::new();
        let read = entry.take(LARGEST - total + 1).read_to_end(&mut own);
        let size = read.map_err(|e| told(format!("“{path}” is damaged: {e}")))? as u64;
        total += size;
        if total > LARGEST || (size > SMALL && size / packed > RATIO) {
            return Err(told(format!("“{path}” unpacks to far more than it is packed in; nothing was taken")));
        }
        all.push((path, own));
    }
    let mut files = Vec::new();
    let (robots, all): (Vec<_>, Vec<_>) = all.into_iter().partition(|(path, _)| is_robot(path));
    for (path, own) in &all {
        let Ok(format) = FileFormat::of_name(path) else {
            left.push(path.clone());
            continue;
        };
        let folder = path.rsplit_once('/').map_or(String::new(), |(folder, _)| format!("{folder}/"));
        let beside = |other: &str| all.iter().find(|(p, _)| *p == format!("{folder}{other}")).map(|f| f.1.clone());
        // What cannot be gathered is told when the file is read.
        let whole = format.gather.and_then(|gather| gather(own, &beside).ok().flatten());
        files.push((path.clone(), whole.unwrap_or_else(|| own.clone())));
    }
    if files.is_empty() && robots.is_empty() {
        return Err(told(format!("none of the {} files in the zip is of a format that is read", left.len())));
    }
    Ok(Unpacked { files, robots, left })
}
