//! Joints on springs, or that give way by so much.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::joints::{By, joints_by};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::Fix;
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Joints on springs, or that give way by so much.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SpringJoints {
    /// The middle of those that are near.
    pub at: Point,
    /// How near.
    pub within: f64,
    /// In N/mm along x, y, z; nought: as it is.
    pub stiffness: [f64; 3],
    /// In millimetres along x, y, z; nought: as it is.
    pub settled: [f64; 3],
    /// The set whose joints are meant instead, where one is named.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub set: String,
}

impl Operation for SpringJoints {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Springs and settlement";
    const HELP: &'static str = "Holds joints near a place, or of a set, by springs along the axes, or says by how much their support gives way. Where a number is nought, what holds the joint stays as it is.";

    fn title(&self) -> Sentence {
        "Springs and settlement".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("at", "Joints near", Quantity::Place, "the middle of those that are meant"),
            Field::new("within", "within", Quantity::Length, "how near to that place"),
            Field::new(
                "stiffness",
                "springs of",
                Quantity::Vector("N/mm"),
                "along x, y and z; nought leaves that axis as it is",
            )
            .or("0, 0, 0"),
            Field::new(
                "settled",
                "gives way by",
                Quantity::Vector("mm"),
                "along x, y and z; nought leaves that axis as it is",
            )
            .or("0, 0, 0"),
            Field::new(
                "set",
                "or of the set",
                Quantity::Text(0, 80),
                "the set whose joints are meant, instead of those near a place",
            )
            .or("")
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(SpringJoints {
            at: [0.0; 3],
            within: seen.part(1e-2),
            stiffness: [0.0; 3],
            settled: [0.0; 3],
            set: String::new(),
        })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        if self.stiffness.iter().any(|s| *s < 0.0) {
            return Err("A spring has no stiffness below nought.".into());
        }
        if (0..3).any(|k| self.stiffness[k] != 0.0 && self.settled[k] != 0.0) {
            return Err("Along one axis a joint is on a spring or gives way, not both.".into());
        }
        let by = if self.set.is_empty() { By::Near(self.at, self.within) } else { By::Set(&self.set) };
        let wanted = joints_by(frame, &by)?;
        for i in &wanted {
            let joint = &mut frame.joints[*i];
            for k in 0..3 {
                match (self.stiffness[k], self.settled[k]) {
                    (0.0, 0.0) => {}
                    (0.0, by) => joint.held[k] = Fix::Moved(by),
                    (spring, _) => joint.held[k] = Fix::Spring(spring),
                }
            }
        }
        Ok(format!("{} on springs or giving way.", counted(wanted.len(), "joint")).into())
    }
}
