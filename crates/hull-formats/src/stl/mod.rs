//! STL, ASCII (with any number of solids) and binary.

use crate::Content;
use crate::format::{Carries, FileFormat};
use crate::naming;
use crate::text::{Words, shown};
use crate::{Format, Label, Labels, Location, NamedFacets, ReadError, Received, Skipped};
use hull_geometry::join::{self, Joiner};
use hull_geometry::vector::unit;
use hull_geometry::{Cancelled, FacetId, Mesh, PointId, Watch};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::io::Write;
use typed_index_collections::TiVec;

/// STL, as text or binary.
pub const FORMAT: FileFormat = FileFormat {
    id: "stl",
    title: "STL",
    endings: &["stl"],
    declares: "no unit; names of solids in the ASCII form",
    needs_unit: false,
    carries: Carries::Facets,
    // A binary file says how many facets of 50 bytes follow its head of 84.
    sniff: |bytes| {
        let says = bytes.get(80..84).and_then(|b| b.try_into().ok()).map_or(0, u32::from_le_bytes);
        bytes.trim_ascii_start().starts_with(b"solid") || (says > 0 && bytes.len() as u64 == 84 + 50 * u64::from(says))
    },
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(|s| if s.ascii { write_ascii(s.mesh, s.parts) } else { write_whole(s.mesh) }),
    write_points: None,
    write_lines: None,
    gather: None,
};

const HEADER: usize = 84;
const RECORD: usize = 50;
/// Facets whose corners are joined together.
const TOGETHER: usize = 4096;

/// Reads either form. A file is binary if its length is what its facet count asks for, whatever its first
/// word; otherwise text that starts with `solid` is ASCII.
///
/// # Errors
/// [`ReadError`], with the line (ASCII) or the byte (binary).
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let claimed = claimed_facets(bytes);
    if claimed.is_some_and(|n| n.checked_mul(RECORD).and_then(|b| b.checked_add(HEADER)) == Some(bytes.len())) {
        return read_binary(name, bytes, watch);
    }
    if looks_like_text(bytes) {
        return read_ascii(name, bytes, watch);
    }
    let Some(claimed) = claimed else {
        return Err(ReadError::at(
            name,
            Location::Byte(bytes.len()),
            format!(
                "neither “solid” text nor the {HEADER}-byte header of a binary STL: the file is {} bytes long",
                bytes.len()
            ),
        ));
    };
    let held = (bytes.len() - HEADER) / RECORD;
    Err(ReadError::at(
        name,
        Location::Byte(80),
        format!(
            "the header claims {claimed} facets, but the file holds {held} of {RECORD} bytes each and {} bytes more",
            (bytes.len() - HEADER) % RECORD
        ),
    ))
}

/// More different values than these are no colours of parts.
const MOST_COLOURS: usize = 256;

fn claimed_facets(bytes: &[u8]) -> Option<usize> {
    let count = bytes.get(80..HEADER)?;
    Some(u32::from_le_bytes([count[0], count[1], count[2], count[3]]) as usize)
}

fn looks_like_text(bytes: &[u8]) -> bool {
    let start = bytes.trim_ascii_start();
    let head = &start[..start.len().min(512)];
    start.len() >= 5 && start[..5].eq_ignore_ascii_case(b"solid") && !head.contains(&0)
}

fn read_binary(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    watch.report(0.0, "reading facets and joining equal points")?;
    let records = &bytes[HEADER..];
    let facets = records.len() / RECORD;
    if join::in_no_order(facets, |c| corner_of(records, c)) {
        // The error is small: it is handed from corner to corner.
        let mesh = join::by_partitions(3 * facets, |c| match corner_of(records, c) {
            _ if c.is_multiple_of(3 * TOGETHER) && watch.check().is_err() => Err(None),
            p if is_finite(p) => Ok(p),
            _ => Err(Some(c)),
        });
        let mesh = mesh.map_err(|stopped| match stopped {
            Some(c) => not_finite(name, corner_of(records, c), c / 3, c % 3),
            None => ReadError::Cancelled(Cancelled),
        })?;
        let coloured = records.par_chunks_exact(RECORD).filter(|r| r[48] != 0 || r[49] != 0).count();
        return Ok(with_colours(mesh, coloured, bytes));
    }
    let share = facets.div_ceil(rayon::current_num_threads().max(1)).max(1);
    let parts: Vec<(join::InputPart<[f32; 3]>, usize)> = records
        .par_chunks(share * RECORD)
        .enumerate()
        .map(|(i, part)| read_records(name, part, i * share, watch))
        .collect::<Result<_, _>>()?;
    watch.report(0.8, "joining the parts")?;
    let coloured: usize = parts.iter().map(|p| p.1).sum();
    Ok(with_colours(join::merge(parts.into_iter().map(|p| p.0).collect()), coloured, bytes))
}

