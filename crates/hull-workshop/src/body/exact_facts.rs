//! What is known of exact geometry besides its arrays.

use hull_exact::assembly::ModelFigures;
use hull_exact::fineness::Fineness;
use hull_exact::join_plot::JoinPlot;
use hull_exact::model::DeclaredUnit;
use hull_exact::parameter_loops::Reader;
use hull_exact::readings::Readings;
use hull_exact::{Model, Motion};
use hull_formats::StatedFigures;
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// A model in its file's unit, and where the body has put it since.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Exact {
    /// In its file's unit.
    pub model: Model,
    /// From the file's coordinates to the body's.
    pub placed: Motion,
}

/// What is known of a body's exact geometry. Lengths, areas and volumes are in the file's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ExactFacts {
    /// As the file names it.
    pub schema: String,
    /// What the file says its numbers are.
    pub declared: Option<DeclaredUnit>,
    /// Solids, faces, volume, area, and each body.
    pub figures: ModelFigures,
    /// What either reading says.
    #[serde(default)]
    pub readings: Readings,
    /// How bounds are read.
    pub reader: Reader,
    /// How the facets were made; lengths in the body's unit.
    pub fineness: Fineness,
    /// The largest measured distance of the exact surface from the facets, in the body's unit.
    pub deviation: f64,
    /// Faces without facets, with why.
    pub failed: Vec<(String, String)>,
    /// The facets that some finenesses would make.
    pub choices: Vec<Choice>,
    /// Facets against the angle where the deviation does not bind.
    #[serde(default)]
    pub by_angle: Vec<Choice>,
    /// Facets against the deviation where the angle does not bind.
    #[serde(default)]
    pub by_deviation: Vec<Choice>,
    /// Open edges left against joining tolerance, where edges are open.
    pub join: JoinPlot,
    /// Holes, pockets and raised features, widest first: diameter and centre, in the body's unit and place.
    pub features: Vec<(f64, [f64; 3])>,
    /// Edges that only one face has, longest first; of regions in a plane all edges; at most 400.
    #[serde(default)]
    pub edges: Vec<EdgeFigures>,
    /// Whether there is nothing but regions in a plane.
    #[serde(default)]
    pub sheet: bool,
    /// What the file states of its products itself, until the exact geometry is changed.
    #[serde(default)]
    pub stated: Vec<StatedFigures>,
    /// Whether facets were changed since they were made: the exact geometry no longer is what they show.
    #[serde(default)]
    pub facets_changed: bool,
}

/// A fineness and what it would make.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Choice {
    /// As people call it.
    pub name: String,
    /// What it is.
    pub fineness: Fineness,
    /// What it would make.
    pub facets: usize,
}

/// An exact edge; lengths in the body's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct EdgeFigures {
    /// Along it.
    pub length: f64,
    /// The middle.
    pub at: Point,
    /// How many faces use it; none if it is a curve of its own.
    pub faces: u32,
}

pub(crate) fn in_file_unit(f: &Fineness, scale: f64) -> Fineness {
    Fineness {
        deviation: f.deviation / scale,
        largest: f.largest.map(|x| x / scale),
        smallest: f.smallest.map(|x| x / scale),
        ..*f
    }
}
