//! Open edges closed within a tolerance.

use crate::Body;
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::stitch::{self, Rim};
use serde::{Deserialize, Serialize};

/// Joins points and edges of the rim that lie within a tolerance of each other.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Stitch {
    /// The widest gap that is closed.
    pub tolerance: f64,
}

impl Operation for Stitch {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Stitch";
    const HELP: &'static str = "Closes gaps between open edges within a tolerance.";

    fn title(&self) -> Sentence {
        say!["Stitch at ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("tolerance", "Tolerance", Quantity::Length, "the widest gap that is closed")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let f = &seen.survey.topology;
        let p = seen.survey.gaps.plot.proposal.as_ref()?;
        let found = format!("{}, {}. Stitching at ", counted(f.shells, "shell"), counted(f.open_edges, "open edge"));
        let closes = count(p.report.open_before.saturating_sub(p.report.open_after));
        let sentence = say![
            found,
            length(p.tolerance),
            format!(" closes {closes} of them, moves no point further than "),
            length(p.report.largest_move),
            ", loses no facet."
        ];
        Proposal::because(Stitch { tolerance: p.tolerance }, sentence)
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let widest = Rim::of(&body.mesh).affordable(self.tolerance);
        if widest < self.tolerance {
            return Err(say![
                "So many open edges lie within ",
                length(self.tolerance),
                " of each other that comparing them would take very long; the tolerance must be ",
                length(widest),
                " or less here."
            ]
            .into());
        }
        let done = stitch::stitch(&body.mesh, self.tolerance, at.watch)?;
        let r = done.report;
        body.take_rebuilt(done.rebuilt);
        let sentence = say![
            format!(
                "{} of {} closed; {} joined, {} put on a neighbour's edge; no point moved further than ",
                count(r.open_before.saturating_sub(r.open_after)),
                counted(r.open_before, "open edge"),
                counted(r.points_joined, "point"),
                count(r.edges_split),
            ),
            length(r.largest_move),
            "."
        ];
        Ok(Report { sentence, largest_move: r.largest_move })
    }
}
