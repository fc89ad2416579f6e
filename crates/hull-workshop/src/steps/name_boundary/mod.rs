//! A name and a role for picked facets.

use crate::Body;
use crate::body::{Boundary, Role};
use crate::neighbours;
use crate::numbers::counted;
use crate::rules::Rule;
use crate::selection::{Pick, Selection};
use crate::sentence::Sentence;
use crate::steps::field::NOTHING_PICKED;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Names picked facets as a boundary.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct NameBoundary {
    /// Its name; facets are added to one that is there.
    pub name: String,
    /// What it is to the solver; without it what its name says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub role: Option<Role>,
    /// Which facets.
    pub pick: Selection,
}

/// What a boundary can be to the solver.
pub const ROLES: Quantity = Quantity::Choice(&[
    ("inlet", "inlet"),
    ("outlet", "outlet"),
    ("wall", "wall"),
    ("symmetry", "symmetry"),
    ("support", "support"),
    ("load", "load"),
    ("contact", "contact"),
]);

impl Operation for NameBoundary {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Name them";
    const HELP: &'static str = "Names facets as a boundary; facets are added to one of that name. With nothing picked, the \
                                name goes to everything unnamed.";

    fn title(&self) -> Sentence {
        format!("Name “{}”", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Name", Quantity::Text(1, 80), "the boundary's name"),
            Field::new("role", "Role", ROLES, "what it is to the solver; left out: what its name says").optional(),
            Field::new("pick", "The picked faces", Quantity::PickOrUnnamed, "which facets"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let name = self.name.trim();
        let facets = self.pick.facets(body);
        if facets.is_empty() {
            return Err(neighbours::unknown(&self.pick, body).map_or(NOTHING_PICKED.into(), Refusal::from));
        }
        let rest = self.pick.include.iter().all(|p| matches!(p, Pick::Unnamed));
        let area = facets.iter().map(|&f| hull_geometry::vector::norm(body.mesh.area_vector(f)) / 2.0).sum();
        body.facts.rules.push(Rule { name: name.into(), role: self.role, pick: self.pick.clone(), area, before: None });
        let number = boundary_called(body, name, self.role, if rest { "the rest" } else { "picked" });
        for &f in &facets {
            body.columns.boundary[f] = number;
        }
        body.drop_empty_boundaries();
        Ok(format!("“{name}” has {} more.", counted(facets.len(), "facet")).into())
    }
}

/// The number of the boundary of that name, made if there is none. Its role is the one given, or what its name says.
pub(super) fn boundary_called(body: &mut Body, name: &str, role: Option<Role>, from: &str) -> u32 {
    let boundaries = &mut body.facts.boundaries;
    let number = boundaries.iter().position(|b| b.name == name).unwrap_or_else(|| {
        boundaries.push(Boundary::new(name, None, from));
        boundaries.len() - 1
    });
    if role.is_some() || boundaries[number].role.is_none() {
        boundaries[number].role = role.or_else(|| Role::guess(name));
    }
    number as u32
}
