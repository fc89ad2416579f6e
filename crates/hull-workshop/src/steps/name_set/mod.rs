//! Puts members and joints into a named set.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::joints::{By, down, is_down, joints_by};
use crate::steps::set_section::members_of;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Puts members and joints into a named set, beside what is in it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct NameSet {
    /// Its name.
    pub name: String,
    /// Which members; empty: none, “all”: all.
    #[serde(default)]
    pub layer: String,
    /// Which joints.
    pub joints: Which,
    /// The middle of those that are near.
    #[serde(default)]
    pub at: Point,
    /// How near, or how high above the lowest.
    pub within: f64,
    /// The corners of the outline whose joints are meant, where one is drawn.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outline: Vec<Point>,
    /// Where the outline is seen along; without one, down.
    #[serde(default = "down", skip_serializing_if = "is_down")]
    pub direction: Point,
}

/// Which joints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// None.
    None,
    /// Those at the ends of the members.
    Ends,
    /// Those that are supported.
    Supported,
    /// Those that stand lowest.
    Lowest,
    /// Those near a place.
    Near,
    /// Those inside an outline.
    Outline,
}

const JOINTS: Quantity = Quantity::Choice(&[
    ("none", "no joints"),
    ("ends", "the joints at their ends"),
    ("supported", "the supported joints"),
    ("lowest", "the lowest joints"),
    ("near", "the joints near a place"),
    ("outline", "the joints inside an outline"),
]);
const MEMBERS: &str = "a layer by its name, members by number as in #3, 7-12, by what they are as in kind:column (beam, purlin, brace), those of a set as in set:tower, “all”, or nothing for none";

impl Operation for NameSet {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Name the set";
    const HELP: &'static str = "Puts members and joints into a set under a name, beside what is in it. Sets go along when members are divided, copied or deleted; other steps take them as set:NAME, and they are handed over by name.";

    fn title(&self) -> Sentence {
        format!("Set “{}”", self.name.trim()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Set", Quantity::Text(1, 80), "its name").or("set 1"),
            Field::new("layer", "of members", Quantity::Text(0, 2000), MEMBERS).or("").optional(),
            Field::new("joints", "and", JOINTS, "which joints are in it").or("none"),
            Field::new("at", "at", Quantity::Place, "the middle of those that are near").or("0, 0, 0"),
            Field::new(
                "within",
                "within",
                Quantity::Length,
                "how near to the place, or how high above the lowest joint",
            )
            .or("1"),
            Field::new("outline", "inside the outline", Quantity::Places, "its corners as they are drawn in the view")
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

    fn propose(_: &Seen) -> Option<Proposal> {
        let (name, layer) = ("set 1".into(), String::new());
        Proposal::possible(NameSet {
            name,
            layer,
            joints: Which::None,
            at: [0.0; 3],
            within: 1.0,
            outline: Vec::new(),
            direction: down(),
        })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let members = match self.layer.trim() {
            "" => Vec::new(),
            "all" => members_of(frame, "")?,
            which => members_of(frame, which)?,
        };
        let by = match self.joints {
            Which::None => None,
            Which::Ends => Some(By::Ends(&members)),
            Which::Supported => Some(By::Supported),
            Which::Lowest => Some(By::Lowest(self.within)),
            Which::Near => Some(By::Near(self.at, self.within)),
            Which::Outline => Some(By::Outline(&self.outline, self.direction)),
        };
        let joints = by.map_or(Ok(Vec::new()), |by| joints_by(frame, &by))?;
        if members.is_empty() && joints.is_empty() {
            return Err("Nothing is chosen: say which members or which joints are in the set.".into());
        }
        let name = self.name.trim();
        frame.put_in_set(name, &members, &joints);
        let (m, j) = (counted(members.len(), "member"), counted(joints.len(), "joint"));
        Ok(format!("{m} and {j} put into “{name}”.").into())
    }
}
