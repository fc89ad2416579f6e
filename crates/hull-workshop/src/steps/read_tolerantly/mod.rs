//! The facets read tolerantly.

use crate::Body;
use crate::numbers::count;
use crate::readings::{Forgiven, read_tolerantly, usual_tolerance};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use serde::{Deserialize, Serialize};

/// Reads facets tolerantly: what is no facet is left out, points that rounding pulled apart are joined, neighbours agree.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ReadTolerantly {
    /// Points of open edges this near to each other are one.
    pub tolerance: f64,
}

impl Operation for ReadTolerantly {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Read tolerantly";
    const HELP: &'static str = "Forgives what writing a file blurs: facets without area and duplicates are left out, points \
                                of open edges that rounding pulled apart are joined, facets are turned so that neighbours \
                                agree and shells face outward. Says what it forgave.";

    fn title(&self) -> Sentence {
        say!["Read tolerantly, within ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "tolerance",
            "Joining within",
            Quantity::Length,
            "what rounding can pull apart, no gap that is meant",
        )];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let tolerance = usual_tolerance(&seen.survey.size.bbox);
        if tolerance > 0.0 { Proposal::possible(ReadTolerantly { tolerance }) } else { None }
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let forgiven = read_tolerantly(body, self.tolerance, at.watch)?;
        if forgiven.within < self.tolerance {
            let few =
                "So many open edges lie this near to each other that comparing them would take very long; join within ";
            return Err(say![few, length(forgiven.within), " or less."].into());
        }
        if body.mesh.triangles.is_empty() {
            return Err("No facet would be left: none of them has an area.".into());
        }
        Ok(Report { sentence: said(&forgiven), largest_move: forgiven.largest_move })
    }
}

fn said(forgiven: &Forgiven) -> Sentence {
    if forgiven.is_nothing() {
        return "Nothing had to be forgiven: both readings are the same.".into();
    }
    let lines: Vec<String> = forgiven.lines().into_iter().map(|(what, n)| format!("{what} {}", count(n))).collect();
    let forgave = format!("Forgave: {}", lines.join(", "));
    if forgiven.largest_move > 0.0 {
        return say![forgave, "; no point moved further than ", length(forgiven.largest_move), "."];
    }
    format!("{forgave}.").into()
}
