//! Kept measures: what they are now, what is asked of them.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::lengths::Marked;
use crate::remedies::all_forms;
use askama::Template;
use hull_workshop::measures::NamedMeasure;
use hull_workshop::survey::measures::Now;

pub const PANEL: Panel = Panel { id: "measures", tab, render };

#[derive(Template)]
#[template(path = "panels/measures/panel.html")]
struct Measures<'a> {
    cx: &'a Ctx<'a>,
    kept: &'a [NamedMeasure],
    forms: Vec<String>,
    /// Other bodies of the project whose distance from this one is known.
    beside: Vec<&'a str>,
}

impl Measures<'_> {
    fn now(&self, m: &NamedMeasure) -> Option<&Now> {
        self.cx.shown().survey.measures.of(&m.name)
    }

    fn value(&self, m: &NamedMeasure) -> Option<Marked> {
        self.now(m)?.value.map(|x| self.cx.said(&m.what.said(x)))
    }

    fn limit(&self, m: &NamedMeasure, x: &Option<f64>) -> Option<Marked> {
        x.map(|x| self.cx.said(&m.what.said(x)))
    }

    /// Its verdict in a word, and the class of it.
    fn verdict(&self, m: &NamedMeasure) -> (String, &'static str) {
        match self.now(m).map(|n| n.value) {
            None => ("pending".into(), "pending"),
            Some(None) => (m.why_not(), "not-met"),
            Some(Some(_)) if !m.is_asked() => ("for information".into(), "information"),
            Some(Some(x)) if m.is_met(x) => ("met".into(), "met"),
            Some(Some(_)) => ("not met".into(), "not-met"),
        }
    }
}

fn tab(cx: &Ctx) -> Option<Tab> {
    let kept = cx.shown().facts.measures.len();
    Some(Tab { title: "Measures", count: Some(kept).filter(|n| *n > 0) })
}

fn render(cx: &Ctx) -> PageResult<String> {
    let forms = all_forms(cx, &["keep_measure"])?;
    Ok(Measures { cx, kept: &cx.shown().facts.measures, forms, beside: cx.neighbours() }.render()?)
}
