//! The clear text of ISO 10303-21: where each record lies, and its parameters when asked for.
//!
//! One pass finds the records of all DATA sections; parameters are parsed when an entity is looked at, so that a
//! file of ten million entities costs sixteen bytes for each. Names and strings are parts of the bytes read.

use crate::error::{Location, ReadError};
use hull_geometry::Watch;
use memchr::memchr3;
use std::borrow::Cow;

/// Brackets within brackets beyond this are refused.
const DEEPEST: usize = 48;

/// One parameter.
#[derive(Clone, Debug, PartialEq)]
pub enum Value<'a> {
    /// `#12`
    Ref(u64),
    /// A whole number.
    Integer(i64),
    /// A number with a point.
    Real(f64),
    /// As it stands between the apostrophes; see [`decoded`].
    Text(&'a [u8]),
    /// `.NAME.` without the dots.
    Enum(&'a str),
    /// Values in brackets.
    List(Vec<Value<'a>>),
    /// `NAME(…)`
    Typed(&'a str, Vec<Value<'a>>),
    /// `$`
    Missing,
    /// `*`
    Derived,
}

impl<'a> Value<'a> {
    /// The number of the entity that is referred to.
    pub fn reference(&self) -> Option<u64> {
        if let Value::Ref(id) = self { Some(*id) } else { None }
    }

    /// A number, also inside a typed measure.
    pub fn number(&self) -> Option<f64> {
        match self {
            Value::Integer(i) => Some(*i as f64),
            Value::Real(x) => Some(*x),
            Value::Typed(_, inner) => inner.first()?.number(),
            _ => None,
        }
    }

    /// The whole number that this is.
    pub fn integer(&self) -> Option<i64> {
        match self {
            Value::Integer(i) => Some(*i),
            Value::Real(x) if x.fract() == 0.0 && x.abs() < 1e15 => Some(*x as i64),
            _ => None,
        }
    }

    /// The values in brackets that this is.
    pub fn list(&self) -> Option<&[Value<'a>]> {
        match self {
            Value::List(items) => Some(items),
            Value::Typed(_, items) if items.len() == 1 => items[0].list(),
            _ => None,
        }
    }

    /// The text that this is, decoded.
    pub fn text(&self) -> Option<Cow<'a, str>> {
        if let Value::Text(bytes) = self { Some(decoded(bytes)) } else { None }
    }

    /// `.T.` or `.F.`
    pub fn truth(&self) -> Option<bool> {
        match self {
            Value::Enum(name) if name.eq_ignore_ascii_case("T") => Some(true),
            Value::Enum(name) if name.eq_ignore_ascii_case("F") => Some(false),
            _ => None,
        }
    }
}

/// A record with its parameters: one part, or several for a complex entity.
#[derive(Clone, Debug, PartialEq)]
pub struct Entity<'a> {
    /// Its number, behind `#`.
    pub id: u64,
    /// Its types with their values; several for a complex entity.
    pub parts: Vec<(&'a str, Vec<Value<'a>>)>,
}

impl<'a> Entity<'a> {
    /// The parameters of the part of that name.
    pub fn part(&self, name: &str) -> Option<&[Value<'a>]> {
        self.parts.iter().find(|(n, _)| n.eq_ignore_ascii_case(name)).map(|(_, v)| v.as_slice())
    }

    /// Whether it is of a type.
    pub fn is(&self, name: &str) -> bool {
        self.part(name).is_some()
    }

    /// The name of a simple entity, or of the last part of a complex one.
    pub fn name(&self) -> &'a str {
        self.parts.last().map_or("", |(n, _)| n)
    }

    /// The name that an item of a representation has, decoded; empty if it has none.
    pub fn item_name(&self) -> String {
        let own =
            if self.parts.len() == 1 { self.get(0) } else { self.part("REPRESENTATION_ITEM").and_then(<[_]>::first) };
        own.and_then(Value::text).map(|t| t.into_owned()).unwrap_or_default()
    }

    /// Parameter `i` of a simple entity.
    pub fn get(&self, i: usize) -> Option<&Value<'a>> {
        self.parts.first()?.1.get(i)
    }
}

