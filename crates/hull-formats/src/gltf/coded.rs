//! Stretches of buffers that are coded by the extension `EXT_meshopt_compression`: its text says how items, facets and rows of
//! whole numbers are coded, and how places as powers of two are.

use serde::Deserialize;

/// How a stretch is coded.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Coded {
    /// Which buffer.
    pub buffer: usize,
    /// From where in it.
    #[serde(default)]
    pub byte_offset: usize,
    /// How far.
    pub byte_length: usize,
    /// Bytes of an item once it is decoded.
    pub byte_stride: usize,
    count: usize,
    mode: Mode,
    #[serde(default)]
    filter: Filter,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "UPPERCASE")]
enum Mode {
    Attributes,
    Triangles,
    Indices,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "UPPERCASE")]
enum Filter {
    #[default]
    None,
    /// Directions: nothing that is read here.
    Octahedral,
    /// Turns: nothing that is read here.
    Quaternion,
    Exponential,
}

/// All decoded stretches of a file take no more.
pub const MOST_BYTES: usize = 2 << 30;
const CUT_OFF: &str = "it ends before its items do: it is cut off or damaged";
const LONGER: &str = "more follows after its items: it is damaged";

impl Coded {
    /// The items as the accessors expect them, in `most` bytes at most.
    ///
    /// # Errors
    /// A sentence.
    pub fn decoded(&self, bytes: &[u8], most: usize) -> Result<Vec<u8>, String> {
        let stride = self.byte_stride;
        let size = self.count.checked_mul(stride).filter(|n| *n <= most);
        let size = size.ok_or_else(|| format!("{} items of {stride} bytes are more than is decoded", self.count))?;
        let told = |why: &str| format!("its coded arrays cannot be decoded: {why}");
        let mut out = match self.mode {
            // Two bits stand for sixteen bytes at best, so that what is claimed without being there is refused first.
            Mode::Attributes if size / 64 > bytes.len() => return Err(told(CUT_OFF)),
            Mode::Attributes => items(bytes, self.count, stride).map_err(|e| told(&e))?,
            Mode::Triangles | Mode::Indices if !matches!(stride, 2 | 4) => {
                return Err(told(&format!("whole numbers of {stride} bytes are none")));
            }
            Mode::Triangles => whole(&facets(bytes, self.count).map_err(|e| told(&e))?, stride),
            Mode::Indices => whole(&numbers(bytes, self.count).map_err(|e| told(&e))?, stride),
        };
        if self.filter == Filter::Exponential {
            let (words, _) = out.as_chunks_mut::<4>();
            for word in words {
                let v = i32::from_le_bytes(*word);
                // A signed byte as the power, the rest as the signed number before it.
                *word = ((f64::from(v << 8 >> 8) * f64::from(v >> 24).exp2()) as f32).to_le_bytes();
            }
        }
        Ok(out)
    }
}

fn whole(numbers: &[u32], bytes: usize) -> Vec<u8> {
    numbers.iter().flat_map(|n| n.to_le_bytes().into_iter().take(bytes)).collect()
}

/// Bytes that are taken from the front.
struct Bytes<'a>(&'a [u8]);

impl<'a> Bytes<'a> {
    fn take(&mut self, n: usize) -> Result<&'a [u8], String> {
        let (taken, rest) = self.0.split_at_checked(n).ok_or(CUT_OFF)?;
        self.0 = rest;
        Ok(taken)
    }

    fn one(&mut self) -> Result<u8, String> {
        Ok(self.take(1)?[0])
    }

    /// A whole number, seven bits a byte, the lowest first; the highest bit says that more follow.
    fn whole(&mut self) -> Result<u32, String> {
        let mut n = 0;
        for shift in (0..35).step_by(7) {
            let byte = self.one()?;
            n |= u32::from(byte & 0x7f).checked_shl(shift).unwrap_or(0);
            if byte < 0x80 {
                break;
            }
        }
        Ok(n)
    }

    /// A number that differs from another by what is coded, odd ones down and even ones up.
    fn beside(&mut self, last: u32) -> Result<u32, String> {
        let n = self.whole()?;
        Ok(last.wrapping_add((n >> 1) ^ (n & 1).wrapping_neg()))
    }
}

/// The first byte of a kind of stream, its version in the lower half.
fn version(bytes: &mut Bytes, kind: u8, most: u8) -> Result<u8, String> {
    let head = bytes.one()?;
    if head & 0xf0 != kind {
        return Err("it does not begin as its kind does".into());
    }
    let version = head & 0x0f;
    if version > most { Err(format!("version {version} of its coding is not read")) } else { Ok(version) }
}

/// Items of some bytes each: in blocks, byte by byte of the item, as differences from the item before.
fn items(bytes: &[u8], count: usize, stride: usize) -> Result<Vec<u8>, String> {
    if stride == 0 || stride > 256 || !stride.is_multiple_of(4) {
        return Err(format!("items of {stride} bytes are not coded so"));
    }
    let mut bytes = Bytes(bytes);
    version(&mut bytes, 0xa0, 0)?;
    // The first item is told from the bytes at the end.
    let tail = stride.max(32);
    let coded = bytes.0.len().checked_sub(tail).ok_or(CUT_OFF)?;
    let mut last = bytes.0[bytes.0.len() - stride..].to_vec();
    let mut bytes = Bytes(&bytes.0[..coded]);
    let block = ((8192 / stride) & !15).min(256);
    let mut out = vec![0; count * stride];
    let mut differences = Vec::with_capacity(block);
    for items in out.chunks_mut(block * stride) {
        let n = items.len() / stride;
        for k in 0..stride {
            differences.clear();
            groups(&mut bytes, n.div_ceil(16), &mut differences)?;
            for (item, d) in items.chunks_exact_mut(stride).zip(&differences) {
                last[k] = last[k].wrapping_add((d >> 1) ^ (d & 1).wrapping_neg());
                item[k] = last[k];
            }
        }
    }
    if bytes.0.is_empty() { Ok(out) } else { Err(LONGER.into()) }
}

