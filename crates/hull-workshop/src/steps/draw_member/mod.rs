//! A member between two places.

use crate::Body;
use crate::numbers::counted;
use crate::say;
use crate::sentence::Sentence;
use crate::sentence::length;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::Member;
use hull_geometry::Point;
use hull_geometry::vector::distance;
use serde::{Deserialize, Serialize};

/// A member between two places.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DrawMember {
    /// Where it begins.
    pub from: Point,
    /// Where it ends.
    pub to: Point,
    /// A joint or a member this near to an end is met.
    pub within: f64,
    /// The layer whose section it gets; a new one if there is none of that name.
    pub like: String,
}

impl Operation for DrawMember {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Draw a member";
    const HELP: &'static str = "Adds a member between two places. An end that is near a joint meets it; one that is near a member divides that. It is made as the first member of its layer is.";

    fn title(&self) -> Sentence {
        say!["Draw a member of ", length(distance(self.from, self.to))]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("from", "From", Quantity::Place, "where it begins"),
            Field::new("to", "to", Quantity::Place, "where it ends"),
            Field::new(
                "within",
                "meeting what is within",
                Quantity::Length,
                "joints and members this near to its ends are met",
            ),
            Field::new(
                "like",
                "on layer",
                Quantity::Text(1, 200),
                "it is made as the first member of that layer; a new layer if there is none",
            )
            .or("drawn"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(DrawMember { from: [0.0; 3], to: [0.0; 3], within: seen.part(1e-3), like: "drawn".into() })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let number = frame.take_layer(&self.like);
        let like = frame.members.iter().find(|m| m.layer == number).cloned().unwrap_or_default();
        let ends = [self.from, self.to].map(|p| frame.joint_at(p, self.within));
        if !frame.draw(ends, Member { layer: number, ..like }) {
            return Err("Both ends are one joint, or there is a member between them already.".into());
        }
        Ok(format!("One more: {} now.", counted(frame.members.len(), "member")).into())
    }
}
