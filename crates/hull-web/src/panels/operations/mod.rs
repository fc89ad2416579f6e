//! Every operation there is for what the body holds, whether a requirement asks for it or not.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::remedies::all_forms;
use askama::Template;
use hull_workshop::steps::{OPERATIONS, Touches};

pub const PANEL: Panel = Panel { id: "operations", tab: |_| always("Operations"), render };

/// Operations that belong together, in the order of work.
struct Group {
    title: &'static str,
    forms: Vec<String>,
}

#[derive(Template)]
#[template(path = "panels/operations/panel.html")]
struct Operations {
    groups: Vec<Group>,
}

const GROUPS: [(&str, &[Touches]); 5] = [
    ("Size and place", &[Touches::Motion]),
    ("Surface", &[Touches::Facets]),
    ("Exact geometry", &[Touches::Exact]),
    ("Frame", &[Touches::Members]),
    ("Names", &[Touches::Names]),
];

/// They have a place of their own, in a row of the sheet or in a panel.
const ELSEWHERE: &[&str] = &[
    "set_unit",
    "set_size",
    "waive",
    "unwaive",
    "name_boundary",
    "set_role",
    "drop_boundary",
    "name_edge",
    "drop_datum",
];

fn render(cx: &Ctx) -> PageResult<String> {
    let mut groups = Vec::new();
    for (title, touches) in GROUPS {
        let of = |o: &&hull_workshop::steps::About| touches.contains(&o.touches) && !ELSEWHERE.contains(&o.id);
        let ids: Vec<&str> = OPERATIONS.iter().filter(of).map(|o| o.id).collect();
        let forms = all_forms(cx, &ids)?;
        if !forms.is_empty() {
            groups.push(Group { title, forms });
        }
    }
    Ok(Operations { groups }.render()?)
}
