//! How far from the origin things may be: areas, volumes and moments of what is further away leave the range of doubles, and
//! whatever is computed of it is worthless. Such a file is refused with the line and the value.

use crate::{Content, Location, ReadError};
use hull_exact::{Curve, Model, Surface};
use hull_geometry::Point;
use rayon::prelude::*;

/// The largest coordinate, in whatever unit: 7 000 times as far as the sun in millimetres.
pub const LARGEST: f64 = 1e15;

/// Whether a coordinate is too far away, or none: placing what is too far away gives none.
pub fn is_out(x: &f64) -> bool {
    x.is_nan() || x.abs() > LARGEST
}

fn first_out(points: &[Point]) -> Option<f64> {
    let chunk = points.par_chunks(1 << 14).find_first(|chunk| chunk.as_flattened().iter().any(is_out))?;
    chunk.as_flattened().iter().copied().find(is_out)
}

fn of_model(model: &Model) -> Option<f64> {
    // Control points are kept times their weights.
    let of_spline = |points: &[[f64; 4]]| {
        let at = |h: &[f64; 4]| [h[0] / h[3], h[1] / h[3], h[2] / h[3]];
        points.iter().flat_map(at).find(is_out)
    };
    let of_part = |p: &hull_exact::model::Part| {
        let edges = p.shape.edges.iter().find_map(|e| match &e.curve {
            Curve::Nurbs(n) => of_spline(&n.points),
            _ => None,
        });
        let faces = p.shape.surfaces.iter().find_map(|s| match s {
            Surface::Nurbs(n) => of_spline(&n.points),
            _ => None,
        });
        let vertices = first_out(&p.shape.vertices.raw).or(edges).or(faces);
        vertices.or_else(|| p.tessellated.iter().find_map(|t| first_out(&t.mesh.points.raw)))
    };
    let placed = model.nodes.iter().flat_map(|n| n.placement.frame.origin);
    model.parts.iter().find_map(of_part).or_else(|| placed.into_iter().find(is_out))
}

/// Refuses what lies too far away.
///
/// # Errors
/// [`ReadError`] with the line of a text file, and the value.
pub fn check(name: &str, bytes: &[u8], content: &Content) -> Result<(), ReadError> {
    let found = match content {
        Content::Facets(received) => first_out(&received.mesh.points.raw).or_else(|| of_model(&received.lines)),
        Content::Points(received) => first_out(&received.cloud.points),
        Content::Exact(design) => of_model(&design.model),
    };
    found.map_or(Ok(()), |value| Err(refused(name, bytes, value)))
}

/// The refusal of a value, at the line where a text file has one like it.
pub fn refused(name: &str, bytes: &[u8], value: f64) -> ReadError {
    if value.is_nan() {
        let why = "a place has no coordinates: the motions or weights that lead to it are too large to be computed";
        return ReadError::whole(name, why);
    }
    let line = line_of(bytes);
    let (place, shown) = line.map_or((Location::Whole, format!("{value:e}")), |(n, text)| (Location::Line(n), text));
    let why = format!(
        "a coordinate of {shown} is too large; nothing may be further than {LARGEST:e} from the origin, where neither \
         areas nor volumes can be computed any more. Correct the number in the file, or in the system that wrote it"
    );
    ReadError::at(name, place, why)
}

/// The first line of a text that has a number out of bounds, and the number as it stands there.
fn line_of(bytes: &[u8]) -> Option<(usize, String)> {
    if bytes[..bytes.len().min(4096)].contains(&0) {
        return None;
    }
    let is_number = |b: u8| b.is_ascii_digit() || matches!(b, b'+' | b'-' | b'.' | b'e' | b'E' | b'd' | b'D');
    for (n, line) in bytes.split(|&b| b == b'\n').enumerate() {
        for token in line.split(|&b| !is_number(b)).filter(|t| t.first().is_some_and(|b| !b.is_ascii_alphabetic())) {
            let text = String::from_utf8_lossy(token);
            let value = text.trim_start_matches('+').replace(['d', 'D'], "e").parse::<f64>();
            if value.is_ok_and(|x| is_out(&x)) {
                return Some((n + 1, text.into_owned()));
            }
        }
    }
    None
}
