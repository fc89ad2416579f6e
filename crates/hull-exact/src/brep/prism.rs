//! Exact solids of an outline with holes, pushed along: bars, members, plates.

use crate::curve::Curve;
use crate::frame::Frame;
use crate::shape::{EdgeId, Face, FaceId, Loop, Lump, Shape, Shell, Use, VertexId};
use crate::surface::Surface;
use hull_geometry::vector::{add, cross, distance, scale, sub, unit};
use std::f64::consts::TAU;

/// A closed outline in a plane, the same way round as its caller needs it: outer ones against the clock, holes with it.
#[derive(Clone, Debug, PartialEq)]
pub enum Outline {
    /// Corners in order, with what leads from each to the next.
    Path(Vec<Corner>),
    /// A circle; it runs the way that is needed.
    Circle {
        /// Its centre.
        at: [f64; 2],
        /// Its radius.
        radius: f64,
    },
}

/// A corner of an outline.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Corner {
    /// Where it is.
    pub at: [f64; 2],
    /// The centre of the arc of less than half a circle that leads to the next corner; `None`: a straight line does.
    pub centre: Option<[f64; 2]>,
}

impl Outline {
    /// Straight lines from corner to corner.
    pub fn polygon(corners: impl IntoIterator<Item = [f64; 2]>) -> Outline {
        Outline::Path(corners.into_iter().map(|at| Corner { at, centre: None }).collect())
    }

    /// A circle about the origin.
    pub fn circle(radius: f64) -> Outline {
        Outline::Circle { at: [0.0; 2], radius }
    }

    /// Corners of straight lines instead of it: `sides(radius)` of them on a whole circle. A circle runs against the clock.
    pub fn corners(&self, sides: impl Fn(f64) -> usize) -> Vec<[f64; 2]> {
        match self {
            Outline::Circle { at, radius } => {
                let n = sides(*radius);
                (0..n).map(|i| on_circle(*at, *radius, TAU * i as f64 / n as f64)).collect()
            }
            Outline::Path(path) => {
                let mut out = Vec::new();
                for (i, corner) in path.iter().enumerate() {
                    out.push(corner.at);
                    let Some(centre) = corner.centre else { continue };
                    let (from, turn, radius) = swept(corner.at, path[(i + 1) % path.len()].at, centre);
                    let n = (sides(radius) as f64 * turn.abs() / TAU).ceil().max(2.0) as usize;
                    out.extend((1..n).map(|k| on_circle(centre, radius, from + turn * k as f64 / n as f64)));
                }
                out
            }
        }
    }
}

fn on_circle(at: [f64; 2], radius: f64, angle: f64) -> [f64; 2] {
    [at[0] + radius * angle.cos(), at[1] + radius * angle.sin()]
}

/// The angle at which an arc begins, by how much it turns (positive: against the clock), and its radius.
fn swept(a: [f64; 2], b: [f64; 2], centre: [f64; 2]) -> (f64, f64, f64) {
    let [p, q] = [a, b].map(|c| [c[0] - centre[0], c[1] - centre[1]]);
    let turn = (p[0] * q[1] - p[1] * q[0]).atan2(p[0] * q[0] + p[1] * q[1]);
    (p[1].atan2(p[0]), turn, p[0].hypot(p[1]))
}

/// A piece of a solid: `outer` less `holes`, so long.
pub struct Piece<'a> {
    /// Its outline.
    pub outer: &'a Outline,
    /// What is left out of it.
    pub holes: &'a [Outline],
    /// How long it is.
    pub length: f64,
}

/// A solid: `outer` less `holes`, in the x and y of `frame`, from its origin `length` along its z. Corners that coincide
/// with the one before are left out.
pub fn prism(frame: &Frame, outer: &Outline, holes: &[Outline], length: f64) -> Shape {
    stacked(frame, &[Piece { outer, holes, length }])
}

/// Pieces on each other along z, each within the outline of the next one, which has no holes: a shank under its head.
pub fn stacked(frame: &Frame, pieces: &[Piece]) -> Shape {
    let mut made =
        Prism { shape: Shape::default(), frame: *frame, length: 0.0, caps: Default::default(), faces: Vec::new() };
    let mut below: Vec<Loop> = Vec::new();
    for (i, piece) in pieces.iter().enumerate() {
        made.length = piece.length;
        made.wall(piece.outer, false);
        piece.holes.iter().for_each(|hole| made.wall(hole, true));
        let [mut foot, head] = std::mem::take(&mut made.caps);
        // What lies below leaves a hole in the foot: as it bounds its own end from above, it bounds the foot from below.
        foot.append(&mut below);
        made.cap(foot, false);
        made.frame.origin = add(made.frame.origin, scale(made.frame.z, piece.length));
        if i + 1 == pieces.len() {
            made.cap(head, true);
        } else {
            below = head;
        }
    }
    made.finish()
}