/// Where the records of a file lie.
pub struct File<'a> {
    bytes: &'a [u8],
    /// Number and first byte after `=`, by number.
    records: Vec<(u64, usize)>,
    /// The HEADER section's entities.
    pub header: Vec<(&'a str, Vec<Value<'a>>)>,
}

fn is_space(b: u8) -> bool {
    b.is_ascii_whitespace() || b == 0
}

impl<'a> File<'a> {
    /// Finds all records.
    ///
    /// # Errors
    /// [`ReadError`] if the bytes are no clear text of ISO 10303-21 or hold no DATA section.
    pub fn index(name: &str, bytes: &'a [u8], watch: &Watch) -> Result<File<'a>, ReadError> {
        let head = &bytes[..bytes.len().min(4096)];
        if memchr::memmem::find(head, b"ISO-10303-21").is_none() {
            return Err(ReadError::whole(name, "the file does not begin with “ISO-10303-21;”, so it is not STEP"));
        }
        let mut file = File { bytes, records: Vec::new(), header: Vec::new() };
        let mut section = Section::None;
        let mut scopes: Vec<u64> = Vec::new();
        let mut at = 0;
        let mut count = 0_usize;
        let mut saw_data = false;
        while at < bytes.len() {
            count += 1;
            if count.is_multiple_of(1 << 16) {
                watch.report(0.2 * at as f64 / bytes.len() as f64, "finding the entities")?;
            }
            let start = skip_blank(bytes, at);
            let Some(end) = statement_end(bytes, start) else { break };
            at = end + 1;
            let text = &bytes[start..end];
            if text.first() == Some(&b'#') && section == Section::Data {
                file.record(start, end, &mut scopes);
            } else if starts_with(text, b"ENDSEC") {
                section = Section::None;
            } else if starts_with(text, b"HEADER") && section == Section::None {
                section = Section::Header;
            } else if starts_with(text, b"DATA") && section == Section::None {
                section = Section::Data;
                saw_data = true;
            } else if starts_with(text, b"ENDSCOPE") {
                file.end_scope(start, end, &mut scopes);
            } else if section == Section::Header {
                let mut parser = Parser { bytes, at: start, end };
                if let Ok(part) = parser.typed() {
                    file.header.push(part);
                }
            }
        }
        if !saw_data {
            return Err(ReadError::whole(name, "the file has no DATA section; it may be cut off"));
        }
        if file.records.is_empty() {
            return Err(ReadError::whole(name, "the DATA section holds no entities; the file may be cut off"));
        }
        file.records.sort_by_key(|r| r.0);
        // Of entities with one number the first counts, as for a reader that stops at the first.
        file.records.dedup_by_key(|r| r.0);
        Ok(file)
    }

    fn record(&mut self, start: usize, end: usize, scopes: &mut Vec<u64>) {
        let bytes = self.bytes;
        let mut at = start;
        // One statement may open scopes, each of which starts another record.
        while at < end && bytes[at] == b'#' {
            let Some((id, after)) = number(bytes, at + 1, end) else { return };
            let mut next = skip_blank(bytes, after);
            if bytes.get(next) != Some(&b'=') {
                return;
            }
            next = skip_blank(bytes, next + 1);
            if starts_with(&bytes[next.min(end)..end], b"&SCOPE") {
                scopes.push(id);
                at = skip_blank(bytes, next + 6);
                continue;
            }
            self.records.push((id, next));
            return;
        }
    }

    /// `ENDSCOPE /#1,#2/ NAME(…)`: the entity that the scope belongs to.
    fn end_scope(&mut self, start: usize, end: usize, scopes: &mut Vec<u64>) {
        let Some(id) = scopes.pop() else { return };
        let mut at = skip_blank(self.bytes, start + 8);
        if at < end && self.bytes[at] == b'/' {
            match memchr::memchr(b'/', &self.bytes[at + 1..end]) {
                Some(length) => at = skip_blank(self.bytes, at + length + 2),
                None => return,
            }
        }
        if at < end {
            self.records.push((id, at));
        }
    }

    /// How many entities there are.
    pub fn len(&self) -> usize {
        self.records.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.records.is_empty()
    }

    /// The entity of that number, with its parameters.
    ///
    /// # Errors
    /// A place and a reason if its text is no record.
    pub fn entity(&self, id: u64) -> Option<Result<Entity<'a>, (usize, &'static str)>> {
        let i = self.records.binary_search_by_key(&id, |r| r.0).ok()?;
        Some(self.parse(self.records[i]))
    }

