//! Fewer, larger facets.

use crate::Body;
use crate::numbers::count;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::coarsen::coarsen;
use hull_geometry::deviation::two_sided;
use hull_geometry::topology::Topology;
use hull_geometry::{PointId, Rebuilt, Watch};
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiSlice, ti_vec};

/// Makes facets larger where the surface stays within `tolerance`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Coarsen {
    /// How far either surface may be from the other.
    pub tolerance: f64,
}

/// Tolerances that are tried, each stricter, until what is asked for holds everywhere.
const TRIES: usize = 6;
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
            "how far either surface may be from the other, anywhere",
        )];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(Coarsen { tolerance: seen.part(0.0002) })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let topology = Topology::of(&body.mesh, at.watch)?;
        let mut held = ti_vec![false; body.mesh.points.len()];
        let shared = topology.overshared.iter().flat_map(|e| e.ends);
        shared.chain(topology.pinched.iter().copied()).for_each(|p| held[p] = true);
        let before = body.mesh.triangles.len();
        let longest = body.mesh.bounds().diagonal() * LARGEST_FACET;
        let fewer = self.within(body, &held, longest, at.watch)?;
        if fewer.mesh.triangles.len() == before {
            let within = length(self.tolerance);
            return Err(say!["Fewer facets would take the surface further than ", within, "."].into());
        }
        body.take_rebuilt(fewer);
        body.drop_empty_boundaries();
        let (now, before) = (count(body.mesh.triangles.len()), count(before));
        let fewer = format!("{now} facets where there were {before}; neither surface is anywhere further than ");
        Ok(say![fewer, length(self.tolerance), " from the other."].into())
    }
}

impl Coarsen {
    /// Fewer facets, none of which is further from the old surface than the tolerance, nor the other way: what is held
    /// while they are made are distances of points, so that a stricter one is tried where that was not enough.
    fn within(
        &self,
        body: &Body,
        held: &TiSlice<PointId, bool>,
        longest: f64,
        watch: &Watch,
    ) -> Result<Rebuilt, Refusal> {
        let alike = body.named_alike();
        let mut tolerance = self.tolerance;
        for _ in 0..TRIES {
            let fewer = coarsen(&body.mesh, &alike, held.to_owned(), tolerance, longest, watch)?.ok_or(
                "Facets of this surface cross, or would; cut its crossings first, or choose a smaller tolerance.",
            )?;
            let off = two_sided(&body.mesh, &fewer.mesh, watch)?.map_or(0.0, |m| m.bound());
            if off <= self.tolerance * (1.0 + 1e-6) {
                return Ok(fewer);
            }
            tolerance *= 0.9 * self.tolerance / off;
        }
        Err(say!["No way was found to stay within ", length(self.tolerance), " everywhere; choose a larger tolerance."]
            .into())
    }
}
