//! One role for several boundaries.

use crate::Body;
use crate::body::Role;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::name_boundary::ROLES;
use crate::steps::set_role::SetRole;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Gives several boundaries one role.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetRoles {
    /// The boundaries.
    pub names: Vec<String>,
    /// What each is to the solver.
    pub role: Role,
}

impl Operation for SetRoles {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Set their role";
    const HELP: &'static str = "Says what several boundaries are to the solver, at once.";

    fn title(&self) -> Sentence {
        format!("{} are {}", counted(self.names.len(), "boundary"), self.role.name()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("names", "Names", Quantity::Texts, "the boundaries"),
            Field::new("role", "Role", ROLES, "what each is to the solver"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        for name in &self.names {
            SetRole { name: name.clone(), role: self.role }.run(body, at)?;
        }
        Ok(format!("{} are {} now.", counted(self.names.len(), "boundary"), self.role.name()).into())
    }
}
