//! Arrays in all the ways in which the form writes them.

use base64::Engine;
use flate2::read::ZlibDecoder;
use quick_xml::events::BytesStart;
use std::io::Read;

/// An array of numbers.
#[derive(Clone, Debug, Default)]
pub struct Array {
    /// As the file names it.
    pub name: String,
    /// Numbers an item has.
    pub each: usize,
    /// All numbers.
    pub values: Vec<f64>,
    /// What its numbers are: “Float64”, “String” for characters.
    pub kind: String,
}

/// How an array stands in the file.
pub enum Form {
    /// As text.
    Text,
    /// In base 64.
    Binary,
    /// Behind everything, from this byte on.
    Appended(usize),
}

fn text(e: &BytesStart, key: &str) -> String {
    let found = e.attributes().flatten().find(|a| a.key.as_ref() == key);
    found.map(|a| a.value.to_string()).unwrap_or_default()
}

impl Array {
    /// An array without its numbers, and how they stand there.
    ///
    /// # Errors
    /// A sentence.
    pub fn of(e: &BytesStart) -> Result<(Array, Form), String> {
        let each = text(e, "NumberOfComponents").trim().parse().unwrap_or(1);
        let array = Array { name: text(e, "Name"), each, kind: text(e, "type"), values: Vec::new() };
        let form = match text(e, "format").as_str() {
            "" | "ascii" => Form::Text,
            "binary" => Form::Binary,
            "appended" => {
                let offset = text(e, "offset");
                Form::Appended(
                    offset.trim().parse().map_err(|_| format!("“{offset}” is not a place in the appended data"))?,
                )
            }
            other => return Err(format!("“{other}” is no form of an array")),
        };
        Ok((array, form))
    }
}

/// What the file says of all its arrays.
#[derive(Default)]
pub struct Head {
    big: bool,
    wide: bool,
    packed: bool,
}

impl Head {
    /// # Errors
    /// A sentence, if arrays are packed by a method that is not read.
    pub fn of(e: &BytesStart) -> Result<Head, String> {
        let compressor = text(e, "compressor");
        if !["", "vtkZLibDataCompressor"].contains(&compressor.as_str()) {
            return Err(format!(
                "its arrays are packed by {compressor}, which is not read: save it with zlib or without"
            ));
        }
        let (big, wide) = (text(e, "byte_order") == "BigEndian", text(e, "header_type") == "UInt64");
        Ok(Head { big, wide, packed: !compressor.is_empty() })
    }

    fn word(&self) -> usize {
        if self.wide { 8 } else { 4 }
    }

    fn whole(&self, b: &[u8]) -> Option<u64> {
        Some(match (self.wide, self.big) {
            (false, false) => u64::from(u32::from_le_bytes(b.get(..4)?.try_into().ok()?)),
            (false, true) => u64::from(u32::from_be_bytes(b.get(..4)?.try_into().ok()?)),
            (true, false) => u64::from_le_bytes(b.get(..8)?.try_into().ok()?),
            (true, true) => u64::from_be_bytes(b.get(..8)?.try_into().ok()?),
        })
    }

    /// The numbers of an array that stands in its element.
    ///
    /// # Errors
    /// A sentence.
    pub fn decoded(&self, raw: &[u8], array: &Array, form: &Form) -> Result<Vec<f64>, String> {
        match form {
            Form::Text => {
                let words = raw.split(|b| b.is_ascii_whitespace()).filter(|w| !w.is_empty());
                let number = |w: &[u8]| {
                    fast_float2::parse(w).map_err(|_| format!("“{}” is not a number", crate::text::shown(w)))
                };
                words.map(number).collect()
            }
            _ => self.unpacked(&Source::Base64(raw), array),
        }
    }

