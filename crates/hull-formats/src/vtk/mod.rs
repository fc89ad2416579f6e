//! VTK in its legacy form: polygons, and cells of unstructured grids, as text or binary (file formats of VTK 4 to 5.1, *from memory*).

pub mod cells;
mod legacy;

use crate::Content;
use crate::format::{Carries, FileFormat};

/// VTK, legacy form.
pub const FORMAT: FileFormat = FileFormat {
    id: "vtk",
    title: "VTK",
    endings: &["vtk"],
    declares: "no unit; groups as numbers of cells",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(b"# vtk DataFile"),
    read: |name, bytes, watch| legacy::read(name, bytes, watch).map(Content::Facets),
    write: Some(legacy::write),
    write_points: None,
    write_lines: None,
    gather: None,
};
