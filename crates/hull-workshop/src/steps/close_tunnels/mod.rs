//! Tunnels cut open and closed.

use crate::Body;
use crate::numbers::counted;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::closing::follow_closed;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::holes::{self, FillingChoice, Hole};
use hull_geometry::topology::Topology;
use hull_geometry::{PointId, handles};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// Cuts tunnels open around loops of at most `up_to` and closes both ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CloseTunnels {
    /// The longest way around a tunnel that is closed.
    pub up_to: f64,
}

impl Operation for CloseTunnels {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Close tunnels";
    const HELP: &'static str = "Tunnels that are an error are cut open around and closed at both ends.";

    fn title(&self) -> Sentence {
        say!["Close tunnels up to ", length(self.up_to), " around"]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("up_to", "Length around", Quantity::Length, "the longest way around a tunnel that is closed")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        // Every pipe has one: nothing says that it is an error.
        let found = seen.survey.tunnels.handles;
        if found.size > 0.0 { Proposal::possible(CloseTunnels { up_to: seen.limit(found.size) }) } else { None }
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let topology = Topology::of(&body.mesh, at.watch)?;
        let mut loops = handles::loops(&body.mesh, &topology, at.watch)?;
        loops.retain(|l| l.length <= self.up_to);
        if loops.is_empty() {
            return Err(say!["No tunnel of a closed shell is ", length(self.up_to), " around or less."].into());
        }
        let before: HashSet<PointId> = topology.open.iter().map(|e| e.from).collect();
        let first = body.mesh.points.next_key();
        body.mesh = handles::cut_open(&body.mesh, &loops);
        // The two rims of each cut, and no other hole.
        let open = Topology::of(&body.mesh, at.watch)?.open;
        let ends: Vec<Hole> = holes::find_holes(&body.mesh, &open)
            .into_iter()
            .filter(|h| h.points.iter().all(|p| *p >= first || !before.contains(p)))
            .collect();
        let filled = holes::fill(&body.mesh, &ends, FillingChoice::Plain, at.watch)?;
        follow_closed(body, filled.rebuilt);
        Ok(format!("{} closed with {}.", counted(loops.len(), "tunnel"), counted(filled.hole_of.len(), "facet")).into())
    }
}
