//! The sections of an IGES file as they are written (IGES 5.3, section 2.2).

use crate::text::real;
use std::fmt::Write;

/// One parameter as text, its Hollerith count included.
#[derive(Clone, Debug)]
pub struct Parameter(String);

pub fn int(n: i64) -> Parameter {
    Parameter(n.to_string())
}

pub fn number(x: f64) -> Parameter {
    Parameter(real(x))
}

/// A Hollerith string; what is not ASCII becomes `?`, as the format has no way to say it.
pub fn text(s: &str) -> Parameter {
    let plain = ascii(s);
    Parameter(if plain.is_empty() { String::new() } else { format!("{}H{plain}", plain.len()) })
}

pub fn ascii(s: &str) -> String {
    s.chars().map(|c| if (' '..='~').contains(&c) { c } else { '?' }).collect()
}

/// What a directory entry says besides its number.
#[derive(Clone, Debug, Default)]
pub struct Entry {
    pub kind: i64,
    pub form: i64,
    pub level: i64,
    /// Pointer to a transformation.
    pub matrix: i64,
    /// Minus a pointer to a colour entity.
    pub colour: i64,
    /// Part of another entity.
    pub dependent: bool,
    /// A curve in the parameters of a surface.
    pub in_parameters: bool,
    pub label: String,
}

/// Directory and parameter lines as they grow.
#[derive(Default)]
pub struct Records {
    directory: String,
    parameters: String,
    entries: i64,
    lines: i64,
}

impl Records {
    /// Adds an entity and gives the number of its directory entry.
    pub fn add(&mut self, e: &Entry, parameters: impl IntoIterator<Item = Parameter>) -> i64 {
        let number = 2 * self.entries + 1;
        self.entries += 1;
        let first = self.lines + 1;
        let all = std::iter::once(int(e.kind)).chain(parameters);
        for line in columns(all, 64) {
            self.lines += 1;
            let _ = writeln!(self.parameters, "{line:<64}{number:>8}P{:>7}", self.lines);
        }
        let count = self.lines + 1 - first;
        // Status: shown, dependent or not, geometry or curve in parameters, structured one below the other.
        let status = match (e.dependent, e.in_parameters) {
            (true, true) => "00010500",
            (true, false) => "00010000",
            (false, _) => FREE,
        };
        let (kind, matrix) = (e.kind, e.matrix);
        let _ = writeln!(
            self.directory,
            "{kind:>8}{first:>8}{:>8}{:>8}{:>8}{:>8}{matrix:>8}{:>8}{status}D{number:>7}",
            0, 0, e.level, 0, 0
        );
        let label: String = ascii(&e.label).chars().take(8).collect();
        let _ = writeln!(
            self.directory,
            "{kind:>8}{:>8}{:>8}{count:>8}{:>8}{:>16}{label:>8}{:>8}D{:>7}",
            0,
            e.colour,
            e.form,
            "",
            0,
            number + 1
        );
        number
    }

    /// Lets an entity stand for itself that was added as part of another.
    pub fn set_free(&mut self, number: i64) {
        // Lines of 80 columns and their end; the status is in columns 65 to 72 of the first.
        let at = 81 * (number - 1) as usize + 64;
        self.directory.replace_range(at..at + 8, FREE);
    }

    /// The whole file.
    pub fn finish(self, start: &str, global: Vec<Parameter>) -> Vec<u8> {
        let mut out = String::new();
        let _ = writeln!(out, "{:<72}S{:>7}", ascii(start).chars().take(72).collect::<String>(), 1);
        let mut lines = 0;
        for line in columns(global, 72) {
            lines += 1;
            let _ = writeln!(out, "{line:<72}G{lines:>7}");
        }
        out.push_str(&self.directory);
        out.push_str(&self.parameters);
        let counts = format!("S{:>7}G{lines:>7}D{:>7}P{:>7}", 1, 2 * self.entries, self.lines);
        let _ = writeln!(out, "{counts:<72}T{:>7}", 1);
        out.into_bytes()
    }
}

/// The status of an entity that stands for itself.
const FREE: &str = "00000000";

/// Parameters set in lines of `width` columns: numbers are not cut, strings may be.
fn columns(parameters: impl IntoIterator<Item = Parameter>, width: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    let mut all = parameters.into_iter().peekable();
    while let Some(Parameter(mut word)) = all.next() {
        word.push(if all.peek().is_some() { ',' } else { ';' });
        let last = lines.len() - 1;
        if word.len() <= width && lines[last].len() + word.len() > width {
            lines.push(word);
            continue;
        }
        let mut rest = word.as_str();
        while !rest.is_empty() {
            let at = lines.len() - 1;
            let room = width - lines[at].len();
            let (head, tail) = rest.split_at(room.min(rest.len()));
            lines[at].push_str(head);
            rest = tail;
            if !rest.is_empty() {
                lines.push(String::new());
            }
        }
    }
    lines
}
