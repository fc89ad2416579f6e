//! XYZ: a point a line, its coordinates first, as scanners write them. After them may stand a colour (three whole numbers
//! up to 255, typed without a decimal point) or a direction, or a colour and then a direction; an intensity before a colour,
//! or alone, is passed over. A first line of words names columns, a first line of one number counts points. *Common
//! practice, no source.* A heading that names both ends of lines makes it a table of lines; see `ends`.

mod ends;

use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, Location, ReadError, ReceivedPoints, Skipped};
use hull_geometry::Watch;
use hull_geometry::cloud::Cloud;
use std::io::Write as _;

/// XYZ.
pub const FORMAT: FileFormat = FileFormat {
    id: "xyz",
    title: "XYZ",
    endings: &["xyz", "pts", "asc", "csv"],
    declares: "no unit, no names",
    needs_unit: false,
    carries: Carries::Points,
    // Like much else that is text: it takes no file for its own by its bytes.
    sniff: |_| false,
    read: |name, bytes, watch| match ends::heading(bytes) {
        Some(heading) => ends::read(name, bytes, &heading, watch),
        None => read(name, bytes, watch).map(Content::Points),
    },
    write: None,
    write_points: Some(|cloud, _, _| write(cloud)),
    write_lines: None,
    gather: None,
};

/// What stands behind the coordinates of a line.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Behind {
    Nothing,
    Colour,
    Direction,
    Both,
}

/// Reads a cloud. Empty lines and lines that begin with `#` or `//` are passed over; a first line of one number is a count.
///
/// # Errors
/// [`ReadError`], with the line.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<ReceivedPoints, ReadError> {
    let mut cloud = Cloud::default();
    let mut behind = None;
    let (mut intensities, mut heads) = (0, 0);
    for (i, line) in bytes.split(|b| *b == b'\n').enumerate() {
        if i.is_multiple_of(16_384) {
            watch.report(0.5, "reading points")?;
        }
        let at = |reason: String| ReadError::at(name, Location::Line(i + 1), reason);
        let text = line.trim_ascii();
        if text.is_empty() || text.starts_with(b"#") || text.starts_with(b"//") {
            continue;
        }
        if cloud.points.is_empty() && heads == 0 && names_columns(text) {
            heads += 1;
            continue;
        }
        let words = text.split(|b| b.is_ascii_whitespace() || matches!(b, b',' | b';')).filter(|w| !w.is_empty());
        let mut numbers = [0.0; 9];
        let mut n = 0;
        // Colours are typed as whole numbers, directions with a decimal point.
        let mut typed_whole = true;
        for word in words {
            let x: Option<f64> = fast_float2::parse(word).ok().filter(|x: &f64| x.is_finite());
            let x = x.ok_or_else(|| at(format!("“{}” is not a number", String::from_utf8_lossy(word))))?;
            *numbers.get_mut(n).ok_or_else(|| at("more than nine numbers".into()))? = x;
            typed_whole &= !(3..6).contains(&n) || word.iter().all(u8::is_ascii_digit);
            n += 1;
        }
        if n == 1 && behind.is_none() && cloud.points.is_empty() {
            continue;
        }
        if n == 4 || n == 7 {
            typed_whole = words_are_whole(text, 4);
            numbers.copy_within(4.., 3);
            n -= 1;
            intensities += 1;
        }
        let is_colour = |c: &[f64]| c.iter().all(|x| (0.0..=255.0).contains(x) && x.fract() == 0.0);
        let found = match n {
            3 => Behind::Nothing,
            // Of three numbers behind the place, a direction has a length of one.
            6 if typed_whole && is_colour(&numbers[3..6]) && !is_direction(&numbers[3..6]) => Behind::Colour,
            6 => Behind::Direction,
            9 if is_colour(&numbers[3..6]) => Behind::Both,
            _ => return Err(at(format!("{n} numbers; a point has three, six or nine"))),
        };
        // What the first line has, all have; a black or a skewed one among them does not make another kind.
        let kind = *behind.get_or_insert(found);
        let wide = [Behind::Nothing, Behind::Colour, Behind::Direction, Behind::Both].iter().position(|b| *b == kind);
        if [3, 6, 6, 9][wide.unwrap_or(0)] != n {
            return Err(at(format!("{n} numbers, where the lines before have another count")));
        }
        cloud.points.push([numbers[0], numbers[1], numbers[2]]);
        if matches!(kind, Behind::Colour | Behind::Both) {
            if !is_colour(&numbers[3..6]) {
                return Err(at("a colour is three whole numbers up to 255".into()));
            }
            cloud.colours.push([numbers[3] as u8, numbers[4] as u8, numbers[5] as u8]);
        }
        let direction = if kind == Behind::Both { 6 } else { 3 };
        if matches!(kind, Behind::Direction | Behind::Both) {
            let normal = [0, 1, 2].map(|k| numbers[direction + k] as f32);
            if normal.iter().any(|x| x.is_infinite()) {
                return Err(at("a direction has numbers of about one".into()));
            }
            cloud.normals.push(normal);
        }
    }
    let skipped = Skipped::some(&[("intensities", intensities), ("names of columns, as a line", heads)]);
    Ok(ReceivedPoints { format: "XYZ".into(), cloud, skipped, declared: Declared::default() })
}

/// Whether a line is a short one of three words and more.
fn names_columns(text: &[u8]) -> bool {
    let words = text.split(|b| b.is_ascii_whitespace() || matches!(b, b',' | b';')).filter(|w| !w.is_empty());
    if words.count() < 3 {
        return false;
    }
    let begins = text[0].is_ascii_alphabetic() || text[0] == b'"';
    begins && text.len() < 500 && text.iter().all(|b| b.is_ascii_graphic() || b.is_ascii_whitespace())
}

/// Whether the words of a line from one on are typed without a decimal point.
fn words_are_whole(text: &[u8], from: usize) -> bool {
    let words = text.split(|b| b.is_ascii_whitespace() || matches!(b, b',' | b';')).filter(|w| !w.is_empty());
    words.skip(from).all(|w| w.iter().all(u8::is_ascii_digit))
}

fn is_direction(v: &[f64]) -> bool {
    (v.iter().map(|x| x * x).sum::<f64>().sqrt() - 1.0).abs() < 1e-3
}

/// Writes a cloud: coordinates, then colours, then directions, where there are some.
pub fn write(cloud: &Cloud) -> Vec<u8> {
    let mut out = Vec::with_capacity(cloud.points.len() * 40);
    for (i, p) in cloud.points.iter().enumerate() {
        // Writing to memory cannot fail.
        let _ = write!(out, "{} {} {}", p[0], p[1], p[2]);
        if let Some(c) = cloud.colours.get(i) {
            let _ = write!(out, " {} {} {}", c[0], c[1], c[2]);
        }
        if let Some(n) = cloud.normals.get(i) {
            let _ = write!(out, " {:?} {:?} {:?}", n[0], n[1], n[2]);
        }
        out.push(b'\n');
    }
    out
}
