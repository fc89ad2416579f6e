//! A role for each boundary that has none.

use super::Remedy;
use crate::context::Ctx;
use crate::error::PageResult;
use askama::Template;
use hull_workshop::Role;

#[derive(Template)]
#[template(path = "remedies/set_role/form.html")]
struct Form<'a> {
    names: Vec<&'a str>,
    roles: [Role; 7],
    steps: String,
}

/// A line for each.
pub(super) fn draw(cx: &Ctx, _: &Remedy) -> PageResult<Option<String>> {
    let boundaries = &cx.seen().facts.boundaries;
    let names: Vec<&str> = boundaries.iter().filter(|b| b.role.is_none()).map(|b| b.name.as_str()).collect();
    if names.is_empty() {
        return Ok(None);
    }
    Ok(Some(Form { names, roles: Role::ALL, steps: cx.post("steps") }.render()?))
}
