//! Loads joints near a place with a force.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::{Load, LoadKind};
use hull_geometry::Point;
use hull_geometry::vector::distance;
use serde::{Deserialize, Serialize};

/// Loads joints near a place with a force.
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
}

impl Operation for LoadJoints {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Load joints";
    const HELP: &'static str = "Puts a force on each joint near a place.";

    fn title(&self) -> Sentence {
        format!("Load joints, case “{}”", self.case).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("case", "Case", Quantity::Text(1, 60), "loads of one case act together").or("use"),
            Field::new("at", "joints near", Quantity::Place, "the middle of the joints that are loaded").or("0, 0, 0"),
            Field::new("within", "within", Quantity::Length, "how near to the place"),
            Field::new("force", "force on each", Quantity::Vector("N"), "along x, y and z of the whole").or("0, 0, -1000"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let at = seen.survey.size.bbox.max;
        Proposal::possible(LoadJoints { case: "use".into(), at, within: seen.part(1e-2), force: [0.0, 0.0, -1000.0] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let near = |j: &usize| distance(frame.joints[*j].at, self.at) <= self.within;
        let wanted: Vec<usize> = (0..frame.joints.len()).filter(near).collect();
        if wanted.is_empty() {
            return Err("No joint is there: choose another place, or a larger distance.".into());
        }
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
