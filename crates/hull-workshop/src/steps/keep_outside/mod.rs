//! Only what can be seen from outside.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::closing::shrink;
use crate::steps::cut_crossings::cut;
use crate::steps::{At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use hull_geometry::topology::Topology;
use hull_geometry::{FacetId, Rebuilt, nesting};
use serde::{Deserialize, Serialize};

/// Keeps of a closed surface what can be seen from outside: crossings are cut, cavities and what lies in them go.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct KeepOutside {}

impl Operation for KeepOutside {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Keep the outside";
    const HELP: &'static str = "Keeps of a closed surface everything outside only: crossings are cut, cavities and what \
                                lies in them go.";

    fn title(&self) -> Sentence {
        "Keep the outside only".into()
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.topology.open_edges > 0 { None } else { Proposal::possible(KeepOutside {}) }
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let mut sentence = cut(body, at.watch)?;
        let topology = Topology::of(&body.mesh, at.watch)?;
        let shells = nesting::nesting(&body.mesh, &topology, at.watch)?;
        let inner = |f: FacetId| shells.get(topology.shell_of[f] as usize).is_some_and(|s| s.inside > 0);
        let gone = shells.iter().filter(|s| s.inside > 0).count();
        if gone > 0 {
            let rebuilt = Rebuilt::keeping(&body.mesh, |f| !inner(f));
            let facets = body.mesh.triangles.len() - rebuilt.mesh.triangles.len();
            shrink(body, rebuilt, facets, "facets")?;
            sentence += &format!(" {} inside went with {}.", counted(gone, "shell"), counted(facets, "facet"));
        }
        Ok(sentence.into())
    }
}
