//! Pieces that go straight on made one member.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use serde::{Deserialize, Serialize};

/// Pieces that go straight on made one member.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MergeMembers {
    /// Degrees by which they may turn.
    pub angle: f64,
}

impl Operation for MergeMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Merge straight pieces";
    const HELP: &'static str = "Makes one member of pieces that go straight on where nothing else meets them, nothing holds or loads the joint, and both are made alike.";

    fn title(&self) -> Sentence {
        "Merge straight pieces".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "angle",
            "turning by at most",
            Quantity::Angle(0.0, 30.0),
            "pieces that turn by more stay apart",
        )
        .or("0.1")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(MergeMembers { angle: 0.1 })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let went = frame.merge_straight(self.angle);
        Ok(format!("{} merged into others: {} now.", counted(went, "piece"), counted(frame.members.len(), "member"))
            .into())
    }
}
