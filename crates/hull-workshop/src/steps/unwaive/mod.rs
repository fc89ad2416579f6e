//! A waiver withdrawn.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Withdraws the waiver of a requirement.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Unwaive {
    /// The requirement's id.
    pub requirement: String,
}

impl Operation for Unwaive {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Withdraw the waiver";
    const HELP: &'static str = "Asks again for a requirement that was waived.";

    fn title(&self) -> Sentence {
        format!("Ask again for {}", self.requirement.replace('_', " ")).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("requirement", "Requirement", Quantity::Text(1, 200), "its id in the destination")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let before = body.facts.waivers.len();
        body.facts.waivers.retain(|w| w.requirement != self.requirement);
        if body.facts.waivers.len() == before {
            return Err(format!("The requirement “{}” is not waived.", self.requirement).into());
        }
        Ok("The waiver is withdrawn.".into())
    }
}
