//! The units a file may be in, the likeliest first, each with its reasons.

use super::Remedy;
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::four_digits;
use askama::Template;
use hull_workshop::size::{Candidate, candidates};

#[derive(Template)]
#[template(path = "remedies/set_unit/form.html")]
struct Form {
    declared: Option<String>,
    /// Whether the declared unit is still to be decided on.
    in_doubt: bool,
    candidates: Vec<Candidate>,
    steps: String,
}

/// A table with a button for each unit.
pub(super) fn draw(cx: &Ctx, _: &Remedy) -> PageResult<Option<String>> {
    let facts = cx.seen().facts;
    let (size, diameters) = cx.sizes_in_file()?;
    let form = Form {
        declared: facts.declared_unit().or(cx.seen().survey.lines.declared.as_ref()).map(|u| u.name.clone()),
        in_doubt: facts.scale.is_none(),
        candidates: candidates(size, &cx.destination, &cx.sizes_of_others(), &diameters),
        steps: cx.post("steps"),
    };
    Ok(Some(form.render()?))
}
