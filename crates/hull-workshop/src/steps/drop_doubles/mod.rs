//! Facets that lie on another shell.

use crate::Body;
use crate::numbers::count;
use crate::say;
use crate::sentence::{Sentence, area, length};
use crate::steps::closing::shrink;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::topology::Topology;
use hull_geometry::{Rebuilt, doubles};
use serde::{Deserialize, Serialize};

/// Takes facets away that lie on another shell within `tolerance`: skins, both sides of one surface, strips that overlap.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropDoubles {
    /// How far apart surfaces that lie on each other may be.
    pub tolerance: f64,
}

impl Operation for DropDoubles {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Remove coincident facets";
    const HELP: &'static str = "Takes facets away that lie on others. What has one name and lies on others as a whole \
                                goes as a whole: a skin lies on many names, each of which lies on the skin only. Of open \
                                shells the strips that overlap go. Closed bodies that only touch keep their faces.";

    fn title(&self) -> Sentence {
        say!["Remove coincident facets within ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("tolerance", "Within", Quantity::Length, "how far apart what lies on each other may be")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let step = DropDoubles { tolerance: seen.part(0.0005) };
        let found = seen.survey.doubles.doubles;
        if found.count == 0 {
            return Proposal::possible(step);
        }
        Proposal::because(step, say![format!("{} facets, ", count(found.count)), area(found.size), ", lie on others."])
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let topology = Topology::of(&body.mesh, at.watch)?;
        let found = doubles::doubles(&body.mesh, &topology, &body.columns.label, self.tolerance, at.watch)?;
        if found.redundant.is_empty() {
            let within = length(self.tolerance);
            return Err(say!["No facet lies on another shell within ", within, ", or on another name."].into());
        }
        let rebuilt = Rebuilt::keeping(&body.mesh, |f| found.redundant.binary_search(&f).is_err());
        shrink(body, rebuilt, found.redundant.len(), "facets that lie on others")
    }
}
