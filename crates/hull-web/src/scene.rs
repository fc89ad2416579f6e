//! What the view needs to know besides the geometry.

use crate::context::Sibling;
use hull_geometry::Point;
use hull_store::bodies::Revision;
use hull_store::ids::{BodyId, RevisionId};
use hull_workshop::body::{Facts, Scale};
use hull_workshop::survey::Finding;
use serde::Serialize;

/// A boundary's flag in the view.
#[derive(Serialize)]
struct Flag<'a> {
    name: &'a str,
    at: [f64; 3],
    /// The number of its colour.
    colour: usize,
}

/// A datum that has a direction: what a section can go through.
#[derive(Serialize)]
struct Directed<'a> {
    name: &'a str,
    at: [f64; 3],
    direction: [f64; 3],
}

/// How the body as received comes to lie over the body as it is now: scale, then turn, then move.
#[derive(Serialize)]
struct Placement {
    scale: f64,
    rotation: [[f64; 3]; 3],
    moved: [f64; 3],
}

/// Another body of the project, which the view can show too.
#[derive(Serialize)]
struct Other<'a> {
    body: BodyId,
    name: &'a str,
    revision: RevisionId,
    /// Whether its numbers are millimetres.
    sized: bool,
    /// Where its datums are.
    datums: &'a [Point],
}

#[derive(Serialize)]
struct Scene<'a> {
    body: BodyId,
    /// The state to draw.
    revision: RevisionId,
    /// The state the body is at: another one while a preview is shown.
    now: RevisionId,
    /// The state as received, for comparing.
    received: RevisionId,
    preview: bool,
    unit: &'a str,
    boundaries: Vec<Flag<'a>>,
    others: Vec<Other<'a>>,
    datums: Vec<Directed<'a>>,
    findings: &'a [Finding],
    placement: Placement,
}

/// The scene as JSON that is safe inside a script element.
pub fn json(shown: &Revision, now: RevisionId, received: RevisionId, siblings: &[Sibling]) -> String {
    let facts = &shown.facts;
    let scene = Scene {
        body: shown.body_id,
        revision: shown.id,
        now,
        received,
        preview: shown.preview,
        unit: if facts.scale.is_some() { "mm" } else { "units" },
        boundaries: shown
            .survey
            .names
            .boundaries
            .iter()
            .enumerate()
            .filter_map(|(k, b)| Some(Flag { name: b.name.as_deref()?, at: b.at, colour: colour(facts, k) }))
            .collect(),
        others: siblings
            .iter()
            .filter(|s| s.id != shown.body_id)
            .map(|s| Other { body: s.id, name: &s.name, revision: s.state, sized: s.sized, datums: &s.datums })
            .collect(),
        datums: facts
            .datums
            .iter()
            .filter_map(|d| {
                let shape = &d.fit.shape;
                Some(Directed { name: &d.name, at: shape.at(), direction: shape.direction()? })
            })
            .collect(),
        findings: &shown.survey.findings,
        placement: Placement {
            scale: facts.scale.map_or(1.0, Scale::millimetres),
            rotation: facts.rotation,
            moved: facts.moved,
        },
    };
    serde_json::to_string(&scene).unwrap_or_else(|_| "null".into()).replace('<', "\\u003c")
}

/// The number of a boundary's colour: the one that was chosen, or its own.
pub fn colour(facts: &Facts, boundary: usize) -> usize {
    facts.boundaries.get(boundary).and_then(|b| b.colour).map_or(boundary, usize::from)
}
