//! Members elsewhere.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::joints::{By, joints_by};
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::vector::add;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// Members elsewhere.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MoveMembers {
    /// Which members: see [`WHICH`].
    #[serde(default)]
    pub layer: String,
    /// By how much, in millimetres.
    pub by: [f64; 3],
}

impl Operation for MoveMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Move members";
    const HELP: &'static str =
        "Moves members with the joints at their ends; members that meet them there follow with that end.";

    fn title(&self) -> Sentence {
        format!("Move {}", said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("by", "by", Quantity::Vector("mm"), "along x, y and z"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(MoveMembers { layer: String::new(), by: [seen.part(0.1), 0.0, 0.0] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let members = members_of(frame, &self.layer)?;
        let joints: Vec<u32> = joints_by(frame, &By::Ends(&members))?.into_iter().map(|j| j as u32).collect();
        let moves: HashSet<u32> = joints.iter().copied().collect();
        // To a nanometre: places are sums.
        let place = |p: [f64; 3]| p.map(|x| (x * 1e6).round() as i64);
        let stay = frame.joints.iter().enumerate().filter(|(i, _)| !moves.contains(&(*i as u32)));
        let taken: HashSet<[i64; 3]> = stay.map(|(_, j)| place(j.at)).collect();
        let lands = |j: &u32| taken.contains(&place(add(frame.joints[*j as usize].at, self.by)));
        if let Some(joint) = joints.iter().find(|j| lands(j)) {
            return Err(format!("Joint {} would come to where another joint is.", joint + 1).into());
        }
        frame.move_joints(&joints, self.by);
        let (m, j) = (counted(members.len(), "member"), counted(joints.len(), "joint"));
        Ok(format!("{m} moved with {j}.").into())
    }
}
