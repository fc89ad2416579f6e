//! Facets that are there twice.

use crate::Body;
use crate::numbers::count;
use crate::sentence::Sentence;
use crate::steps::closing::shrink;
use crate::steps::{At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use hull_geometry::cleanup;
use serde::{Deserialize, Serialize};

/// Takes facets away that have the same three points as another one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RemoveDuplicates {}

impl Operation for RemoveDuplicates {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Remove duplicate facets";
    const HELP: &'static str = "Takes facets away that have the same three points as another one.";

    fn title(&self) -> Sentence {
        "Remove duplicate facets".into()
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let n = Some(seen.survey.topology.duplicate_triangles).filter(|n| *n > 0)?;
        Proposal::because(
            RemoveDuplicates {},
            format!("{} facets have the same three points as another one.", count(n)),
        )
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (rebuilt, gone) = cleanup::without_duplicates(&body.mesh, at.watch)?;
        shrink(body, rebuilt, gone, "duplicate facets")
    }
}
