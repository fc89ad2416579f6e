//! The records of an IGES file (IGES 5.3, section 2): sections, delimiters, directory entries, parameters.

use crate::error::{Location, ReadError};
use hull_geometry::Watch;
use std::collections::HashMap;

/// One parameter.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    Number(f64),
    Text(String),
    /// Left out: the default holds.
    Missing,
}

impl Value {
    pub fn number(&self) -> Option<f64> {
        if let Value::Number(x) = self { Some(*x) } else { None }
    }
}

/// A directory entry with what its parameters are.
#[derive(Clone, Debug, Default)]
pub struct Entry {
    pub kind: i64,
    pub form: i64,
    pub level: i64,
    /// Pointer to a transformation, or 0.
    pub matrix: i64,
    /// Subordinate switch: 1 and 3 are part of another entity.
    pub dependent: bool,
    /// Use: 5 is in a parameter plane.
    pub in_plane: bool,
    /// A number of the pre-defined colours, or minus a pointer to a colour entity.
    pub colour: i64,
    pub label: String,
    lines: (usize, usize),
}

/// A file in its sections.
pub struct File<'a> {
    /// The global parameters, the first at 1 as in the standard.
    pub global: Vec<Value>,
    /// By sequence number of their first line.
    pub entries: HashMap<i64, Entry>,
    /// Sequence numbers in file order.
    pub order: Vec<i64>,
    parameters: Vec<&'a [u8]>,
    delimiters: (u8, u8),
}

