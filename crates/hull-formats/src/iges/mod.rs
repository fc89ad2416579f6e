//! IGES 5.3: fixed-form files to exact models, and back.

use crate::Content;
use crate::format::{Carries, FileFormat};
mod brep;
mod counting;
mod geometry;
mod record;
mod splines;
mod structure;
mod uneven;
pub mod write;

pub use structure::read;
pub use write::{Form, write};

/// IGES 5.3.
pub const FORMAT: FileFormat = FileFormat {
    id: "iges",
    title: "IGES",
    endings: &["iges", "igs"],
    declares: "a unit, which is often wrong; names, colours, levels",
    needs_unit: false,
    carries: Carries::Exact,
    // Every line has its section's letter in column 73; the first section is the start.
    sniff: |bytes| {
        bytes.get(72) == Some(&b'S') && bytes.get(73..80).is_some_and(|n| n.trim_ascii() == b"1" || n == b"0000001")
    },
    read: |name, bytes, watch| read(name, bytes, watch).map(|design| Content::Exact(Box::new(design))),
    write: None,
    write_points: None,
    write_lines: None,
    gather: None,
};
