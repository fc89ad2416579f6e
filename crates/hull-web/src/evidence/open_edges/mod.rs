//! The plot of what stitching does against tolerance.

use crate::context::Ctx;
use crate::error::PageResult;
use askama::Template;
use hull_geometry::plot::TolerancePlot;
use hull_workshop::numbers::{count, four_digits};

/// The plot of what stitching does against tolerance, in the coordinates of a 356 by 100 drawing.
struct Plot {
    /// SVG points of the three step lines: open edges left, joins refused as a facet would collapse, and as an edge
    /// would be shared by three.
    open: String,
    collapsing: String,
    overshared: String,
    top: String,
    middle: String,
    /// Where and what the labels of the tolerance axis are.
    ticks: Vec<(f64, String)>,
    proposal: Option<f64>,
}

#[derive(Template)]
#[template(path = "evidence/open_edges/plot.html")]
struct Drawing {
    p: Plot,
    unit: &'static str,
}

/// The plot, where stitching is what is proposed.
pub(super) fn draw(cx: &Ctx) -> PageResult<Option<String>> {
    let seen = cx.seen();
    let found = &seen.survey.gaps.plot;
    let joins_exact = seen.facts.exact.as_ref().is_some_and(|e| !e.facets_changed && e.join.proposal.is_some());
    if found.proposal.is_none() || joins_exact {
        return Ok(None);
    }
    plot(found).map(|p| Ok(Drawing { p, unit: cx.unit() }.render()?)).transpose()
}

const LEFT: f64 = 38.0;
const RIGHT: f64 = 350.0;
const TOP: f64 = 8.0;
const BOTTOM: f64 = 70.0;

fn plot(found: &TolerancePlot) -> Option<Plot> {
    let (first, last) = (found.trials.first()?, found.trials.last()?);
    let (low, high) = (first.tolerance.log10(), last.tolerance.log10());
    let x = |t: f64| LEFT + (t.log10() - low) / (high - low) * (RIGHT - LEFT);
    let most = found.trials.iter().map(|t| t.report.open_before).max().unwrap_or(1).max(1) as f64;
    let y = |n: usize| BOTTOM - n as f64 / most * (BOTTOM - TOP);
    let steps = |value: &dyn Fn(usize) -> usize| {
        let mut points = String::new();
        for (i, trial) in found.trials.iter().enumerate() {
            let before = value(i.saturating_sub(1));
            points +=
                &format!("{:.1},{:.1} {:.1},{:.1} ", x(trial.tolerance), y(before), x(trial.tolerance), y(value(i)));
        }
        points
    };
    let ticks = (low.ceil() as i32..=high.floor() as i32)
        .map(|power| (x(10f64.powi(power)), four_digits(10f64.powi(power))))
        // The unit stands at the end of the axis.
        .filter(|tick| tick.0 < RIGHT - 66.0)
        .collect();
    Some(Plot {
        open: steps(&|i| found.trials[i].report.open_after),
        collapsing: steps(&|i| found.trials[i].report.refused_collapse.min(most as usize)),
        overshared: steps(&|i| found.trials[i].report.refused_overshare.min(most as usize)),
        top: count(most as usize),
        middle: count((most / 2.0) as usize),
        ticks,
        proposal: found.proposal.map(|p| x(p.tolerance)),
    })
}
