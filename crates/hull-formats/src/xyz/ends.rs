//! Lines as a table: a heading that names the coordinates of both ends, then a line a row. A column for the layer may stand
//! anywhere, others are passed over. *Common practice, no source.*

use crate::bundles::Bundles;
use crate::{Content, Design, Location, ReadError, Skipped};
use hull_exact::model::DeclaredUnit;
use hull_geometry::{Unit, Watch};

/// What a column holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Column {
    /// Axis `.1` of end `.0`.
    Place(usize, usize),
    Layer,
    Other,
}

/// The columns of a table of lines, and the unit that its heading declares.
pub(super) struct Heading {
    columns: Vec<Column>,
    unit: Option<Unit>,
    between: char,
}

fn cells(line: &str, between: char) -> impl Iterator<Item = &str> {
    line.split(between).map(|c| c.trim().trim_matches('"').trim())
}

/// “x1”, “X2 [mm]”, “from y”, “end_z (in)”: an axis and an end, with a unit behind.
fn column(cell: &str) -> (Column, Option<Unit>) {
    let lower = cell.to_ascii_lowercase();
    let words: Vec<&str> = lower.split(|c: char| !c.is_ascii_alphanumeric()).filter(|w| !w.is_empty()).collect();
    let unit = words.iter().skip(1).find_map(|w| w.parse().ok());
    if ["layer", "group", "name", "section"].iter().any(|w| words.first() == Some(w)) {
        return (Column::Layer, None);
    }
    const STARTS: [&str; 5] = ["1", "a", "from", "start", "i"];
    const ENDS: [&str; 5] = ["2", "b", "to", "end", "j"];
    let axis = |word: &str| ["x", "y", "z"].iter().position(|a| *a == word);
    let end = |word: &str| match word {
        w if STARTS.contains(&w) => Some(0),
        w if ENDS.contains(&w) => Some(1),
        _ => None,
    };
    let joined = |word: &str| -> Option<(usize, usize)> {
        let (first, rest) = word.split_at_checked(1)?;
        Some((end(rest)?, axis(first)?))
    };
    let apart = || {
        let (e, a) = (words.iter().find_map(|w| end(w))?, words.iter().find_map(|w| axis(w))?);
        Some((e, a))
    };
    let found = words.first().and_then(|w| joined(w)).or_else(apart);
    (found.map_or(Column::Other, |(e, a)| Column::Place(e, a)), unit)
}

/// The heading of a table of lines; nothing if the first line that is no remark is none.
pub(super) fn heading(bytes: &[u8]) -> Option<Heading> {
    let lines = bytes.split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
    let first = lines.into_iter().find(|l| !l.is_empty() && !l.starts_with(b"#") && !l.starts_with(b"//"))?;
    let text = std::str::from_utf8(first).ok().filter(|t| t.len() < 1000)?;
    let between = [';', '\t', ','].into_iter().find(|c| text.contains(*c))?;
    let named: Vec<(Column, Option<Unit>)> = cells(text, between).map(column).collect();
    let columns: Vec<Column> = named.iter().map(|n| n.0).collect();
    let once = |c: Column| columns.iter().filter(|k| **k == c).count() == 1;
    let both = (0..2).all(|end| (0..2).all(|axis| once(Column::Place(end, axis))));
    let depth = [0, 1].map(|end| columns.iter().filter(|k| **k == Column::Place(end, 2)).count());
    let unit = named.iter().find_map(|n| n.1);
    (both && depth[0] == depth[1] && depth[0] < 2).then_some(Heading { columns, unit, between })
}

/// Reads a table of lines.
///
/// # Errors
/// [`ReadError`], with the line: a coordinate that is no number, or a row that is too short; a table without lines.
pub(super) fn read(name: &str, bytes: &[u8], h: &Heading, watch: &Watch) -> Result<Content, ReadError> {
    let mut bundles = Bundles::default();
    let (mut rows, mut headed, mut points) = (0, false, 0);
    for (i, line) in bytes.split(|b| *b == b'\n').enumerate() {
        if i.is_multiple_of(16_384) {
            watch.report(0.5, "reading lines")?;
        }
        let at = |reason: String| ReadError::at(name, Location::Line(i + 1), reason);
        let text = std::str::from_utf8(line).map_err(|_| at("it is no text".into()))?.trim();
        if text.is_empty() || text.starts_with('#') || text.starts_with("//") || !std::mem::replace(&mut headed, true) {
            continue;
        }
        let mut ends = [[0.0; 3]; 2];
        let mut layer = "";
        let own: Vec<&str> = cells(text, h.between).collect();
        for (k, column) in h.columns.iter().enumerate() {
            let cell = own.get(k).copied();
            match *column {
                Column::Place(end, axis) => {
                    let cell =
                        cell.ok_or_else(|| at(format!("it has {} cells, the heading {}", own.len(), h.columns.len())))?;
                    // With semicolons between, a comma is a decimal point.
                    let plain = if h.between == ',' { cell.to_string() } else { cell.replace(',', ".") };
                    let x: Option<f64> = fast_float2::parse(&plain).ok().filter(|x: &f64| x.is_finite());
                    ends[end][axis] = x.ok_or_else(|| at(format!("“{cell}” is not a number")))?;
                }
                Column::Layer => layer = cell.unwrap_or_default(),
                Column::Other => {}
            }
        }
        rows += 1;
        points += usize::from(ends[0] == ends[1]);
        bundles.line(layer, ends[0], ends[1]);
    }
    if bundles.count() == 0 {
        return Err(ReadError::whole(name, "the table names the ends of lines and holds none"));
    }
    let unit = h.unit.map(|u| DeclaredUnit { name: u.symbol().into(), millimetres: u.millimetres() });
    let skipped = Skipped::some(&[("lines without length", points)]);
    let (format, model) = ("CSV of lines".to_string(), bundles.finish(unit));
    Ok(Content::Exact(Box::new(Design { format, model, entities: rows, skipped, ..Design::default() })))
}
