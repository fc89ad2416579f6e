//! Loads members with an even force along them, or with their own weight.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use crate::steps::set_section::{WHICH, members_of, said};
use hull_frames::{Load, LoadKind};
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
    /// Whether the weight of all members acts as well.
    #[serde(default)]
    pub weight: bool,
}

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
            Field::new("force", "even force", Quantity::Vector("N/m"), "along x, y and z of the whole").or("0, 0, -500"),
            Field::new("weight", "with the own weight of all members", Quantity::Flag, "from the density of their material").or("yes"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let step = LoadMembers { case: "use".into(), layer: String::new(), force: [0.0, 0.0, -500.0], weight: true };
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
            let load = |m: &usize| Load { case: case.clone(), kind: LoadKind::Line { member: *m as u32, force } };
            frame.loads.extend(wanted.iter().map(load));
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
