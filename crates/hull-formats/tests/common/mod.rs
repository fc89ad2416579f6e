//! The reference files as models, small files made by hand, and comparisons.

// Each test file uses what it needs.
#![allow(dead_code)]

pub mod iges;
pub mod made;

use hull_exact::join_plot::join_as_proposed;
use hull_exact::model::{Model, Node, Part};
use hull_exact::{Motion, Shape};
use hull_formats::{Design, step};
use hull_geometry::{Cancelled, Watch};
use std::path::PathBuf;

/// The reference files of a format.
pub fn files(folder: &str) -> Vec<PathBuf> {
    let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/reference").join(folder);
    let mut all: Vec<PathBuf> = std::fs::read_dir(folder)
        .expect("the folder is in the repository")
        .map(|e| e.expect("a file").path())
        .collect();
    all.sort();
    all
}

/// The model of a file, loose faces joined at the tolerance that is proposed.
pub fn model(path: &PathBuf) -> Model {
    let (name, bytes) = (path.to_string_lossy(), std::fs::read(path).expect("a file"));
    let watch = Watch::default();
    let design = match name.ends_with(".step") {
        true => step::read(&name, &bytes, &watch),
        false => hull_formats::iges::read(&name, &bytes, &watch),
    };
    joined(&design.unwrap_or_else(|e| panic!("{e}")).model)
}

/// Loose faces joined at the tolerance that is proposed.
pub fn joined(model: &Model) -> Model {
    let watch = Watch::default();
    let joined = model
        .with_parts(|part| Ok::<_, Cancelled>(Part { shape: join_as_proposed(&part.shape, &watch)?, ..part.clone() }));
    joined.expect("not cancelled")
}

/// Every occurrence's shape in millimetres and in its place.
pub fn placed_shapes(design: &Design) -> Vec<Shape> {
    let mm = design.model.unit.as_ref().map_or(1.0, |u| u.millimetres);
    let place = |(n, p): (&Node, &Part)| p.shape.moved(&Motion::scaling(mm).after(&n.placement));
    design.model.occurrences().map(place).collect()
}

pub fn close(name: &str, what: &str, found: f64, expected: f64, relative: f64) {
    let off = (found - expected).abs();
    assert!(off <= relative * expected.abs(), "{name}: {what} {found}, expected {expected}, off by {off:.1e}");
}

/// A STEP file with these statements in its DATA section.
pub fn step_file(data: &str) -> String {
    let head = "ISO-10303-21;HEADER;FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));ENDSEC;DATA;";
    format!("{head}{data}ENDSEC;END-ISO-10303-21;")
}
