//! Holes, pockets and raised places of a plate, found and taken away, against volumes in closed form.

use hull_exact::parameter_loops::Reader;
use hull_exact::shape::{EdgeId, Face, Loop, Lump, Shell, Use, VertexId};
use hull_exact::{Curve, Frame, Shape, Surface, edit, quadrature};
use hull_geometry::Point;
use hull_geometry::vector::sub;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

/// Thickness of the plate, and the side of the square that each feature has to itself.
const THICK: f64 = 4.0;
const CELL: f64 = 10.0;

/// What stands in a cell: how far its floor or roof is above the plate's top (`-THICK`: it goes through), and its outline.
#[derive(Clone, Copy, Debug)]
struct Asked {
    rise: f64,
    /// Corners of a regular polygon; none of a circle.
    corners: Option<usize>,
    radius: f64,
    /// A blind round hole in its floor or roof, half as wide and deep.
    nested: bool,
}

impl Asked {
    fn area(&self) -> f64 {
        let r2 = self.radius * self.radius;
        self.corners.map_or(PI * r2, |n| 0.5 * n as f64 * r2 * (TAU / n as f64).sin())
    }

    fn goes_through(&self) -> bool {
        self.rise <= -THICK
    }

    /// What it adds to the volume of the plate.
    fn volume(&self) -> f64 {
        let hole = if self.has_hole() { PI * self.radius * self.radius * 0.25 * 0.5 } else { 0.0 };
        self.area() * self.rise - hole
    }

    fn has_hole(&self) -> bool {
        self.nested && !self.goes_through()
    }

    fn walls(&self) -> usize {
        let sides = self.corners.unwrap_or(1);
        sides + usize::from(!self.goes_through()) + if self.has_hole() { 2 } else { 0 }
    }
}

/// Edges of an outline about `centre`, run counter-clockwise seen from above.
fn outline(shape: &mut Shape, centre: Point, radius: f64, corners: Option<usize>) -> Vec<EdgeId> {
    let frame = Frame { origin: centre, ..Frame::WORLD };
    let circle = Curve::Ellipse { frame, a: radius, b: radius };
    let Some(n) = corners else {
        let v = shape.add_vertex(circle.point(0.4));
        return vec![shape.add_edge(circle, [0.4, 0.4 + TAU], [v, v])];
    };
    let at: Vec<Point> = (0..n).map(|i| circle.point(TAU * i as f64 / n as f64)).collect();
    let vertices: Vec<VertexId> = at.iter().map(|p| shape.add_vertex(*p)).collect();
    (0..n)
        .map(|i| {
            let j = (i + 1) % n;
            let line = Curve::Line { origin: at[i], along: sub(at[j], at[i]) };
            shape.add_edge(line, [0.0, 1.0], [vertices[i], vertices[j]])
        })
        .collect()
}

fn run(edges: &[EdgeId], forward: bool) -> Loop {
    let mut uses: Vec<Use> = edges.iter().map(|&edge| Use { edge, forward, hint: None }).collect();
    if !forward {
        uses.reverse();
    }
    Loop { uses }
}

fn push(shape: &mut Shape, surface: Surface, same_sense: bool, loops: Vec<Loop>) {
    let surface = shape.add_surface(surface);
    shape.faces.push(Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None });
}

fn level(z: f64, up: bool) -> Surface {
    let mut frame = Frame { origin: [0.0, 0.0, z], ..Frame::WORLD };
    if !up {
        frame = Frame::new(frame.origin, [0.0, 0.0, -1.0], None);
    }
    Surface::Plane(frame)
}

/// Walls between two outlines one above the other; `outward`: the solid is inside them.
fn walls(shape: &mut Shape, low: &[EdgeId], high: &[EdgeId], centre: Point, radius: f64, outward: bool) {
    if low.len() == 1 {
        let side = Surface::Cylinder { frame: Frame { origin: centre, ..Frame::WORLD }, radius };
        push(shape, side, outward, vec![run(low, outward), run(high, !outward)]);
        return;
    }
    let up: Vec<EdgeId> = (0..low.len())
        .map(|i| {
            let ends = [low[i], high[i]].map(|e| shape.edges[e].ends[0]);
            let [p, q] = ends.map(|v| shape.vertices[v]);
            shape.add_edge(Curve::Line { origin: p, along: sub(q, p) }, [0.0, 1.0], ends)
        })
        .collect();
    for i in 0..low.len() {
        let n = (i + 1) % low.len();
        let Curve::Line { origin, along } = shape.edges[low[i]].curve.clone() else { unreachable!("a line") };
        let plane = Surface::Plane(Frame::new(origin, [along[1], -along[0], 0.0], Some(along)));
        let each = [(low[i], true), (up[n], true), (high[i], false), (up[i], false)];
        let mut uses: Vec<Use> = each.iter().map(|&(edge, forward)| Use { edge, forward, hint: None }).collect();
        if !outward {
            uses.reverse();
            uses.iter_mut().for_each(|u| u.forward = !u.forward);
        }
        push(shape, plane, outward, vec![Loop { uses }]);
    }
}