    fn parse(&self, (id, start): (u64, usize)) -> Result<Entity<'a>, (usize, &'static str)> {
        let mut parser = Parser { bytes: self.bytes, at: start, end: self.bytes.len() };
        let parts = if self.bytes.get(start) == Some(&b'(') {
            parser.at += 1;
            let mut parts = Vec::new();
            loop {
                parser.blank();
                if parser.take(b')') {
                    break;
                }
                parts.push(parser.typed()?);
            }
            parts
        } else {
            vec![parser.typed()?]
        };
        Ok(Entity { id, parts })
    }

    /// Every record's number and the names of its parts, without its parameters.
    pub fn names(&self) -> impl Iterator<Item = (u64, Names<'a>)> + '_ {
        self.records.iter().map(|&(id, start)| (id, Names::of(self.bytes, start)))
    }

    /// The numbers of all entities.
    pub fn numbers(&self) -> impl Iterator<Item = u64> + '_ {
        self.records.iter().map(|r| r.0)
    }
}

/// The name of a record, or of the parts of a complex one.
pub enum Names<'a> {
    /// One type.
    One(&'a str),
    /// The types of a complex entity.
    Several(Vec<&'a str>),
}

impl<'a> Names<'a> {
    fn of(bytes: &'a [u8], start: usize) -> Names<'a> {
        if bytes.get(start) != Some(&b'(') {
            return Names::One(keyword(bytes, start).0);
        }
        let mut parser = Parser { bytes, at: start + 1, end: bytes.len() };
        let mut names = Vec::new();
        loop {
            parser.blank();
            if parser.take(b')') {
                break;
            }
            match parser.typed() {
                Ok((name, _)) => names.push(name),
                Err(_) => break,
            }
        }
        Names::Several(names)
    }

    /// Whether a type is among them.
    pub fn has(&self, name: &str) -> bool {
        match self {
            Names::One(n) => n.eq_ignore_ascii_case(name),
            Names::Several(all) => all.iter().any(|n| n.eq_ignore_ascii_case(name)),
        }
    }
}

#[derive(PartialEq)]
enum Section {
    None,
    Header,
    Data,
}

fn starts_with(text: &[u8], word: &[u8]) -> bool {
    text.len() >= word.len() && text[..word.len()].eq_ignore_ascii_case(word)
}

/// Past white space and comments.
fn skip_blank(bytes: &[u8], mut at: usize) -> usize {
    while at < bytes.len() {
        if is_space(bytes[at]) {
            at += 1;
        } else if bytes[at] == b'/' && bytes.get(at + 1) == Some(&b'*') {
            match memchr::memmem::find(&bytes[at + 2..], b"*/") {
                Some(length) => at += length + 4,
                None => return bytes.len(),
            }
        } else {
            break;
        }
    }
    at
}

/// The semicolon that ends a statement, outside strings and comments.
fn statement_end(bytes: &[u8], mut at: usize) -> Option<usize> {
    loop {
        let found = at + memchr3(b';', b'\'', b'/', bytes.get(at..)?)?;
        match bytes[found] {
            b';' => return Some(found),
            b'\'' => at = found + 2 + memchr::memchr(b'\'', &bytes[found + 1..])?,
            _ if bytes.get(found + 1) == Some(&b'*') => at = skip_blank(bytes, found),
            _ => at = found + 1,
        }
    }
}

fn number(bytes: &[u8], mut at: usize, end: usize) -> Option<(u64, usize)> {
    let start = at;
    let mut n = 0_u64;
    while at < end && bytes[at].is_ascii_digit() {
        n = n.checked_mul(10)?.checked_add(u64::from(bytes[at] - b'0'))?;
        at += 1;
    }
    (at > start).then_some((n, at))
}

/// A keyword, user-defined ones with their `!`, and where it ends.
fn keyword(bytes: &[u8], start: usize) -> (&str, usize) {
    let mut at = start + usize::from(bytes.get(start) == Some(&b'!'));
    while at < bytes.len() && (bytes[at].is_ascii_alphanumeric() || bytes[at] == b'_') {
        at += 1;
    }
    (std::str::from_utf8(&bytes[start..at]).unwrap_or(""), at)
}

struct Parser<'a> {
    bytes: &'a [u8],
    at: usize,
    end: usize,
}

impl<'a> Parser<'a> {
    fn blank(&mut self) {
        self.at = skip_blank(self.bytes, self.at);
    }

    fn peek(&self) -> Option<u8> {
        self.bytes[..self.end].get(self.at).copied()
    }

    fn take(&mut self, b: u8) -> bool {
        let found = self.peek() == Some(b);
        self.at += usize::from(found);
        found
    }

    fn wrong<T>(&self, reason: &'static str) -> Result<T, (usize, &'static str)> {
        Err((self.at, reason))
    }

    /// `NAME ( … )`
    fn typed(&mut self) -> Result<(&'a str, Vec<Value<'a>>), (usize, &'static str)> {
        self.blank();
        let (name, after) = keyword(self.bytes, self.at);
        if name.is_empty() {
            return self.wrong("a name is missing");
        }
        self.at = after;
        self.blank();
        if !self.take(b'(') {
            return self.wrong("“(” is missing after a name");
        }
        Ok((name, self.list(1)?))
    }

    /// What stands up to the closing bracket; the opening one is taken.
    fn list(&mut self, depth: usize) -> Result<Vec<Value<'a>>, (usize, &'static str)> {
        if depth > DEEPEST {
            return self.wrong("brackets are nested too deeply");
        }
        let mut out = Vec::new();
        self.blank();
        if self.take(b')') {
            return Ok(out);
        }
        loop {
            out.push(self.value(depth)?);
            self.blank();
            if self.take(b')') {
                return Ok(out);
            }
            if !self.take(b',') {
                return self.wrong("“,” or “)” is missing");
            }
        }
    }

    fn value(&mut self, depth: usize) -> Result<Value<'a>, (usize, &'static str)> {
        self.blank();
        let Some(b) = self.peek() else { return self.wrong("the file ends within an entity") };
        match b {
            b'#' => match number(self.bytes, self.at + 1, self.end) {
                Some((id, after)) => {
                    self.at = after;
                    Ok(Value::Ref(id))
                }
                None => self.wrong("“#” without a number"),
            },
            b'\'' => self.text(),
            b'"' => {
                let start = self.at + 1;
                match memchr::memchr(b'"', &self.bytes[start..self.end]) {
                    Some(length) => {
                        self.at = start + length + 1;
                        Ok(Value::Text(&self.bytes[start..start + length]))
                    }
                    None => self.wrong("a binary value does not end"),
                }
            }
            b'(' => {
                self.at += 1;
                Ok(Value::List(self.list(depth + 1)?))
            }
            b'$' => {
                self.at += 1;
                Ok(Value::Missing)
            }
            b'*' => {
                self.at += 1;
                Ok(Value::Derived)
            }
            b'.' if self.bytes.get(self.at + 1).is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_') => {
                let (name, after) = keyword(self.bytes, self.at + 1);
                self.at = after;
                if !self.take(b'.') {
                    return self.wrong("an enumeration does not end with a dot");
                }
                Ok(Value::Enum(name))
            }
            b if b.is_ascii_digit() || b == b'-' || b == b'+' || b == b'.' => self.number(),
            b if b.is_ascii_alphabetic() || b == b'!' => {
                let (name, after) = keyword(self.bytes, self.at);
                self.at = after;
                self.blank();
                if !self.take(b'(') {
                    return self.wrong("“(” is missing after a name");
                }
                Ok(Value::Typed(name, self.list(depth + 1)?))
            }
            _ => self.wrong("a parameter cannot begin like this"),
        }
    }

    fn text(&mut self) -> Result<Value<'a>, (usize, &'static str)> {
        let start = self.at + 1;
        let mut at = start;
        loop {
            match memchr::memchr(b'\'', &self.bytes[at.min(self.end)..self.end]) {
                Some(length) if self.bytes.get(at + length + 1) == Some(&b'\'') => at += length + 2,
                Some(length) => {
                    self.at = at + length + 1;
                    return Ok(Value::Text(&self.bytes[start..at + length]));
                }
                None => return self.wrong("a string does not end"),
            }
        }
    }

    fn number(&mut self) -> Result<Value<'a>, (usize, &'static str)> {
        let start = self.at;
        let sign = usize::from(matches!(self.peek(), Some(b'+' | b'-')));
        let mut at = start + sign;
        let mut real = false;
        while at < self.end {
            match self.bytes[at] {
                b'0'..=b'9' => {}
                b'.' => real = true,
                b'e' | b'E' | b'd' | b'D' => {
                    real = true;
                    at += usize::from(matches!(self.bytes.get(at + 1), Some(b'+' | b'-')));
                }
                _ => break,
            }
            at += 1;
        }
        let text = &self.bytes[start + usize::from(self.bytes[start] == b'+')..at];
        self.at = at;
        if !real {
            let digits = std::str::from_utf8(text).unwrap_or("");
            return match digits.parse() {
                Ok(i) => Ok(Value::Integer(i)),
                Err(_) => digits.parse().map(Value::Real).or_else(|_| self.wrong("this is not a number")),
            };
        }
        let value = match fast_float2::parse::<f64, _>(text) {
            Ok(x) => Some(x),
            // Exponents with a D, as some writers have them.
            Err(_) => String::from_utf8_lossy(text).replace(['d', 'D'], "E").parse().ok(),
        };
        match value {
            Some(x) if x.is_finite() => Ok(Value::Real(x)),
            _ => self.wrong("this is not a number"),
        }
    }
}

