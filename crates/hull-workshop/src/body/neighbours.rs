//! What else lies beside a body, for rules that ask what faces it and for clearances to it.

use super::rules::Rule;
use super::selection::{Pick, Selection, matches};
use crate::sentence::Sentence;
use crate::steps::{self, Step};
use crate::{Body, steps::set_rules::SetRules};
use hull_geometry::Mesh;
use std::sync::Arc;
use toml::Value;

/// Another body of the same project, in the same coordinates and unit.
#[derive(Clone, Debug, PartialEq)]
pub struct Neighbour {
    /// As people call it.
    pub name: String,
    /// Its surface.
    pub mesh: Arc<Mesh>,
}

impl Neighbour {
    /// Whether a pattern means it, in which `*` stands for any letters and capitals make no difference.
    pub fn is_meant(name: &str, pattern: &str) -> bool {
        matches(&pattern.to_lowercase(), &name.to_lowercase())
    }
}

/// Which other bodies a step cannot do without: the one that a clearance is to, and the names of [`crate::selection::Pick::Facing`] that neither the file nor a boundary of the body has.
pub fn asked(step: &Step, body: &Body) -> Vec<String> {
    let mut names = Vec::new();
    gather(&steps::data(step), &mut names);
    names.retain(|name| !is_own(name, body));
    if let Step::KeepMeasure(keep) = step {
        names.extend(keep.to.clone());
    }
    names
}

/// Which other bodies are measured from a body whenever it is surveyed, where they are there.
pub fn measured_from(body: &Body) -> Vec<String> {
    body.facts.measures.iter().filter_map(|m| m.to.clone()).collect()
}

fn is_own(name: &str, body: &Body) -> bool {
    let called = |other: &str| matches(name, other);
    body.facts.labels.iter().any(|l| called(&l.name)) || body.facts.boundaries.iter().any(|b| called(&b.name))
}

/// Says so if a selection asks for what faces something that is nowhere.
pub(crate) fn unknown(selection: &Selection, body: &Body) -> Option<Sentence> {
    let is_known = |name: &str| is_own(name, body) || body.beside.iter().any(|b| Neighbour::is_meant(&b.name, name));
    selection.include.iter().find_map(|pick| match pick {
        Pick::Facing { name, .. } if !is_known(name) => Some(
            format!("There is no part of the file, no boundary and no other body of the project called “{name}”.")
                .into(),
        ),
        _ => None,
    })
}

/// Which other bodies rules ask for.
pub fn asked_by(rules: &[Rule], body: &Body) -> Vec<String> {
    asked(&SetRules { rules: rules.to_vec() }.into(), body)
}

/// The names of picks by what faces them, wherever they stand in a step's data.
fn gather(data: &Value, names: &mut Vec<String>) {
    match data {
        Value::Table(table) => {
            let facing = table.get("facing").and_then(|pick| pick.get("name")).and_then(Value::as_str);
            names.extend(facing.map(String::from));
            table.values().for_each(|value| gather(value, names));
        }
        Value::Array(list) => list.iter().for_each(|value| gather(value, names)),
        _ => {}
    }
}