struct Prism {
    shape: Shape,
    frame: Frame,
    length: f64,
    /// Bounds of the two ends, each run as its face needs it.
    caps: [Vec<Loop>; 2],
    faces: Vec<FaceId>,
}

fn used(edge: EdgeId, forward: bool) -> Use {
    Use { edge, forward, hint: None }
}

impl Prism {
    fn place(&self, p: [f64; 2], end: usize) -> [f64; 3] {
        self.frame.place([p[0], p[1], if end == 0 { 0.0 } else { self.length }])
    }

    fn face(&mut self, surface: Surface, same_sense: bool, loops: Vec<Loop>) {
        let surface = self.shape.add_surface(surface);
        let face = Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None };
        let made = self.shape.faces.push_and_get_key(face);
        self.faces.push(made);
    }

    fn wall(&mut self, outline: &Outline, is_hole: bool) {
        match outline {
            Outline::Circle { at, radius } => self.round(*at, *radius, is_hole),
            Outline::Path(corners) => self.along(corners),
        }
    }

    /// One plane for each line, one cylinder for each arc.
    fn along(&mut self, corners: &[Corner]) {
        let mut own: Vec<Corner> = Vec::new();
        for c in corners {
            if own.last().is_some_and(|last| last.at == c.at) {
                own.pop();
            }
            own.push(*c);
        }
        if own.len() > 1 && own.first().map(|c| c.at) == own.last().map(|c| c.at) {
            own.pop();
        }
        let n = own.len();
        let vertices = [0, 1].map(|end| {
            let mut at = |c: &Corner| self.shape.add_vertex(self.place(c.at, end));
            own.iter().map(&mut at).collect::<Vec<_>>()
        });
        let around = [0, 1].map(|end| {
            let edge =
                |i: usize| self.edge(own[i], own[(i + 1) % n].at, end, [i, (i + 1) % n].map(|k| vertices[end][k]));
            (0..n).map(edge).collect::<Vec<_>>()
        });
        let up: Vec<EdgeId> = (0..n).map(|i| self.line(vertices[0][i], vertices[1][i])).collect();
        for i in 0..n {
            let next = (i + 1) % n;
            let from = self.place(own[i].at, 0);
            let uses =
                vec![used(around[0][i], true), used(up[next], true), used(around[1][i], false), used(up[i], false)];
            let loops = vec![Loop { uses }];
            if let Some(centre) = own[i].centre {
                let (_, turn, radius) = swept(own[i].at, own[next].at, centre);
                let origin = self.place(centre, 0);
                let frame = Frame::new(origin, self.frame.z, Some(sub(from, origin)));
                self.face(Surface::Cylinder { frame, radius }, turn > 0.0, loops);
            } else {
                let along = sub(self.place(own[next].at, 0), from);
                let plane = Frame::new(from, cross(along, self.frame.z), Some(along));
                self.face(Surface::Plane(plane), true, loops);
            }
        }
        self.caps[0].push(Loop { uses: around[0].iter().rev().map(|e| used(*e, false)).collect() });
        self.caps[1].push(Loop { uses: around[1].iter().map(|e| used(*e, true)).collect() });
    }

    fn line(&mut self, a: VertexId, b: VertexId) -> EdgeId {
        let (from, to) = (self.shape.vertices[a], self.shape.vertices[b]);
        let along = unit(sub(to, from)).unwrap_or([1.0, 0.0, 0.0]);
        self.shape.add_edge(Curve::Line { origin: from, along }, [0.0, distance(from, to)], [a, b])
    }

    /// The edge from a corner to the next one, at one end of the solid.
    fn edge(&mut self, from: Corner, to: [f64; 2], end: usize, ends: [VertexId; 2]) -> EdgeId {
        let Some(centre) = from.centre else { return self.line(ends[0], ends[1]) };
        let (_, turn, radius) = swept(from.at, to, centre);
        let origin = self.place(centre, end);
        let z = scale(self.frame.z, turn.signum());
        let frame = Frame::new(origin, z, Some(sub(self.place(from.at, end), origin)));
        self.shape.add_edge(Curve::Ellipse { frame, a: radius, b: radius }, [0.0, turn.abs()], ends)
    }

    /// A cylinder with its seam along x.
    fn round(&mut self, at: [f64; 2], radius: f64, is_hole: bool) {
        let start = [at[0] + radius, at[1]];
        let circles = [0, 1].map(|end| {
            let vertex = self.shape.add_vertex(self.place(start, end));
            let frame = Frame { origin: self.place(at, end), ..self.frame };
            self.shape.add_edge(Curve::Ellipse { frame, a: radius, b: radius }, [0.0, TAU], [vertex; 2])
        });
        let ends = circles.map(|c| self.shape.edges[c].ends[0]);
        let from = self.place(start, 0);
        let seam = self.shape.add_edge(Curve::Line { origin: from, along: self.frame.z }, [0.0, self.length], ends);
        let mut uses = vec![used(circles[0], true), used(seam, true), used(circles[1], false), used(seam, false)];
        if is_hole {
            uses.reverse();
            uses.iter_mut().for_each(|u| u.forward = !u.forward);
        }
        let frame = Frame { origin: self.place(at, 0), ..self.frame };
        self.face(Surface::Cylinder { frame, radius }, !is_hole, vec![Loop { uses }]);
        self.caps[0].push(Loop { uses: vec![used(circles[0], is_hole)] });
        self.caps[1].push(Loop { uses: vec![used(circles[1], !is_hole)] });
    }

    /// A plane at the frame's origin that closes an end: it looks along z, or against it.
    fn cap(&mut self, loops: Vec<Loop>, up: bool) {
        self.face(Surface::Plane(self.frame), up, loops);
    }

    fn finish(mut self) -> Shape {
        let outer = Shell { faces: self.faces.iter().map(|f| (*f, true)).collect() };
        self.shape.lumps.push(Lump { name: String::new(), colour: None, closed: true, outer, voids: Vec::new() });
        self.shape
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::parameter_loops::Reader;
    use crate::quadrature::figures;

    const PI: f64 = std::f64::consts::PI;

    fn frame() -> Frame {
        Frame::new([3.0, -2.0, 7.0], [1.0, 2.0, 2.0], None)
    }

    fn assert_is(shape: &Shape, volume: f64, area: f64) {
        let found = figures(shape, Reader::Trusting);
        assert!((found.volume - volume).abs() < 1e-9 * volume, "{} is not {volume}", found.volume);
        assert!((found.area - area).abs() < 1e-9 * area, "{} is not {area}", found.area);
        assert!(shape.open_edges().is_empty());
    }

    #[test]
    fn a_tube_and_a_channel_have_the_volumes_of_closed_forms() {
        let tube = prism(&frame(), &Outline::circle(5.0), &[Outline::circle(4.0)], 20.0);
        assert_is(&tube, 9.0 * PI * 20.0, 18.0 * PI * 20.0 + 18.0 * PI);
        let corners = Outline::polygon([[0.0, 0.0], [6.0, 0.0], [6.0, 1.0], [1.0, 1.0], [1.0, 4.0], [0.0, 4.0]]);
        let hole = Outline::polygon([[0.2, 0.2], [0.2, 0.8], [0.8, 0.8], [0.8, 0.2]]);
        let angle = prism(&frame(), &corners, &[hole], 10.0);
        assert_is(&angle, (9.0 - 0.36) * 10.0, 2.0 * 8.64 + (20.0 + 2.4) * 10.0);
    }

    /// A plate with round corners, one of them hollow, and a hole aside; a shank under a square head.
    #[test]
    fn arcs_and_pieces_on_each_other_have_the_volumes_of_closed_forms() {
        let at = |at: [f64; 2], centre: Option<[f64; 2]>| Corner { at, centre };
        let path = vec![
            at([0.0, 0.0], None),
            at([8.0, 0.0], Some([8.0, 2.0])),
            at([10.0, 2.0], None),
            at([10.0, 4.0], Some([10.0, 6.0])),
            at([8.0, 6.0], None),
            at([0.0, 6.0], None),
        ];
        let hole = Outline::Circle { at: [3.0, 3.0], radius: 1.0 };
        let plate = prism(&frame(), &Outline::Path(path), &[hole], 5.0);
        // Each quarter of a circle of radius 2 takes off or leaves its part of a square of 4.
        let area = 60.0 - (4.0 - PI) - PI - PI;
        let around = 8.0 + PI + 2.0 + PI + 8.0 + 6.0 + 2.0 * PI;
        assert_is(&plate, area * 5.0, 2.0 * area + around * 5.0);

        let square = Outline::polygon([[-3.0, -3.0], [3.0, -3.0], [3.0, 3.0], [-3.0, 3.0]]);
        let shank = Outline::circle(1.5);
        let of = |outer, length| Piece { outer, holes: &[], length };
        let bolt = stacked(&frame(), &[of(&shank, 20.0), of(&square, 4.0)]);
        assert_is(&bolt, 2.25 * PI * 20.0 + 144.0, 3.0 * PI * 20.0 + 72.0 + 96.0);
    }
}