/// A string with its control directives resolved (ISO 10303-21, 6.4.3): `''`, `\\`, `\S\`, `\X\`, `\X2\`,
/// `\X4\`; code page switches are dropped.
pub fn decoded(bytes: &[u8]) -> Cow<'_, str> {
    if !bytes.iter().any(|b| matches!(b, b'\\' | b'\'')) {
        return String::from_utf8_lossy(bytes);
    }
    let mut out = String::new();
    let mut at = 0;
    while at < bytes.len() {
        let rest = &bytes[at..];
        if rest.starts_with(b"''") {
            out.push('\'');
            at += 2;
        } else if rest.starts_with(b"\\\\") {
            out.push('\\');
            at += 2;
        } else if rest.starts_with(b"\\S\\") && rest.len() > 3 {
            out.push(char::from(rest[3] | 0x80));
            at += 4;
        } else if rest.starts_with(b"\\X\\") && rest.len() > 4 {
            let code = std::str::from_utf8(&rest[3..5]).ok().and_then(|h| u8::from_str_radix(h, 16).ok());
            out.push(code.map_or('\u{fffd}', char::from));
            at += 5;
        } else if rest.starts_with(b"\\X2\\") || rest.starts_with(b"\\X4\\") {
            let width = if rest[2] == b'2' { 4 } else { 8 };
            let end = memchr::memmem::find(rest, b"\\X0\\").unwrap_or(rest.len());
            let codes: Vec<u32> = rest[4..end.max(4)]
                .chunks(width)
                .filter_map(|h| u32::from_str_radix(std::str::from_utf8(h).ok()?, 16).ok())
                .collect();
            if width == 4 {
                let units: Vec<u16> = codes.iter().map(|&c| c as u16).collect();
                out.push_str(&String::from_utf16_lossy(&units));
            } else {
                out.extend(codes.into_iter().map(|c| char::from_u32(c).unwrap_or('\u{fffd}')));
            }
            at += (end + 4).min(rest.len());
        } else if rest.starts_with(b"\\P") && rest.get(3) == Some(&b'\\') {
            at += 4;
        } else {
            let end = rest[1..].iter().position(|b| matches!(b, b'\\' | b'\'')).map_or(rest.len(), |n| n + 1);
            out.push_str(&String::from_utf8_lossy(&rest[..end]));
            at += end;
        }
    }
    Cow::Owned(out)
}

/// A reader's error about one place in the file.
pub fn at(name: &str, (byte, reason): (usize, &'static str)) -> ReadError {
    ReadError::at(name, Location::Byte(byte), reason)
}
