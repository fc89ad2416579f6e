//! A closed surface around everything.

use crate::Body;
use crate::numbers::count;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::plot::round_up;
use hull_solids::wrap::{WrapError, wrap};
use serde::{Deserialize, Serialize};

/// Replaces the surface by a closed one around it, at `offset`, that closes gaps narrower than `gap`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Wrap {
    /// How far the new surface stands off.
    pub offset: f64,
    /// The widest gap that it closes.
    pub gap: f64,
}

impl Operation for Wrap {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Wrap";
    const HELP: &'static str = "Last resort: a closed surface around everything, whatever it is. It stands off by the \
                                offset, gaps narrower than the gap are closed over, edges get round. Names come from the \
                                nearest facet.";

    fn title(&self) -> Sentence {
        say!["Wrap at ", length(self.offset)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("offset", "Offset", Quantity::Length, "how far the new surface stands off"),
            Field::new("gap", "Gap", Quantity::Length, "the widest gap that it closes"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(Wrap { offset: seen.part(0.004), gap: seen.part(0.016) })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let Wrap { offset, gap } = *self;
        let rebuilt = wrap(&body.mesh, &body.named_alike(), offset, gap, at.watch).map_err(|e| match e {
            WrapError::Cancelled(c) => Refusal::Cancelled(c),
            WrapError::TooFine(least) => {
                let least = length(round_up(least));
                say!["The offset is too small for a body of this size: it must be at least ", least, "."].into()
            }
            other => other.to_string().into(),
        })?;
        body.take_rebuilt(rebuilt);
        body.drop_empty_boundaries();
        let made = format!("A closed surface of {} facets stands ", count(body.mesh.triangles.len()));
        Ok(say![made, length(offset), " off the body and closes gaps up to ", length(gap), "."].into())
    }
}
