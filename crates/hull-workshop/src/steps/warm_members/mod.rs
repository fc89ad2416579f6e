//! Members warmer than when they were built.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::set_section::{WHICH, members_of, said};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::{Load, LoadKind};
use serde::{Deserialize, Serialize};

/// Members warmer than when they were built.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct WarmMembers {
    /// Loads of one case act together.
    pub case: String,
    /// Which members: see [`WHICH`].
    #[serde(default)]
    pub layer: String,
    /// In kelvin.
    pub by: f64,
    /// Of its length, in millionths per kelvin.
    pub growth: f64,
}

impl Operation for WarmMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Warm members";
    const HELP: &'static str =
        "Makes members warmer, or colder, than when the frame was built: they grow, and press where they are held.";

    fn title(&self) -> Sentence {
        format!("Warm {} by {} K, case “{}”", said(&self.layer), self.by, self.case).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("case", "Case", Quantity::Text(1, 60), "loads of one case act together").or("sun"),
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new(
                "by",
                "warmer by",
                Quantity::Number("K", -1000.0, 1000.0),
                "than when it was built; below nought: colder",
            )
            .or("30"),
            Field::new(
                "growth",
                "growing by",
                Quantity::Number("·10⁻⁶/K", 0.1, 100.0),
                "steel 12, stainless 16, aluminium 23, timber 5: common practice",
            )
            .or("12"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(WarmMembers { case: "sun".into(), layer: String::new(), by: 30.0, growth: 12.0 })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        let (by, growth) = (self.by, self.growth * 1e-6);
        let of = |m: &usize| Load {
            case: self.case.trim().into(),
            kind: LoadKind::Warmth { member: *m as u32, by, growth },
        };
        frame.loads.extend(wanted.iter().map(of));
        Ok(format!("{} warmed in case “{}”.", counted(wanted.len(), "member"), self.case).into())
    }
}
