//! What a design file holds: exact geometry with names, colours, units and places.

use crate::Skipped;
use hull_exact::Model;
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

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
    /// Volumes, areas and centroids that the file states itself.
    pub stated: Vec<StatedFigures>,
    /// What it says to people about the shape, as dimensions and tolerances: counted, no geometry.
    pub annotations: Vec<Skipped>,
    /// Whether the unit that is declared is taken without asking.
    pub certain_unit: bool,
}

impl Design {
    /// Whether it is a drawing: its lines stay lines until somebody makes regions of them.
    pub fn is_drawing(&self) -> bool {
        !self.format.starts_with("STEP") && !self.format.starts_with("IGES")
    }
}

/// What a file states of a product (validation properties), in its length unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct StatedFigures {
    /// The names from the root to where the product stands first, joined.
    pub path: String,
    /// Of all that it holds.
    pub volume: Option<f64>,
    /// Of all that it holds.
    pub area: Option<f64>,
    /// Of its volume, where it stands.
    pub centroid: Option<Point>,
}
