//! The figures of a state.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::leaking;
use crate::remedies::all_forms;
use crate::show::{count, four_digits};
use askama::Template;
use hull_flow::leaks::length;
use hull_flow::tightness::Tightness;
use hull_store::bodies::Revision;
use hull_store::ids::JobId;

pub const PANEL: Panel = Panel { id: "figures", tab: |_| always("Figures"), render };

#[derive(Template)]
#[template(path = "panels/figures/panel.html")]
struct Figures<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    /// What takes the tolerant reading.
    forms: Vec<String>,
    /// The search for leaks that was run last.
    leaks: Option<(JobId, Tightness)>,
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let leaks = leaking::last_of(cx.store, cx.body.id, shown.id)?.map(|(job, searched)| (job, searched.found));
    Ok(Figures { cx, shown, forms: all_forms(cx, &["read_tolerantly"])?, leaks }.render()?)
}