/// The facets with what their two bytes say, if `coloured` of them say anything.
fn with_colours(mesh: Mesh, coloured: usize, bytes: &[u8]) -> Received {
    let plain = Received::plain(Format::StlBinary, mesh);
    // Most files have none: they are not gone through for colours.
    if coloured == 0 {
        return plain;
    }
    match colours(bytes) {
        Some((labels, label_of)) => Received { labels, label_of, ..plain },
        None => {
            let what = "facet attribute (two bytes without a standard meaning)".into();
            Received { skipped: vec![Skipped { what, count: coloured }], ..plain }
        }
    }
}

/// Corner `c` of all, counted through from the first record.
#[inline]
fn corner_of(records: &[u8], c: usize) -> [f32; 3] {
    corner(&records[c / 3 * RECORD..][..RECORD], c % 3)
}

/// Corner `k` of a record.
#[inline]
fn corner(record: &[u8], k: usize) -> [f32; 3] {
    let bytes = &record[12 + k * 12..][..12];
    // Written out: a function over an array is called once a number here, which takes a twentieth of the reading.
    let number = |i: usize| f32::from_le_bytes([bytes[i], bytes[i + 1], bytes[i + 2], bytes[i + 3]]);
    [number(0), number(4), number(8)]
}

#[inline]
fn is_finite(p: [f32; 3]) -> bool {
    p[0].is_finite() && p[1].is_finite() && p[2].is_finite()
}

/// What is wrong with a corner of a facet, both counted from 0.
fn not_finite(name: &str, p: [f32; 3], facet: usize, corner: usize) -> ReadError {
    let place = HEADER + facet * RECORD + 12 + corner * 12;
    let reason = format!("corner {} of facet {} is not finite: {p:?}", corner + 1, facet + 1);
    ReadError::at(name, Location::Byte(place), reason)
}

/// The two bytes behind each facet as labels, where there are not too many different ones. Two ways to read them as a
/// colour of five bits each are in use, *common practice, no source*: where the head says `COLOR=`, red in the lowest bits
/// and the highest bit unset; else blue in the lowest bits and the highest bit set. Other values are told as numbers.
fn colours(bytes: &[u8]) -> Option<(Vec<Label>, TiVec<FacetId, u32>)> {
    let red_first = memchr::memmem::find(&bytes[..80.min(bytes.len())], b"COLOR=").is_some();
    let mut number: BTreeMap<u16, u32> = BTreeMap::new();
    let mut labels = Vec::new();
    let mut label_of = TiVec::with_capacity(bytes.len() / RECORD);
    for record in bytes[HEADER..].chunks_exact(RECORD) {
        let word = u16::from_le_bytes([record[48], record[49]]);
        let label = *number.entry(word).or_insert_with(|| {
            let part = |shift: u16| (u32::from((word >> shift) & 31) * 255 / 31) as u8;
            let [low, middle, high] = [part(0), part(5), part(10)];
            let material = match (word, word & 0x8000 == 0, red_first) {
                (0, ..) => None,
                (_, true, true) => Some(format!("#{low:02x}{middle:02x}{high:02x}")),
                (_, false, false) => Some(format!("#{high:02x}{middle:02x}{low:02x}")),
                _ => Some(format!("attribute {word}")),
            };
            labels.push(Label { name: String::new(), material });
            labels.len() as u32 - 1
        });
        if labels.len() > MOST_COLOURS {
            return None;
        }
        label_of.push(label);
    }
    Some((labels, label_of))
}

fn read_records(
    name: &str,
    records: &[u8],
    first: usize,
    watch: &Watch,
) -> Result<(join::InputPart<[f32; 3]>, usize), ReadError> {
    let facets = records.len() / RECORD;
    let mut joiner = Joiner::with_capacity(facets / 2 + 8);
    let mut triangles = Vec::with_capacity(facets);
    let mut coloured = 0;
    let (mut corners, mut numbers) = (Vec::with_capacity(3 * TOGETHER), Vec::with_capacity(3 * TOGETHER));
    for (block, records) in records.chunks(TOGETHER * RECORD).enumerate() {
        watch.check()?;
        corners.clear();
        numbers.clear();
        for (i, record) in records.chunks_exact(RECORD).enumerate() {
            for k in 0..3 {
                let p = corner(record, k);
                if !is_finite(p) {
                    return Err(not_finite(name, p, first + block * TOGETHER + i, k));
                }
                corners.push(p);
            }
            coloured += usize::from(record[48] != 0 || record[49] != 0);
        }
        joiner.number_all(&corners, &mut numbers);
        triangles.extend_from_slice(numbers.as_chunks::<3>().0);
    }
    Ok((join::InputPart { points: joiner, triangles }, coloured))
}

