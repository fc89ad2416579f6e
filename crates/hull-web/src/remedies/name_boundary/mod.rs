//! Naming what is picked in the view.

use super::Remedy;
use crate::context::Ctx;
use crate::error::PageResult;
use crate::form::{Fields, text};
use askama::Template;
use hull_workshop::Role;
use hull_workshop::sentence::Sentence;

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

/// What was typed; a body that is chosen and a distance become the pick by what faces it.
pub(super) fn read(fields: &Fields) -> Result<Fields, Sentence> {
    let (facing, within) = (text(fields, "facing"), text(fields, "within"));
    if facing.is_empty() {
        return Ok(fields.clone());
    }
    let mut typed = fields.clone();
    typed.retain(|(name, _)| name != "facing" && name != "within");
    typed.push(("pick".into(), format!("facing:{facing}@{within}")));
    Ok(typed)
}
