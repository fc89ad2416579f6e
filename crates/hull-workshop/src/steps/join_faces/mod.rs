//! Loose exact faces joined on their edges.

use crate::Body;
use crate::body::Scale;
use crate::exact::{Exact, kept, renew};
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::join::join;
use hull_exact::join_report::JoinReport;
use hull_geometry::Cancelled;
use serde::{Deserialize, Serialize};

/// Joins loose exact faces on their edges.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct JoinFaces {
    /// The widest gap between edges that become one.
    pub tolerance: f64,
}

impl Operation for JoinFaces {
    const NEEDS: Kinds = Kinds::Exact;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Join faces";
    const HELP: &'static str = "Joins loose exact faces on their edges; the geometry stays exact.";

    fn title(&self) -> Sentence {
        say!["Join faces at ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "tolerance",
            "Joining tolerance of faces",
            Quantity::Length,
            "the widest gap between edges that become one",
        )];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let exact = seen.facts.exact.as_ref()?;
        let tolerance = exact.join.proposal? * seen.facts.scale.map_or(1.0, Scale::millimetres);
        let found = format!(
            "{}, {}. Joining on the exact edges at ",
            counted(exact.figures.faces, "exact face"),
            counted(exact.join.open_before, "open exact edge"),
        );
        let sentence = say![found, length(tolerance), " keeps the geometry exact; the plot is under Exact."];
        Proposal::because(JoinFaces { tolerance }, sentence)
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (exact, facts) = kept(body).ok_or("The body has no exact geometry.")?;
        let scale = exact.placed.scale;
        let mut total = JoinReport::default();
        let model = exact.model.with_parts(|part| {
            let (shape, r) = join(&part.shape, self.tolerance / scale, at.watch)?;
            total.open_before += r.open_before;
            total.open_after += r.open_after;
            total.edges_joined += r.edges_joined;
            total.edges_split += r.edges_split;
            total.faces_turned += r.faces_turned;
            total.solids += r.solids;
            total.cavities += r.cavities;
            total.largest_gap = total.largest_gap.max(r.largest_gap);
            Ok::<_, Cancelled>(hull_exact::model::Part { shape, ..part.clone() })
        })?;
        let gap = total.largest_gap * scale;
        // Joining keeps the faces and their order.
        renew(body, Exact { model, ..exact }, facts, Some, at.watch)?;
        Ok(Report { sentence: said(&total, gap), largest_move: gap })
    }
}

fn said(total: &JoinReport, gap: f64) -> Sentence {
    say![
        format!(
            "{} of {} joined in pairs, {} split where another one ends, {} turned; the widest gap bridged is ",
            count(total.open_before.saturating_sub(total.open_after)),
            counted(total.open_before, "open edge"),
            count(total.edges_split),
            counted(total.faces_turned, "face"),
        ),
        length(gap),
        format!(
            "; {}, {}, {} still open.",
            counted(total.solids, "solid"),
            counted(total.cavities, "cavity"),
            count(total.open_after)
        ),
    ]
}
