//! The figures of a state.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::remedies::all_forms;
use crate::show::{count, four_digits};
use askama::Template;
use hull_store::bodies::Revision;

pub const PANEL: Panel = Panel { id: "figures", tab: |_| always("Figures"), render };

#[derive(Template)]
#[template(path = "panels/figures/panel.html")]
struct Figures<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    /// What takes the tolerant reading.
    forms: Vec<String>,
}

fn render(cx: &Ctx) -> PageResult<String> {
    Ok(Figures { cx, shown: cx.shown(), forms: all_forms(cx, &["read_tolerantly"])? }.render()?)
}
