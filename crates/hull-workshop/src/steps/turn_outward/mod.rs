//! Facets turned so that all face outward.

use crate::Body;
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::{At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use hull_geometry::orient;
use serde::{Deserialize, Serialize};

/// Makes neighbours agree and turns every shell outward; one that bounds a cavity faces into it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TurnOutward {}

impl Operation for TurnOutward {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Turn facets outward";
    const HELP: &'static str = "Neighbours are made to agree, then every shell is turned outward; a shell inside another \
                                bounds a cavity and faces into it.";

    fn title(&self) -> Sentence {
        "Turn facets outward".into()
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let n = seen.survey.direction.facets_to_turn.filter(|n| *n > 0)?;
        Proposal::because(TurnOutward {}, format!("{} facets face inward.", count(n)))
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let found = orient::facets_to_turn(&body.mesh, at.watch)?;
        for &f in &found.turned {
            body.mesh.triangles[f].swap(1, 2);
        }
        let turned = format!("{} turned", counted(found.turned.len(), "facet"));
        Ok(match found.one_sided {
            0 => format!("{turned}.").into(),
            n => format!("{turned}; one-sided, so that they cannot face one way: {}.", counted(n, "shell")).into(),
        })
    }
}
