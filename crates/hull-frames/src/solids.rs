//! Members as they are at full size: their sections' outlines pushed from joint to joint.

use crate::model::Frame;
use crate::shape::Shape;
use hull_geometry::Mesh;
use hull_geometry::vector::{add, scale};
use hull_stock::solids::prism;
use std::collections::HashMap;

/// The closed surface of each member that has a section with an outline, with the member's number. Members end at their
/// joints, square to themselves; where several meet they reach into each other.
pub fn solids(frame: &Frame) -> Vec<(usize, Mesh)> {
    let mut shapes: HashMap<u32, Option<Shape>> = HashMap::new();
    let mut out = Vec::new();
    for (i, member) in frame.members.iter().enumerate() {
        let Some(number) = member.section else { continue };
        let named = || frame.sections.get(number as usize).and_then(|s| Shape::named(&s.name).ok()).map(|s| s.1);
        let Some(shape) = shapes.entry(number).or_insert_with(named) else { continue };
        let length = frame.length(member);
        if length > 0.0 {
            out.push((i, solid(frame, member, shape, length)));
        }
    }
    out
}

/// Frames of more members are not drawn at full size, nor written so: each takes some hundred facets.
pub const MOST: usize = 10_000;

/// All of them as one surface, one behind the other; nothing for a frame of more than [`MOST`] members.
pub fn together(frame: &Frame) -> Mesh {
    if frame.members.len() > MOST {
        return Mesh::default();
    }
    solids(frame).iter().fold(Mesh::default(), |mut all, (_, own)| {
        all.append(own);
        all
    })
}

fn solid(frame: &Frame, member: &crate::Member, shape: &Shape, length: f64) -> Mesh {
    let mut loops = shape.loops();
    let outer = loops.remove(0);
    // Walls of prisms are drawn along outlines that run against the clock.
    loops.iter_mut().for_each(|hole| hole.reverse());
    let mut mesh = prism(&outer, &loops, length);
    let [x, y, z] = frame.axes(member);
    let from = frame.places(member)[0];
    for p in &mut mesh.points {
        *p = add(from, add(add(scale(y, p[0]), scale(z, p[1])), scale(x, p[2])));
    }
    mesh
}
