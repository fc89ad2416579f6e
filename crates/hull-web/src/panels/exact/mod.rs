//! The exact geometry of a body.

mod view;

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, four_digits};
use crate::writing;
use askama::Template;
use hull_store::bodies::Revision;
use hull_store::ids::JobId;
use hull_store::work::Written;
use view::ExactView;

pub const PANEL: Panel = Panel { id: "exact", tab, render };

#[derive(Template)]
#[template(path = "panels/exact/panel.html")]
struct Exact<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    exact: Option<ExactView>,
    /// The design file that was last written of what is shown, with its job.
    written: Option<(JobId, Written)>,
}

fn tab(cx: &Ctx) -> Option<Tab> {
    cx.shown().facts.exact.as_ref().map(|_| Tab { title: "Exact", count: None })
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let written = writing::last_of(cx.store, cx.body.id, shown.id)?;
    Ok(Exact { cx, shown, exact: view::view(&shown.facts), written }.render()?)
}
