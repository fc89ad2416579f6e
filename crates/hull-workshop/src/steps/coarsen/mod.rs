//! Fewer, larger facets.

use crate::Body;
use crate::numbers::count;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::coarsen::coarsen;
use hull_geometry::topology::Topology;
use serde::{Deserialize, Serialize};

/// Makes facets larger where the surface stays within `tolerance`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Coarsen {
    /// How far points that go may be from the surface.
    pub tolerance: f64,
}

/// The longest side of facets made larger, in parts of the body's diagonal.
const LARGEST_FACET: f64 = 0.1;

impl Operation for Coarsen {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Make facets larger";
    const HELP: &'static str = "Fewer facets: points go where the surface stays within the tolerance; open edges and the \
                                lines between named boundaries stay.";

    fn title(&self) -> Sentence {
        say!["Fewer facets within ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "tolerance",
            "Tolerance of larger facets",
            Quantity::Length,
            "how far points that go may be from the surface",
        )];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(Coarsen { tolerance: seen.part(0.0002) })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let topology = Topology::of(&body.mesh, at.watch)?;
        let mut held = vec![false; body.mesh.points.len()];
        let shared = topology.overshared.iter().flat_map(|e| e.ends);
        shared.chain(topology.pinched.iter().copied()).for_each(|p| held[p as usize] = true);
        let before = body.mesh.triangles.len();
        let longest = body.mesh.bounds().diagonal() * LARGEST_FACET;
        let fewer = coarsen(&body.mesh, &body.named_alike(), held, self.tolerance, longest, at.watch)?.ok_or(
            "Facets of this surface cross, or would; cut its crossings first, or choose a smaller tolerance.",
        )?;
        if fewer.mesh.triangles.len() == before {
            let within = length(self.tolerance);
            return Err(say!["Fewer facets would take the surface further than ", within, "."].into());
        }
        body.follow(fewer);
        body.drop_empty_boundaries();
        let (now, before) = (count(body.mesh.triangles.len()), count(before));
        let fewer = format!("{now} facets where there were {before}; no point that went is further than ");
        Ok(say![fewer, length(self.tolerance), " from the surface."].into())
    }
}
