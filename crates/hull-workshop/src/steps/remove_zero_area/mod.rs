//! Facets without area.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::closing::shrink;
use crate::steps::{At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use hull_geometry::cleanup;
use serde::{Deserialize, Serialize};

/// Takes facets without area away.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RemoveZeroArea {}

impl Operation for RemoveZeroArea {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Remove facets without area";
    const HELP: &'static str = "Takes facets without area away. A neighbour across the long edge is cut at the middle \
                                corner, so that no gap opens.";

    fn title(&self) -> Sentence {
        "Remove facets without area".into()
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let n = Some(seen.survey.topology.zero_area_triangles).filter(|n| *n > 0)?;
        Proposal::because(RemoveZeroArea {}, format!("{} without area.", counted(n, "facet")))
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (rebuilt, gone) = cleanup::without_zero_area(&body.mesh, at.watch)?;
        shrink(body, rebuilt, gone, "facets without area")
    }
}
