//! The steps of a body in order, each with what it changed.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, four_digits};
use askama::Template;
use hull_store::bodies::LogEntry;
use hull_workshop::{Step, svg};

pub const PANEL: Panel = Panel { id: "logbook", tab: |_| always("Logbook"), render };

/// A state as the page lists it.
pub(super) struct Line<'a> {
    pub entry: &'a LogEntry,
    pub number: usize,
    pub title: String,
    pub here: bool,
    pub ahead: bool,
}

#[derive(Template)]
#[template(path = "panels/logbook/panel.html")]
struct Logbook<'a> {
    cx: &'a Ctx<'a>,
    log: Vec<Line<'a>>,
    aside: Vec<Line<'a>>,
}

/// The states of the present line, in order.
pub(super) fn lines<'a>(cx: &'a Ctx) -> Vec<Line<'a>> {
    let at = cx.at();
    let line =
        |(number, entry): (usize, &'a LogEntry)| Line { here: number == at, ahead: number > at, ..one(number, entry) };
    cx.line.iter().enumerate().map(line).collect()
}

fn one(number: usize, entry: &LogEntry) -> Line<'_> {
    let title = entry.step.as_ref().map_or("As received".into(), |s| s.title().text(entry.unit));
    Line { entry, number, title, here: false, ahead: false }
}

/// A step's parameters as people may read them.
fn parameters(step: &Step) -> String {
    serde_json::to_string(step).unwrap_or_default()
}

/// What a best fit left before each round, as a curve.
fn convergence(cx: &Ctx, rounds: &[f64]) -> String {
    let points: Vec<[f64; 2]> = rounds.iter().enumerate().map(|(k, rms)| [(k + 1) as f64, *rms]).collect();
    svg::curve(&points, "round", &format!("root mean square, {}", cx.length_unit().symbol()))
}

fn render(cx: &Ctx) -> PageResult<String> {
    let aside = cx.log.iter().filter(|r| !cx.line.iter().any(|l| l.id == r.id)).map(|r| one(0, r)).collect();
    Ok(Logbook { cx, log: lines(cx), aside }.render()?)
}