fn read_ascii(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let mut words = Words::new(name, bytes);
    let mut joiner: Joiner<[f64; 3]> = Joiner::with_capacity(bytes.len() / 500 + 8);
    let mut triangles = Vec::with_capacity(bytes.len() / 250);
    let mut labels = Labels::default();
    let mut label_of = TiVec::new();
    let mut current = 0;
    let mut inside = false;
    loop {
        let word = words.word();
        if word.eq_ignore_ascii_case(b"facet") && inside {
            if triangles.len().is_multiple_of(16_384) {
                watch.report(words.at as f64 / bytes.len() as f64, "reading facets and joining equal points")?;
            }
            triangles.push(facet(&mut words, &mut joiner)?);
            label_of.push(current);
        } else if word.eq_ignore_ascii_case(b"solid") && !inside {
            let solid = String::from_utf8_lossy(words.rest_of_line()).into_owned();
            current = labels.number(&Label { name: solid, material: None });
            inside = true;
        } else if word.eq_ignore_ascii_case(b"endsolid") && inside {
            words.rest_of_line();
            inside = false;
        } else if word.is_empty() && !inside {
            break;
        } else if word.is_empty() {
            return Err(words.error("the file ends without “endsolid”: it is cut off"));
        } else {
            let expected = if inside { "“facet” or “endsolid”" } else { "“solid”" };
            return Err(words.error(format!("expected {expected}, found “{}”", shown(word))));
        }
    }
    let (labels, label_of) = labels.finish(label_of);
    let mesh = Mesh { points: joiner.into_points(), triangles: triangles.into() };
    Ok(Received { label_of, labels, ..Received::plain(Format::StlAscii, mesh) })
}

/// The rest of a facet after its first word. The normal is not used: the corners say it better.
fn facet(words: &mut Words, joiner: &mut Joiner<[f64; 3]>) -> Result<[PointId; 3], ReadError> {
    expect(words, b"normal")?;
    for _ in 0..3 {
        words.word();
    }
    expect(words, b"outer")?;
    expect(words, b"loop")?;
    let mut t = [PointId(0); 3];
    for corner in &mut t {
        expect(words, b"vertex")?;
        *corner = joiner.number([words.number()?, words.number()?, words.number()?]);
    }
    expect(words, b"endloop")?;
    expect(words, b"endfacet")?;
    Ok(t)
}

#[inline]
fn expect(words: &mut Words, expected: &[u8]) -> Result<(), ReadError> {
    let word = words.word();
    if word.eq_ignore_ascii_case(expected) {
        return Ok(());
    }
    let expected = String::from_utf8_lossy(expected);
    Err(words.error(if word.is_empty() {
        format!("the file ends inside a facet, before “{expected}”: it is cut off")
    } else {
        format!("expected “{expected}” in a facet, found “{}”", shown(word))
    }))
}

/// Names as single words, for `solid` lines; different names stay different.
pub fn solid_names<'a>(names: impl Iterator<Item = &'a str>) -> Vec<String> {
    naming::written(names, solid_name)
}

fn solid_name(name: &str) -> String {
    let word: String = name.trim().chars().map(|c| if c.is_whitespace() || c.is_control() { '_' } else { c }).collect();
    if word.is_empty() { "unnamed".into() } else { word }
}

/// Writes ASCII, one `solid` block a part. Coordinates are written with the fewest digits that read back to
/// the same number, so that equal points stay equal.
pub fn write_ascii(mesh: &Mesh, parts: &[NamedFacets]) -> Vec<u8> {
    let mut out = Vec::new();
    for (part, name) in parts.iter().zip(solid_names(parts.iter().map(|p| p.name))) {
        let blocks: Vec<Vec<u8>> = part.facets.par_chunks(4096).map(|facets| ascii_facets(mesh, facets)).collect();
        out.extend_from_slice(format!("solid {name}\n").as_bytes());
        blocks.iter().for_each(|b| out.extend_from_slice(b));
        out.extend_from_slice(format!("endsolid {name}\n").as_bytes());
    }
    out
}

fn ascii_facets(mesh: &Mesh, facets: &[FacetId]) -> Vec<u8> {
    let mut out = Vec::with_capacity(facets.len() * 260);
    for &f in facets {
        let [nx, ny, nz] = normal(mesh, f);
        // Writing to memory cannot fail.
        let _ = writeln!(out, "  facet normal {nx:e} {ny:e} {nz:e}\n    outer loop");
        for [x, y, z] in mesh.corners(f) {
            let _ = writeln!(out, "      vertex {x} {y} {z}");
        }
        out.extend_from_slice(b"    endloop\n  endfacet\n");
    }
    out
}

/// A whole mesh as binary STL.
pub fn write_whole(mesh: &Mesh) -> Vec<u8> {
    write_binary(mesh, &mesh.triangles.keys().collect::<Vec<_>>())
}

/// Writes binary, in single precision.
pub fn write_binary(mesh: &Mesh, facets: &[FacetId]) -> Vec<u8> {
    let mut out = Vec::with_capacity(HEADER + facets.len() * RECORD);
    out.extend_from_slice(b"binary STL");
    out.resize(80, b' ');
    out.extend_from_slice(&(facets.len() as u32).to_le_bytes());
    for &f in facets {
        let [a, b, c] = mesh.corners(f);
        for x in [normal(mesh, f).map(f64::from), a, b, c].into_iter().flatten() {
            out.extend_from_slice(&(x as f32).to_le_bytes());
        }
        out.extend_from_slice(&[0, 0]);
    }
    out
}

fn normal(mesh: &Mesh, f: FacetId) -> [f32; 3] {
    unit(mesh.area_vector(f)).unwrap_or_default().map(|x| x as f32 + 0.0)
}
