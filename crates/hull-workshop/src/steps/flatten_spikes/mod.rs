//! Spikes put back.

use crate::Body;
use crate::numbers::counted;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use hull_geometry::spikes;
use serde::{Deserialize, Serialize};

/// Puts points that are drawn far out of the ring around them back on its middle.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FlattenSpikes {}

impl Operation for FlattenSpikes {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Flatten spikes";
    const HELP: &'static str = "A spike's tip is put on the middle of the points around it.";

    fn title(&self) -> Sentence {
        "Flatten spikes".into()
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let found = Some(seen.survey.shapes.spikes).filter(|s| s.count > 0)?;
        let sentence = say![format!("{}, the highest ", counted(found.count, "spike")), length(found.size), "."];
        Proposal::because(FlattenSpikes {}, sentence)
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let found = spikes::spikes(&body.mesh);
        if found.is_empty() {
            return Err("There is no spike.".into());
        }
        let furthest = spikes::flatten(&mut body.mesh, &found);
        let flattened = format!("{} flattened, the highest by ", counted(found.len(), "spike"));
        Ok(say![flattened, length(furthest), "."].into())
    }
}
