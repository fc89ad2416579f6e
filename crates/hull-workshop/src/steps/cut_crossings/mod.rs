//! Facets cut along their crossings.

use crate::Body;
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::{At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};
use hull_geometry::{Watch, measure};
use hull_solids::combine::{CombineError, resolve};
use serde::{Deserialize, Serialize};

/// Cuts facets along their crossings and keeps what the surface winds around: shells that run through each other become
/// one, folds go.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CutCrossings {}

impl Operation for CutCrossings {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Cut crossings";
    const HELP: &'static str = "Facets are cut along their crossings and what the surface winds around is kept: parts \
                                that run through each other become one, folds go, what only touches is taken apart by a \
                                millionth of the size. The surface must be closed.";

    fn title(&self) -> Sentence {
        "Cut crossings".into()
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let (f, c) = (&seen.survey.topology, &seen.survey.crossings);
        if f.open_edges > 0 {
            return None;
        }
        let found: Vec<String> = [
            (
                c.self_intersections.unwrap_or(0),
                "pair of facets that run through each other",
                "pairs of facets that run through each other",
            ),
            (c.coplanar_overlaps.unwrap_or(0), "pair of overlapping facets", "pairs of overlapping facets"),
            (f.overshared_edges, "non-manifold edge", "non-manifold edges"),
            (f.pinched_points, "point in which parts only touch", "points in which parts only touch"),
        ]
        .into_iter()
        .filter(|x| x.0 > 0)
        .map(|(n, one, many)| format!("{} {}", count(n), if n == 1 { one } else { many }))
        .collect();
        if found.is_empty() {
            return Proposal::possible(CutCrossings {});
        }
        Proposal::because(CutCrossings {}, format!("{}.", found.join(", ")))
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        Ok(cut(body, at.watch)?.into())
    }
}

/// Cuts and keeps what the surface winds around; says how many pairs met.
pub(super) fn cut(body: &mut Body, watch: &Watch) -> Result<String, Refusal> {
    if measure::mass(&body.mesh, &body.mesh.bounds()).volume < 0.0 {
        return Err(
            "The surface faces inward as a whole, so that nearly all of it would be cut away; turn its facets \
                    outward first."
                .into(),
        );
    }
    let done = resolve(&body.mesh, watch).map_err(|e| match e {
        CombineError::Cancelled(c) => Refusal::Cancelled(c),
        other => other.to_string().into(),
    })?;
    let before = body.mesh.triangles.len();
    body.take_rebuilt(done.rebuilt);
    body.drop_empty_boundaries();
    Ok(format!(
        "Cut along their crossings: {}; {} became {}.",
        counted(done.meetings, "facet pair"),
        counted(before, "facet"),
        count(body.mesh.triangles.len())
    ))
}
