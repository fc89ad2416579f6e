//! Shapes that several test files start from.

use hull_exact::shape::{Face, Lump, Shell};
use hull_exact::{Shape, Surface};

/// A rectangle of a surface's parameters as a face of its own.
pub fn patch(surface: Surface, sides: [[f64; 2]; 2]) -> Shape {
    let mut shape = Shape { tolerance: 1e-7, ..Shape::default() };
    let bounds = shape.rectangle_loop(&surface, sides).expect("bounds");
    let surface = shape.add_surface(surface);
    let (name, colour, layer) = (String::new(), None, None);
    shape.faces.push(Face { surface, same_sense: true, loops: vec![bounds], name: name.clone(), colour, layer });
    let outer = Shell { faces: vec![(0, true)] };
    shape.lumps.push(Lump { name, colour, closed: false, outer, voids: Vec::new() });
    shape
}
