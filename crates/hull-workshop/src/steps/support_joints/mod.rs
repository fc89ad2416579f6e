//! Supports joints.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::joints::{By, down, is_down, joints_by};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::Fix;
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Supports joints.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SupportJoints {
    /// Which.
    pub joints: Which,
    /// The middle of those that are near.
    #[serde(default)]
    pub at: Point,
    /// How near, or how high above the lowest.
    pub within: f64,
    /// How they are held.
    pub held: Held,
    /// Two opposite corners of the box whose joints are meant, where a box is.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub corners: Vec<Point>,
    /// The set whose joints are meant, where a set is.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub set: String,
    /// The corners of the outline whose joints are meant, where one is drawn.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outline: Vec<Point>,
    /// Where the outline is seen along; without one, down.
    #[serde(default = "down", skip_serializing_if = "is_down")]
    pub direction: Point,
}

impl Operation for SupportJoints {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Support";
    const HELP: &'static str = "Holds joints: the lowest ones, those near a place, in a box, of a set, or inside an outline drawn in the view. Fixed holds all six movements, pinned the three along the axes, a roller the one along z.";

    fn title(&self) -> Sentence {
        match self.joints {
            Which::Lowest => "Support the lowest joints".into(),
            Which::Near => "Support joints near a place".into(),
            Which::Box => "Support joints in a box".into(),
            Which::Outline => "Support the joints inside an outline".into(),
            Which::Set => format!("Support the joints of “{}”", self.set.trim()).into(),
        }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "joints",
                "Joints",
                Quantity::Choice(&[
                    ("lowest", "lowest"),
                    ("near", "near a place"),
                    ("box", "in a box"),
                    ("set", "of a set"),
                    ("outline", "inside an outline"),
                ]),
                "which joints are held",
            )
            .or("lowest"),
            Field::new("at", "at", Quantity::Place, "the middle of those that are near").or("0, 0, 0"),
            Field::new(
                "within",
                "within",
                Quantity::Length,
                "how near to the place, or how high above the lowest joint",
            ),
            Field::new(
                "held",
                "held as",
                Quantity::Choice(&[
                    ("pinned", "pinned"),
                    ("fixed", "fixed"),
                    ("roller", "roller"),
                    ("free", "free again"),
                ]),
                "which movements are held",
            )
            .or("pinned"),
            Field::new(
                "corners",
                "in the box",
                Quantity::Places,
                "two opposite corners, where those in a box are held; far apart in height for all above each other",
            )
            .optional(),
            Field::new(
                "set",
                "of the set",
                Quantity::Text(0, 80),
                "the set whose joints are held, where those of a set are",
            )
            .or("")
            .optional(),
            Field::new(
                "outline",
                "inside the outline",
                Quantity::Places,
                "its corners as they are drawn in the view, where those inside it are held",
            )
            .optional(),
            Field::new(
                "direction",
                "seen along",
                Quantity::Vector(""),
                "the direction of view in which the outline was drawn",
            )
            .or("0, 0, -1")
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        let step = SupportJoints {
            joints: Which::Lowest,
            at: [0.0; 3],
            within: seen.part(1e-3),
            held: Held::Pinned,
            corners: Vec::new(),
            set: String::new(),
            outline: Vec::new(),
            direction: down(),
        };
        match seen.survey.frame.figures.supports {
            0 => Proposal::because(step, "Nothing is supported. The lowest joints are where most frames stand."),
            _ => Proposal::possible(step),
        }
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let by = match self.joints {
            Which::Lowest => By::Lowest(self.within),
            Which::Near => By::Near(self.at, self.within),
            Which::Box => By::Box(&self.corners),
            Which::Set => By::Set(&self.set),
            Which::Outline => By::Outline(&self.outline, self.direction),
        };
        let wanted = joints_by(frame, &by)?;
        wanted.iter().for_each(|i| frame.joints[*i].held = self.held.fixes());
        Ok(format!("{} {}.", crate::numbers::counted(wanted.len(), "joint"), self.held.word()).into())
    }
}

/// Which joints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// Those that stand lowest.
    Lowest,
    /// Those near a place.
    Near,
    /// Those in a box.
    Box,
    /// Those of a set.
    Set,
    /// Those inside an outline.
    Outline,
}

/// How a joint is held.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Held {
    /// Along all axes.
    Pinned,
    /// Along and about all axes.
    Fixed,
    /// Along z.
    Roller,
    /// Not at all.
    Free,
}

impl Held {
    fn fixes(self) -> [Fix; 6] {
        let (h, f) = (Fix::Held, Fix::Free);
        match self {
            Held::Pinned => [h, h, h, f, f, f],
            Held::Fixed => [h; 6],
            Held::Roller => [f, f, h, f, f, f],
            Held::Free => [f; 6],
        }
    }

    fn word(self) -> &'static str {
        match self {
            Held::Pinned => "pinned",
            Held::Fixed => "fixed",
            Held::Roller => "on rollers",
            Held::Free => "free again",
        }
    }
}
