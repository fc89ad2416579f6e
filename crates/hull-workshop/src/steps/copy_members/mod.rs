//! Members again, beside themselves.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::vector::{add, scale};
use serde::{Deserialize, Serialize};

/// Copies at most: more is a slip of the hand.
const MOST: usize = 100_000;

/// Members again, beside themselves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CopyMembers {
    /// Which members: see [`WHICH`].
    #[serde(default)]
    pub layer: String,
    /// From one to the next, in millimetres.
    pub by: [f64; 3],
    /// How often.
    pub times: f64,
}

impl Operation for CopyMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Copy members";
    const HELP: &'static str = "Adds copies of members, each moved on by the same way: once, or as a row. Ends that meet joints are joined there; where a member is already, none is added.";

    fn title(&self) -> Sentence {
        format!("Copy {}", said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("by", "moved by", Quantity::Vector("mm"), "from one to the next, along x, y and z"),
            Field::new("times", "times", Quantity::Number("", 1.0, 1000.0), "how many copies of each").or("1"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(CopyMembers { layer: String::new(), by: [seen.part(0.5), 0.0, 0.0], times: 1.0 })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        let times = self.times.round() as u32;
        if self.by == [0.0; 3] {
            return Err("A copy that is not moved lies on what it is of.".into());
        }
        if wanted.len().saturating_mul(times as usize) > MOST {
            return Err(format!("That would be more than {MOST} members.").into());
        }
        let came: usize = (1..=times).map(|k| frame.copy(&wanted, |p| add(p, scale(self.by, f64::from(k))))).sum();
        Ok(format!("{} more: {} now.", counted(came, "member"), counted(frame.members.len(), "member")).into())
    }
}
