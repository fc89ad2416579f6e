//! A crate's lists of children with the type that readers ask for. The writer of `openusd` 0.6 gives them that of an array of
//! tokens, which lies there as the same bytes; readers that are strict refuse it. Layout of crates: AOUSD Core Specification 1.0.

use openusd::usdc::CrateFile;
use std::io::Cursor;

/// Where the type stands in a value's 64 bits, and the bit that says that it is an array.
const TYPE: u64 = 48;
const ARRAY: u64 = 1 << 63;
/// Types of a token and of a list of tokens.
const TOKEN: u64 = 11;
const TOKENS: u64 = 41;
/// Bytes of a section's line in the table: its name, start and size.
const LINE: usize = 32;
const NAME: usize = 16;

/// The same crate with lists of children as lists; `None` if it is no crate as the writer makes them.
pub(super) fn as_lists(bytes: &[u8]) -> Option<Vec<u8>> {
    let file = CrateFile::open(Cursor::new(bytes)).ok()?;
    let section = file.sections.iter().find(|s| s.name() == "FIELDS")?;
    let (start, size) = (usize::try_from(section.start).ok()?, usize::try_from(section.size).ok()?);
    let number = |at: usize| Some(u64::from_le_bytes(bytes.get(at..at + 8)?.try_into().ok()?));
    let values_at = start + 16 + usize::try_from(number(start + 8)?).ok()?;
    let mut values = Vec::with_capacity(8 * file.fields.len());
    for field in &file.fields {
        let value = field.value_rep.0;
        let list = file.tokens.get(field.token_index)?.ends_with("Children");
        let listed = (value & !(ARRAY | 0xff << TYPE)) | TOKENS << TYPE;
        let is_array = value & ARRAY != 0 && value >> TYPE & 0xff == TOKEN;
        values.extend((if list && is_array { listed } else { value }).to_le_bytes());
    }
    // One chunk, as a leading zero says.
    let packed = [vec![0], lz4_flex::block::compress(&values)].concat();
    let mut out = bytes[..values_at].to_vec();
    out.extend((packed.len() as u64).to_le_bytes());
    out.extend(packed);
    let grown = out.len() as i64 - (start + size) as i64;
    let toc = usize::try_from(number(16)?).ok()?;
    out.extend(bytes.get(start + size..toc)?);
    let table = out.len();
    out.extend(&bytes[toc..]);
    out[16..24].copy_from_slice(&(table as u64).to_le_bytes());
    for i in 0..file.sections.len() {
        let line = table + 8 + LINE * i;
        let read = |at: usize| i64::from_le_bytes(out[at..at + 8].try_into().unwrap_or_default());
        let (from, long) = (read(line + NAME), read(line + NAME + 8));
        let moved = if from > start as i64 { from + grown } else { from };
        let length = if from == start as i64 { long + grown } else { long };
        out[line + NAME..line + NAME + 8].copy_from_slice(&moved.to_le_bytes());
        out[line + NAME + 8..line + LINE].copy_from_slice(&length.to_le_bytes());
    }
    Some(out)
}
