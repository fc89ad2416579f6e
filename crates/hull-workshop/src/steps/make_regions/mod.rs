//! Regions of what closed outlines of lines enclose.

use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use crate::{Body, exact};
use serde::{Deserialize, Serialize};

/// Makes a region of what closed outlines in one plane enclose, layer by layer; outlines within others divide it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MakeRegions {}

impl Operation for MakeRegions {
    const NEEDS: Kinds = Kinds::Curves;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Make regions";
    const HELP: &'static str =
        "Makes exact regions of what closed outlines of one layer and one plane enclose; other lines stay lines.";

    fn title(&self) -> Sentence {
        "Make regions of outlines".into()
    }

    fn fields() -> &'static [Field] {
        &[]
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let only_lines = seen.survey.lines.lines > 0 && seen.survey.size.triangles == 0;
        only_lines.then(|| Proposal::possible(MakeRegions {})).flatten()
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        if body.has_surface() {
            return Err("The body has a surface already: regions are made of lines alone.".into());
        }
        match exact::take_regions(body, at.watch)? {
            0 => Err("No layer has lines that enclose something in one plane: ends may be apart.".into()),
            n => Ok(Sentence::from(format!("{} of closed outlines.", counted(n, "region"))).into()),
        }
    }
}
