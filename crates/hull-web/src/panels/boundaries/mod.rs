//! Named boundaries with their roles.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{Whole, count, fixed, has};
use askama::Template;
use hull_store::bodies::Revision;
use hull_workshop::Role;
use hull_workshop::survey::names::BoundaryFigures;
use std::collections::HashMap;

/// Rows of the table.
const MOST: usize = 400;

pub const PANEL: Panel = Panel { id: "boundaries", tab: |_| always("Boundaries"), render };

#[derive(Template)]
#[template(path = "panels/boundaries/panel.html")]
struct Boundaries<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    roles: HashMap<&'a str, Option<Role>>,
}

impl Boundaries<'_> {
    fn has_role(&self, boundary: &str, role: &Role) -> bool {
        self.roles.get(boundary) == Some(&Some(*role))
    }

    fn lacks_role(&self, boundary: &str) -> bool {
        self.roles.get(boundary) == Some(&None)
    }

    /// Those that are listed: a file may name more than anybody reads.
    fn listed(&self) -> &[BoundaryFigures] {
        let all = &self.shown.survey.names.boundaries;
        &all[..all.len().min(MOST)]
    }

    fn not_listed(&self) -> usize {
        self.shown.survey.names.boundaries.len().saturating_sub(MOST)
    }

    fn letter(&self, i: impl Whole) -> String {
        letter(i.whole())
    }
}

/// A, B, … Z, AA, AB, …
fn letter(i: usize) -> String {
    let last = char::from(b'A' + (i % 26) as u8);
    if i < 26 { last.to_string() } else { format!("{}{last}", letter(i / 26 - 1)) }
}

fn roles() -> [Role; 7] {
    Role::ALL
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let roles = shown.facts.boundaries.iter().map(|b| (b.name.as_str(), b.role)).collect();
    Ok(Boundaries { cx, shown, roles }.render()?)
}
