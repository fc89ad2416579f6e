//! Forms into steps.

use crate::error::PageError;
use hull_workshop::Step;
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::sentence::Sentence;
use hull_workshop::steps;
use hull_workshop::steps::fill_holes::with_room;

/// The fields of a posted form, in order.
pub type Fields = Vec<(String, String)>;

pub fn text<'a>(fields: &'a Fields, name: &str) -> &'a str {
    fields.iter().find(|f| f.0 == name).map_or("", |f| f.1.trim())
}

pub fn number(fields: &Fields, name: &str, what: &str) -> Result<f64, PageError> {
    let typed = text(fields, name).replace(['\u{2009}', ' '], "").replace(',', ".").replace('−', "-");
    typed
        .parse()
        .ok()
        .filter(|x: &f64| x.is_finite())
        .ok_or_else(|| PageError::refused(format!("{what} must be a number; “{}” is not.", text(fields, name))))
}

/// The step that a form asks for.
///
/// # Errors
/// A sentence that says which field is wrong.
pub fn step(fields: &Fields) -> Result<Step, Sentence> {
    let id = text(fields, "step");
    let own = if id == "fill_holes" { ticked(fields)? } else { Vec::new() };
    let typed = fields.iter().filter(|f| f.0 != "step").cloned().chain(own);
    steps::read(id, &typed.collect::<Fields>(), None)
}

/// Every hole is listed with its centre; ticked ones come as `fill`, all as `hole`. What is filled is all up to the
/// longest that is ticked, except those of them that are not.
fn ticked(fields: &Fields) -> Result<Fields, Sentence> {
    let of = |name: &str| fields.iter().filter(|f| f.0 == name).map(|f| f.1.clone()).collect::<Vec<_>>();
    let ticked = of("fill");
    let parse = |text: &String| -> Result<[f64; 4], Sentence> {
        serde_json::from_str(text).map_err(|e| format!("a hole is not given as numbers: {e}").into())
    };
    let wanted = ticked.iter().map(parse).collect::<Result<Vec<_>, _>>()?;
    if wanted.is_empty() {
        return Err("Tick at least one hole to fill.".into());
    }
    let largest = wanted.iter().map(|h| h[3]).fold(0.0, f64::max);
    let mut out = vec![("up_to".to_string(), with_room(largest).to_string())];
    for hole in of("hole").iter().filter(|h| !ticked.contains(h)) {
        let [x, y, z, perimeter] = parse(hole)?;
        if perimeter <= largest {
            out.push(("except".into(), format!("{x}, {y}, {z}")));
        }
    }
    Ok(out)
}

pub fn selection(fields: &Fields) -> Result<Selection, PageError> {
    match text(fields, "pick") {
        "" => Ok(Selection { include: vec![Pick::Unnamed], exclude: Vec::new() }),
        json => {
            serde_json::from_str(json).map_err(|e| PageError::refused(format!("The picked faces cannot be read: {e}")))
        }
    }
}
