//! The stern gantry of the *Pipit* as its centre lines: two legs, beams, a round arch, braces, and a bent handrail.

use hull_exact::model::{Model, Node, NodeId, Part, PartId};
use hull_exact::nurbs::{NurbsCurve, NurbsError};
use hull_exact::{Curve, Frame, Motion, Shape};
use hull_formats::step::{self, Schema};
use hull_geometry::{Point, Unit, Watch};
use std::f64::consts::PI;

/// Half of the width, the height of the beam, and how far the frames stand from each other; in millimetres.
const HALF: f64 = 1200.0;
const HIGH: f64 = 2100.0;
const DEEP: f64 = 900.0;

/// The gantry as a STEP file of curves: two equal frames, what joins them, and the rail.
///
/// # Errors
/// None that could happen: the rail is a curve, and nobody cancels.
pub fn lines() -> Result<Vec<u8>, Box<dyn std::error::Error>> {
    let parts = vec![part("frame", frame()), part("cross members", cross_members()), part("handrail", handrail()?)];
    let place = |name: &str, part: u32, y: f64| Node {
        name: name.into(),
        parent: Some(NodeId(0)),
        part: Some(PartId(part)),
        placement: Motion { frame: Frame { origin: [0.0, y, 0.0], ..Frame::WORLD }, scale: 1.0 },
        colour: None,
    };
    let root = Node { name: "stern gantry".into(), parent: None, part: None, placement: Motion::NONE, colour: None };
    let nodes = vec![
        root,
        place("frame aft", 0, 0.0),
        place("frame forward", 0, DEEP),
        place("cross members", 1, 0.0),
        place("handrail", 2, 0.0),
    ];
    let model = Model { parts: parts.into(), nodes: nodes.into(), unit: None };
    Ok(step::write("stern-gantry.step", &model, &Motion::NONE, Unit::Mm, Schema::Ap214, &Watch::default())?.bytes)
}

fn part(name: &str, shape: Shape) -> Part {
    Part { name: name.into(), shape, tessellated: Vec::new() }
}

fn add(shape: &mut Shape, name: &str, curve: Curve, range: [f64; 2]) {
    let ends = range.map(|t| shape.add_vertex(curve.point(t)));
    let edge = shape.add_edge(curve, range, ends);
    shape.wires.push(edge);
    shape.edge_names.insert(edge, name.into());
}

fn straight(shape: &mut Shape, name: &str, from: Point, to: Point) {
    let along = [0, 1, 2].map(|k| to[k] - from[k]);
    add(shape, name, Curve::Line { origin: from, along }, [0.0, 1.0]);
}

/// Two legs that lean in, a beam, an arch over it, and two braces.
fn frame() -> Shape {
    let mut shape = Shape::default();
    let top = HALF - 150.0;
    for (side, name) in [(-1.0, "port"), (1.0, "starboard")] {
        straight(&mut shape, &format!("leg {name}"), [side * HALF, 0.0, 0.0], [side * top, 0.0, HIGH]);
        straight(&mut shape, &format!("brace {name}"), [side * top, 0.0, HIGH], [side * 450.0, 0.0, HIGH + 620.0]);
    }
    straight(&mut shape, "beam", [-top, 0.0, HIGH], [top, 0.0, HIGH]);
    let centre = Frame::new([0.0, 0.0, HIGH], [0.0, -1.0, 0.0], Some([1.0, 0.0, 0.0]));
    add(&mut shape, "arch", Curve::Ellipse { frame: centre, a: top, b: top }, [0.0, PI]);
    shape
}

/// From frame to frame: at the heads of the legs, at the top of the arch, and a diagonal.
fn cross_members() -> Shape {
    let mut shape = Shape::default();
    let top = HALF - 150.0;
    for (side, name) in [(-1.0, "port"), (1.0, "starboard")] {
        straight(&mut shape, &format!("head {name}"), [side * top, 0.0, HIGH], [side * top, DEEP, HIGH]);
        straight(&mut shape, &format!("diagonal {name}"), [side * HALF, 0.0, 0.0], [side * top, DEEP, HIGH]);
    }
    straight(&mut shape, "crown", [0.0, 0.0, HIGH + top], [0.0, DEEP, HIGH + top]);
    shape
}

/// A rail bent around the foot of the frames.
fn handrail() -> Result<Shape, NurbsError> {
    let mut shape = Shape::default();
    let poles = vec![
        [-HALF, -200.0, 1000.0],
        [-HALF, DEEP + 500.0, 1000.0],
        [-HALF * 0.4, DEEP + 900.0, 1050.0],
        [HALF * 0.4, DEEP + 900.0, 1050.0],
        [HALF, DEEP + 500.0, 1000.0],
        [HALF, -200.0, 1000.0],
    ];
    let knots = vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 3.0, 3.0, 3.0];
    let rail = NurbsCurve::new(3, knots, &poles, None)?;
    add(&mut shape, "rail", Curve::Nurbs(Box::new(rail)), [0.0, 3.0]);
    Ok(shape)
}
