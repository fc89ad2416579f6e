//! OFF: points and faces of any number of corners, with colours of faces where a file gives them.

use crate::Content;
use crate::format::{Carries, FileFormat};
use crate::obj::part_polygons;
use crate::text::{Words, shown};
use crate::{Declared, Format, Label, Labels, ReadError, Received, Skipped};
use hull_geometry::join::join_equal_points;
use hull_geometry::{FacetId, Mesh, Point, Watch, triangulate};
use std::io::Write;
use typed_index_collections::{TiSlice, TiVec};

/// OFF.
pub const FORMAT: FileFormat = FileFormat {
    id: "off",
    title: "OFF",
    endings: &["off"],
    declares: "no unit; colours of faces",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| Head::of(bytes.trim_ascii_start()).is_some(),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(|s| write(s.mesh, s.cells)),
    write_points: None,
    write_lines: None,
    gather: None,
};

/// What the first word says stands behind the three coordinates of each point: texture, colour, normal.
struct Head {
    length: usize,
    normals: bool,
    others: bool,
}

impl Head {
    fn of(bytes: &[u8]) -> Option<Head> {
        let end = bytes.iter().position(|b| *b <= b' ' || *b == b'#').unwrap_or(bytes.len());
        let prefix = bytes[..end].strip_suffix(b"OFF")?;
        let known: [&[u8]; 8] = [b"", b"C", b"N", b"CN", b"ST", b"STC", b"STN", b"STCN"];
        known.contains(&prefix).then(|| Head {
            length: end,
            normals: prefix.contains(&b'N'),
            others: prefix.contains(&b'C') || prefix.contains(&b'S'),
        })
    }
}

/// Reads words line by line, without comments.
struct Lines<'a> {
    words: Words<'a>,
}

impl<'a> Lines<'a> {
    /// The next line that says something; `None` at the end.
    fn next(&mut self) -> Option<Vec<&'a [u8]>> {
        while self.words.at < self.words.bytes.len() {
            let line = self.words.rest_of_line();
            let said = line.split(|b| *b == b'#').next().unwrap_or_default();
            let words: Vec<&[u8]> = said.split(|b| *b <= b' ').filter(|w| !w.is_empty()).collect();
            if !words.is_empty() {
                return Some(words);
            }
            self.words.at += 1;
        }
        None
    }

    /// Done with the line whose words were asked for.
    fn pass(&mut self) {
        self.words.at += 1;
    }

    fn wanted(&mut self, what: &str) -> Result<Vec<&'a [u8]>, ReadError> {
        match self.next() {
            Some(words) => Ok(words),
            None => Err(self.words.error(format!("the file ends where {what} should follow: it is cut off"))),
        }
    }

    fn number(&self, word: &[u8]) -> Result<f64, ReadError> {
        let found = fast_float2::parse::<f64, _>(word).ok().filter(|x| x.is_finite());
        found.ok_or_else(|| self.words.error(format!("“{}” is not a finite number", shown(word))))
    }

    fn whole(&self, word: Option<&&[u8]>, what: &str) -> Result<usize, ReadError> {
        let word = word.copied().unwrap_or_default();
        let found = std::str::from_utf8(word).ok().and_then(|s| s.parse().ok());
        found.ok_or_else(|| self.words.error(format!("“{}” is no {what}", shown(word))))
    }
}

/// # Errors
/// [`ReadError`], with the line.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let mut lines = Lines { words: Words::new(name, bytes) };
    let start = bytes.len() - bytes.trim_ascii_start().len();
    let Some(head) = Head::of(&bytes[start..]) else {
        return Err(lines
            .words
            .error("the file does not begin with OFF: binary and four-dimensional files are not read"));
    };
    lines.words.at = start + head.length;
    let counts = lines.wanted("the numbers of points and faces")?;
    let points_in_file = lines.whole(counts.first(), "number of points")?;
    let faces_in_file = lines.whole(counts.get(1), "number of faces")?;
    lines.pass();
    // A point takes six bytes at least, a face eight: what cannot be there is not made room for.
    let left = bytes.len() - lines.words.at.min(bytes.len());
    if points_in_file > left / 5 + 1 || faces_in_file > left / 5 + 1 {
        let reason =
            format!("{points_in_file} points and {faces_in_file} faces are claimed, more than {left} bytes can hold");
        return Err(lines.words.error(reason));
    }
    let mut points: Vec<Point> = Vec::with_capacity(points_in_file);
    for i in 0..points_in_file {
        report(i, points_in_file, 0.0, "reading points", watch)?;
        let words = lines.wanted("a point")?;
        if words.len() < 3 {
            return Err(lines.words.error(format!("a point with {} coordinates; it needs three", words.len())));
        }
        points.push([lines.number(words[0])?, lines.number(words[1])?, lines.number(words[2])?]);
        lines.pass();
    }
    let mut faces = Faces::default();
    for i in 0..faces_in_file {
        report(i, faces_in_file, 0.5, "reading faces", watch)?;
        let words = lines.wanted("a face")?;
        faces.add(&lines, &words, &points)?;
        lines.pass();
    }
    // Edges may stand there, which say nothing that faces do not.
    while lines.next().is_some() {
        faces.behind += 1;
        lines.pass();
    }
    Ok(faces.finish(points, faces_in_file, &head))
}

