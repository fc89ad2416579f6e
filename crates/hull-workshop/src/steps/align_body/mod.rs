//! The body turned by its own shape.

use crate::Body;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_fitting::align::{by_principal_axes, by_smallest_box};
use serde::{Deserialize, Serialize};

/// What of the body tells its axes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum By {
    /// Where its surface or its points are spread most and least.
    PrincipalAxes,
    /// The smallest box around it.
    SmallestBox,
}

/// Turns the body about its middle: longest along x, shortest along z.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AlignBody {
    /// What tells.
    pub by: By,
}

impl Operation for AlignBody {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Align by its own shape";
    const HELP: &'static str = "Turns the body about its middle so that its longest direction runs along x and its \
                                shortest along z: by the smallest box around it, or by its principal axes.";

    fn title(&self) -> Sentence {
        match self.by {
            By::PrincipalAxes => "Align by principal axes",
            By::SmallestBox => "Align by the smallest box",
        }
        .into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "by",
            "By",
            Quantity::Choice(&[("smallest_box", "the smallest box"), ("principal_axes", "principal axes")]),
            "what tells the body's axes",
        )
        .or("smallest_box")];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(AlignBody { by: By::SmallestBox })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let before = body.bounds().size();
        let points = body.all_points();
        let by = match self.by {
            By::PrincipalAxes => by_principal_axes(&body.mesh, &points),
            By::SmallestBox => by_smallest_box(&points),
        };
        let by = by.map_err(|e| e.to_string())?;
        body.move_rigid(&by);
        let after = body.bounds().size();
        Ok(say![
            format!("Turned by {}°. The box was ", crate::numbers::four_digits(by.angle())),
            length(before[0]),
            " × ",
            length(before[1]),
            " × ",
            length(before[2]),
            ", it is ",
            length(after[0]),
            " × ",
            length(after[1]),
            " × ",
            length(after[2]),
            "."
        ]
        .into())
    }
}
