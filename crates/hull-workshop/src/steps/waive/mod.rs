//! A requirement that somebody decided to let pass.

use crate::Body;
use crate::body::Waiver;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Lets a requirement pass that is not met, with a reason and the name of who decided.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Waive {
    /// The requirement's id.
    pub requirement: String,
    /// Why.
    pub reason: String,
    /// Who decided.
    pub by: String,
}

impl Operation for Waive {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Waive";
    const HELP: &'static str = "Lets a requirement pass that is not met, with a reason and the name of who decided.";

    fn title(&self) -> Sentence {
        format!("Waive {}", self.requirement.replace('_', " ")).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("requirement", "Requirement", Quantity::Text(1, 200), "its id in the destination"),
            Field::new("reason", "Reason", Quantity::Text(1, 2000), "why it may pass"),
            Field::new("by", "Your name", Quantity::Text(1, 200), "who decided"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let Waive { requirement, reason, by } = self;
        let asked = &at.destination.requirements;
        let kept = body.facts.measures.iter().filter(|m| m.is_asked()).map(|m| m.row());
        let known: Vec<String> = asked.iter().map(|r| r.id.clone()).chain(kept).collect();
        if !known.contains(requirement) {
            let known = known.join(", ");
            return Err(format!("“{requirement}” is not a requirement; there are: {known}.").into());
        }
        let (reason, by) = (reason.trim(), by.trim());
        let waiver = Waiver { requirement: requirement.clone(), reason: reason.into(), by: by.into() };
        body.facts.waivers.retain(|w| w.requirement != *requirement);
        body.facts.waivers.push(waiver);
        Ok(format!("Waived by {by}: {reason}").into())
    }
}
