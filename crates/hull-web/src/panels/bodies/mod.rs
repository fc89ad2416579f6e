//! New bodies from this one and others.

use super::{Panel, always};
use crate::context::{Ctx, Sibling};
use crate::error::PageResult;
use crate::show::{count, counted, fixed, four_digits, has};
use askama::Template;
use hull_store::bodies::Revision;

pub const PANEL: Panel = Panel { id: "bodies", tab: |_| always("Bodies"), render };

#[derive(Template)]
#[template(path = "panels/bodies/panel.html")]
struct Bodies<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    others: Vec<&'a Sibling>,
    colours: usize,
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let mut colours: Vec<_> = shown.facts.labels.iter().filter_map(|l| l.material.as_ref()).collect();
    colours.sort_unstable();
    colours.dedup();
    Ok(Bodies { cx, shown, others: cx.others().collect(), colours: colours.len() }.render()?)
}
