//! Drops the loads of a case.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use serde::{Deserialize, Serialize};

/// Drops the loads of a case.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropLoads {
    /// Its name; empty: all loads.
    #[serde(default)]
    pub case: String,
}

impl Operation for DropLoads {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Drop loads";
    const HELP: &'static str = "Drops the loads of one case, or all.";

    fn title(&self) -> Sentence {
        "Drop loads".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("case", "Case", Quantity::Text(0, 60), "its name; left empty, all loads").or("").optional()];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(DropLoads { case: String::new() })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let before = frame.loads.len();
        frame.loads.retain(|l| !self.case.is_empty() && l.case != self.case);
        Ok(format!("{} dropped.", crate::numbers::counted(before - frame.loads.len(), "load")).into())
    }
}
