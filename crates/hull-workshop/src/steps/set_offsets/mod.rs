//! Has members end beside their joints.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::vector::{V3, add, scale};
use serde::{Deserialize, Serialize};

/// Has members end beside their joints.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetOffsets {
    /// The layer; empty: all.
    #[serde(default)]
    pub layer: String,
    /// From the joint to the member's first end, in millimetres.
    pub first: V3,
    /// From the joint to its last end, in millimetres.
    pub last: V3,
    /// Along which axes.
    #[serde(default)]
    pub axes: Axes,
}

/// Along which axes an offset is told.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Axes {
    /// Those of the whole.
    #[default]
    Whole,
    /// The member's own, as it runs from joint to joint: along it, then its section's y and z.
    Member,
}

impl Operation for SetOffsets {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Set offsets";
    const HELP: &'static str = "Has members end beside their joints, joined to them by rigid pieces without mass: a beam that lies on top of its joint, a brace that meets a face instead of an axis. Noughts bring an end back to its joint.";

    fn title(&self) -> Sentence {
        format!("Offsets of {}", said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new(
                "first",
                "first end beside its joint by",
                Quantity::Vector("mm"),
                "from the joint to the member's first end",
            )
            .or("0, 0, 0"),
            Field::new("last", "last end by", Quantity::Vector("mm"), "from the joint to its last end").or("0, 0, 0"),
            Field::new(
                "axes",
                "along the axes of",
                Quantity::Choice(&[("whole", "the whole"), ("member", "the member")]),
                "x, y, z of the whole, or along the member and its section's y and z",
            )
            .or("whole"),
        ];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(SetOffsets { layer: String::new(), first: [0.0; 3], last: [0.0; 3], axes: Axes::Whole })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        for m in &wanted {
            // A member's own axes are those that it has from joint to joint.
            let before = std::mem::take(&mut frame.members[*m].offset);
            let axes = frame.axes(&frame.members[*m]);
            let along = |v: V3| match self.axes {
                Axes::Whole => v,
                Axes::Member => (0..3).fold([0.0; 3], |sum, k| add(sum, scale(axes[k], v[k]))),
            };
            let whole = frame.length(&frame.members[*m]);
            frame.members[*m].offset = [along(self.first), along(self.last)];
            let left = frame.length(&frame.members[*m]);
            // Up to rounding of what was typed.
            if !(left > 1e-6 * whole && left.is_finite()) {
                frame.members[*m].offset = before;
                return Err(format!("Member {} would have no length left: choose smaller offsets.", m + 1).into());
            }
        }
        Ok(format!("The ends of {} against their joints.", crate::numbers::counted(wanted.len(), "member")).into())
    }
}
