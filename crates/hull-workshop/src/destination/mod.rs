//! Destinations: what a kind of solver asks of a body, read from TOML.

pub mod sheet;

use crate::survey::Measure;
use hull_geometry::Unit;
use serde::{Deserialize, Serialize};
use std::sync::OnceLock;

/// One condition.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Requirement {
    /// Never changes once shipped.
    pub id: String,
    /// Its place in the order of work.
    pub group: String,
    /// As the sheet says it.
    pub phrase: String,
    /// What is measured.
    pub measure: Measure,
    /// The least that is met.
    #[serde(default)]
    pub at_least: Option<f64>,
    /// The most that is met.
    #[serde(default)]
    pub at_most: Option<f64>,
    /// A sentence for people.
    pub why: String,
}

/// The kind of solver a body is bound for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Destination {
    /// As it stands in addresses and behind `--destination`.
    pub name: String,
    /// As people read it.
    pub title: String,
    /// What kind of solver it is.
    pub about: String,
    /// Counts up when somebody edits it; a body keeps the version that its sheet was made with.
    #[serde(default = "first")]
    pub version: i32,
    /// Unit of the files handed over.
    pub unit: Unit,
    /// Shortest and longest usual length, mm.
    pub usual_length: [f64; 2],
    /// In the order of the sheet.
    #[serde(rename = "requirement")]
    pub requirements: Vec<Requirement>,
}

fn first() -> i32 {
    1
}

/// The files of the destinations that ship with Ready Hull.
const SHIPPED: [&str; 8] = [
    include_str!("../../../../destinations/fluid.toml"),
    include_str!("../../../../destinations/flow-around.toml"),
    include_str!("../../../../destinations/solid.toml"),
    include_str!("../../../../destinations/surface.toml"),
    include_str!("../../../../destinations/print.toml"),
    include_str!("../../../../destinations/points.toml"),
    include_str!("../../../../destinations/lines.toml"),
    include_str!("../../../../destinations/frame.toml"),
];

/// Characters in a name at most.
const LONGEST_NAME: usize = 60;

impl Destination {
    /// # Errors
    /// A sentence with the line and what is wrong there.
    pub fn from_toml(text: &str) -> Result<Destination, String> {
        let read: Destination = toml::from_str(text).map_err(|e| format!("not a destination: {e}"))?;
        read.check()?;
        Ok(read)
    }

    /// # Errors
    /// If it holds a number that TOML cannot write; none can.
    pub fn to_toml(&self) -> Result<String, String> {
        toml::to_string(self).map_err(|e| e.to_string())
    }

    /// Whether it can be used: its name stands in addresses, ids tell its requirements apart, limits are numbers.
    ///
    /// # Errors
    /// A sentence that says what is wrong.
    pub fn check(&self) -> Result<(), String> {
        let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        if self.name.is_empty() || self.name.len() > LONGEST_NAME || !self.name.chars().all(plain) {
            return Err(format!(
                "“{}” cannot be a destination's name: small letters, digits and hyphens, {LONGEST_NAME} at most.",
                self.name
            ));
        }
        if self.title.trim().is_empty() || self.title.chars().count() > 2 * LONGEST_NAME {
            return Err(format!("A destination needs a title of one to {} characters.", 2 * LONGEST_NAME));
        }
        let [low, high] = self.usual_length;
        if !(low > 0.0 && low < high && high.is_finite()) {
            return Err("The usual length must be two lengths, the shorter one first.".into());
        }
        for (i, r) in self.requirements.iter().enumerate() {
            if self.requirements[..i].iter().any(|o| o.id == r.id) {
                return Err(format!("Two requirements are called “{}”.", r.id));
            }
            if [r.at_least, r.at_most].into_iter().flatten().any(|x| !x.is_finite()) {
                return Err(format!("A limit of “{}” is not a number.", r.phrase));
            }
            if let (Some(least), Some(most)) = (r.at_least, r.at_most)
                && least > most
            {
                return Err(format!("“{}” asks for at least {least} and at most {most}: nothing is both.", r.phrase));
            }
        }
        Ok(())
    }

    /// The destinations that ship with Ready Hull.
    pub fn shipped() -> &'static [Destination] {
        static READ: OnceLock<Vec<Destination>> = OnceLock::new();
        // The files are part of the program and tested.
        READ.get_or_init(|| SHIPPED.iter().map(|t| Destination::from_toml(t).expect("shipped destination")).collect())
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
            version: 1,
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
        let unknown = format!("“{name}” is not a destination; there are: {}", names.join(", "));
        shipped.iter().find(|d| d.name == name).cloned().ok_or(unknown)
    }
}
