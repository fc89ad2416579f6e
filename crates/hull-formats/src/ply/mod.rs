//! PLY, ASCII and binary in both byte orders (G. Turk, The PLY Polygon File Format, 1994).

mod rows;
pub mod splats;

use self::splats::{Columns, Taken};
use crate::format::{Carries, FileFormat};
use crate::obj::part_polygons;
use crate::text::{Words, shown};
use crate::{Content, Declared, Format, Label, Labels, Location, ReadError, Received, ReceivedPoints, Skipped};
use hull_geometry::cloud::Cloud;
use hull_geometry::join::join_equal_points;
use hull_geometry::{FacetId, Mesh, Point, Watch, triangulate};
use std::collections::BTreeMap;
use std::io::Write;
use typed_index_collections::{TiSlice, TiVec};

/// PLY, as text or binary.
pub const FORMAT: FileFormat = FileFormat {
    id: "ply",
    title: "PLY",
    endings: &["ply"],
    declares: "no unit, no names; colours and directions of points, splats",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(b"ply\n") || bytes.starts_with(b"ply\r"),
    read: read_any,
    write: Some(|s| write(s.mesh, s.cells, s.ascii)),
    write_points: Some(|cloud, ascii, _| write_points(cloud, ascii)),
    write_lines: None,
    gather: None,
};

#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    I8,
    U8,
    I16,
    U16,
    I32,
    U32,
    F32,
    F64,
}

impl Kind {
    fn of(word: &[u8]) -> Option<Kind> {
        Some(match word {
            b"char" | b"int8" => Kind::I8,
            b"uchar" | b"uint8" => Kind::U8,
            b"short" | b"int16" => Kind::I16,
            b"ushort" | b"uint16" => Kind::U16,
            b"int" | b"int32" => Kind::I32,
            b"uint" | b"uint32" => Kind::U32,
            b"float" | b"float32" => Kind::F32,
            b"double" | b"float64" => Kind::F64,
            _ => return None,
        })
    }

    fn size(self) -> usize {
        match self {
            Kind::I8 | Kind::U8 => 1,
            Kind::I16 | Kind::U16 => 2,
            Kind::I32 | Kind::U32 | Kind::F32 => 4,
            Kind::F64 => 8,
        }
    }

    /// The number that as many bytes as it takes are.
    fn of_bytes(self, raw: &[u8], big: bool) -> f64 {
        let size = self.size();
        let mut b = [0u8; 8];
        b[..size].copy_from_slice(&raw[..size]);
        if big {
            b[..size].reverse();
        }
        let [b0, b1, b2, b3, ..] = b;
        match self {
            Kind::I8 => f64::from(b0 as i8),
            Kind::U8 => f64::from(b0),
            Kind::I16 => f64::from(i16::from_le_bytes([b0, b1])),
            Kind::U16 => f64::from(u16::from_le_bytes([b0, b1])),
            Kind::I32 => f64::from(i32::from_le_bytes([b0, b1, b2, b3])),
            Kind::U32 => f64::from(u32::from_le_bytes([b0, b1, b2, b3])),
            Kind::F32 => f64::from(f32::from_le_bytes([b0, b1, b2, b3])),
            Kind::F64 => f64::from_le_bytes(b),
        }
    }

    /// Colours as whole numbers go to 255, as fractions to one.
    fn whole_colour(self) -> f64 {
        if matches!(self, Kind::F32 | Kind::F64) { 255.0 } else { 1.0 }
    }
}

enum Property {
    Scalar(String, Kind),
    List(String, Kind, Kind),
}

impl Property {
    fn name(&self) -> &str {
        match self {
            Property::Scalar(name, _) | Property::List(name, ..) => name,
        }
    }
}

struct Element {
    name: String,
    count: usize,
    properties: Vec<Property>,
}

struct Header {
    format: Format,
    elements: Vec<Element>,
    /// Lines that say nothing known.
    strange: usize,
    body: usize,
}

/// Reads facets, or points where the file has no faces.
///
/// # Errors
/// [`ReadError`], with the line (header, ASCII) or the byte (binary).
pub fn read_any(name: &str, bytes: &[u8], watch: &Watch) -> Result<Content, ReadError> {
    let (file, format) = read_file(name, bytes, watch)?;
    if file.faces > 0 || file.points.is_empty() {
        return Ok(Content::Facets(file.finish(format)));
    }
    let Taken { splats, .. } = file.taken;
    let colours =
        if splats.is_empty() { file.colours } else { splats.iter().map(|s| s.seen_along([0.0; 3])).collect() };
    // Splats have axes; the directions beside them are zero in the files that have them.
    let normals = if splats.is_empty() { file.normals } else { Vec::new() };
    let cloud = Cloud { points: file.points, colours, normals, splats };
    let skipped = file.skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect();
    Ok(Content::Points(ReceivedPoints { format: format.to_string(), cloud, skipped, declared: Declared::default() }))
}

