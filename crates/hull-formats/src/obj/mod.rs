//! OBJ: points, faces of any number of corners, objects, groups and materials.

use crate::bundles::Bundles;
use crate::format::{Carries, FileFormat};
use crate::text::{Words, shown};
use crate::{Content, ReceivedPoints};
use crate::{Declared, Format, Label, Labels, NamedFacets, ReadError, Received, Skipped};
use hull_geometry::cells::polygons;
use hull_geometry::cloud::Cloud;
use hull_geometry::join::join_equal_points;
use hull_geometry::{FacetId, Mesh, Point, PointId, Watch, triangulate};
use std::collections::BTreeMap;
use std::io::Write;
use typed_index_collections::{TiSlice, TiVec};

/// OBJ.
pub const FORMAT: FileFormat = FileFormat {
    id: "obj",
    title: "OBJ",
    endings: &["obj"],
    declares: "no unit; names of objects, groups and materials",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| {
        bytes.split(|b| *b == b'\n').take(200).any(|line| line.starts_with(b"v ") || line.starts_with(b"f "))
    },
    read: |name, bytes, watch| read(name, bytes, watch).map(content),
    write: Some(|s| write(s.mesh, s.cells, s.parts)),
    write_points: None,
    write_lines: None,
    gather: None,
};

/// A file of points and nothing else is a cloud.
fn content(received: Received) -> Content {
    let only_points = received.mesh.triangles.is_empty() && received.lines.parts.is_empty();
    if !only_points || received.mesh.points.is_empty() {
        return Content::Facets(received);
    }
    let cloud = Cloud { points: received.mesh.points.raw, ..Cloud::default() };
    let (format, skipped, declared) = (received.format.to_string(), received.skipped, received.declared);
    Content::Points(ReceivedPoints { format, cloud, skipped, declared })
}

/// # Errors
/// [`ReadError`], with the line.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let mut file = File::default();
    let mut words = Words::new(name, bytes);
    let mut count = 0usize;
    while words.at < bytes.len() {
        if count.is_multiple_of(16_384) {
            watch.report(words.at as f64 / bytes.len() as f64, "reading points and faces")?;
        }
        count += 1;
        let line = logical_line(&mut words);
        file.line(&words, &line)?;
        words.at += 1;
    }
    if file.points.is_empty() && file.faces == 0 {
        return Err(ReadError::whole(name, "the file holds no points and no faces: is it an OBJ file?"));
    }
    Ok(file.finish())
}

/// A line, with those that follow a closing backslash.
fn logical_line<'a>(words: &mut Words<'a>) -> std::borrow::Cow<'a, [u8]> {
    let first = words.rest_of_line();
    if first.last() != Some(&b'\\') {
        return first.into();
    }
    let mut line = first.to_vec();
    while line.last() == Some(&b'\\') && words.at < words.bytes.len() {
        line.pop();
        words.at += 1;
        line.push(b' ');
        line.extend_from_slice(words.rest_of_line());
    }
    line.into()
}

#[derive(Default)]
struct File {
    points: Vec<Point>,
    triangles: Vec<[u32; 3]>,
    cell_of: TiVec<FacetId, u32>,
    label_of: TiVec<FacetId, u32>,
    labels: Labels,
    current: Label,
    object: String,
    faces: usize,
    skipped: BTreeMap<String, usize>,
    polygon: Vec<u32>,
    lines: Bundles,
}

