//! Group codes with their values, as text or binary, and the records they form.

use crate::text::shown;
use crate::{Location, ReadError};
use std::borrow::Cow;

/// What a group code carries.
#[derive(Clone, Debug)]
pub enum Value<'a> {
    /// A string, or a number as text.
    Text(Cow<'a, [u8]>),
    /// A number of a binary file.
    Real(f64),
    /// A whole number of a binary file.
    Whole(i64),
}

/// What follows a group code 0: the record's word and its pairs.
#[derive(Clone, Debug)]
pub struct Record<'a> {
    /// The word behind the 0.
    pub word: Cow<'a, [u8]>,
    /// In the file's order.
    pub pairs: Vec<(i32, Value<'a>)>,
}

impl Record<'_> {
    /// The first number under a code.
    pub fn real(&self, code: i32) -> Option<f64> {
        self.pairs.iter().find(|p| p.0 == code).and_then(|p| p.1.real())
    }

    /// The first whole number under a code; 0 if there is none.
    pub fn whole(&self, code: i32) -> i64 {
        self.real(code).map_or(0, |x| x as i64)
    }

    /// The first text under a code; empty if there is none.
    pub fn text(&self, code: i32) -> String {
        self.pairs.iter().find(|p| p.0 == code).map_or(String::new(), |p| p.1.text())
    }

    /// All numbers under a code, in order.
    pub fn reals(&self, code: i32) -> Vec<f64> {
        self.pairs.iter().filter(|p| p.0 == code).filter_map(|p| p.1.real()).collect()
    }

    /// The first place whose x stands under a code: y and z stand 10 and 20 further; what is missing is 0.
    pub fn point(&self, code: i32) -> Option<[f64; 3]> {
        let x = self.real(code)?;
        Some([x, self.real(code + 10).unwrap_or(0.0), self.real(code + 20).unwrap_or(0.0)])
    }

    /// All places whose x stands under a code.
    pub fn points(&self, code: i32) -> Vec<[f64; 3]> {
        let mut out: Vec<[f64; 3]> = Vec::new();
        for (c, value) in &self.pairs {
            let Some(x) = value.real() else { continue };
            match c.wrapping_sub(code) {
                0 => out.push([x, 0.0, 0.0]),
                10 => out.iter_mut().last().into_iter().for_each(|p| p[1] = x),
                20 => out.iter_mut().last().into_iter().for_each(|p| p[2] = x),
                _ => {}
            }
        }
        out
    }
}

impl Value<'_> {
    /// A finite number.
    pub fn real(&self) -> Option<f64> {
        let x = match self {
            Value::Text(text) => fast_float2::parse::<f64, _>(text.trim_ascii()).ok()?,
            Value::Real(x) => *x,
            Value::Whole(n) => *n as f64,
        };
        Some(x).filter(|x| x.is_finite())
    }

    fn text(&self) -> String {
        match self {
            Value::Text(text) => String::from_utf8_lossy(text).into_owned(),
            Value::Real(x) => x.to_string(),
            Value::Whole(n) => n.to_string(),
        }
    }
}

/// What group codes carry, by their range.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Text,
    Bytes,
    Real,
    Short,
    Long,
    Longest,
    Truth,
}

fn kind(code: i32) -> Kind {
    match code {
        10..=59 | 110..=149 | 210..=239 | 460..=469 | 1010..=1059 => Kind::Real,
        60..=79 | 170..=179 | 270..=289 | 370..=389 | 400..=409 | 1060..=1070 => Kind::Short,
        90..=99 | 420..=429 | 440..=459 | 1071 => Kind::Long,
        160..=169 => Kind::Longest,
        290..=299 => Kind::Truth,
        310..=319 | 1004 => Kind::Bytes,
        _ => Kind::Text,
    }
}

/// Whether these are the bytes of the binary form: its mark ends in the eighteenth byte with these words.
pub fn is_binary(bytes: &[u8]) -> bool {
    bytes.get(8..22) == Some(b"Binary DXF\r\n\x1a\0")
}

/// Reads records one after the other.
pub struct Records<'a> {
    file: &'a str,
    bytes: &'a [u8],
    at: usize,
    line: usize,
    binary: bool,
    /// Whether codes of the binary form take one byte, as they did at first.
    short_codes: bool,
    /// A 0 with its word that was read already.
    next: Option<Cow<'a, [u8]>>,
}

