//! How far a state is from another; the distance itself is measured by a request of its own.

use super::logbook::{Line, lines};
use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use askama::Template;
use hull_store::bodies::Revision;
use hull_store::ids::RevisionId;

pub const PANEL: Panel = Panel { id: "moved", tab: |_| always("Deviation"), render };

#[derive(Template)]
#[template(path = "panels/moved/panel.html")]
struct TwoSidedDeviation<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    lines: Vec<Line<'a>>,
    row: &'a str,
    /// The state that is compared with.
    compared: RevisionId,
}

fn render(cx: &Ctx) -> PageResult<String> {
    // What people want to know is how far all of the work has moved the surface.
    let usual = if cx.is_preview() { cx.now.id } else { cx.received() };
    let compared = cx.place.from.filter(|f| cx.line.iter().any(|l| l.id == *f)).unwrap_or(usual);
    let row = cx.open.as_ref().map_or("", |r| r.id.as_str());
    Ok(TwoSidedDeviation { cx, shown: cx.shown(), lines: lines(cx), row, compared }.render()?)
}
