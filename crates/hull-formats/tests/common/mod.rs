//! The reference files as models.

use hull_exact::join_plot::join_as_proposed;
use hull_exact::model::{Model, Part};
use hull_formats::{iges, step};
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
        false => iges::read(&name, &bytes, &watch),
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