/// Groups of sixteen bytes: how many bits each of a group has stands before all of them.
fn groups(bytes: &mut Bytes, many: usize, out: &mut Vec<u8>) -> Result<(), String> {
    let head = bytes.take(many.div_ceil(4))?;
    for group in 0..many {
        let bits = match (head[group / 4] >> (group % 4 * 2)) & 3 {
            0 => {
                out.extend([0; 16]);
                continue;
            }
            3 => {
                out.extend(bytes.take(16)?);
                continue;
            }
            1 => 2,
            _ => 4,
        };
        // The highest value says that the byte stands behind the group.
        let most = (1_u8 << bits) - 1;
        for packed in bytes.take(2 * bits)? {
            for place in (0..8 / bits).rev() {
                out.push((packed >> (place * bits)) & most);
            }
        }
        let first = out.len() - 16;
        for slot in out[first..].iter_mut().filter(|x| **x == most) {
            *slot = bytes.one()?;
        }
    }
    Ok(())
}

/// The last sixteen of something.
struct Recent<T> {
    all: [T; 16],
    at: usize,
}

impl<T: Copy + Default> Recent<T> {
    fn new() -> Recent<T> {
        Recent { all: [T::default(); 16], at: 0 }
    }

    fn push(&mut self, x: T) {
        self.all[self.at % 16] = x;
        self.at += 1;
    }

    /// The one that so many were pushed after.
    fn back(&self, n: usize) -> T {
        self.all[(self.at + 15 - n) % 16]
    }
}

/// Corners of facets: each by an edge and a point that were there before, where that is so.
fn facets(bytes: &[u8], count: usize) -> Result<Vec<u32>, String> {
    if !count.is_multiple_of(3) {
        return Err(format!("{count} corners are no triangles"));
    }
    let mut bytes = Bytes(bytes);
    let version = version(&mut bytes, 0xe0, 1)?;
    let codes = bytes.take(count / 3)?;
    let coded = bytes.0.len().checked_sub(16).ok_or(CUT_OFF)?;
    let (coded, usual) = bytes.0.split_at(coded);
    let mut bytes = Bytes(coded);
    let mut edges = Recent::<[u32; 2]>::new();
    let mut points = Recent::<u32>::new();
    let (mut next, mut last) = (0_u32, 0_u32);
    let steps = if version == 0 { 15 } else { 13 };
    let mut out = Vec::with_capacity(count);
    let fresh = |next: &mut u32| {
        *next = next.wrapping_add(1);
        next.wrapping_sub(1)
    };
    for &code in codes {
        let [a, b, c];
        if code < 0xf0 {
            [a, b] = edges.back(usize::from(code >> 4));
            let is_known = code & 15 != 0 && code & 15 < steps;
            c = match code & 15 {
                0 => fresh(&mut next),
                n if is_known => points.back(usize::from(n)),
                n => {
                    last = match n {
                        13 => last.wrapping_sub(1),
                        14 => last.wrapping_add(1),
                        _ => bytes.beside(last)?,
                    };
                    last
                }
            };
            if !is_known {
                points.push(c);
            }
        } else {
            let (is_usual, pair) =
                if code < 0xfe { (true, usual[usize::from(code & 15)]) } else { (false, bytes.one()?) };
            if !is_usual && pair == 0 {
                next = 0;
            }
            let (of_b, of_c) = (pair >> 4, pair & 15);
            // In the order in which they are coded: new ones first, then those that stand as differences.
            let mut of = |n: u8| match n {
                0 => fresh(&mut next),
                // Counted before any of this facet is pushed.
                n => points.back(usize::from(n) - 1),
            };
            let mut found = [of(if code == 0xff { 15 } else { 0 }), of(of_b), of(of_c)];
            if !is_usual {
                for (slot, _) in found.iter_mut().zip([code == 0xff, of_b == 15, of_c == 15]).filter(|x| x.1) {
                    last = bytes.beside(last)?;
                    *slot = last;
                }
            }
            [a, b, c] = found;
            points.push(a);
            if of_b == 0 || !is_usual && of_b == 15 {
                points.push(b);
            }
            if of_c == 0 || !is_usual && of_c == 15 {
                points.push(c);
            }
            edges.push([b, a]);
        }
        edges.push([c, b]);
        edges.push([a, c]);
        out.extend([a, b, c]);
    }
    if bytes.0.is_empty() { Ok(out) } else { Err(LONGER.into()) }
}

/// Whole numbers in a row, each as the difference from one of two that went before.
fn numbers(bytes: &[u8], count: usize) -> Result<Vec<u32>, String> {
    let mut bytes = Bytes(bytes);
    version(&mut bytes, 0xd0, 1)?;
    let coded = bytes.0.len().checked_sub(4).ok_or(CUT_OFF)?;
    if count > coded {
        return Err(CUT_OFF.into());
    }
    let mut bytes = Bytes(&bytes.0[..coded]);
    let mut last = [0_u32; 2];
    let mut out = Vec::with_capacity(count);
    for _ in 0..count {
        let n = bytes.whole()?;
        let (which, n) = ((n & 1) as usize, n >> 1);
        last[which] = last[which].wrapping_add((n >> 1) ^ (n & 1).wrapping_neg());
        out.push(last[which]);
    }
    if bytes.0.is_empty() { Ok(out) } else { Err(LONGER.into()) }
}
