//! Forgets a kept measure.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Forgets a kept measure.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropMeasure {
    /// Its name.
    pub name: String,
}

impl Operation for DropMeasure {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Forget the measure";
    const HELP: &'static str = "Forgets a kept measure, and its row of the sheet with it.";

    fn title(&self) -> Sentence {
        format!("Forget measure “{}”", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("name", "Measure", Quantity::Text(1, 80), "its name")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let before = body.facts.measures.len();
        body.facts.measures.retain(|m| m.name != self.name.trim());
        if body.facts.measures.len() == before {
            return Err(format!("There is no measure “{}”.", self.name).into());
        }
        Ok("Forgotten.".into())
    }
}
