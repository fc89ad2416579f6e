//! Reading words and numbers from text, with line numbers for errors.

use crate::{Location, ReadError};

/// A position in text that knows the file's name.
pub struct Words<'a> {
    /// Named in errors.
    pub file: &'a str,
    /// The text.
    pub bytes: &'a [u8],
    /// How far it was read.
    pub at: usize,
}

impl<'a> Words<'a> {
    /// Starts at the beginning.
    pub fn new(file: &'a str, bytes: &'a [u8]) -> Words<'a> {
        Words { file, bytes, at: 0 }
    }

    /// The next word, or an empty slice at the end.
    #[inline]
    pub fn word(&mut self) -> &'a [u8] {
        let (bytes, mut start) = (self.bytes, self.at);
        while start < bytes.len() && bytes[start] <= b' ' {
            start += 1;
        }
        let mut end = start;
        while end < bytes.len() && bytes[end] > b' ' {
            end += 1;
        }
        self.at = end;
        &bytes[start..end]
    }

    /// The rest of the line, trimmed.
    pub fn rest_of_line(&mut self) -> &'a [u8] {
        let rest = &self.bytes[self.at..];
        let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
        self.at += length;
        rest[..length].trim_ascii()
    }

    /// A finite number.
    #[inline]
    pub fn number(&mut self) -> Result<f64, ReadError> {
        let word = self.word();
        match fast_float2::parse::<f64, _>(word) {
            Ok(x) if x.is_finite() => Ok(x),
            _ => Err(self.not_a_number(word)),
        }
    }

    #[cold]
    fn not_a_number(&self, word: &[u8]) -> ReadError {
        if word.is_empty() {
            self.error("the file ends where a number should follow: it is cut off")
        } else {
            self.error(format!("“{}” is not a finite number", shown(word)))
        }
    }

    /// The line that is being read, from 1.
    pub fn line(&self) -> usize {
        // The word just read ends at `at`; a newline directly before it belongs to an earlier line.
        let upto = self.at.min(self.bytes.len());
        memchr::memchr_iter(b'\n', &self.bytes[..upto]).count() + 1
    }

    /// An error at this line.
    pub fn error(&self, reason: impl Into<String>) -> ReadError {
        ReadError::at(self.file, Location::Line(self.line()), reason)
    }
}

/// A word as people may see it: valid text, shortened.
pub fn shown(word: &[u8]) -> String {
    let text = String::from_utf8_lossy(&word[..word.len().min(40)]);
    text.chars().map(|c| if c.is_control() { '\u{fffd}' } else { c }).collect()
}

/// A real number that reads back as the same one: a point
/// is required there (ISO 10303-21, 6.4.2; IGES 5.3, 2.2.2.2).
pub fn real(x: f64) -> String {
    let plain = x == 0.0 || (x.abs() >= 1e-4 && x.abs() < 1e16);
    let text = if plain { format!("{x}") } else { format!("{x:E}") };
    match text.split_once('E') {
        _ if text.contains('.') => text,
        Some((mantissa, exponent)) => format!("{mantissa}.E{exponent}"),
        None => format!("{text}."),
    }
}
