//! Fields of a posted form.

use crate::error::PageError;
use hull_workshop::selection::{Pick, Selection};

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

pub fn selection(fields: &Fields) -> Result<Selection, PageError> {
    match text(fields, "pick") {
        "" => Ok(Selection::from(Pick::Unnamed)),
        json => {
            serde_json::from_str(json).map_err(|e| PageError::refused(format!("The picked faces cannot be read: {e}")))
        }
    }
}
