//! Shapes that several test files start from.

use hull_exact::shape::{Face, FaceId, Lump, Shell};
use hull_exact::{Frame, Motion, Shape, Surface};
use proptest::prelude::*;

/// A rectangle of a surface's parameters as a face of its own.
pub fn patch(surface: Surface, sides: [[f64; 2]; 2]) -> Shape {
    let mut shape = Shape { tolerance: 1e-7, ..Shape::default() };
    let bounds = shape.rectangle_loop(&surface, sides).expect("bounds");
    let surface = shape.add_surface(surface);
    let (name, colour, layer) = (String::new(), None, None);
    shape.faces.push(Face { surface, same_sense: true, loops: vec![bounds], name: name.clone(), colour, layer });
    let outer = Shell { faces: vec![(FaceId(0), true)] };
    shape.lumps.push(Lump { name, colour, closed: false, outer, voids: Vec::new() });
    shape
}

/// Any turn, mirror, shift and scale.
pub fn any_motion() -> impl Strategy<Value = Motion> {
    let number = || prop::array::uniform3(-4.0..4.0_f64);
    (number(), number(), any::<bool>(), 0.2..5.0_f64).prop_map(|(origin, axis, mirror, scale)| {
        let mut frame = Frame::new(origin, axis, None);
        if mirror {
            frame.y = frame.y.map(|x| -x);
        }
        Motion { frame, scale }
    })
}

/// Whether a motion turns the normals that parameters make round: -1, or 1.
pub fn normal_turn(m: &Motion) -> f64 {
    if m.frame.is_mirrored() { -1.0 } else { 1.0 }
}
