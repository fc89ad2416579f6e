//! Exact solids of an outline with holes, pushed along: bars, members, plates.

use crate::curve::Curve;
use crate::frame::Frame;
use crate::shape::{Face, Loop, Lump, Shape, Shell, Use};
use crate::surface::Surface;
use hull_geometry::Point;
use hull_geometry::vector::{add, cross, distance, scale, sub, unit};
use std::f64::consts::TAU;

/// A closed outline in a plane.
#[derive(Clone, Debug, PartialEq)]
pub enum Outline {
    /// Corners in order, the same way round as its caller needs it: outer ones against the clock, holes with it.
    Polygon(Vec<[f64; 2]>),
    /// About the origin.
    Circle(f64),
}

/// A solid: `outer` less `holes`, in the x and y of `frame`, from its origin `length` along its z. Corners that coincide
/// with the one before are left out.
pub fn prism(frame: &Frame, outer: &Outline, holes: &[Outline], length: f64) -> Shape {
    let mut made =
        Prism { shape: Shape::default(), frame: *frame, length, caps: [Vec::new(), Vec::new()], faces: Vec::new() };
    made.wall(outer, false);
    holes.iter().for_each(|hole| made.wall(hole, true));
    made.finish()
}

struct Prism {
    shape: Shape,
    frame: Frame,
    length: f64,
    /// Bounds of the two ends, each run as its face needs it.
    caps: [Vec<Loop>; 2],
    faces: Vec<u32>,
}

fn used(edge: u32, forward: bool) -> Use {
    Use { edge, forward, hint: None }
}

impl Prism {
    fn place(&self, p: [f64; 2], end: usize) -> [f64; 3] {
        self.frame.place([p[0], p[1], if end == 0 { 0.0 } else { self.length }])
    }

    fn face(&mut self, surface: Surface, same_sense: bool, loops: Vec<Loop>) {
        let surface = self.shape.add_surface(surface);
        let face = Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None };
        self.shape.faces.push(face);
        self.faces.push(self.shape.faces.len() as u32 - 1);
    }

    fn wall(&mut self, outline: &Outline, is_hole: bool) {
        match outline {
            Outline::Circle(radius) => self.round(*radius, is_hole),
            Outline::Polygon(corners) => self.flat(corners),
        }
    }

    /// One plane for each side.
    fn flat(&mut self, corners: &[[f64; 2]]) {
        let mut own: Vec<[f64; 2]> = Vec::new();
        for c in corners {
            if own.last() != Some(c) {
                own.push(*c);
            }
        }
        if own.len() > 1 && own.first() == own.last() {
            own.pop();
        }
        let n = own.len();
        let vertices = [0, 1].map(|end| {
            let first = self.shape.vertices.len() as u32;
            let all: Vec<Point> = own.iter().map(|p| self.place(*p, end)).collect();
            self.shape.vertices.extend(all);
            first
        });
        let line = |shape: &mut Shape, a: u32, b: u32| {
            let (from, to) = (shape.vertices[a as usize], shape.vertices[b as usize]);
            let along = unit(sub(to, from)).unwrap_or([1.0, 0.0, 0.0]);
            shape.add_edge(Curve::Line { origin: from, along }, [0.0, distance(from, to)], [a, b])
        };
        let around = vertices.map(|first| {
            (0..n as u32).map(|i| line(&mut self.shape, first + i, first + (i + 1) % n as u32)).collect::<Vec<u32>>()
        });
        let up: Vec<u32> = (0..n as u32).map(|i| line(&mut self.shape, vertices[0] + i, vertices[1] + i)).collect();
        for i in 0..n {
            let next = (i + 1) % n;
            let from = self.place(own[i], 0);
            let along = sub(self.place(own[next], 0), from);
            let plane = Frame::new(from, cross(along, self.frame.z), Some(along));
            let uses =
                vec![used(around[0][i], true), used(up[next], true), used(around[1][i], false), used(up[i], false)];
            self.face(Surface::Plane(plane), true, vec![Loop { uses }]);
        }
        self.caps[0].push(Loop { uses: around[0].iter().rev().map(|e| used(*e, false)).collect() });
        self.caps[1].push(Loop { uses: around[1].iter().map(|e| used(*e, true)).collect() });
    }

    /// A cylinder with its seam along x.
    fn round(&mut self, radius: f64, is_hole: bool) {
        let circles = [0, 1].map(|end| {
            let vertex = self.shape.add_vertex(self.place([radius, 0.0], end));
            let frame = Frame { origin: self.place([0.0; 2], end), ..self.frame };
            self.shape.add_edge(Curve::Ellipse { frame, a: radius, b: radius }, [0.0, TAU], [vertex; 2])
        });
        let ends = circles.map(|c| self.shape.edges[c as usize].ends[0]);
        let from = self.place([radius, 0.0], 0);
        let seam = self.shape.add_edge(Curve::Line { origin: from, along: self.frame.z }, [0.0, self.length], ends);
        let mut uses = vec![used(circles[0], true), used(seam, true), used(circles[1], false), used(seam, false)];
        if is_hole {
            uses.reverse();
            uses.iter_mut().for_each(|u| u.forward = !u.forward);
        }
        self.face(Surface::Cylinder { frame: self.frame, radius }, !is_hole, vec![Loop { uses }]);
        self.caps[0].push(Loop { uses: vec![used(circles[0], is_hole)] });
        self.caps[1].push(Loop { uses: vec![used(circles[1], !is_hole)] });
    }

    fn finish(mut self) -> Shape {
        for end in 0..2 {
            let loops = std::mem::take(&mut self.caps[end]);
            let origin = add(self.frame.origin, scale(self.frame.z, if end == 0 { 0.0 } else { self.length }));
            self.face(Surface::Plane(Frame { origin, ..self.frame }), end == 1, loops);
        }
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

    /// Volume and area by closed forms, and facets that close and face outward.
    #[test]
    fn a_tube_and_a_channel_have_the_volumes_of_closed_forms() {
        let frame = Frame::new([3.0, -2.0, 7.0], [1.0, 2.0, 2.0], None);
        let tube = prism(&frame, &Outline::Circle(5.0), &[Outline::Circle(4.0)], 20.0);
        let pi = std::f64::consts::PI;
        let found = figures(&tube, Reader::Trusting);
        assert!(
            (found.volume - 9.0 * pi * 20.0).abs() < 1e-9 && (found.area - (18.0 * pi * 20.0 + 18.0 * pi)).abs() < 1e-9
        );
        let corners = vec![[0.0, 0.0], [6.0, 0.0], [6.0, 1.0], [1.0, 1.0], [1.0, 4.0], [0.0, 4.0]];
        let hole = vec![[0.2, 0.2], [0.2, 0.8], [0.8, 0.8], [0.8, 0.2]];
        let angle = prism(&frame, &Outline::Polygon(corners), &[Outline::Polygon(hole)], 10.0);
        let found = figures(&angle, Reader::Trusting);
        assert!((found.volume - (9.0 - 0.36) * 10.0).abs() < 1e-9, "{}", found.volume);
        assert!(angle.open_edges().is_empty() && tube.open_edges().is_empty());
    }
}
