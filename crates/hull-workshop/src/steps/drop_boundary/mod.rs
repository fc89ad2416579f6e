//! A boundary's name taken away.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_role::number_of;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_geometry::NONE;
use serde::{Deserialize, Serialize};

/// Takes a boundary's name away; its facets are unnamed again.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropBoundary {
    /// The boundary.
    pub name: String,
}

impl Operation for DropBoundary {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Take the name away";
    const HELP: &'static str = "Takes a boundary's name away; its facets are unnamed again.";

    fn title(&self) -> Sentence {
        format!("Take the name “{}” away", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("name", "Name", Quantity::Text(1, 80), "the boundary")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let name = &self.name;
        let number = number_of(body, name)?;
        let facets = body.facets_of(number);
        for &f in &facets {
            body.columns.boundary[f] = NONE;
        }
        body.facts.rules.retain(|r| r.name != *name);
        body.drop_empty_boundaries();
        Ok(format!("Without a name now: {}.", counted(facets.len(), "facet")).into())
    }
}
