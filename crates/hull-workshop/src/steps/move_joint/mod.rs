//! A joint elsewhere.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use hull_geometry::vector::add;
use serde::{Deserialize, Serialize};

/// A joint elsewhere.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MoveJoint {
    /// The joint nearest to this place.
    pub at: Point,
    /// By how much, in millimetres.
    pub by: [f64; 3],
}

impl Operation for MoveJoint {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Move a joint";
    const HELP: &'static str = "Moves the joint that is nearest to a place; its members follow.";

    fn title(&self) -> Sentence {
        "Move a joint".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("at", "Nearest to", Quantity::Place, "the joint nearest to this place"),
            Field::new("by", "by", Quantity::Vector("mm"), "along x, y and z"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(MoveJoint { at: [0.0; 3], by: [0.0; 3] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let (joint, _) = frame.nearest_joint(self.at).ok_or("There is no joint.")?;
        let to = add(frame.joints[joint as usize].at, self.by);
        if frame.joints.iter().enumerate().any(|(i, j)| i != joint as usize && j.at == to) {
            return Err("Another joint is there.".into());
        }
        frame.move_joints(&[joint], self.by);
        Ok(format!("{} moved.", counted(1, "joint")).into())
    }
}