    /// Head and blocks, or one length with the bytes.
    fn unpacked(&self, source: &Source, array: &Array) -> Result<Vec<f64>, String> {
        let cut = || format!("array “{}” is cut off", array.name);
        let bytes = if self.packed {
            let w = self.word();
            let three = source.bytes(0, 3 * w).ok_or_else(cut)?;
            let blocks = self.whole(&three).ok_or_else(cut)? as usize;
            if blocks > source.length() / w + 1 {
                return Err(cut());
            }
            let size = self.whole(&three[w..]).ok_or_else(cut)? as usize;
            let head = (3 + blocks) * w;
            let sizes = source.bytes(0, head).ok_or_else(cut)?;
            let sizes = sizes[3 * w..].chunks(w).map(|b| self.whole(b).unwrap_or(0) as usize);
            let mut out = Vec::new();
            let sizes: Vec<usize> = sizes.collect();
            let all = sizes.iter().try_fold(0_usize, |a, b| a.checked_add(*b)).ok_or_else(cut)?;
            let packed = source.behind(head, all).ok_or_else(cut)?;
            let mut at = 0;
            for n in sizes {
                let block = packed.get(at..at + n).ok_or_else(cut)?;
                let read = ZlibDecoder::new(block).take(size as u64 + 1).read_to_end(&mut out);
                read.map_err(|e| format!("array “{}” is damaged: {e}", array.name))?;
                at += n;
            }
            out
        } else {
            let w = self.word();
            let n = self.whole(&source.bytes(0, w).ok_or_else(cut)?).ok_or_else(cut)? as usize;
            let all = source.bytes(0, w.checked_add(n).ok_or_else(cut)?).ok_or_else(cut)?;
            all[w..].to_vec()
        };
        self.numbers(&bytes, &array.kind)
    }

    fn numbers(&self, bytes: &[u8], kind: &str) -> Result<Vec<f64>, String> {
        macro_rules! each {
            ($t:ty) => {{
                let chunks = bytes.as_chunks::<{ size_of::<$t>() }>().0.iter();
                chunks
                    .map(|b| if self.big { <$t>::from_be_bytes(*b) } else { <$t>::from_le_bytes(*b) } as f64)
                    .collect()
            }};
        }
        Ok(match kind {
            "Float64" => each!(f64),
            "Float32" => each!(f32),
            "Int64" => each!(i64),
            "UInt64" => each!(u64),
            "Int32" => each!(i32),
            "UInt32" => each!(u32),
            "Int16" => each!(i16),
            "UInt16" => each!(u16),
            "Int8" => each!(i8),
            "UInt8" => each!(u8),
            other => return Err(format!("“{other}” is no type of number")),
        })
    }
}

/// Where bytes of an array come from: in base 64 the head and what follows are encoded each for itself.
enum Source<'a> {
    Raw(&'a [u8]),
    Base64(&'a [u8]),
}

impl Source<'_> {
    fn length(&self) -> usize {
        match self {
            Source::Raw(b) | Source::Base64(b) => b.len(),
        }
    }

    /// The first bytes of what is encoded together from `from` on, which is a place in the encoded text.
    fn bytes(&self, from: usize, n: usize) -> Option<Vec<u8>> {
        match self {
            Source::Raw(b) => Some(b.get(from..from.checked_add(n)?)?.to_vec()),
            Source::Base64(t) => {
                let wanted = n.div_ceil(3).checked_mul(4)?;
                let text: Vec<u8> =
                    t.iter().filter(|b| !b.is_ascii_whitespace()).skip(from).take(wanted).copied().collect();
                let mut out = base64::engine::general_purpose::STANDARD.decode(&text).ok()?;
                (out.len() >= n).then(|| {
                    out.truncate(n);
                    out
                })
            }
        }
    }

    /// `n` bytes behind a head of `head` bytes.
    fn behind(&self, head: usize, n: usize) -> Option<Vec<u8>> {
        match self {
            Source::Raw(_) => self.bytes(head, n),
            Source::Base64(_) => self.bytes(head.div_ceil(3) * 4, n),
        }
    }
}

/// What stands behind the description.
pub struct Appended<'a> {
    /// Where its element begins.
    pub begins: usize,
    data: &'a [u8],
    base64: bool,
}

impl<'a> Appended<'a> {
    /// The appended data of a file, if it has some: they begin behind an underscore.
    pub fn of(bytes: &'a [u8]) -> Option<Appended<'a>> {
        let begins = memchr::memmem::find(bytes, b"<AppendedData")?;
        let end = begins + memchr::memchr(b'>', &bytes[begins..])?;
        let base64 = memchr::memmem::find(&bytes[begins..end], b"base64").is_some();
        let data = end + memchr::memchr(b'_', &bytes[end..])? + 1;
        Some(Appended { begins, data: &bytes[data..], base64 })
    }

    /// An array that stands there.
    ///
    /// # Errors
    /// A sentence.
    pub fn numbers(&self, offset: usize, array: &Array, head: &Head) -> Result<Vec<f64>, String> {
        let own = self.data.get(offset..).ok_or_else(|| format!("array “{}” is cut off", array.name))?;
        head.unpacked(&if self.base64 { Source::Base64(own) } else { Source::Raw(own) }, array)
    }
}