/// Reads facets.
///
/// # Errors
/// [`ReadError`], with the line (header, ASCII) or the byte (binary).
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let (file, format) = read_file(name, bytes, watch)?;
    Ok(file.finish(format))
}

fn read_file(name: &str, bytes: &[u8], watch: &Watch) -> Result<(File, Format), ReadError> {
    let header = header(name, bytes)?;
    let mut words = Words::new(name, bytes);
    words.at = header.body;
    let mut source = match header.format {
        Format::PlyAscii => Source::Text(words),
        Format::PlyBinaryBig => Source::Binary { file: name, bytes, at: header.body, big: true },
        _ => Source::Binary { file: name, bytes, at: header.body, big: false },
    };
    let mut file = File::default();
    if header.strange > 0 {
        file.skipped.insert("header lines that are none".into(), header.strange);
    }
    for element in &header.elements {
        file.element(element, &mut source, bytes.len(), watch)?;
    }
    source.expect_end()?;
    Ok((file, header.format))
}

/// Whether a list of a face names its corners.
fn is_corners(name: &str) -> bool {
    name == "vertex_indices" || name == "vertex_index"
}

/// Names of the columns that say more of a point than where it is.
const COLOUR: [&str; 3] = ["red", "green", "blue"];
const NORMAL: [&str; 3] = ["nx", "ny", "nz"];

/// Whether an element has all of some columns, and of what kind the first is.
fn column(element: &Element, names: [&str; 3]) -> Option<Kind> {
    let kind = |wanted: &str| {
        element.properties.iter().find_map(|p| match p {
            Property::Scalar(name, kind) if name == wanted => Some(*kind),
            _ => None,
        })
    };
    names.into_iter().map(kind).collect::<Option<Vec<_>>>().map(|kinds| kinds[0])
}

fn header(name: &str, bytes: &[u8]) -> Result<Header, ReadError> {
    let mut words = Words::new(name, bytes);
    if words.rest_of_line() != b"ply" {
        return Err(ReadError::at(name, Location::Line(1), "a PLY file begins with “ply”"));
    }
    let mut format = None;
    let mut elements: Vec<Element> = Vec::new();
    let mut strange = 0;
    loop {
        words.at += 1;
        if words.at >= bytes.len() {
            words.at = bytes.len();
            return Err(words.error("the header has no “end_header”: the file is cut off"));
        }
        let line = words.rest_of_line();
        let parts: Vec<&[u8]> = line.split(|b| *b <= b' ').filter(|w| !w.is_empty()).collect();
        match parts[..] {
            [b"format", b"ascii", ..] => format = Some(Format::PlyAscii),
            [b"format", b"binary_little_endian", ..] => format = Some(Format::PlyBinaryLittle),
            [b"format", b"binary_big_endian", ..] => format = Some(Format::PlyBinaryBig),
            [b"element", element, count] => {
                let count = std::str::from_utf8(count).ok().and_then(|s| s.parse().ok());
                let count = count.ok_or_else(|| words.error("an element's count must be a whole number"))?;
                elements.push(Element { name: shown(element), count, properties: Vec::new() });
            }
            [b"property", b"list", count, item, property] => {
                let (Some(count), Some(item)) = (Kind::of(count), Kind::of(item)) else {
                    return Err(words.error("unknown number type in a list property"));
                };
                let element = elements.last_mut().ok_or_else(|| words.error("a property before any element"))?;
                element.properties.push(Property::List(shown(property), count, item));
            }
            [b"property", kind, property] => {
                let kind =
                    Kind::of(kind).ok_or_else(|| words.error(format!("unknown number type “{}”", shown(kind))))?;
                let element = elements.last_mut().ok_or_else(|| words.error("a property before any element"))?;
                element.properties.push(Property::Scalar(shown(property), kind));
            }
            [b"comment" | b"obj_info", ..] | [] => {}
            [b"end_header"] => break,
            [b"format" | b"element" | b"property", ..] => {
                return Err(words.error(format!("“{}” is not a PLY header line", shown(line))));
            }
            // Comments that lack their word are found in files of other systems.
            _ => strange += 1,
        }
    }
    let format = format
        .ok_or_else(|| words.error("the header names no format (ascii, binary_little_endian, binary_big_endian)"))?;
    Ok(Header { format, elements, strange, body: (words.at + 1).min(bytes.len()) })
}

