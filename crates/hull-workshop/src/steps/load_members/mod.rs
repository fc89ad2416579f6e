//! Loads members with an even force along them, or with their own weight.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::{Load, LoadKind};
use hull_geometry::vector::V3;
use serde::{Deserialize, Serialize};

/// Loads members with an even force along them, or with their own weight.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LoadMembers {
    /// Loads of one case act together.
    pub case: String,
    /// The layer; empty: all.
    #[serde(default)]
    pub layer: String,
    /// In N/m along x, y, z.
    pub force: [f64; 3],
    /// Along which axes, and to which length.
    #[serde(default, skip_serializing_if = "Along::is_whole")]
    pub axes: Along,
    /// Whether the weight of all members acts as well.
    #[serde(default)]
    pub weight: bool,
}

/// What an even force along a member is told along, and a metre of what it is for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Along {
    /// The axes of the whole, for a metre of the member.
    #[default]
    Whole,
    /// The axes of the whole, for a metre of what the member looks like along each: snow on a slope, wind on a leaning post.
    Projected,
    /// The member's own axes: along it, its section's y and z.
    Member,
}

impl Along {
    // As serde asks for it.
    #[allow(clippy::trivially_copy_pass_by_ref)]
    fn is_whole(&self) -> bool {
        *self == Along::Whole
    }

    /// The force along the axes of the whole for a metre of a member with these axes.
    fn of(self, force: V3, axes: &[V3; 3]) -> V3 {
        match self {
            Along::Whole => force,
            Along::Projected => [0, 1, 2].map(|k| force[k] * (1.0 - axes[0][k] * axes[0][k]).max(0.0).sqrt()),
            Along::Member => [0, 1, 2].map(|k| (0..3).map(|i| force[i] * axes[i][k]).sum()),
        }
    }
}

const AXES: Quantity = Quantity::Choice(&[
    ("whole", "x, y, z of the whole"),
    ("projected", "x, y, z, for a metre as seen along each"),
    ("member", "the member's own axes"),
]);

impl Operation for LoadMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Load members";
    const HELP: &'static str = "Puts an even force along the members of a layer, or all, and their own weight if asked (9.80665 m/s² along −z).";

    fn title(&self) -> Sentence {
        format!("Load {}, case “{}”", said(&self.layer), self.case).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("case", "Case", Quantity::Text(1, 60), "loads of one case act together").or("use"),
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("force", "even force", Quantity::Vector("N/m"), "along x, y and z").or("0, 0, -500"),
            Field::new("axes", "along", AXES, "for a metre of the member; projected: for a metre of what is seen of it along the force, as of snow; the member's own: along it, its section's y and z").or("whole").optional(),
            Field::new("weight", "with the own weight of all members", Quantity::Flag, "from the density of their material").or("yes"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let step = LoadMembers {
            case: "use".into(),
            layer: String::new(),
            force: [0.0, 0.0, -500.0],
            axes: Along::Whole,
            weight: true,
        };
        match (seen.survey.frame.figures.members, seen.survey.frame.figures.loads) {
            (1.., 0) => Proposal::because(step, "Nothing acts on the frame yet."),
            _ => Proposal::possible(step),
        }
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        let case = self.case.trim().to_string();
        if self.force != [0.0; 3] {
            let force = self.force.map(|x| x / 1000.0);
            let load = |m: &usize| {
                let force = self.axes.of(force, &frame.axes(&frame.members[*m]));
                Load { case: case.clone(), kind: LoadKind::Line { member: *m as u32, force } }
            };
            let loads: Vec<Load> = wanted.iter().map(load).collect();
            frame.loads.extend(loads);
        }
        if self.weight {
            let kind = LoadKind::Weight { acceleration: [0.0, 0.0, -9806.65] };
            frame.loads.retain(|l| l.case != case || !matches!(l.kind, LoadKind::Weight { .. }));
            frame.loads.push(Load { case: case.clone(), kind });
        }
        let n = if self.force == [0.0; 3] { 0 } else { wanted.len() };
        let weight = if self.weight { ", and the weight of all" } else { "" };
        Ok(format!("{} loaded in case “{case}”{weight}.", crate::numbers::counted(n, "member")).into())
    }
}