impl File {
    fn line(&mut self, words: &Words, line: &[u8]) -> Result<(), ReadError> {
        let mut parts = line.split(|b| *b <= b' ').filter(|w| !w.is_empty());
        let Some(keyword) = parts.next() else { return Ok(()) };
        let rest = || String::from_utf8_lossy(line[keyword.len()..].trim_ascii()).into_owned();
        match keyword {
            b"v" => {
                let mut point = [0.0; 3];
                for x in &mut point {
                    let word = parts.next().unwrap_or_default();
                    *x = fast_float2::parse::<f64, _>(word)
                        .ok()
                        .filter(|x| x.is_finite())
                        .ok_or_else(|| words.error(format!("“{}” is not a finite coordinate", shown(word))))?;
                }
                self.points.push(point);
            }
            b"f" => self.face(words, parts)?,
            b"l" => self.line_through(words, parts)?,
            b"g" => {
                let group = rest();
                self.current.name = if group.is_empty() { self.object.clone() } else { group };
            }
            b"o" => {
                self.object = rest();
                self.current.name = self.object.clone();
            }
            b"usemtl" => self.current.material = Some(rest()).filter(|m| !m.is_empty()),
            b"vn" | b"vt" | b"s" | b"mtllib" => {}
            comment if comment[0] == b'#' => {}
            other if other.len() <= 12 && other.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_') => {
                *self.skipped.entry(format!("statement “{}”", shown(other))).or_insert(0) += 1;
            }
            other => return Err(words.error(format!("“{}” does not begin an OBJ statement", shown(other)))),
        }
        Ok(())
    }

    /// A run of straight pieces, under the name of its group.
    fn line_through<'a>(&mut self, words: &Words, corners: impl Iterator<Item = &'a [u8]>) -> Result<(), ReadError> {
        self.corners(words, corners, "line")?;
        let points: Vec<Point> = self.polygon.iter().map(|p| self.points[*p as usize]).collect();
        let name = if self.current.name.is_empty() { "lines" } else { &self.current.name };
        self.lines.polyline(name, &points);
        Ok(())
    }

    /// Points that a face or a line names.
    fn corners<'a>(
        &mut self,
        words: &Words,
        corners: impl Iterator<Item = &'a [u8]>,
        what: &str,
    ) -> Result<(), ReadError> {
        self.polygon.clear();
        for corner in corners {
            if corner[0] == b'#' {
                break;
            }
            let index = corner.split(|b| *b == b'/').next().unwrap_or_default();
            let number: i64 = std::str::from_utf8(index).ok().and_then(|s| s.parse().ok()).unwrap_or(0);
            let have = self.points.len() as i64;
            let at = if number < 0 { have + number } else { number - 1 };
            if number == 0 || !(0..have).contains(&at) {
                let reason = format!("{what} names point “{}”, but there are {have} points so far", shown(corner));
                return Err(words.error(reason));
            }
            self.polygon.push(at as u32);
        }
        Ok(())
    }

    fn face<'a>(&mut self, words: &Words, corners: impl Iterator<Item = &'a [u8]>) -> Result<(), ReadError> {
        self.corners(words, corners, "face")?;
        if self.polygon.len() < 3 {
            return Err(words.error(format!("face with {} corners; it needs three", self.polygon.len())));
        }
        let label = self.labels.number(&self.current);
        let places: Vec<Point> = self.polygon.iter().map(|&p| self.points[p as usize]).collect();
        for t in triangulate::face(&places) {
            self.triangles.push(t.map(|k| self.polygon[k as usize]));
            self.cell_of.push(self.faces as u32);
            self.label_of.push(label);
        }
        self.faces += 1;
        Ok(())
    }

    fn finish(self) -> Received {
        let points_in_file = self.points.len();
        let mut mesh = Mesh::from_arrays(self.points, self.triangles);
        join_equal_points(&mut mesh);
        let (labels, label_of) = self.labels.finish(self.label_of);
        let all_triangles = self.faces == mesh.triangles.len();
        Received {
            format: Format::Obj,
            cell_of: if all_triangles { TiVec::new() } else { self.cell_of },
            label_of,
            labels,
            faces_in_file: self.faces,
            points_in_file,
            skipped: self.skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect(),
            mesh,
            declared: Declared::default(),
            lines: self.lines.finish(None),
        }
    }
}

/// Writes an OBJ file with one group a part; cells are written as the polygons they came as.
pub fn write(mesh: &Mesh, cell_of: &TiSlice<FacetId, u32>, parts: &[NamedFacets]) -> Vec<u8> {
    let mut out = Vec::new();
    for [x, y, z] in &mesh.points {
        // Writing to memory cannot fail.
        let _ = writeln!(out, "v {x} {y} {z}");
    }
    // Blanks would tell several groups.
    let words = crate::stl::solid_names(parts.iter().map(|p| p.name));
    let mut in_group = false;
    for (part, word) in parts.iter().zip(words) {
        if !part.name.trim().is_empty() {
            let _ = writeln!(out, "g {word}");
            in_group = true;
        } else if in_group {
            // Without a line of their own they would go on in the group before them.
            out.extend_from_slice(b"g\n");
        }
        for polygon in part_polygons(mesh, cell_of, part.facets) {
            out.push(b'f');
            for p in polygon {
                let _ = write!(out, " {}", p.0 + 1);
            }
            out.push(b'\n');
        }
    }
    out
}

/// The polygons that some facets of a mesh form.
pub(crate) fn part_polygons(mesh: &Mesh, cell_of: &TiSlice<FacetId, u32>, facets: &[FacetId]) -> Vec<Vec<PointId>> {
    let triangles: TiVec<FacetId, [PointId; 3]> = facets.iter().map(|&f| mesh.triangles[f]).collect();
    if cell_of.is_empty() {
        return triangles.iter().map(|t| t.to_vec()).collect();
    }
    let cells: TiVec<FacetId, u32> = facets.iter().map(|&f| cell_of[f]).collect();
    polygons(&mesh.points, &triangles, &cells)
}