fn plate(asked: &[Asked]) -> Shape {
    let mut shape = Shape::default();
    // A plate of square cells in a row, as an outline of its own at both levels.
    let length = CELL * asked.len() as f64;
    let border = |shape: &mut Shape, z: f64| -> Vec<EdgeId> {
        let at = [[0.0, 0.0, z], [length, 0.0, z], [length, CELL, z], [0.0, CELL, z]];
        let vertices = at.map(|p| shape.add_vertex(p));
        let line = |i: usize| {
            (Curve::Line { origin: at[i], along: sub(at[(i + 1) % 4], at[i]) }, [vertices[i], vertices[(i + 1) % 4]])
        };
        (0..4)
            .map(|i| {
                let (curve, ends) = line(i);
                shape.add_edge(curve, [0.0, 1.0], ends)
            })
            .collect()
    };
    let (low, high) = (border(&mut shape, 0.0), border(&mut shape, THICK));
    let mut top = vec![run(&high, true)];
    let mut bottom = vec![run(&low, false)];
    for (i, a) in asked.iter().enumerate() {
        let centre = |z: f64| [CELL * (i as f64 + 0.5), 0.5 * CELL, z];
        let here = outline(&mut shape, centre(THICK), a.radius, a.corners);
        let there = outline(&mut shape, centre(THICK + a.rise), a.radius, a.corners);
        top.push(run(&here, false));
        let raised = a.rise > 0.0;
        let (under, over) = if raised { (&here, &there) } else { (&there, &here) };
        walls(&mut shape, under, over, centre(0.0), a.radius, raised);
        if a.goes_through() {
            bottom.push(run(&there, true));
            continue;
        }
        let mut loops = vec![run(&there, true)];
        if a.has_hole() {
            let z = THICK + a.rise;
            let rim = outline(&mut shape, centre(z), 0.5 * a.radius, None);
            let foot = outline(&mut shape, centre(z - 0.5), 0.5 * a.radius, None);
            loops.push(run(&rim, false));
            walls(&mut shape, &foot, &rim, centre(0.0), 0.5 * a.radius, false);
            push(&mut shape, level(z - 0.5, true), true, vec![run(&foot, true)]);
        }
        push(&mut shape, level(THICK + a.rise, true), true, loops);
    }
    push(&mut shape, level(THICK, true), true, top);
    push(&mut shape, level(0.0, false), true, bottom);
    walls(&mut shape, &low, &high, [0.0; 3], 0.0, true);
    let faces = shape.faces.keys().map(|f| (f, true)).collect();
    shape.lumps.push(Lump {
        name: String::new(),
        colour: None,
        closed: true,
        outer: Shell { faces },
        voids: Vec::new(),
    });
    shape
}

fn any_feature() -> impl Strategy<Value = Asked> {
    let rise = prop_oneof![Just(-THICK), -3.0..-0.5_f64, 0.2..6.0_f64];
    let corners = prop_oneof![Just(None), (3..40_usize).prop_map(Some)];
    (rise, corners, 0.5..4.5_f64, any::<bool>()).prop_map(|(rise, corners, radius, nested)| Asked {
        rise,
        corners,
        radius,
        nested,
    })
}

fn volume(shape: &Shape) -> f64 {
    quadrature::figures(shape, Reader::Trusting).volume
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// All that stand on or in the plate are found, whatever they look like; those up to a size go, and the rest stays as it
    /// was, closed.
    #[test]
    fn features_up_to_a_size_go_and_the_rest_stays(asked in prop::collection::vec(any_feature(), 1..6), most in 1.0..9.0_f64) {
        let shape = plate(&asked);
        let bare = THICK * CELL * CELL * asked.len() as f64;
        let whole = bare + asked.iter().map(Asked::volume).sum::<f64>();
        prop_assert!((volume(&shape) - whole).abs() < 1e-9 * whole, "{} for {whole}", volume(&shape));
        let is_top = |f: &Face| matches!(shape.surfaces[f.surface], Surface::Plane(p) if p.origin[2] == THICK && p.z[2] == 1.0);
        let top = shape.faces.position(is_top).expect("the plate's top");
        let on_top: Vec<_> = edit::features(&shape).into_iter().filter(|f| f.loops.iter().any(|l| l.0 == top)).collect();
        prop_assert_eq!(on_top.len(), asked.len());
        let cell = |f: &edit::Feature| (f.centre[0] / CELL) as usize;
        for f in &on_top {
            prop_assert_eq!(f.walls.len(), asked[cell(f)].walls(), "{:?}", asked[cell(f)]);
        }
        let (gone, kept): (Vec<_>, Vec<_>) = on_top.into_iter().partition(|f| f.diameter <= most);
        let left = edit::without_features(&shape, &gone);
        let expected = bare + kept.iter().map(|f| asked[cell(f)].volume()).sum::<f64>();
        prop_assert_eq!((left.solids().count(), left.open_edges().len()), (1, 0));
        prop_assert!((volume(&left) - expected).abs() < 1e-9 * expected, "{} for {expected}", volume(&left));
    }
}
