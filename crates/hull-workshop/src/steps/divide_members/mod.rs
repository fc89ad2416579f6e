//! Members in equal pieces.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use serde::{Deserialize, Serialize};

/// Members in equal pieces.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DivideMembers {
    /// Which members: see [`WHICH`].
    #[serde(default)]
    pub layer: String,
    /// How many each is divided into.
    pub pieces: f64,
}

impl Operation for DivideMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Divide members";
    const HELP: &'static str =
        "Divides members into pieces of equal length, with a joint between each two. Loads along them stay.";

    fn title(&self) -> Sentence {
        format!("{} in {} pieces", said(&self.layer), self.pieces).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("pieces", "into", Quantity::Number("pieces", 2.0, 100.0), "pieces of equal length").or("2"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(DivideMembers { layer: String::new(), pieces: 2.0 })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        let pieces = self.pieces.round() as u32;
        let shares: Vec<f64> = (1..pieces).map(|k| f64::from(k) / f64::from(pieces)).collect();
        for m in &wanted {
            frame.divide_at(*m, &shares);
        }
        Ok(format!("{} divided: {} now.", counted(wanted.len(), "member"), counted(frame.members.len(), "member"))
            .into())
    }
}
