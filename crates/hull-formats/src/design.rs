//! What a design file holds: exact geometry with names, colours, units and places.

use crate::Skipped;
use hull_exact::Model;

/// The content of a STEP or IGES file, in the unit that it declares.
#[derive(Clone, Debug, Default)]
pub struct Design {
    /// The form as people say it: “STEP AP214”.
    pub format: String,
    /// The schema or version that the file names.
    pub schema: String,
    /// What was read.
    pub model: Model,
    /// Entities in the file.
    pub entities: usize,
    /// Faces read.
    pub faces: usize,
    /// Faces that could not be used.
    pub faces_given_up: usize,
    /// What was not.
    pub skipped: Vec<Skipped>,
}
