//! Fitted shapes, and what brings the body to its place.

use super::{Panel, Tab};
use crate::context::{Ctx, Sibling};
use crate::error::PageResult;
use crate::lengths::{self, Marked};
use crate::remedies::all_forms;
use crate::show::{count, fixed};
use askama::Template;
use hull_store::bodies::Revision;
use hull_workshop::datums::Datum;

pub const PANEL: Panel = Panel { id: "datums", tab, render };

/// What is offered, in the order of work.
const FITTING: &[&str] = &["fit_shape"];
const PLACING: &[&str] = &[
    "align_datums",
    "align_points",
    "align_pairs",
    "align_body",
    "move_turn",
    "place",
    "orient",
    "mirror",
    "scale_axes",
];

#[derive(Template)]
#[template(path = "panels/datums/panel.html")]
struct Datums<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    others: Vec<&'a Sibling>,
    fitting: Vec<String>,
    placing: Vec<String>,
}

impl Datums<'_> {
    fn sizes(&self, datum: &Datum) -> Marked {
        lengths::sentence(&datum.sizes(), self.cx.length_unit())
    }
}

fn tab(cx: &Ctx) -> Option<Tab> {
    let datums = cx.shown().facts.datums.len();
    Some(Tab { title: "Place", count: Some(datums).filter(|n| *n > 0) })
}

fn render(cx: &Ctx) -> PageResult<String> {
    let (fitting, placing) = (all_forms(cx, FITTING)?, all_forms(cx, PLACING)?);
    Ok(Datums { cx, shown: cx.shown(), others: cx.others().collect(), fitting, placing }.render()?)
}
