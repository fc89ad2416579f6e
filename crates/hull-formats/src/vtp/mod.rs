//! VTK polygons in the XML form; read and written beside the unstructured grids of [`crate::vtu`].

use crate::Content;
use crate::format::{Carries, FileFormat};
use crate::vtu::{self, Kind};

/// VTP.
pub const FORMAT: FileFormat = FileFormat {
    id: "vtp",
    title: "VTP",
    endings: &["vtp"],
    declares: "no unit; groups as numbers of cells",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| vtu::begins(bytes, Kind::Polygons),
    read: |name, bytes, watch| vtu::read(name, bytes, watch).map(Content::Facets),
    write: Some(|s| vtu::write(s, Kind::Polygons)),
    write_points: None,
    write_lines: None,
    gather: None,
};
