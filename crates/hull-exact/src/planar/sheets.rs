//! Regions drawn in one plane: faces that touch become one connected surface.

use crate::join::join;
use crate::join_report::JoinReport;
use crate::shape::Shape;
use crate::surface::Surface;
use hull_geometry::vector::{dot, sub};
use hull_geometry::{Cancelled, Watch};

/// The normal of the plane in which all faces of a shape lie; `None` where they do not, or where there is a solid.
pub fn common_plane(shape: &Shape) -> Option<[f64; 3]> {
    if shape.faces.is_empty() || shape.solids().next().is_some() {
        return None;
    }
    let reach = shape.tolerance.max(1e-6 * shape.rough_size());
    let mut frames = shape.faces.iter().map(|f| match &shape.surfaces[f.surface] {
        Surface::Plane(frame) => Some(frame),
        _ => None,
    });
    let first = *frames.next()??;
    let normal = hull_geometry::vector::cross(first.x, first.y);
    let within = shape.vertices.iter().all(|p| dot(sub(*p, first.origin), normal).abs() <= reach);
    let parallel =
        frames.all(|f| f.is_some_and(|f| dot(hull_geometry::vector::cross(f.x, f.y), normal).abs() >= 1.0 - 1e-9));
    (within && parallel).then_some(normal)
}

/// The regions of a plane as one surface, if the shape is that: shared edges are split at each other's ends and are
/// single, all faces look the same way, and each keeps its name (that of its sheet, where it has none of its own).
///
/// # Errors
/// [`Cancelled`].
pub fn connected(shape: &Shape, watch: &Watch) -> Result<Option<(Shape, JoinReport)>, Cancelled> {
    let Some(normal) = common_plane(shape) else { return Ok(None) };
    if shape.faces.len() < 2 {
        return Ok(None);
    }
    let mut named = shape.clone();
    for lump in &shape.lumps {
        for &(f, _) in &lump.outer.faces {
            let face = &mut named.faces[f];
            if face.name.is_empty() {
                face.name.clone_from(&lump.name);
            }
            face.colour = face.colour.or(lump.colour);
        }
    }
    let tolerance = shape.tolerance.max(1e-6 * shape.rough_size());
    let (mut out, report) = join(&named, tolerance, watch)?;
    for face in &mut out.faces {
        let Surface::Plane(frame) = &out.surfaces[face.surface] else { continue };
        let along = dot(hull_geometry::vector::cross(frame.x, frame.y), normal) > 0.0;
        if along != face.same_sense {
            face.turn();
        }
    }
    for lump in &mut out.lumps {
        lump.outer.faces.iter_mut().for_each(|f| f.1 = true);
        (lump.colour, lump.closed) = (None, false);
        lump.name.clear();
    }
    Ok(Some((out, report)))
}
