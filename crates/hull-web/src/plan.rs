//! The repair that was proposed for the state a body is at, ready to draw.

use crate::remedies::{Shown, shown_of};
use hull_store::Store;
use hull_store::bodies::BodyRow;
use hull_store::work::{Kind, Outcome, Proposed, State};
use hull_workshop::body::Facts;

/// A proposed repair, ready to draw.
pub struct Plan {
    pub lines: Vec<PlanLine>,
    /// What would be left; empty if the surface would be clean.
    pub left: Vec<String>,
    pub clean_before: bool,
}

pub struct PlanLine {
    pub title: String,
    /// Where a preview of it is asked for.
    pub preview: String,
    /// Its values, to be changed before it is run.
    pub fields: Vec<Shown>,
    pub sentence: String,
    /// “open edges 35 → 0”.
    pub effects: Vec<String>,
    pub moved: Option<f64>,
}

/// The repair that was proposed last, if it was for the state a body is at.
pub fn proposed(store: &Store, body: &BodyRow) -> hull_store::Result<Option<Proposed>> {
    Ok(match store.last_done(body.id, Kind::Propose)?.map(|j| j.state) {
        Some(State::Done(Outcome::Proposed(p))) if Some(p.on) == body.head => Some(*p),
        _ => None,
    })
}

/// The repair that was proposed for the state a body is at, and what stopped the last one that was run.
pub fn plan(store: &Store, body: &BodyRow, facts: &Facts) -> hull_store::Result<(Option<Plan>, Option<String>)> {
    let stopped = match store.last_done(body.id, Kind::Repair)?.map(|j| j.state) {
        Some(State::Done(Outcome::Repaired(repaired))) => repaired.stopped,
        _ => None,
    };
    let Some(proposed) = proposed(store, body)? else { return Ok((None, stopped)) };
    let Proposed { steps, before, after, .. } = proposed;
    let left = after.named().iter().filter(|n| n.1 > 0).map(|(what, n)| format!("{n} {what}")).collect();
    let lines = steps
        .into_iter()
        .enumerate()
        .map(|(place, p)| PlanLine {
            preview: format!("repairs/preview/{place}"),
            fields: shown_of(&p.step),
            title: p.step.title().text(facts.length_unit()),
            effects: p.after.change_from(&p.before),
            moved: p.change.moved.as_ref().map(|m| m.largest()),
            sentence: p.change.sentence,
        })
        .collect();
    Ok((Some(Plan { lines, left, clean_before: before.is_clean() }), None))
}
