//! VTK in its XML form: unstructured grids and polygons, arrays as text, in base 64, or appended; packed by zlib or not.

mod arrays;
pub mod blocks;
mod write;

pub use write::{write, write_lines};

use crate::format::{Carries, FileFormat};
use crate::vtk::cells::{Cells, Column};
use crate::{Content, Format, Location, ReadError, Received};
use arrays::{Appended, Array, Form, Head};
use hull_geometry::Watch;
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};

/// VTU.
pub const FORMAT: FileFormat = FileFormat {
    id: "vtu",
    title: "VTU",
    endings: &["vtu"],
    declares: "no unit; groups as numbers of cells",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| begins(bytes, Kind::Grid),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(|s| write(s, Kind::Grid)),
    write_points: None,
    write_lines: None,
    gather: None,
};

/// The field that names the groups of the column “part”, where our own writer wrote it.
pub const NAMES: &str = "part names";

/// What a file holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Cells of any type.
    Grid,
    /// Polygons, strips and lines.
    Polygons,
}

impl Kind {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Kind::Grid => "UnstructuredGrid",
            Kind::Polygons => "PolyData",
        }
    }
}

/// Whether bytes begin as a file of a kind.
pub fn begins(bytes: &[u8], kind: Kind) -> bool {
    let head = &bytes[..bytes.len().min(2000)];
    memchr::memmem::find(head, b"<VTKFile").is_some()
        && memchr::memmem::find(head, format!("type=\"{}\"", kind.word()).as_bytes()).is_some()
}

/// A piece: its arrays by section.
#[derive(Default)]
struct Piece {
    points: usize,
    arrays: Vec<(String, Array)>,
}

impl Piece {
    fn numbers(&self, section: &str, name: &str) -> Option<&Array> {
        self.arrays.iter().find(|(s, a)| s == section && (name.is_empty() || a.name == name)).map(|(_, a)| a)
    }
}

/// # Errors
/// [`ReadError`], with the line where there is one.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    // What is appended need not be text: the reader stops before it.
    let appended = Appended::of(bytes);
    let text = &bytes[..appended.as_ref().map_or(bytes.len(), |a| a.begins)];
    let at = |position: u64, why: String| {
        let line = bytes[..(position as usize).min(bytes.len())].iter().filter(|b| **b == b'\n').count() + 1;
        ReadError::at(name, Location::Line(line), why)
    };
    let mut reader = Reader::from_reader(text);
    reader.config_mut().check_end_names = false;
    let mut head = Head::default();
    // Fields of the whole file stand before the first piece.
    let mut whole = Piece::default();
    let (mut pieces, mut section): (Vec<Piece>, String) = (Vec::new(), String::new());
    let mut open: Option<(Array, Form)> = None;
    let mut ended = appended.is_some();
    loop {
        watch.report(0.7 * reader.buffer_position() as f64 / bytes.len() as f64, "reading cells")?;
        let position = reader.buffer_position();
        let event = reader.read_event().map_err(|e| at(position, e.to_string()))?;
        match &event {
            Event::Start(e) | Event::Empty(e) => match e.local_name().as_ref() {
                "VTKFile" => head = Head::of(e).map_err(|why| at(position, why))?,
                "Piece" => pieces.push(Piece { points: number(e, "NumberOfPoints"), arrays: Vec::new() }),
                "DataArray" => {
                    let (array, form) = Array::of(e).map_err(|why| at(position, why))?;
                    match (&form, &appended) {
                        (Form::Appended(offset), Some(data)) => {
                            let values = data.numbers(*offset, &array, &head).map_err(|why| at(position, why))?;
                            keep((&mut pieces, &mut whole), &section, Array { values, ..array });
                        }
                        (Form::Appended(_), None) => return Err(at(position, "the appended data are missing".into())),
                        _ if matches!(event, Event::Empty(_)) => keep((&mut pieces, &mut whole), &section, array),
                        _ => open = Some((array, form)),
                    }
                }
                word @ ("Points" | "Cells" | "Verts" | "Lines" | "Strips" | "Polys" | "CellData" | "PointData"
                | "FieldData") => section = word.into(),
                _ => {}
            },
            Event::Text(t) => {
                if let Some((array, form)) = open.take() {
                    let values = head.decoded(t.as_bytes(), &array, &form).map_err(|why| at(position, why))?;
                    keep((&mut pieces, &mut whole), &section, Array { values, ..array });
                }
            }
            Event::End(e) if e.local_name().as_ref() == "DataArray" => {
                if let Some((array, _)) = open.take() {
                    keep((&mut pieces, &mut whole), &section, array);
                }
            }
            Event::End(e) if e.local_name().as_ref() == "VTKFile" => ended = true,
            Event::Eof => break,
            _ => {}
        }
    }
    if !ended {
        return Err(at(bytes.len() as u64, "the file ends before its end mark: it is cut off".into()));
    }
    assemble(&pieces, &names(&whole)).map_err(|why| ReadError::whole(name, why))
}