fn report(i: usize, of: usize, from: f64, phrase: &str, watch: &Watch) -> Result<(), ReadError> {
    if i.is_multiple_of(16_384) {
        watch.report(from + 0.5 * i as f64 / of as f64, phrase)?;
    }
    Ok(())
}

#[derive(Default)]
struct Faces {
    triangles: Vec<[u32; 3]>,
    cell_of: TiVec<FacetId, u32>,
    label_of: TiVec<FacetId, u32>,
    labels: Labels,
    count: usize,
    /// Faces of two corners and fewer.
    lines: usize,
    /// Lines behind the last face.
    behind: usize,
}

impl Faces {
    fn add(&mut self, lines: &Lines, words: &[&[u8]], points: &[Point]) -> Result<(), ReadError> {
        let corners = lines.whole(words.first(), "number of corners")?;
        let Some(named) = words.get(1..=corners).filter(|_| corners < words.len()) else {
            let reason = format!("a face of {corners} corners with {} numbers behind", words.len() - 1);
            return Err(lines.words.error(reason));
        };
        let mut polygon: Vec<u32> = Vec::with_capacity(corners);
        for word in named {
            let p = lines.whole(Some(word), "number of a point")?;
            if p >= points.len() {
                let reason = format!("face names point {p}, but there are {} points, from 0", points.len());
                return Err(lines.words.error(reason));
            }
            polygon.push(p as u32);
        }
        if corners < 3 {
            self.lines += 1;
            return Ok(());
        }
        let material = colour(&words[corners + 1..]);
        let label = self.labels.number(&Label { name: String::new(), material });
        let places: Vec<Point> = polygon.iter().map(|&p| points[p as usize]).collect();
        for t in triangulate::face(&places) {
            self.triangles.push(t.map(|k| polygon[k as usize]));
            self.cell_of.push(self.count as u32);
            self.label_of.push(label);
        }
        self.count += 1;
        Ok(())
    }

    fn finish(self, points: Vec<Point>, faces_in_file: usize, head: &Head) -> Received {
        let points_in_file = points.len();
        let mut mesh = Mesh::from_arrays(points, self.triangles);
        join_equal_points(&mut mesh);
        let (labels, label_of) = self.labels.finish(self.label_of);
        let all_triangles = self.count == mesh.triangles.len();
        let of_points = |there: bool| if there { points_in_file } else { 0 };
        Received {
            format: Format::Off,
            cell_of: if all_triangles { TiVec::new() } else { self.cell_of },
            label_of,
            labels,
            faces_in_file,
            points_in_file,
            skipped: Skipped::some(&[
                ("faces of fewer than three corners", self.lines),
                ("lines behind the last face", self.behind),
                ("normals of points", of_points(head.normals)),
                ("colours or texture places of points", of_points(head.others)),
            ]),
            mesh,
            declared: Declared::default(),
            lines: Default::default(),
        }
    }
}

/// The colour behind a face: three numbers from 0 to 255, or with a point from 0 to 1, maybe with an opacity; or one
/// number of a palette.
fn colour(words: &[&[u8]]) -> Option<String> {
    let text: Vec<&str> = words.iter().filter_map(|w| std::str::from_utf8(w).ok()).collect();
    match text[..] {
        [] => None,
        [one] => Some(format!("colour {one}")),
        [r, g, b, ..] => {
            let part = |s: &str| -> Option<u8> {
                let x: f64 = s.parse().ok()?;
                let x = if s.contains('.') { 255.0 * x } else { x };
                (0.0..=255.0).contains(&x).then(|| x.round() as u8)
            };
            Some(format!("#{:02x}{:02x}{:02x}", part(r)?, part(g)?, part(b)?))
        }
        _ => None,
    }
}

/// Writes a surface; cells are written as the polygons they came as.
pub fn write(mesh: &Mesh, cell_of: &TiSlice<FacetId, u32>) -> Vec<u8> {
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let polygons = part_polygons(mesh, cell_of, &all);
    let mut out = format!("OFF\n{} {} 0\n", mesh.points.len(), polygons.len()).into_bytes();
    for [x, y, z] in &mesh.points {
        // Writing to memory cannot fail.
        let _ = writeln!(out, "{x} {y} {z}");
    }
    for polygon in polygons {
        let _ = write!(out, "{}", polygon.len());
        polygon.iter().for_each(|p| drop(write!(out, " {}", p.0)));
        out.push(b'\n');
    }
    out
}
