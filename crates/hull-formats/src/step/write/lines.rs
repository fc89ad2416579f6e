//! Records of a part 21 file as they are written.

use crate::text::real;
use hull_geometry::vector::V3;
use std::fmt::Write;

/// Numbered records, one a line.
#[derive(Default)]
pub struct Lines {
    /// What was written so far.
    pub text: String,
    last: usize,
}

impl Lines {
    /// Adds `#n=…;` and gives n.
    pub fn add(&mut self, record: impl std::fmt::Display) -> usize {
        self.last += 1;
        // Writing to a string cannot fail.
        let _ = writeln!(self.text, "#{}={record};", self.last);
        self.last
    }
}

/// A string with what the basic alphabet lacks as `\X2\` or `\X4\` (6.4.3).
pub fn text(s: &str) -> String {
    let mut out = String::from("'");
    for c in s.chars() {
        match c {
            '\'' => out.push_str("''"),
            '\\' => out.push_str("\\\\"),
            ' '..='~' => out.push(c),
            c if (c as u32) < 0x10000 => {
                let _ = write!(out, "\\X2\\{:04X}\\X0\\", c as u32);
            }
            c => {
                let _ = write!(out, "\\X4\\{:08X}\\X0\\", c as u32);
            }
        }
    }
    out.push('\'');
    out
}

/// `(#1,#2)`
pub fn refs(ids: impl IntoIterator<Item = usize>) -> String {
    list(ids.into_iter().map(|id| format!("#{id}")))
}

/// `(a,b)`
pub fn list(items: impl IntoIterator<Item = String>) -> String {
    format!("({})", items.into_iter().collect::<Vec<_>>().join(","))
}

/// `(1.,2.,3.)`
pub fn triple(p: V3) -> String {
    list(p.map(real))
}
