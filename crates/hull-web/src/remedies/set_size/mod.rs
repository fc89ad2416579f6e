//! A size from a distance that is measured in the view.

use super::Remedy;
use crate::context::Ctx;
use crate::error::PageResult;
use askama::Template;

#[derive(Template)]
#[template(path = "remedies/set_size/form.html")]
struct Form {
    steps: String,
}

/// Two fields, the first of which “Measure” fills in.
pub(super) fn draw(cx: &Ctx, _: &Remedy) -> PageResult<Option<String>> {
    Ok(Some(Form { steps: cx.post("steps") }.render()?))
}
