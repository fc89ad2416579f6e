//! Says how members are joined at their ends.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use crate::steps::set_section::{WHICH, members_of, said};
use hull_frames::End;
use serde::{Deserialize, Serialize};

/// Says how members are joined at their ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetEnds {
    /// The layer; empty: all.
    #[serde(default)]
    pub layer: String,
    /// How.
    pub ends: End,
}

impl Operation for SetEnds {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Set ends";
    const HELP: &'static str = "Says how the members of a layer, or all, are joined at both ends: rigid, pinned (turning freely, torsion held) or sliding along the member.";

    fn title(&self) -> Sentence {
        format!("Ends of {}", said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("ends", "ends are", Quantity::Choice(&[("rigid", "rigid"), ("pinned", "pinned"), ("sliding", "sliding")]), "how both ends are joined").or("rigid"),
        ];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(SetEnds { layer: String::new(), ends: End::Rigid })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        wanted.iter().for_each(|m| frame.members[*m].joined = [self.ends; 2]);
        Ok(format!("The ends of {}.", crate::numbers::counted(wanted.len(), "member")).into())
    }
}
