//! Named boundaries with their roles.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{Whole, count, fixed};
use askama::Template;
use hull_store::bodies::Revision;
use hull_workshop::Role;

pub const PANEL: Panel = Panel { id: "boundaries", tab: |_| always("Boundaries"), render };

#[derive(Template)]
#[template(path = "panels/boundaries/panel.html")]
struct Boundaries<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
}

impl Boundaries<'_> {
    fn has_role(&self, boundary: &str, role: &Role) -> bool {
        self.shown.facts.boundaries.iter().any(|b| b.name == boundary && b.role == Some(*role))
    }

    fn lacks_role(&self, boundary: &str) -> bool {
        self.shown.facts.boundaries.iter().any(|b| b.name == boundary && b.role.is_none())
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
    Ok(Boundaries { cx, shown: cx.shown() }.render()?)
}
