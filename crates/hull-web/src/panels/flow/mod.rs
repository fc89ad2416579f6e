//! The trial of the flow: what is asked, what was found, and the main way as a drawing.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::four_digits;
use crate::trying;
use askama::Template;
use hull_flow::first_layer::water;
use hull_geometry::Unit;
use hull_store::StoreError;
use hull_store::ids::{JobId, RevisionId};
use hull_store::work::Tried;
use hull_workshop::trial::{self, Scaled};

pub const PANEL: Panel = Panel { id: "flow", tab, render };

/// The trial that was run last.
struct Ran {
    job: JobId,
    tried: Tried,
    plot: String,
    scaled: Option<Scaled>,
    /// What speed and fluid that is for.
    at: String,
}

#[derive(Template)]
#[template(path = "panels/flow/panel.html")]
struct FlowPanel<'a> {
    cx: &'a Ctx<'a>,
    on: RevisionId,
    unit: &'static str,
    closed: bool,
    /// Whether it is flat: then edges are its openings.
    flat: bool,
    inlets: Vec<String>,
    outlets: Vec<String>,
    ran: Option<Ran>,
}

fn tab(cx: &Ctx) -> Option<Tab> {
    Some(Tab { title: "Flow", count: None }).filter(|_| cx.has_surface())
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let facts = &shown.facts;
    let unit = facts.length_unit().symbol();
    let ran = trying::last_of(cx.store, cx.body.id, shown.id)?;
    let ran = ran.map(|(job, tried)| -> PageResult<Ran> {
        let whole = serde_json::from_slice(&cx.store.blob(&tried.whole)?).map_err(StoreError::from)?;
        // The flow that the body is for, or a metre a second of water.
        let known = facts.flow.as_ref().map(|f| (f.asked.speed, f.asked.fluid, f.said.clone()));
        let usual = || water(20.0).map(|w| (1.0, w, "1 m/s of water at 20 °C".to_string()));
        let at = known.or_else(usual).filter(|_| facts.scale.is_some());
        let scaled = at.as_ref().map(|(speed, fluid, _)| trial::scaled(&tried.flow, Unit::Mm, *speed, *fluid));
        Ok(Ran { job, plot: trial::plot(&whole, unit), scaled, at: at.map_or(String::new(), |a| a.2), tried })
    });
    let (closed, bbox) = (shown.survey.topology.closed, shown.survey.size.bbox);
    let flat = !closed && bbox.size().into_iter().fold(f64::INFINITY, f64::min) <= 1e-9 * bbox.diagonal();
    let openings = if flat { trial::plane::openings(facts) } else { trial::openings(facts) };
    let with = |inlet| openings.iter().filter(|o| o.inlet == inlet).map(|o| o.name.clone()).collect::<Vec<_>>();
    Ok(FlowPanel {
        cx,
        on: shown.id,
        unit,
        closed,
        flat,
        inlets: with(true),
        outlets: with(false),
        ran: ran.transpose()?,
    }
    .render()?)
}
