//! Every place that the survey found, to be visited.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use askama::Template;
use hull_workshop::survey::Finding;

pub const PANEL: Panel = Panel { id: "findings", tab, render };

#[derive(Template)]
#[template(path = "panels/findings/panel.html")]
struct Findings<'a> {
    cx: &'a Ctx<'a>,
    findings: &'a [Finding],
}

fn tab(cx: &Ctx) -> Option<Tab> {
    Some(Tab { title: "Findings", count: Some(cx.shown().survey.findings.len()) })
}

fn render(cx: &Ctx) -> PageResult<String> {
    Ok(Findings { cx, findings: &cx.shown().survey.findings }.render()?)
}
