//! LAZ: LAS with its points packed (LASzip, by the crate `laz` below `las`).

use crate::format::{Carries, FileFormat};
use crate::{Content, las};

/// LAZ.
pub const FORMAT: FileFormat = FileFormat {
    id: "laz",
    title: "LAZ",
    endings: &["laz"],
    sniff: las::is_packed,
    read: |name, bytes, watch| las::read(name, bytes, watch).map(Content::Points),
    write_points: Some(|cloud, _, _| las::write(cloud, true)),
    carries: Carries::Points,
    ..las::FORMAT
};
