//! Text in the encodings that editors leave behind: UTF-16, and marks at the beginning.

use std::borrow::Cow;

/// How much of a file without a mark is looked at.
const LOOKED_AT: usize = 1024;

/// The bytes of a file as its reader expects them: without a byte-order mark, and UTF-16 as UTF-8.
pub fn plain(bytes: &[u8]) -> Cow<'_, [u8]> {
    match bytes {
        [0xef, 0xbb, 0xbf, rest @ ..] => Cow::Borrowed(rest),
        [0xff, 0xfe, rest @ ..] => Cow::Owned(from_utf16(rest, u16::from_le_bytes)),
        [0xfe, 0xff, rest @ ..] => Cow::Owned(from_utf16(rest, u16::from_be_bytes)),
        _ if is_spaced_ascii(bytes, 0) => Cow::Owned(from_utf16(bytes, u16::from_le_bytes)),
        _ if is_spaced_ascii(bytes, 1) => Cow::Owned(from_utf16(bytes, u16::from_be_bytes)),
        _ => Cow::Borrowed(bytes),
    }
}

/// Whether every other byte is zero and the ones between, from `first` on, are text.
fn is_spaced_ascii(bytes: &[u8], first: usize) -> bool {
    let looked = &bytes[..bytes.len().min(LOOKED_AT)];
    let is_text = |b: u8| b.is_ascii_graphic() || b.is_ascii_whitespace();
    looked.len() >= 16 && looked.iter().enumerate().all(|(i, b)| if i % 2 == first { is_text(*b) } else { *b == 0 })
}

fn from_utf16(bytes: &[u8], unit: fn([u8; 2]) -> u16) -> Vec<u8> {
    let units = bytes.as_chunks::<2>().0.iter().map(|b| unit(*b));
    let text: String = char::decode_utf16(units).map(|c| c.unwrap_or(char::REPLACEMENT_CHARACTER)).collect();
    text.into_bytes()
}
