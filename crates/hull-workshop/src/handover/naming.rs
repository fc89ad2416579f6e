//! Names of files, and of boundaries in forms that do not take every name.

use super::{Form, Package};
use crate::Destination;
use std::collections::HashSet;

/// How files are named where nobody said how.
pub const PATTERN: &str = "{body}";

/// What a pattern of names may hold, each with what stands for it.
pub const TOKENS: [(&str, &str); 4] = [
    ("{body}", "the body's name"),
    ("{destination}", "the destination's name"),
    ("{unit}", "the unit of the files"),
    ("{form}", "the form of the files"),
];

/// The longest name of a file without its boundary and ending, in characters.
const LONGEST: usize = 80;

/// The name that all files of a handover begin with, from its pattern. What is safe in no file name becomes `-`.
///
/// # Errors
/// A sentence: the pattern holds a token that there is not, or gives a name that is too long.
pub fn stem(package: &Package, body: &str, to: &Destination) -> Result<String, String> {
    let pattern = package.names.as_deref().filter(|p| !p.trim().is_empty()).unwrap_or(PATTERN);
    let unit = package.unit.unwrap_or(to.unit).to_string();
    let values = [body, &to.name, &unit, package.form.about().key];
    let named = TOKENS.iter().zip(values).fold(pattern.to_string(), |text, ((token, _), value)| {
        // A body may be called as a token is.
        text.replace(token, &value.replace(['{', '}'], "-"))
    });
    if let Some(at) = named.find(['{', '}']) {
        let known: Vec<&str> = TOKENS.iter().map(|t| t.0).collect();
        let rest: String = named[at..].chars().take(24).collect();
        return Err(format!("file names: “{rest}” stands for nothing; there are {}", known.join(", ")));
    }
    let stem = file_stem(&named);
    if stem.chars().count() > LONGEST && package.names.is_some() {
        return Err(format!("file names: “{pattern}” gives a name of more than {LONGEST} characters"));
    }
    Ok(stem)
}

/// Names as a form allows them: what it allows besides letters and digits, how many characters, and whether a digit may be the first.
#[derive(Clone, Copy, Debug)]
pub struct Allowed {
    /// Characters at most.
    pub most: usize,
    /// Besides letters and digits; `_` always.
    pub also: &'static str,
    /// Whether a name may begin with a digit.
    pub digit_first: bool,
}

/// Names as a form allows them, none there twice; gives what was renamed.
pub(super) fn make_legal<'a>(names: impl Iterator<Item = &'a mut String>, allowed: Allowed) -> Vec<[String; 2]> {
    let most = allowed.most;
    let mut renamed = Vec::new();
    let mut taken: Vec<String> = Vec::new();
    for given in names {
        let plain = |c: char| if c.is_ascii_alphanumeric() || allowed.also.contains(c) { c } else { '_' };
        let mut name: String = given.chars().map(plain).take(most).collect();
        if name.is_empty() || !allowed.digit_first && name.starts_with(|c: char| c.is_ascii_digit()) {
            name.insert(0, '_');
        }
        let mut n = 2;
        while taken.contains(&name) {
            let end = format!("_{n}");
            name = name.chars().take(most - end.len()).collect::<String>() + &end;
            n += 1;
        }
        taken.push(name.clone());
        if name != *given {
            renamed.push([std::mem::replace(given, name.clone()), name]);
        }
    }
    renamed
}

/// Different names can give the same file name; a number keeps them apart.
pub fn distinct(mut names: Vec<String>) -> Vec<String> {
    let mut taken: HashSet<String> = names.iter().cloned().collect();
    let mut seen = HashSet::new();
    for (i, name) in names.iter_mut().enumerate() {
        if !seen.insert(name.clone()) {
            let free = (i + 1..).map(|n| format!("{name}-{n}")).find(|n| !taken.contains(n));
            *name = free.unwrap_or_default();
            taken.insert(name.clone());
            seen.insert(name.clone());
        }
    }
    names
}

/// Names that are devices where file systems have such, whatever ending follows (common practice, no source).
const DEVICES: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8", "com9", "lpt1", "lpt2",
    "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// A name that is safe in a file name everywhere: letters, digits, `-` and `_`.
pub fn file_stem(name: &str) -> String {
    let stem: String = name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() || c == '_' { c.to_ascii_lowercase() } else { '-' })
        .collect();
    let stem = stem.trim_matches('-');
    match stem {
        "" => "body".into(),
        device if DEVICES.contains(&device) => format!("{device}-body"),
        stem => stem.into(),
    }
}

/// Whether a form takes the name of each boundary into the file's name.
pub(super) fn is_one_each(form: Form) -> bool {
    matches!(form.about().of, super::form::Of::Each)
}
