//! The figures of a state.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, four_digits};
use askama::Template;
use hull_store::bodies::Revision;

pub const PANEL: Panel = Panel { id: "figures", tab: |_| always("Figures"), render };

#[derive(Template)]
#[template(path = "panels/figures/panel.html")]
struct Figures<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
}

fn render(cx: &Ctx) -> PageResult<String> {
    Ok(Figures { cx, shown: cx.shown() }.render()?)
}
