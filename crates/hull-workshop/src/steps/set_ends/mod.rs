//! Says how members are joined at their ends.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::End;
use serde::{Deserialize, Serialize};

/// Says how members are joined at their ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetEnds {
    /// The layer; empty: all.
    #[serde(default)]
    pub layer: String,
    /// How.
    pub ends: Ends,
    /// What an elastic end takes, in kN·m/rad.
    #[serde(default, skip_serializing_if = "is_nought")]
    pub stiffness: f64,
    /// Which of the two.
    #[serde(default, skip_serializing_if = "Which::is_both")]
    pub which: Which,
}

/// How ends are joined.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Ends {
    /// They turn with the joint.
    Rigid,
    /// They turn freely, torsion is held.
    Pinned,
    /// They slide along the member.
    Sliding,
    /// They turn against a spring, torsion is held.
    Elastic,
}

/// Which ends of a member.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// Both.
    #[default]
    Both,
    /// The one it is drawn from.
    First,
    /// The other.
    Last,
}

impl Which {
    // As serde asks for it.
    #[allow(clippy::trivially_copy_pass_by_ref)]
    fn is_both(&self) -> bool {
        *self == Which::Both
    }

    fn ends(self) -> &'static [usize] {
        match self {
            Which::Both => &[0, 1],
            Which::First => &[0],
            Which::Last => &[1],
        }
    }
}

// As serde asks for it.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_nought(x: &f64) -> bool {
    *x == 0.0
}

/// 1 kN·m is so many N·mm.
const NEWTON_MILLIMETRES: f64 = 1e6;

const HOW: Quantity = Quantity::Choice(&[
    ("rigid", "rigid"),
    ("pinned", "pinned"),
    ("sliding", "sliding"),
    ("elastic", "elastic, by a spring"),
]);
const WHICH_ENDS: Quantity = Quantity::Choice(&[("both", "both"), ("first", "the first"), ("last", "the last")]);

impl Operation for SetEnds {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Set ends";
    const HELP: &'static str = "Says how the members of a layer, or all, are joined at both ends or one: rigid, pinned (turning freely, torsion held), sliding along the member, or elastic (turning against a spring about both axes of the section, torsion held).";

    fn title(&self) -> Sentence {
        format!("Ends of {}", said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("ends", "ends are", HOW, "how the ends are joined").or("rigid"),
            Field::new(
                "stiffness",
                "of",
                Quantity::Number("kN·m/rad", 0.0, 1e9),
                "what an elastic end takes for each radian of turning",
            )
            .or("0")
            .optional(),
            Field::new("which", "at", WHICH_ENDS, "both ends, or the one a member is drawn from, or the other")
                .or("both")
                .optional(),
        ];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(SetEnds { layer: String::new(), ends: Ends::Rigid, stiffness: 0.0, which: Which::Both })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let end = match self.ends {
            Ends::Rigid => End::Rigid,
            Ends::Pinned => End::Pinned,
            Ends::Sliding => End::Sliding,
            Ends::Elastic if self.stiffness > 0.0 => End::Elastic(self.stiffness * NEWTON_MILLIMETRES),
            Ends::Elastic => {
                return Err(
                    "An elastic end needs a stiffness above nought, in kN·m/rad; one of nought is pinned.".into()
                );
            }
        };
        if self.stiffness != 0.0 && self.ends != Ends::Elastic {
            return Err("Only an elastic end has a stiffness: choose elastic, or leave it out.".into());
        }
        let wanted = members_of(frame, &self.layer)?;
        for m in &wanted {
            self.which.ends().iter().for_each(|e| frame.members[*m].joined[*e] = end);
        }
        Ok(format!("The ends of {}.", crate::numbers::counted(wanted.len(), "member")).into())
    }
}
