//! What a boundary is to the solver.

use crate::Body;
use crate::body::Role;
use crate::sentence::Sentence;
use crate::steps::name_boundary::ROLES;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Gives a boundary its role.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetRole {
    /// The boundary.
    pub name: String,
    /// What it is to the solver.
    pub role: Role,
}

impl Operation for SetRole {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Set the role";
    const HELP: &'static str = "Says what a boundary is to the solver.";

    fn title(&self) -> Sentence {
        format!("“{}” is {}", self.name, self.role.name()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Name", Quantity::Text(1, 80), "the boundary"),
            Field::new("role", "Role", ROLES, "what it is to the solver"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let SetRole { name, role } = self;
        let number = number_of(body, name)?;
        body.facts.boundaries[number as usize].role = Some(*role);
        body.facts.rules.iter_mut().filter(|r| r.name == *name).for_each(|r| r.role = Some(*role));
        Ok(format!("“{name}” is {} now.", role.name()).into())
    }
}

/// The number of the boundary of a name.
///
/// # Errors
/// If there is none.
pub(super) fn number_of(body: &Body, name: &str) -> Result<u32, Refusal> {
    let number = body.facts.boundaries.iter().position(|b| b.name == name);
    Ok(number.ok_or_else(|| format!("There is no boundary “{name}”."))? as u32)
}
