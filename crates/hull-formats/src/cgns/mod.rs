//! CGNS on HDF5: zones with sections of elements, families and boundary conditions, units. After AIAA R-101A, the SIDS and their file
//! mapping to HDF5: every node is a group with the attributes name, label and type, its value the dataset “ data”.

mod read;
mod write;

pub use read::read;
pub use write::write;

use crate::Content;
use crate::format::{Carries, FileFormat};

/// CGNS.
pub const FORMAT: FileFormat = FileFormat {
    id: "cgns",
    title: "CGNS",
    endings: &["cgns"],
    declares: "its unit of length; sections, families and boundary conditions by name",
    needs_unit: true,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(b"\x89HDF\r\n\x1a\n"),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(write),
    write_points: None,
    write_lines: None,
    gather: None,
};

/// Characters of a name at most.
pub const NAME: usize = 32;

/// What the library calls the unit, with millimetres in it.
const UNITS: [(&str, f64); 5] =
    [("Meter", 1000.0), ("Centimeter", 10.0), ("Millimeter", 1.0), ("Foot", 304.8), ("Inch", 25.4)];
