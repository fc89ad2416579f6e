//! Thin facets taken out.

use crate::Body;
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::thin;
use serde::{Deserialize, Serialize};

/// Takes out facets lower than `tolerance`: short edges are drawn together, caps turned.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MendThin {
    /// The height under which a facet is thin, and the furthest that a point moves.
    pub tolerance: f64,
}

impl Operation for MendThin {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Mend thin facets";
    const HELP: &'static str = "Short edges are drawn together and caps turned, where no point moves further than the \
                                tolerance.";

    fn title(&self) -> Sentence {
        say!["Mend facets thinner than ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "tolerance",
            "Thinner than",
            Quantity::Length,
            "the height under which a facet is thin, and the furthest that a point moves",
        )];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let step = MendThin { tolerance: seen.part(0.0001) };
        let deep = &seen.survey.shapes;
        if deep.needles.count + deep.caps.count + deep.folds.count == 0 {
            return None;
        }
        let found = [counted(deep.needles.count, "needle"), counted(deep.caps.count, "cap")];
        Proposal::because(step, format!("{}.", found.join(", ")))
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (rebuilt, mended) = thin::mend_thin(&body.mesh, self.tolerance, |_| true, at.watch)?;
        if mended.drawn + mended.turned == 0 {
            let left = format!(" could be mended; {} are that thin.", count(mended.left));
            return Err(say!["No facet thinner than ", length(self.tolerance), left].into());
        }
        body.take_rebuilt(rebuilt);
        body.drop_empty_boundaries();
        let done = format!(
            "{} drawn together, {} turned; left are {}; no point moved further than ",
            counted(mended.drawn, "short edge"),
            counted(mended.turned, "cap"),
            counted(mended.left, "thin facet"),
        );
        Ok(say![done, length(mended.largest_move), "."].into())
    }
}
