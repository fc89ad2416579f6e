//! Takes members away, with joints that nothing uses then.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Takes members away, with joints that nothing uses then.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DeleteMembers {
    /// Which members: see [`WHICH`].
    pub layer: String,
}

impl Operation for DeleteMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Delete members";
    const HELP: &'static str = "Takes members away, with the joints that no other member uses and the loads on them.";

    fn title(&self) -> Sentence {
        format!("Delete {}", said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("layer", "Layer or members", Quantity::Text(1, 2000), WHICH)];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let gone = members_of(frame, &self.layer)?;
        if gone.len() == frame.members.len() {
            return Err("No member would be left.".into());
        }
        let mut kept = vec![true; frame.members.len()];
        gone.iter().for_each(|m| kept[*m] = false);
        frame.keep(&kept);
        Ok(format!("{} deleted.", counted(gone.len(), "member")).into())
    }
}
