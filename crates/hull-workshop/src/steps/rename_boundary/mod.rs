//! Another name for a boundary; one that is there already takes it in.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_role::number_of;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Renames a boundary, or makes it part of another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RenameBoundary {
    /// The boundary.
    pub name: String,
    /// Its name from now on.
    pub to: String,
}

impl Operation for RenameBoundary {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Rename";
    const HELP: &'static str = "Gives a boundary another name, in its rules too. If there is a boundary of that name, the two \
                                become one.";

    fn title(&self) -> Sentence {
        format!("Rename “{}” to “{}”", self.name, self.to).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Name", Quantity::Text(1, 80), "the boundary"),
            Field::new(
                "to",
                "New name",
                Quantity::Text(1, 80),
                "its name from now on; that of another boundary merges the two",
            ),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let (name, to) = (&self.name, self.to.trim());
        if name == to {
            return Err(format!("It is called “{name}” already.").into());
        }
        let number = number_of(body, name)?;
        let other = body.facts.boundaries.iter().position(|b| b.name == to);
        let role = other.and_then(|o| body.facts.boundaries[o].role).or(body.facts.boundaries[number as usize].role);
        for rule in body.facts.rules.iter_mut().filter(|r| r.name == *name) {
            rule.name = to.into();
            rule.role = role;
        }
        let Some(other) = other else {
            body.facts.boundaries[number as usize].name = to.into();
            return Ok(format!("“{name}” is called “{to}” now.").into());
        };
        let facets = body.facets_of(number);
        for &f in &facets {
            body.columns.boundary[f] = other as u32;
        }
        body.facts.boundaries[other].role = role;
        body.drop_empty_boundaries();
        Ok(format!("“{to}” has the {} of “{name}” too.", counted(facets.len(), "facet")).into())
    }
}
