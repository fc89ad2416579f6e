//! Naming what is picked in the view.

use super::Remedy;
use crate::context::Ctx;
use crate::error::PageResult;
use askama::Template;
use hull_workshop::Role;

#[derive(Template)]
#[template(path = "remedies/name_boundary/form.html")]
struct Form {
    roles: [Role; 7],
    steps: String,
}

/// Angle, picks, name and role.
pub(super) fn draw(cx: &Ctx, _: &Remedy) -> PageResult<Option<String>> {
    Ok(Some(Form { roles: Role::ALL, steps: cx.post("steps") }.render()?))
}
