//! Whether the counts of a crate can be true: its parser reserves what a file says before it has read it.

use openusd::usdc::CrateFile;
use std::io::Cursor;

/// No byte of a file stands for more numbers than this: LZ4 packs 255 to one, integers of two bits four to a byte.
const RATIO: u64 = 1020;
/// More numbers in one list are no geometry.
const MOST: u64 = 300_000_000;
/// Bits of a value: array, inlined, compressed; its type from bit 48.
const ARRAY: u64 = 1 << 63;
const INLINED: u64 = 1 << 62;
const COMPRESSED: u64 = 1 << 61;
/// Types from this one on are dictionaries and lists of operations; a list of tokens is among them.
const DICTIONARY: u64 = 31;
const TOKENS: u64 = 41;

fn number(bytes: &[u8], at: u64) -> Option<u64> {
    let at = usize::try_from(at).ok()?;
    Some(u64::from_le_bytes(bytes.get(at..at.checked_add(8)?)?.try_into().ok()?))
}

/// Whether every section lies in the file, and counts no more than it can hold: each begins with counts and goes on with packed
/// arrays, whose sizes stand before them.
pub(super) fn sections(bytes: &[u8]) -> bool {
    let most = (bytes.len() as u64).saturating_mul(RATIO).min(MOST);
    let checked = || {
        let table = number(bytes, 16)?;
        let count = number(bytes, table).filter(|n| *n < 64)?;
        for i in 0..count {
            let line = table.checked_add(8 + 32 * i)?;
            let (start, size) = (number(bytes, line.checked_add(16)?)?, number(bytes, line.checked_add(24)?)?);
            let end = start.checked_add(size).filter(|e| *e <= bytes.len() as u64)?;
            let at = usize::try_from(line).ok()?;
            let name = bytes.get(at..at + 16)?.split(|b| *b == 0).next()?;
            let (counts, arrays) = match name {
                b"TOKENS" => (2, 1),
                b"FIELDS" => (1, 2),
                b"FIELDSETS" => (1, 1),
                b"PATHS" => (2, 3),
                b"SPECS" => (1, 3),
                _ => (1, 0),
            };
            for k in 0..counts {
                number(bytes, start + 8 * k).filter(|n| *n <= most)?;
            }
            let mut at = start + 8 * counts;
            for _ in 0..arrays {
                let packed = number(bytes, at)?;
                at = at.checked_add(8)?.checked_add(packed).filter(|e| *e <= end)?;
            }
        }
        Some(())
    };
    checked().is_some()
}

/// Whether every list that is read counts no more than the file can hold, and none is of a kind that is not read.
pub(super) fn values(bytes: &[u8]) -> bool {
    let Ok(file) = CrateFile::open(Cursor::new(bytes)) else { return false };
    file.fields.iter().all(|field| {
        let value = field.value_rep.0;
        let (kind, at) = (value >> 48 & 0xff, value & ((1 << 48) - 1));
        let name = file.tokens.get(field.token_index).map_or("", String::as_str);
        let read = matches!(name, "default" | "metersPerUnit" | "upAxis" | "typeName") || name.ends_with("Children");
        if !read || value & INLINED != 0 {
            return true;
        }
        if kind >= DICTIONARY && kind != TOKENS {
            return false;
        }
        if value & ARRAY == 0 && kind != TOKENS {
            return true;
        }
        let ratio = if value & COMPRESSED != 0 { RATIO } else { 1 };
        let packed = value & COMPRESSED == 0 || number(bytes, at + 8).is_some_and(|n| n <= bytes.len() as u64);
        // An empty list has no bytes.
        at == 0
            || packed && number(bytes, at).is_some_and(|n| n <= (bytes.len() as u64).saturating_mul(ratio).min(MOST))
    })
}
