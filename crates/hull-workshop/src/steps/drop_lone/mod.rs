//! Drops members that do not hang together with the most.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use serde::{Deserialize, Serialize};

/// Drops members that do not hang together with the most.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropLone {}

impl Operation for DropLone {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Drop lone members";
    const HELP: &'static str = "Drops every group of members but the largest.";

    fn title(&self) -> Sentence {
        "Drop lone members".into()
    }

    fn fields() -> &'static [Field] {
        &[]
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        match seen.survey.frame.figures.lone {
            0 => None,
            n => Proposal::because(
                DropLone {},
                format!("{} do not hang together with the others.", crate::numbers::counted(n, "member")),
            ),
        }
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let before = frame.members.len();
        frame.keep_largest_group();
        Ok(format!("{} dropped.", crate::numbers::counted(before - frame.members.len(), "member")).into())
    }
}
