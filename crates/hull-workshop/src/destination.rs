//! Destinations: what a kind of solver asks of a body, read from TOML.

use crate::survey::Measure;
use hull_geometry::Unit;
use serde::{Deserialize, Serialize};

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

    /// Whether a measure is among what it asks or tells.
    pub fn asks(&self, key: &str) -> bool {
        self.requirements.iter().any(|r| r.measure.key == key)
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