/// Where numbers come from.
enum Source<'a> {
    Text(Words<'a>),
    Binary { file: &'a str, bytes: &'a [u8], at: usize, big: bool },
}

impl Source<'_> {
    fn number(&mut self, kind: Kind) -> Result<f64, ReadError> {
        match self {
            Source::Text(words) => words.number(),
            Source::Binary { file, bytes, at, big } => {
                let size = kind.size();
                let Some(raw) = bytes.get(*at..*at + size) else {
                    return Err(ReadError::at(
                        file,
                        Location::Byte(*at),
                        "the file ends before the elements that its header claims",
                    ));
                };
                *at += size;
                Ok(kind.of_bytes(raw, *big))
            }
        }
    }

    fn error(&self, reason: impl Into<String>) -> ReadError {
        match self {
            Source::Text(words) => words.error(reason),
            Source::Binary { file, at, .. } => ReadError::at(file, Location::Byte(*at), reason),
        }
    }

    fn left(&self) -> usize {
        match self {
            Source::Text(words) => words.bytes.len() - words.at,
            Source::Binary { bytes, at, .. } => bytes.len() - at,
        }
    }

    fn expect_end(&mut self) -> Result<(), ReadError> {
        let extra = match self {
            Source::Text(words) => !words.word().is_empty(),
            Source::Binary { bytes, at, .. } => *at < bytes.len(),
        };
        if extra { Err(self.error("more follows after the elements that the header claims")) } else { Ok(()) }
    }
}

/// More different colours than these are no parts.
const MOST_COLOURS: usize = 256;

#[derive(Default)]
struct File {
    points: Vec<Point>,
    colours: Vec<[u8; 3]>,
    normals: Vec<[f32; 3]>,
    taken: Taken,
    triangles: Vec<[u32; 3]>,
    /// Of each facet, where its face has one.
    face_colours: Vec<Option<[u8; 3]>>,
    cell_of: TiVec<FacetId, u32>,
    faces: usize,
    skipped: BTreeMap<String, usize>,
}

impl File {
    fn element(
        &mut self,
        element: &Element,
        source: &mut Source,
        total: usize,
        watch: &Watch,
    ) -> Result<(), ReadError> {
        let smallest: usize = element
            .properties
            .iter()
            .map(|p| match (p, &source) {
                (_, Source::Text(_)) => 1,
                (Property::Scalar(_, kind) | Property::List(_, kind, _), _) => kind.size(),
            })
            .sum::<usize>()
            .max(1);
        if element.count > source.left() / smallest + 1 {
            let reason = format!(
                "the header claims {} of “{}”, more than the {} bytes left can hold",
                element.count,
                element.name,
                source.left()
            );
            return Err(source.error(reason));
        }
        let role = match element.name.as_str() {
            "vertex" => Role::Point,
            "face" => Role::Face,
            _ => Role::Other,
        };
        if role == Role::Other && element.count > 0 {
            self.skipped.insert(format!("element “{}”", element.name), element.count);
        }
        let (colour, normal) = match role {
            Role::Point => (column(element, COLOUR), column(element, NORMAL)),
            Role::Face => (column(element, COLOUR), None),
            Role::Other => (None, None),
        };
        let columns = (role == Role::Point).then(|| Columns::of(element)).flatten();
        if columns.is_none() && self.plain(role, element, source, watch)? {
            return Ok(());
        }
        let whole = colour.map_or(1.0, Kind::whole_colour);
        let mut list = Vec::new();
        let which =
            |p: &Property, of: [&str; 3]| of.iter().position(|n| matches!(p, Property::Scalar(name, _) if name == n));
        let roles: Vec<[Option<usize>; 3]> = element
            .properties
            .iter()
            .map(|p| {
                let point = which(p, ["x", "y", "z"]).filter(|_| role == Role::Point);
                [point, which(p, COLOUR).filter(|_| colour.is_some()), which(p, NORMAL).filter(|_| normal.is_some())]
            })
            .collect();
        for i in 0..element.count {
            let (mut rgb, mut facing, mut numbers) = ([0u8; 3], [0.0f32; 3], [0.0; 20]);
            if i.is_multiple_of(16_384) {
                watch.report(1.0 - source.left() as f64 / total as f64, "reading points and faces")?;
            }
            let mut point = [None; 3];
            let mut corners = false;
            for (n, property) in element.properties.iter().enumerate() {
                match property {
                    Property::Scalar(name, kind) => {
                        let value = source.number(*kind)?;
                        let [of_point, of_colour, of_normal] = roles[n];
                        if let Some(k) = of_point {
                            if !value.is_finite() && columns.is_none() {
                                return Err(source.error(format!("{name} of point {i} is not finite")));
                            }
                            point[k] = Some(value);
                        }
                        if let Some(slot) = columns.as_ref().and_then(|c| c.slots[n]) {
                            numbers[slot] = value;
                        }
                        if let Some(k) = of_colour {
                            rgb[k] = (value * whole).round().clamp(0.0, 255.0) as u8;
                        }
                        if let Some(k) = of_normal {
                            facing[k] = Some(value as f32).filter(|x| x.is_finite()).unwrap_or(0.0);
                        }
                    }
                    Property::List(name, count, item) => {
                        let length = source.number(*count)?;
                        let smallest = if matches!(source, Source::Text(_)) { 1 } else { item.size() };
                        if !(0.0..=(source.left() / smallest + 1) as f64).contains(&length) || length.fract() != 0.0 {
                            return Err(source.error(format!("a list of {length} numbers does not fit in the file")));
                        }
                        let wanted = role == Role::Face && is_corners(name);
                        list.clear();
                        for _ in 0..length as usize {
                            let value = source.number(*item)?;
                            if wanted {
                                list.push(value);
                            }
                        }
                        if wanted {
                            corners = true;
                            self.face(&list, source)?;
                        }
                    }
                }
            }
            match role {
                Role::Point => match point {
                    [Some(x), Some(y), Some(z)] if columns.is_some() => {
                        if self.taken.take([x, y, z], &numbers) {
                            self.points.push([x, y, z]);
                        }
                    }
                    [Some(x), Some(y), Some(z)] => {
                        self.points.push([x, y, z]);
                        self.colours.extend(colour.map(|_| rgb));
                        self.normals.extend(normal.map(|_| facing));
                    }
                    _ => return Err(source.error("the points have no x, y and z")),
                },
                Role::Face if corners && colour.is_some() => {
                    self.face_colours.resize(self.triangles.len(), Some(rgb));
                }
                Role::Face if corners => {}
                Role::Face => return Err(source.error("the faces have no list “vertex_indices”")),
                _ => {}
            }
        }
        self.skipped.extend(self.taken.skipped(columns.as_ref()));
        Ok(())
    }

