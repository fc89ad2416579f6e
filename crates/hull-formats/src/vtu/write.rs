//! A surface as triangles with the part of each; arrays in base 64, or as text.

use super::{Kind, NAMES};
use crate::format::Surface;
use base64::Engine;
use hull_geometry::{FacetId, Point};
use std::fmt::{Display, Write as _};

/// Writes a surface. The names of its parts stand in an array of texts, by the numbers of the column “part”.
pub fn write(s: &Surface, kind: Kind) -> Vec<u8> {
    let (points, facets) = (s.mesh.points.len(), s.mesh.triangles.len());
    let order: Vec<FacetId> = s.parts.iter().flat_map(|p| p.facets.iter().copied()).collect();
    let corners: Vec<i64> = order.iter().flat_map(|f| s.mesh.triangles[*f]).map(|p| i64::from(p.0)).collect();
    let offsets: Vec<i64> = (1..=order.len() as i64).map(|n| 3 * n).collect();
    let part: Vec<i64> = s.parts.iter().enumerate().flat_map(|(i, p)| p.facets.iter().map(move |_| i as i64)).collect();
    let word = kind.word();
    let mut x = String::new();
    // Writing to memory cannot fail.
    let _ = write!(
        x,
        "<?xml version=\"1.0\"?>\n<VTKFile type=\"{word}\" version=\"1.0\" byte_order=\"LittleEndian\" \
         header_type=\"UInt64\">\n<{word}>\n"
    );
    let part_names: Vec<&str> = s.parts.iter().map(|p| p.name).collect();
    names(&mut x, &part_names);
    let counts = match kind {
        Kind::Grid => format!("NumberOfCells=\"{facets}\""),
        Kind::Polygons => {
            format!("NumberOfVerts=\"0\" NumberOfLines=\"0\" NumberOfStrips=\"0\" NumberOfPolys=\"{facets}\"")
        }
    };
    let _ = write!(x, "<Piece NumberOfPoints=\"{points}\" {counts}>\n<CellData Scalars=\"part\">\n");
    array(&mut x, ("Int64", "part", 1), &part, i64::to_le_bytes, s.ascii);
    x.push_str("</CellData>\n<Points>\n");
    array(&mut x, ("Float64", "Points", 3), s.mesh.points.raw.as_flattened(), f64::to_le_bytes, s.ascii);
    let section = if kind == Kind::Grid { "Cells" } else { "Polys" };
    let _ = write!(x, "</Points>\n<{section}>\n");
    array(&mut x, ("Int64", "connectivity", 1), &corners, i64::to_le_bytes, s.ascii);
    array(&mut x, ("Int64", "offsets", 1), &offsets, i64::to_le_bytes, s.ascii);
    if kind == Kind::Grid {
        array(&mut x, ("UInt8", "types", 1), &vec![5_u8; facets], |b| [b], s.ascii);
    }
    let _ = write!(x, "</{section}>\n</Piece>\n</{word}>\n</VTKFile>\n");
    x.into_bytes()
}

/// The names of parts, as characters each name of which ends in a nought.
fn names(x: &mut String, all: &[&str]) {
    let text = |n: &&str| n.bytes().chain([0]).map(|b| b.to_string()).collect::<Vec<_>>().join(" ");
    let texts: Vec<String> = all.iter().map(text).collect();
    let count: usize = all.iter().map(|n| n.len() + 1).sum();
    let _ = write!(
        x,
        "<FieldData>\n<DataArray type=\"UInt8\" Name=\"{NAMES}\" NumberOfTuples=\"{count}\" format=\"ascii\">\n{}\n</DataArray>\n</FieldData>\n",
        texts.join("\n")
    );
}

/// Writes straight lines between points, each with the number of its part, and the parts' names.
pub fn write_lines(points: &[Point], lines: &[([u32; 2], u32)], parts: &[String]) -> Vec<u8> {
    let mut x = String::from(
        "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" byte_order=\"LittleEndian\" \
         header_type=\"UInt64\">\n<UnstructuredGrid>\n",
    );
    names(&mut x, &parts.iter().map(String::as_str).collect::<Vec<_>>());
    let (p, c) = (points.len(), lines.len());
    // Writing to memory cannot fail.
    let _ = writeln!(x, "<Piece NumberOfPoints=\"{p}\" NumberOfCells=\"{c}\">\n<CellData Scalars=\"part\">");
    let part: Vec<i64> = lines.iter().map(|l| i64::from(l.1)).collect();
    array(&mut x, ("Int64", "part", 1), &part, i64::to_le_bytes, false);
    x.push_str("</CellData>\n<Points>\n");
    array(&mut x, ("Float64", "Points", 3), points.as_flattened(), f64::to_le_bytes, false);
    x.push_str("</Points>\n<Cells>\n");
    let ends: Vec<i64> = lines.iter().flat_map(|l| l.0.map(i64::from)).collect();
    let offsets: Vec<i64> = (1..=c as i64).map(|n| 2 * n).collect();
    array(&mut x, ("Int64", "connectivity", 1), &ends, i64::to_le_bytes, false);
    array(&mut x, ("Int64", "offsets", 1), &offsets, i64::to_le_bytes, false);
    array(&mut x, ("UInt8", "types", 1), &vec![3_u8; c], |b| [b], false);
    x.push_str("</Cells>\n</Piece>\n</UnstructuredGrid>\n</VTKFile>\n");
    x.into_bytes()
}

fn array<T: Copy + Display, const N: usize>(
    x: &mut String,
    (kind, name, each): (&str, &str, usize),
    values: &[T],
    bytes: fn(T) -> [u8; N],
    ascii: bool,
) {
    let form = if ascii { "ascii" } else { "binary" };
    let _ = writeln!(x, "<DataArray type=\"{kind}\" Name=\"{name}\" NumberOfComponents=\"{each}\" format=\"{form}\">");
    if ascii {
        for line in values.chunks(12) {
            let words: Vec<String> = line.iter().map(ToString::to_string).collect();
            let _ = writeln!(x, "{}", words.join(" "));
        }
    } else {
        let mut raw = ((values.len() * N) as u64).to_le_bytes().to_vec();
        raw.extend(values.iter().flat_map(|v| bytes(*v)));
        x.push_str(&base64::engine::general_purpose::STANDARD.encode(raw));
        x.push('\n');
    }
    x.push_str("</DataArray>\n");
}