impl<'a> File<'a> {
    /// Splits a file into its records.
    ///
    /// # Errors
    /// [`ReadError`] if there is no directory.
    pub fn parse(name: &str, bytes: &'a [u8], watch: &Watch) -> Result<File<'a>, ReadError> {
        let mut sections: HashMap<u8, Vec<&'a [u8]>> = HashMap::new();
        for line in lines(bytes) {
            if let Some((section, data)) = section_of(line) {
                sections.entry(section).or_default().push(data);
            }
        }
        watch.report(0.1, "reading the directory")?;
        let mut take = |s: u8| sections.remove(&s).unwrap_or_default();
        let (start, global_lines, directory, parameters) = (take(b'S'), take(b'G'), take(b'D'), take(b'P'));
        if start.is_empty() && global_lines.is_empty() {
            return Err(ReadError::whole(name, "the file has no start and global section, so it is not IGES"));
        }
        if directory.len() < 2 {
            return Err(ReadError::whole(name, "the file has no directory; it may be cut off"));
        }
        let text: Vec<u8> = global_lines.iter().flat_map(|l| padded(l, 72)).collect();
        let (global, delimiters) = global_parameters(&text);
        let mut file = File { global, entries: HashMap::new(), order: Vec::new(), parameters, delimiters };
        for (i, pair) in directory.chunks(2).enumerate() {
            let [first, second] = pair else { break };
            let sequence = 2 * i as i64 + 1;
            let Some(entry) = file.entry(first, second) else {
                return Err(ReadError::at(
                    name,
                    Location::Line(0),
                    format!("directory entry {sequence} is not readable"),
                ));
            };
            file.entries.insert(sequence, entry);
            file.order.push(sequence);
        }
        Ok(file)
    }

    fn entry(&self, first: &[u8], second: &[u8]) -> Option<Entry> {
        let field = |line: &[u8], i: usize| -> Option<i64> {
            let text = line.get((i * 8).min(line.len())..((i + 1) * 8).min(line.len()))?;
            let text = std::str::from_utf8(text).ok()?.trim();
            if text.is_empty() { Some(0) } else { text.parse::<f64>().ok().map(|x| x.clamp(-1e12, 1e12) as i64) }
        };
        let status = first.get(64..72).and_then(|s| std::str::from_utf8(s).ok()).unwrap_or("");
        let status: Vec<u8> = format!("{:0>8}", status.trim()).bytes().collect();
        let digit = |i: usize| status.get(i).copied().unwrap_or(b'0');
        let label = second.get(56..64).map(|l| String::from_utf8_lossy(l).trim().to_string()).unwrap_or_default();
        let count = usize::try_from(field(second, 3)?).ok()?.max(1);
        let at = usize::try_from(field(first, 1)?).ok()?.checked_sub(1)?;
        Some(Entry {
            kind: field(first, 0)?,
            level: field(first, 4).unwrap_or(0),
            matrix: field(first, 6).unwrap_or(0),
            dependent: matches!(digit(3), b'1' | b'3'),
            in_plane: digit(5) == b'5',
            colour: field(second, 2).unwrap_or(0),
            form: field(second, 4).unwrap_or(0),
            label,
            lines: (at, at.checked_add(count)?),
        })
    }

    /// The parameters of an entity, its type number first; `None` if they lie outside the file.
    pub fn parameters(&self, entry: &Entry) -> Option<Vec<Value>> {
        let (from, to) = entry.lines;
        let lines = self.parameters.get(from..to.min(self.parameters.len()))?;
        let text: Vec<u8> = lines.iter().flat_map(|l| padded(parameter_columns(l), 64)).collect();
        Some(split(&text, self.delimiters, 0).0)
    }

    /// Global parameter `i`, counted from 1.
    pub fn global(&self, i: usize) -> Option<&Value> {
        self.global.get(i - 1)
    }
}

/// Lines, or pieces of eighty columns where a file has no line ends.
fn lines(bytes: &[u8]) -> Vec<&[u8]> {
    let early = &bytes[..bytes.len().min(400)];
    if !early.iter().any(|b| matches!(b, b'\n' | b'\r')) {
        return bytes.chunks(80).collect();
    }
    bytes.split(|b| matches!(b, b'\n' | b'\r')).filter(|l| !l.is_empty()).collect()
}

/// The section letter and what stands before it: in column 73, or wherever the line ends in a letter and a
/// sequence number.
fn section_of(line: &[u8]) -> Option<(u8, &[u8])> {
    let is_section = |b: u8| matches!(b, b'S' | b'G' | b'D' | b'P' | b'T');
    if line.len() > 72 && is_section(line[72]) {
        return Some((line[72], &line[..72]));
    }
    let end = line.iter().rposition(|b| !b.is_ascii_whitespace())? + 1;
    let digits = line[..end].iter().rev().take_while(|b| b.is_ascii_digit()).count();
    let spaces = line[..end - digits].iter().rev().take_while(|b| **b == b' ').count();
    let at = (end - digits).checked_sub(spaces + 1)?;
    (digits > 0 && is_section(line[at])).then(|| (line[at], &line[..at]))
}

/// Columns 1 to 64 of a parameter line, whose columns 66 to 72 point back; where columns are off, everything
/// before the last number.
fn parameter_columns(data: &[u8]) -> &[u8] {
    if data.len() == 72 {
        return &data[..64];
    }
    let end = data.iter().rposition(|b| !b.is_ascii_whitespace()).map_or(0, |i| i + 1);
    let digits = data[..end].iter().rev().take_while(|b| b.is_ascii_digit()).count();
    &data[..end - digits]
}

fn padded(line: &[u8], width: usize) -> Vec<u8> {
    let mut out = line.to_vec();
    if out.len() < width {
        out.resize(width, b' ');
    }
    out
}

fn global_parameters(text: &[u8]) -> (Vec<Value>, (u8, u8)) {
    // The first two parameters name the delimiters themselves: `1H,,1H;,` or nothing for `,` and `;`.
    let skip = |at: usize| at + text[at.min(text.len())..].iter().take_while(|b| **b == b' ').count();
    let named =
        |at: usize| -> Option<u8> { text.get(at..at + 2).filter(|h| *h == b"1H").and(text.get(at + 2).copied()) };
    let first = skip(0);
    let (parameter, after) = match named(first) {
        Some(b) => (b, first + 4),
        None => (b',', first + 1),
    };
    let second = skip(after);
    let (record, after) = match named(second) {
        Some(b) => (b, second + 4),
        None => (b';', second + 1),
    };
    let delimiters = (parameter, record);
    let mut out = vec![Value::Missing, Value::Missing];
    out.extend(split(text, delimiters, after.min(text.len())).0);
    (out, delimiters)
}

/// Parameters up to the record delimiter, and where that stood.
fn split(text: &[u8], (parameter, record): (u8, u8), mut at: usize) -> (Vec<Value>, usize) {
    let mut out = Vec::new();
    loop {
        at += text[at..].iter().take_while(|b| **b == b' ').count();
        let digits = text[at..].iter().take_while(|b| b.is_ascii_digit()).count();
        if digits > 0 && text.get(at + digits).is_some_and(|b| matches!(b, b'H' | b'h')) {
            // A Hollerith string: as many characters as its number says, delimiters or not.
            let length: usize =
                std::str::from_utf8(&text[at..at + digits]).ok().and_then(|d| d.parse().ok()).unwrap_or(0);
            let start = at + digits + 1;
            let end = start.saturating_add(length).min(text.len());
            out.push(Value::Text(String::from_utf8_lossy(&text[start..end]).into_owned()));
            at = end;
            at += text[at..].iter().take_while(|b| **b != parameter && **b != record).count();
        } else {
            let length = text[at..].iter().take_while(|b| **b != parameter && **b != record).count();
            out.push(number(&text[at..at + length]));
            at += length;
        }
        match text.get(at) {
            Some(&b) if b == parameter => at += 1,
            _ => return (out, at),
        }
    }
}

/// A number, with blanks inside and a D exponent allowed.
fn number(text: &[u8]) -> Value {
    let clean: String = text.iter().filter(|b| !b.is_ascii_whitespace()).map(|&b| char::from(b)).collect();
    if clean.is_empty() {
        return Value::Missing;
    }
    let clean = clean.replace(['D', 'd'], "E");
    match clean.trim_start_matches('+').parse::<f64>() {
        Ok(x) if x.is_finite() => Value::Number(x),
        _ => Value::Text(clean),
    }
}