impl<'a> Records<'a> {
    /// Starts at the first pair.
    pub fn new(file: &'a str, bytes: &'a [u8]) -> Records<'a> {
        let binary = is_binary(bytes);
        let at = if binary { 22 } else { 0 };
        let short_codes = binary && bytes.get(at + 1).is_some_and(|b| *b != 0);
        Records { file, bytes, at, line: 0, binary, short_codes, next: None }
    }

    /// How much of the file was read, from 0 to 1.
    pub fn share(&self) -> f64 {
        self.at as f64 / self.bytes.len().max(1) as f64
    }

    fn place(&self) -> Location {
        if self.binary { Location::Byte(self.at) } else { Location::Line(self.line.max(1)) }
    }

    /// An error where the reader is.
    pub fn error(&self, reason: impl Into<String>) -> ReadError {
        ReadError::at(self.file, self.place(), reason)
    }

    /// The next record; `None` at the end of the file.
    ///
    /// # Errors
    /// [`ReadError`] with line or byte.
    pub fn next(&mut self) -> Result<Option<Record<'a>>, ReadError> {
        while self.next.is_none() {
            // Before the first 0 there are only remarks.
            let Some(pair) = self.pair()? else { return Ok(None) };
            self.begin(pair);
        }
        let Some(word) = self.next.take() else { return Ok(None) };
        let mut pairs = Vec::new();
        // What stands behind the end mark says nothing.
        if word.trim_ascii() == b"EOF" {
            return Ok(Some(Record { word, pairs }));
        }
        while let Some((code, value)) = self.pair()? {
            if code == 0 {
                self.begin((code, value));
                break;
            }
            if code != 999 {
                pairs.push((code, value));
            }
        }
        Ok(Some(Record { word, pairs }))
    }

    fn begin(&mut self, (code, value): (i32, Value<'a>)) {
        if let (0, Value::Text(word)) = (code, value) {
            self.next = Some(word);
        }
    }

    fn pair(&mut self) -> Result<Option<(i32, Value<'a>)>, ReadError> {
        if self.binary { self.binary_pair() } else { self.text_pair() }
    }

    fn text_line(&mut self) -> Option<&'a [u8]> {
        if self.at >= self.bytes.len() {
            return None;
        }
        let rest = &self.bytes[self.at..];
        let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
        self.at += length + 1;
        self.line += 1;
        Some(rest[..length].trim_ascii())
    }

    fn text_pair(&mut self) -> Result<Option<(i32, Value<'a>)>, ReadError> {
        let Some(code) = self.text_line() else { return Ok(None) };
        if code.is_empty() && self.bytes[self.at.min(self.bytes.len())..].trim_ascii().is_empty() {
            return Ok(None);
        }
        let number = std::str::from_utf8(code).ok().and_then(|s| s.parse::<i32>().ok());
        let number = number.ok_or_else(|| self.error(format!("“{}” is not a group code", shown(code))))?;
        let Some(value) = self.text_line() else {
            return Err(self.error(format!("the file ends behind group code {number}: it is cut off")));
        };
        Ok(Some((number, Value::Text(value.into()))))
    }

    fn take<const N: usize>(&mut self) -> Result<[u8; N], ReadError> {
        let found = self.bytes.get(self.at..self.at + N).and_then(|b| b.try_into().ok());
        let found = found.ok_or_else(|| self.error("the file ends within a group: it is cut off"))?;
        self.at += N;
        Ok(found)
    }

    fn binary_pair(&mut self) -> Result<Option<(i32, Value<'a>)>, ReadError> {
        if self.at >= self.bytes.len() {
            return Ok(None);
        }
        let code = match self.short_codes {
            true => match self.take::<1>()?[0] {
                255 => i32::from(i16::from_le_bytes(self.take()?)),
                code => i32::from(code),
            },
            false => i32::from(i16::from_le_bytes(self.take()?)),
        };
        let value = match kind(code) {
            Kind::Real => Value::Real(f64::from_le_bytes(self.take()?)),
            Kind::Short => Value::Whole(i64::from(i16::from_le_bytes(self.take()?))),
            Kind::Long => Value::Whole(i64::from(i32::from_le_bytes(self.take()?))),
            Kind::Longest => Value::Whole(i64::from_le_bytes(self.take()?)),
            Kind::Truth => Value::Whole(i64::from(self.take::<1>()?[0])),
            Kind::Bytes => {
                let length = usize::from(self.take::<1>()?[0]);
                let end = self.at + length;
                let found = self.bytes.get(self.at..end);
                let found = found.ok_or_else(|| self.error("the file ends within a group: it is cut off"))?;
                self.at = end;
                Value::Text(found.into())
            }
            Kind::Text => {
                let rest = &self.bytes[self.at..];
                let length = memchr::memchr(0, rest);
                let length = length.ok_or_else(|| self.error("the file ends within a text: it is cut off"))?;
                self.at += length + 1;
                Value::Text(rest[..length].into())
            }
        };
        Ok(Some((code, value)))
    }
}
