//! The holes of a body, to be ticked.

use super::Remedy;
use crate::context::Ctx;
use crate::error::PageResult;
use crate::form::{Fields, text};
use crate::show::{count, counted, has};
use askama::Template;
use hull_workshop::Step;
use hull_workshop::sentence::Sentence;
use hull_workshop::steps::fill_holes::with_room;
use hull_workshop::survey::gaps::HoleFigures;

#[derive(Template)]
#[template(path = "remedies/fill_holes/form.html")]
struct Form<'a> {
    holes: &'a [HoleFigures],
    /// Holes up to this perimeter are ticked at first.
    up_to: f64,
    open: bool,
    cx: &'a Ctx<'a>,
    steps: String,
    previews: String,
}

impl Form<'_> {
    fn is_ticked(&self, h: &HoleFigures) -> bool {
        h.perimeter <= self.up_to
    }

    fn value(&self, h: &HoleFigures) -> String {
        format!("[{},{},{},{}]", h.at[0], h.at[1], h.at[2], h.perimeter)
    }
}

/// A table with a tick for each hole.
pub(super) fn draw(cx: &Ctx, remedy: &Remedy) -> PageResult<Option<String>> {
    let seen = cx.seen();
    let holes = &seen.survey.gaps.holes;
    if holes.is_empty() {
        return Ok(None);
    }
    let proposed = match &remedy.step {
        Some(Step::FillHoles(f)) => f.up_to,
        _ => 0.0,
    };
    // While gaps may be stitched, holes are not ticked yet.
    let stitched = seen.survey.gaps.plot.proposal.is_some();
    let form = Form {
        holes,
        up_to: if stitched { 0.0 } else { proposed },
        open: !stitched,
        cx,
        steps: cx.post("steps"),
        previews: cx.post("previews"),
    };
    Ok(Some(form.render()?))
}

/// Every hole is listed with its centre; ticked ones come as `fill`, all as `hole`. What is filled is all up to the
/// longest that is ticked, except those of them that are not. What does not list holes is taken as typed.
pub(super) fn read(fields: &Fields) -> Result<Fields, Sentence> {
    let of = |name: &str| fields.iter().filter(|f| f.0 == name).map(|f| f.1.clone()).collect::<Vec<_>>();
    if !text(fields, "up_to").is_empty() {
        return Ok(fields.clone());
    }
    let ticked = of("fill");
    let parse = |text: &String| -> Result<[f64; 4], Sentence> {
        serde_json::from_str(text).map_err(|e| format!("a hole is not given as numbers: {e}").into())
    };
    let wanted = ticked.iter().map(parse).collect::<Result<Vec<_>, _>>()?;
    if wanted.is_empty() {
        return Err("Tick at least one hole to fill.".into());
    }
    let largest = wanted.iter().map(|h| h[3]).fold(0.0, f64::max);
    let mut out = fields.clone();
    out.push(("up_to".into(), with_room(largest).to_string()));
    for hole in of("hole").iter().filter(|h| !ticked.contains(h)) {
        let [x, y, z, perimeter] = parse(hole)?;
        if perimeter <= largest {
            out.push(("except".into(), format!("{x}, {y}, {z}")));
        }
    }
    Ok(out)
}
