//! What would go of facets that lie on others, by name.

use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, short};
use askama::Template;
use hull_workshop::survey::Seen;

#[derive(Template)]
#[template(path = "evidence/doubles/table.html")]
struct Table<'a> {
    doubles_of: &'a [(String, Seen)],
    unit: &'static str,
}

/// A line for each name, where there are several.
pub(super) fn draw(cx: &Ctx) -> PageResult<Option<String>> {
    let seen = cx.seen();
    let doubles_of = &seen.survey.doubles.doubles_of;
    if doubles_of.is_empty() || seen.facts.labels.len() < 2 {
        return Ok(None);
    }
    Ok(Some(Table { doubles_of, unit: cx.unit() }.render()?))
}
