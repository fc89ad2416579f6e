//! What stands in an open row of the sheet: words of the measure, evidence of its own where it has some, remedies, places.

mod doubles;
mod open_edges;

use crate::context::Ctx;
use crate::error::PageResult;
use crate::lengths::{self, Marked};
use crate::remedies;
use crate::show::has;
use askama::Template;
use hull_workshop::survey::Measure;
use hull_workshop::{Row, Verdict};

/// Measures with evidence that words do not say: a drawing or a table, or nothing where there is nothing to show.
type Drawn = fn(&Ctx) -> PageResult<Option<String>>;
const OWN: &[(&str, Drawn)] = &[("open_edges", open_edges::draw), ("doubles", doubles::draw)];

#[derive(Template)]
#[template(path = "evidence/evidence.html")]
struct Evidence<'a> {
    cx: &'a Ctx<'a>,
    r: &'a Row,
    /// Whether a surface is asked for and there is none.
    no_surface: bool,
    words: Vec<Marked>,
    own: Option<String>,
    remedies: Vec<String>,
    /// The findings behind the row, by their numbers in the whole list.
    places: Vec<usize>,
}

/// The evidence of the open row.
///
/// # Errors
/// If it cannot be drawn.
pub fn draw(cx: &Ctx) -> PageResult<Option<String>> {
    let Some(r) = &cx.open else { return Ok(None) };
    let measure = r.measure;
    let no_surface = cx.instead_of_surface().is_some() && measure.of_facets;
    let own = OWN.iter().find(|o| o.0 == measure.key);
    let unit = cx.now.facts.length_unit();
    let evidence = Evidence {
        cx,
        r,
        no_surface,
        words: (measure.words)(&cx.seen()).iter().map(|s| lengths::sentence(s, unit)).collect(),
        own: own.map_or(Ok(None), |o| (o.1)(cx))?,
        remedies: if no_surface { Vec::new() } else { remedies::forms(cx, measure.remedies)? },
        places: places(cx, measure),
    };
    Ok(Some(evidence.render()?))
}

fn places(cx: &Ctx, measure: Measure) -> Vec<usize> {
    let of = |kind: &str| measure.kinds.iter().any(|k| k.id == kind);
    let findings = cx.shown().survey.findings.iter().enumerate();
    findings.filter(|(_, f)| of(f.kind.id())).map(|(i, _)| i).collect()
}
