//! What a format says of itself. Each has a folder, named in the list of `lib.rs`. What is offered, accepted and refused follows from the table.

use crate::{Content, FORMATS, NamedFacets, ReadError};
use hull_exact::{Model, Motion};
use hull_geometry::cloud::Cloud;
use hull_geometry::{FacetId, Mesh, Unit, Watch};
use typed_index_collections::TiSlice;

/// What a format can carry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Carries {
    /// Facets.
    Facets,
    /// Exact geometry.
    Exact,
    /// Points without facets.
    Points,
}

/// A surface to be written.
#[derive(Clone, Copy)]
pub struct Surface<'a> {
    /// Points and facets.
    pub mesh: &'a Mesh,
    /// The cell of each facet; empty if every facet is its own.
    pub cells: &'a TiSlice<FacetId, u32>,
    /// Named sets of facets; together all of them.
    pub parts: &'a [NamedFacets<'a>],
    /// Whether as text, where the format has both.
    pub ascii: bool,
    /// What the numbers are, for formats that declare it; they take millimetres where nobody knows.
    pub unit: Option<Unit>,
}

/// The bytes of a file that stands beside another one, by its name relative to it; `None` if there is none.
pub type Beside<'a> = &'a dyn Fn(&str) -> Option<Vec<u8>>;

/// Writes the lines of a model, brought by a motion to a unit, where one is known.
pub type WriteLines = fn(&Model, &Motion, Option<Unit>) -> Vec<u8>;

/// A file with what it named of its neighbours in it; `None` where it names none.
pub type Gather = fn(&[u8], Beside) -> Result<Option<Vec<u8>>, String>;

/// Writes points: whether as text, where the format has both, and what the numbers are, for formats that declare it.
pub type WritePoints = fn(&Cloud, bool, Option<Unit>) -> Vec<u8>;

/// Writes a surface.
pub type WriteFacets = fn(&Surface) -> Vec<u8>;

/// One file format.
pub struct FileFormat {
    /// Its folder's name.
    pub id: &'static str,
    /// As people say it.
    pub title: &'static str,
    /// Endings of file names, the usual one first.
    pub endings: &'static [&'static str],
    /// What a file says of itself besides its geometry, in words.
    pub declares: &'static str,
    /// Whether its definition fixes or declares the unit of whatever is written, so that it has to be known.
    pub needs_unit: bool,
    /// What it can carry.
    pub carries: Carries,
    /// Whether bytes look like it.
    pub sniff: fn(&[u8]) -> bool,
    /// Reads a file.
    pub read: fn(&str, &[u8], &Watch) -> Result<Content, ReadError>,
    /// Writes facets, where it carries them; exact geometry is written by the format's own module.
    pub write: Option<WriteFacets>,
    /// Writes points without facets, where it can.
    pub write_points: Option<WritePoints>,
    /// Writes lines in space where it has nothing else for them, brought to the unit by the motion.
    pub write_lines: Option<WriteLines>,
    /// Takes what the file names of its neighbours into it, where files of the format do so.
    pub gather: Option<Gather>,
}

impl std::fmt::Debug for FileFormat {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id)
    }
}

impl FileFormat {
    /// The format that a file's name says.
    ///
    /// # Errors
    /// A sentence with the endings there are.
    ///
    /// ```
    /// use hull_formats::FileFormat;
    /// assert_eq!(FileFormat::of_name("Bow.STP").unwrap().id, "step");
    /// assert!(FileFormat::of_name("notes.txt").is_err());
    /// ```
    pub fn of_name(name: &str) -> Result<&'static FileFormat, String> {
        let ending = name.rsplit_once('.').map_or("", |(_, e)| e).to_ascii_lowercase();
        let found = FORMATS.iter().find(|f| f.endings.contains(&ending.as_str()));
        found.ok_or_else(|| {
            format!("“{name}” does not end in {}, the formats that can be read", listed(&dotted(|_| true), "or"))
        })
    }
}

/// The endings of some formats, each with its dot.
pub fn dotted(of: impl Fn(&FileFormat) -> bool) -> Vec<String> {
    FORMATS.iter().filter(|f| of(f)).flat_map(|f| f.endings).map(|e| format!(".{e}")).collect()
}

/// “a, b or c”.
pub fn listed(words: &[String], last: &str) -> String {
    match words {
        [] => String::new(),
        [only] => only.clone(),
        [first @ .., end] => format!("{} {last} {end}", first.join(", ")),
    }
}

/// Reads a file by what its name says; where that fails and the bytes look like something else, says so.
pub(crate) fn open(name: &str, bytes: &[u8], watch: &Watch) -> Result<Content, ReadError> {
    let format = FileFormat::of_name(name).map_err(|reason| ReadError::whole(name, reason))?;
    if bytes.is_empty() {
        return Err(ReadError::whole(name, "the file is empty"));
    }
    let read = (format.read)(name, bytes, watch);
    if matches!(read, Ok(_) | Err(ReadError::Cancelled(_))) || (format.sniff)(bytes) {
        return read;
    }
    match FORMATS.iter().find(|f| f.id != format.id && (f.sniff)(bytes)) {
        Some(other) => {
            let (says, is) = (format.title, other.title);
            let ending = other.endings[0];
            let reason = format!("its name says {says}, its bytes look like {is}; let its name end in .{ending}");
            Err(ReadError::whole(name, reason))
        }
        None => read,
    }
}
