//! STEP: ISO 10303-21 files of AP203, AP214 and AP242 to exact models, and back.

use crate::Content;
use crate::format::{Carries, FileFormat};
pub mod geometry;
mod looks;
pub mod part21;
mod stated;
pub mod structure;
pub mod topology;
mod units;
pub mod write;

pub use structure::read;
pub use write::{Schema, write};

/// STEP: AP203, AP214, AP242.
pub const FORMAT: FileFormat = FileFormat {
    id: "step",
    title: "STEP",
    endings: &["step", "stp", "p21"],
    declares: "its unit, which is believed; names, colours, layers, places",
    needs_unit: false,
    carries: Carries::Exact,
    sniff: |bytes| bytes.trim_ascii_start().starts_with(b"ISO-10303-21"),
    read: |name, bytes, watch| read(name, bytes, watch).map(|design| Content::Exact(Box::new(design))),
    write: None,
    write_points: None,
    write_lines: None,
    gather: None,
};
