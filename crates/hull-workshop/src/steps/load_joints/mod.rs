//! Loads joints near a place, or of a set, with a force.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::joints::{By, joints_by};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::{Load, LoadKind};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Loads joints near a place, or of a set, with a force.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LoadJoints {
    /// Loads of one case act together.
    pub case: String,
    /// The middle of the joints.
    pub at: Point,
    /// How near to it.
    pub within: f64,
    /// In N along x, y, z, on each of them.
    pub force: [f64; 3],
    /// The set whose joints are meant instead, where one is named.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub set: String,
}

impl Operation for LoadJoints {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Load joints";
    const HELP: &'static str = "Puts a force on each joint near a place, or of a set.";

    fn title(&self) -> Sentence {
        format!("Load joints, case “{}”", self.case).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("case", "Case", Quantity::Text(1, 60), "loads of one case act together").or("use"),
            Field::new("at", "joints near", Quantity::Place, "the middle of the joints that are loaded").or("0, 0, 0"),
            Field::new("within", "within", Quantity::Length, "how near to the place"),
            Field::new("force", "force on each", Quantity::Vector("N"), "along x, y and z of the whole")
                .or("0, 0, -1000"),
            Field::new(
                "set",
                "or of the set",
                Quantity::Text(0, 80),
                "the set whose joints are loaded, instead of those near a place",
            )
            .or("")
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let at = seen.survey.size.bbox.max;
        Proposal::possible(LoadJoints {
            case: "use".into(),
            at,
            within: seen.part(1e-2),
            force: [0.0, 0.0, -1000.0],
            set: String::new(),
        })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let by = if self.set.is_empty() { By::Near(self.at, self.within) } else { By::Set(&self.set) };
        let wanted = joints_by(frame, &by)?;
        let [x, y, z] = self.force;
        let case = self.case.trim().to_string();
        let load = |j: &usize| Load {
            case: case.clone(),
            kind: LoadKind::Joint { joint: *j as u32, force: [x, y, z, 0.0, 0.0, 0.0] },
        };
        frame.loads.extend(wanted.iter().map(load));
        Ok(format!("{} loaded in case “{case}”.", crate::numbers::counted(wanted.len(), "joint")).into())
    }
}
