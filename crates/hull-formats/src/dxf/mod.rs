//! DXF: drawings of lines, arcs, splines and faces on layers, as text or binary.
//!
//! Entities, group codes, object coordinates and bulges after the published DXF reference (*from memory*). Curves stay curves;
//! faces and meshes become a surface. What is not understood is counted by its word.

mod drawing;
mod entities;
mod pairs;
mod place;
mod write;

pub use write::{layer_names, write_facets, write_lines};

use crate::format::{Carries, FileFormat};

/// DXF.
pub const FORMAT: FileFormat = FileFormat {
    id: "dxf",
    title: "DXF",
    endings: &["dxf"],
    declares: "a unit, often wrong; layers",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| pairs::is_binary(bytes) || drawing::begins(bytes),
    read: drawing::read,
    write: Some(write_facets),
    write_points: None,
    write_lines: Some(write_lines),
    gather: None,
};