    /// Takes an element of rows of one size at once; whether it was one.
    fn plain(&mut self, role: Role, element: &Element, source: &mut Source, watch: &Watch) -> Result<bool, ReadError> {
        let Source::Binary { bytes, at, big, .. } = source else { return Ok(false) };
        let rest = &bytes[*at..];
        match role {
            // Points of a second element stand behind those of the first, with or without colours.
            Role::Point if self.points.is_empty() => {
                let Some((plain, taken)) = rows::plain_points(element, rest, *big, watch)? else { return Ok(false) };
                (self.points, self.colours, self.normals) = (plain.points, plain.colours, plain.normals);
                *at += taken;
            }
            Role::Face if self.triangles.is_empty() && self.faces == 0 => {
                let found = rows::plain_triangles(element, rest, *big, self.points.len(), watch)?;
                let Some((triangles, taken)) = found else { return Ok(false) };
                self.faces = triangles.len();
                self.cell_of = (0..self.faces as u32).collect();
                self.triangles = triangles;
                *at += taken;
            }
            _ => return Ok(false),
        }
        Ok(true)
    }

    fn face(&mut self, list: &[f64], source: &Source) -> Result<(), ReadError> {
        let have = self.points.len();
        if let Some(wrong) = list.iter().find(|x| !(**x >= 0.0 && **x < have as f64 && x.fract() == 0.0)) {
            return Err(source.error(format!("face {} names point {wrong}, but there are {have} points", self.faces)));
        }
        if list.len() < 3 {
            return Err(source.error(format!("face {} has {} corners; it needs three", self.faces, list.len())));
        }
        let places: Vec<Point> = list.iter().map(|&p| self.points[p as usize]).collect();
        for t in triangulate::face(&places) {
            self.triangles.push(t.map(|k| list[k as usize] as u32));
            self.cell_of.push(self.faces as u32);
        }
        self.faces += 1;
        Ok(())
    }

