//! What would go of facets that lie on others, by name.

use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::count;
use askama::Template;
use hull_workshop::survey::Seen;

#[derive(Template)]
#[template(path = "evidence/doubles/table.html")]
struct Table<'a> {
    cx: &'a Ctx<'a>,
    doubles_of: &'a [(String, Seen)],
}

/// A line for each name, where there are several.
pub(super) fn draw(cx: &Ctx) -> PageResult<Option<String>> {
    let seen = cx.seen();
    let doubles_of = &seen.survey.doubles.doubles_of;
    if doubles_of.is_empty() || seen.facts.labels.len() < 2 {
        return Ok(None);
    }
    Ok(Some(Table { cx, doubles_of }.render()?))
}
