//! Names as they may be kept: what files call their parts, and what people type.

use crate::{Content, Label};
use hull_exact::Model;
use std::collections::{BTreeMap, BTreeSet};

/// Characters of a name that a file gives; more is cut.
pub const LONGEST: usize = 200;

/// A name from a file without characters that no page, database or file system takes, and of a bearable length.
pub fn tidy(name: &mut String) {
    if name.len() <= LONGEST && !name.chars().any(char::is_control) {
        return;
    }
    let readable = |c: char| if c.is_control() { ' ' } else { c };
    *name = name.chars().map(readable).take(LONGEST).collect::<String>().trim().to_string();
}

/// A name that people give, trimmed.
///
/// # Errors
/// A sentence: it is empty, longer than `most` characters, or has control characters.
///
/// ```
/// use hull_formats::naming::checked;
/// assert_eq!(checked("A project", " Pipit ", 120).unwrap(), "Pipit");
/// assert!(checked("A project", "a\u{0}b", 120).is_err());
/// ```
pub fn checked(what: &str, name: &str, most: usize) -> Result<String, String> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > most {
        return Err(format!("{what} needs a name of one to {most} characters."));
    }
    if name.chars().any(char::is_control) {
        return Err(format!("{what} needs a name without control characters."));
    }
    Ok(name.into())
}

/// Names for a format that takes `most` bytes of each: cut, and numbered where they would be like one before or one that is
/// `taken`. What has no name stays without.
pub(crate) fn distinct(names: impl Iterator<Item = String>, most: usize, taken: &[&str]) -> Vec<String> {
    let mut used: BTreeSet<String> = taken.iter().map(|t| (*t).to_string()).collect();
    let one = |name: String| {
        let cut = |most: usize| name[..name.floor_char_boundary(most)].trim_end().to_string();
        let numbered = (2..).map(|n| format!("_{n}")).map(|end| cut(most.saturating_sub(end.len())) + &end);
        // There are more numbers than names.
        let free = std::iter::once(cut(most)).chain(numbered).find(|n| n.is_empty() || !used.contains(n));
        let free = free.unwrap_or_default();
        used.insert(free.clone());
        free
    };
    names.map(one).collect()
}

/// Names as a format writes them: what has one name keeps one, different names stay different, and names that the format takes
/// as they are keep theirs.
pub(crate) fn written<'a>(names: impl Iterator<Item = &'a str>, as_word: impl Fn(&str) -> String) -> Vec<String> {
    let names: Vec<&str> = names.map(str::trim).collect();
    let mut once: Vec<&str> = names.clone();
    once.sort_unstable();
    once.dedup();
    once.sort_by_key(|name| as_word(name) != *name);
    let words = distinct(once.iter().map(|name| as_word(name)), usize::MAX, &[]);
    let of: BTreeMap<&str, String> = once.into_iter().zip(words).collect();
    names.iter().map(|name| of[name].clone()).collect()
}

/// Tidies every name that a file gives.
pub(crate) fn tidy_all(content: &mut Content) {
    let tidy_label = |l: &mut Label| {
        tidy(&mut l.name);
        l.material.iter_mut().for_each(tidy);
    };
    match content {
        Content::Facets(received) => received.labels.iter_mut().for_each(tidy_label),
        Content::Exact(design) => tidy_model(&mut design.model),
        Content::Points(_) => {}
    }
}

fn tidy_model(model: &mut Model) {
    model.nodes.iter_mut().for_each(|n| tidy(&mut n.name));
    for part in &mut model.parts {
        tidy(&mut part.name);
        part.tessellated.iter_mut().for_each(|t| tidy(&mut t.name));
        part.shape.edge_names.values_mut().for_each(tidy);
        part.shape.lumps.iter_mut().for_each(|l| tidy(&mut l.name));
        for face in &mut part.shape.faces {
            tidy(&mut face.name);
            face.layer.iter_mut().for_each(tidy);
        }
    }
}
