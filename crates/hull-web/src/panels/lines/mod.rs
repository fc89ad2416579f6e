//! Lines in space: what they are, their names, and a design file of them.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, counted};
use crate::writing;
use askama::Template;
use hull_store::bodies::Revision;
use hull_store::ids::JobId;
use hull_store::work::Written;
use hull_workshop::edges::name_of;
use hull_workshop::survey::lines::{Bundle, Wireframe, bundles};

pub const PANEL: Panel = Panel { id: "lines", tab, render };

#[derive(Template)]
#[template(path = "panels/lines/panel.html")]
struct Lines<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    of: &'a Wireframe,
    /// What stands under each name: lines of each kind, in words.
    of_bundle: Vec<String>,
    /// Name, length and middle of the longest.
    longest: Vec<(&'a str, f64, [f64; 3])>,
    /// The design file that was last written of what is shown, with its job.
    written: Option<(JobId, Written)>,
}

impl Lines<'_> {
    /// What stands under the name at a place of the list.
    fn words(&self, at: &usize) -> &str {
        self.of_bundle.get(*at).map_or("", String::as_str)
    }
}

fn tab(cx: &Ctx) -> Option<Tab> {
    Some(Tab { title: "Lines", count: Some(cx.lines()) }).filter(|_| cx.lines() > 0)
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let of = &shown.survey.lines;
    let longest = of.longest.iter().map(|e| (name_of(&shown.facts.edge_names, e), e.length, e.at)).collect();
    let body = cx.store.load(shown)?;
    let words = |b: Bundle| b.kinds.iter().map(|(kind, n)| counted(*n, kind.name())).collect::<Vec<_>>().join(", ");
    let of_bundle = body.wires().map_or(Vec::new(), |w| bundles(w).into_iter().map(words).collect());
    let written = writing::last_of(cx.store, cx.body.id, shown.id)?;
    Ok(Lines { cx, shown, of, of_bundle, longest, written }.render()?)
}