    /// The colour of each facet as a label: its face's, else that of its corners where they have the same. Nothing where there
    /// is one only, or more than parts have.
    fn colour_labels(&mut self) -> (Vec<Label>, TiVec<FacetId, u32>) {
        let plain = (vec![Label::default()], TiVec::new());
        if self.colours.is_empty() && self.face_colours.iter().all(Option::is_none) {
            return plain;
        }
        let of_corners = |t: &[u32; 3]| {
            let [a, b, c] = t.map(|p| self.colours.get(p as usize));
            a.filter(|_| a == b && b == c).copied()
        };
        let mut labels = Labels::default();
        let mut label_of = TiVec::with_capacity(self.triangles.len());
        for (f, t) in self.triangles.iter().enumerate() {
            let colour = self.face_colours.get(f).copied().flatten().or_else(|| of_corners(t));
            let material = colour.map(|[r, g, b]| format!("#{r:02x}{g:02x}{b:02x}"));
            label_of.push(labels.number(&Label { name: String::new(), material }));
            if *label_of.last().unwrap_or(&0) as usize >= MOST_COLOURS {
                self.skipped.insert("colours that change from facet to facet".into(), self.triangles.len());
                return plain;
            }
        }
        labels.finish(label_of)
    }

    fn finish(mut self, format: Format) -> Received {
        let (labels, label_of) = self.colour_labels();
        let points_in_file = self.points.len();
        let all_triangles = self.faces == self.triangles.len();
        let mut mesh = Mesh::from_arrays(self.points, self.triangles);
        join_equal_points(&mut mesh);
        Received {
            format,
            cell_of: if all_triangles { TiVec::new() } else { self.cell_of },
            label_of,
            labels,
            faces_in_file: self.faces,
            points_in_file,
            skipped: self.skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect(),
            mesh,
            declared: Declared::default(),
            lines: Default::default(),
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Role {
    Point,
    Face,
    Other,
}

/// Writes a PLY file in double precision; cells are written as the polygons they came as.
pub fn write(mesh: &Mesh, cell_of: &TiSlice<FacetId, u32>, ascii: bool) -> Vec<u8> {
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let polygons = part_polygons(mesh, cell_of, &all);
    let format = if ascii { "ascii" } else { "binary_little_endian" };
    let mut out = format!(
        "ply\nformat {format} 1.0\nelement vertex {}\nproperty double x\nproperty double y\nproperty double z\n\
         element face {}\nproperty list uint int vertex_indices\nend_header\n",
        mesh.points.len(),
        polygons.len()
    )
    .into_bytes();
    for p in &mesh.points {
        if ascii {
            // Writing to memory cannot fail.
            let _ = writeln!(out, "{} {} {}", p[0], p[1], p[2]);
        } else {
            p.iter().for_each(|x| out.extend_from_slice(&x.to_le_bytes()));
        }
    }
    for polygon in polygons {
        if ascii {
            let _ = write!(out, "{}", polygon.len());
            for p in polygon {
                let _ = write!(out, " {}", p.0);
            }
            out.push(b'\n');
        } else {
            out.extend_from_slice(&(polygon.len() as u32).to_le_bytes());
            polygon.iter().for_each(|p| out.extend_from_slice(&p.0.to_le_bytes()));
        }
    }
    out
}

/// Writes points without faces, in double precision, with colours and directions where there are some.
pub fn write_points(cloud: &Cloud, ascii: bool) -> Vec<u8> {
    if !cloud.splats.is_empty() {
        return splats::write(cloud, ascii);
    }
    let format = if ascii { "ascii" } else { "binary_little_endian" };
    let (coloured, facing) = (!cloud.colours.is_empty(), !cloud.normals.is_empty());
    let columns =
        |names: &[&str], kind: &str| names.iter().map(|n| format!("property {kind} {n}\n")).collect::<String>();
    let mut head = format!("ply\nformat {format} 1.0\nelement vertex {}\n", cloud.points.len());
    head += &columns(&["x", "y", "z"], "double");
    if coloured {
        head += &columns(&COLOUR, "uchar");
    }
    if facing {
        head += &columns(&NORMAL, "float");
    }
    let mut out = (head + "end_header\n").into_bytes();
    for (i, p) in cloud.points.iter().enumerate() {
        let (colour, normal) = (cloud.colours.get(i), cloud.normals.get(i));
        if ascii {
            // Writing to memory cannot fail.
            let _ = write!(out, "{} {} {}", p[0], p[1], p[2]);
            colour.into_iter().flatten().for_each(|c| drop(write!(out, " {c}")));
            normal.into_iter().flatten().for_each(|n| drop(write!(out, " {n}")));
            out.push(b'\n');
        } else {
            p.iter().for_each(|x| out.extend_from_slice(&x.to_le_bytes()));
            colour.into_iter().for_each(|c| out.extend_from_slice(c));
            normal.into_iter().flatten().for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
        }
    }
    out
}