fn number(e: &BytesStart, key: &str) -> usize {
    let found = e.attributes().flatten().find(|a| a.key.as_ref() == key);
    found.and_then(|a| a.value.trim().parse().ok()).unwrap_or(0)
}

fn keep((pieces, whole): (&mut [Piece], &mut Piece), section: &str, array: Array) {
    pieces.last_mut().unwrap_or(whole).arrays.push((section.into(), array));
}

/// The texts of a list of names: characters as numbers, each text ended by a nought.
fn names(whole: &Piece) -> Vec<String> {
    let Some(list) = whole.numbers("FieldData", NAMES) else { return Vec::new() };
    let bytes: Vec<u8> = list.values.iter().map(|x| *x as u8).collect();
    bytes.split(|b| *b == 0).map(|b| String::from_utf8_lossy(b).into_owned()).collect()
}

/// All pieces as one.
fn assemble(pieces: &[Piece], names: &[String]) -> Result<Received, String> {
    let mut points = Vec::new();
    for piece in pieces.iter().filter(|p| p.points > 0) {
        let own = piece.numbers("Points", "").ok_or("a piece has no places of its points")?;
        if own.values.len() != 3 * piece.points {
            return Err(format!("{} numbers for the places of {} points", own.values.len(), piece.points));
        }
        if let Some(i) = own.values.iter().position(|x| !x.is_finite()) {
            return Err(format!("point {} is not finite", i / 3));
        }
        points.extend_from_slice(own.values.as_chunks::<3>().0);
    }
    let mut cells = Cells::of(points);
    let mut columns: Vec<Column> = Vec::new();
    let (mut first, mut of_points) = (0, 0);
    for piece in pieces.iter().filter(|p| p.points > 0) {
        // Cells are numbered in this order through their sections.
        for (section, kind) in [("Verts", 2), ("Lines", 4), ("Polys", 7), ("Strips", 6), ("Cells", -1)] {
            add(&mut cells, piece, section, kind, first)?;
        }
        first += piece.points;
        for (_, array) in piece.arrays.iter().filter(|(s, a)| s == "CellData" && a.each == 1) {
            match columns.iter_mut().find(|c| c.name == array.name) {
                Some(column) => column.values.extend_from_slice(&array.values),
                None => columns.push(Column { name: array.name.clone(), values: array.values.clone() }),
            }
        }
        of_points = piece.arrays.iter().filter(|(s, a)| s == "PointData" || (s == "CellData" && a.each != 1)).count();
    }
    Ok(cells.finish(Format::VtkXml, columns, of_points, names))
}

fn add(cells: &mut Cells, piece: &Piece, section: &str, kind: i64, first: usize) -> Result<(), String> {
    let Some(offsets) = piece.numbers(section, "offsets") else { return Ok(()) };
    let list = piece.numbers(section, "connectivity").map_or(&[][..], |a| &a.values);
    let kinds = piece.numbers(section, "types").map_or(&[][..], |a| &a.values);
    let mut from = 0;
    for (i, end) in offsets.values.iter().enumerate() {
        let told = || format!("cell {i} of {section} does not fit its list");
        let own = list.get(from..*end as usize).ok_or_else(told)?;
        from = *end as usize;
        let known = |p: &f64| (*p >= 0.0 && *p < piece.points as f64).then(|| (first + *p as usize) as u32);
        let named: Option<Vec<u32>> = own.iter().map(known).collect();
        let named = named.ok_or_else(|| {
            format!("cell {i} of {section} names a point that is not there: there are {}, from 0", piece.points)
        })?;
        let kind = if kind < 0 { kinds.get(i).copied().ok_or_else(told)? as i64 } else { kind };
        cells.add(kind, &named)?;
    }
    Ok(())
}
