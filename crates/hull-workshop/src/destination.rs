//! Destinations: what a kind of solver asks of a body, read from TOML.

use crate::survey::Kind;
use hull_geometry::Unit;
use serde::{Deserialize, Serialize};

/// What a requirement measures.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// Entities that the reader skipped.
    Skipped,
    Unit,
    /// Longest side of the box, mm.
    Length,
    Axes,
    DuplicateTriangles,
    ZeroAreaTriangles,
    OpenEdges,
    OversharedEdges,
    PinchedPoints,
    FacetsToTurn,
    /// Pairs of facets that run through each other.
    SelfIntersections,
    /// Pairs of facets of one plane that lie on each other.
    CoplanarOverlaps,
    /// Facets that lie on another shell.
    Doubles,
    /// Facets that touch another shell.
    Touching,
    /// Shells within another that bound no cavity.
    LostShells,
    TinyShells,
    ThinWalls,
    NarrowGaps,
    Spikes,
    /// Neighbours folded back on each other.
    Folds,
    /// Needles and caps.
    BadShapes,
    /// Tunnels through the surface.
    Handles,
    IsolatedPoints,
    /// Degrees.
    SmallestAngle,
    /// Per cent of the area.
    NamedArea,
    BoundariesWithoutRole,
    Inlets,
    Outlets,
}

impl Measure {
    /// What is written behind its limits.
    pub fn unit(self) -> &'static str {
        match self {
            Measure::Length => " mm",
            Measure::SmallestAngle => "°",
            Measure::NamedArea => " %",
            _ => "",
        }
    }

    /// Whether it says nothing of a body without facets.
    pub fn is_of_facets(self) -> bool {
        !matches!(self, Measure::Skipped | Measure::Unit | Measure::Length | Measure::Axes)
    }

    /// The findings that it counts; needles stand for caps too.
    pub fn kind(self) -> Option<Kind> {
        Some(match self {
            Measure::OpenEdges => Kind::OpenEdges,
            Measure::OversharedEdges => Kind::OversharedEdges,
            Measure::PinchedPoints => Kind::PinchedPoints,
            Measure::FacetsToTurn => Kind::MisdirectedEdges,
            Measure::DuplicateTriangles => Kind::DuplicateTriangles,
            Measure::ZeroAreaTriangles => Kind::ZeroAreaTriangles,
            Measure::SelfIntersections => Kind::SelfIntersections,
            Measure::CoplanarOverlaps => Kind::CoplanarOverlaps,
            Measure::SmallestAngle => Kind::SmallestAngle,
            Measure::Doubles => Kind::Doubles,
            Measure::Touching => Kind::Touching,
            Measure::LostShells => Kind::LostShells,
            Measure::TinyShells => Kind::TinyShells,
            Measure::ThinWalls => Kind::ThinWalls,
            Measure::NarrowGaps => Kind::NarrowGaps,
            Measure::Spikes => Kind::Spikes,
            Measure::Folds => Kind::Folds,
            Measure::BadShapes => Kind::Needles,
            Measure::Handles => Kind::Handles,
            Measure::IsolatedPoints => Kind::IsolatedPoints,
            Measure::Skipped
            | Measure::Unit
            | Measure::Length
            | Measure::Axes
            | Measure::NamedArea
            | Measure::BoundariesWithoutRole
            | Measure::Inlets
            | Measure::Outlets => return None,
        })
    }
}

/// One condition.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Requirement {
    pub id: String,
    /// Its place in the order of work.
    pub group: String,
    pub phrase: String,
    pub measure: Measure,
    #[serde(default)]
    pub at_least: Option<f64>,
    #[serde(default)]
    pub at_most: Option<f64>,
    pub why: String,
}

/// The kind of solver a body is bound for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Destination {
    pub name: String,
    pub title: String,
    pub about: String,
    /// Unit of the files handed over.
    pub unit: Unit,
    /// Shortest and longest usual length, mm.
    pub usual_length: [f64; 2],
    #[serde(rename = "requirement")]
    pub requirements: Vec<Requirement>,
}

impl Destination {
    /// # Errors
    /// A sentence with the line and what is wrong there.
    pub fn from_toml(text: &str) -> Result<Destination, String> {
        toml::from_str(text).map_err(|e| format!("not a destination: {e}"))
    }

    /// The destinations that ship with Ready Hull.
    pub fn shipped() -> Vec<Destination> {
        // The file is part of the program and tested.
        vec![Destination::from_toml(include_str!("../../../destinations/fluid.toml")).expect("shipped destination")]
    }

    /// What asks nothing: for steps on a body that is bound for nowhere yet.
    pub fn asking_nothing() -> Destination {
        Destination {
            name: "none".into(),
            title: "No destination".into(),
            about: String::new(),
            unit: Unit::Mm,
            usual_length: [1.0, 1e6],
            requirements: Vec::new(),
        }
    }

    /// The shipped destination of a name.
    ///
    /// # Errors
    /// A sentence with the names there are.
    pub fn named(name: &str) -> Result<Destination, String> {
        let shipped = Destination::shipped();
        let names: Vec<&str> = shipped.iter().map(|d| d.name.as_str()).collect();
        let unknown = format!("“{name}” is not a destination; there is: {}", names.join(", "));
        shipped.iter().find(|d| d.name == name).cloned().ok_or(unknown)
    }
}
