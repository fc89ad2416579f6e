//! Members again, on the other side of a plane.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Members again, on the other side of a plane.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MirrorMembers {
    /// Which members: see [`WHICH`].
    #[serde(default)]
    pub layer: String,
    /// The axis across which the plane stands.
    pub axis: String,
    /// Where on it.
    pub at: f64,
}

impl Operation for MirrorMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Mirror members";
    const HELP: &'static str = "Adds the mirror images of members on the other side of a plane across an axis. Ends in the plane stay one joint.";

    fn title(&self) -> Sentence {
        format!("Mirror {} across {}", said(&self.layer), self.axis).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new(
                "axis",
                "across",
                Quantity::Choice(&[("x", "x"), ("y", "y"), ("z", "z")]),
                "the axis that the plane stands across",
            )
            .or("x"),
            Field::new("at", "at", Quantity::Number("mm", -1e9, 1e9), "where on that axis the plane is"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(MirrorMembers { layer: String::new(), axis: "x".into(), at: 0.0 })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        let k = ["x", "y", "z"].iter().position(|a| *a == self.axis).unwrap_or(0);
        let mirrored = |mut p: Point| {
            p[k] = 2.0 * self.at - p[k];
            p
        };
        let came = frame.copy(&wanted, mirrored);
        Ok(format!("{} more: {} now.", counted(came, "member"), counted(frame.members.len(), "member")).into())
    }
}
