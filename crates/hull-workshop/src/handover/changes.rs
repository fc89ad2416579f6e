//! One handover against an earlier one of the same body: what the person who gets it has to look at again.

use super::{BoundaryEntry, Manifest};
use crate::numbers::{count, long};

/// A figure of two handovers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// What it is of.
    pub figure: String,
    /// In the earlier one; `–` where there was none.
    pub before: String,
    /// In the later one; `–` where there is none.
    pub now: String,
    /// Whether they say the same.
    pub same: bool,
}

impl Change {
    fn new(figure: impl Into<String>, before: Option<String>, now: Option<String>) -> Change {
        let same = before == now;
        let text = |t: Option<String>| t.unwrap_or_else(|| "–".into());
        Change { figure: figure.into(), before: text(before), now: text(now), same }
    }
}

/// Boundaries, requirements, steps and files of both, those of the later one first. Areas are in its unit.
pub fn changes(before: &Manifest, now: &Manifest) -> Vec<Change> {
    let mut rows = vec![
        Change::new("unit of the files", Some(before.unit.name().into()), Some(now.unit.name().into())),
        Change::new("destination", Some(before.destination.clone()), Some(now.destination.clone())),
        Change::new("steps", Some(count(before.steps.len())), Some(count(now.steps.len()))),
    ];
    let factor = (before.unit.millimetres() / now.unit.millimetres()).powi(2);
    let told = |b: &BoundaryEntry, factor: f64| {
        let role = b.role.map_or("no role", crate::Role::name);
        format!("{} {}², {} facets, {role}", long(b.area * factor), now.unit, count(b.facets))
    };
    let of =
        |m: &Manifest, name: &str, factor: f64| m.boundaries.iter().find(|b| b.name == name).map(|b| told(b, factor));
    let names = both(&now.boundaries, &before.boundaries, |b| b.name.clone());
    rows.extend(names.into_iter().map(|n| Change::new(n.clone(), of(before, &n, factor), of(now, &n, 1.0))));
    let measured = |m: &Manifest, phrase: &str| {
        m.requirements.iter().find(|r| r.phrase == phrase).map(|r| format!("{} ({})", r.measured, r.verdict.word()))
    };
    let phrases = both(&now.requirements, &before.requirements, |r| r.phrase.clone());
    rows.extend(phrases.into_iter().map(|p| Change::new(p.clone(), measured(before, &p), measured(now, &p))));
    let bytes = |m: &Manifest, name: &str| {
        m.files
            .iter()
            .find(|f| f.name == name)
            .map(|f| format!("{} bytes, SHA-256 {}…", count(f.bytes), f.sha256.get(..12).unwrap_or("")))
    };
    let files = both(&now.files, &before.files, |f| f.name.clone());
    rows.extend(files.into_iter().map(|f| Change::new(f.clone(), bytes(before, &f), bytes(now, &f))));
    rows
}

/// What stands in either list, in the order of the first, then of the second.
fn both<T>(first: &[T], second: &[T], name: impl Fn(&T) -> String) -> Vec<String> {
    let mut all: Vec<String> = first.iter().map(&name).collect();
    for n in second.iter().map(&name) {
        if !all.contains(&n) {
            all.push(n);
        }
    }
    all
}
