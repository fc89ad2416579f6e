//! Making edges and loops from bare curves and surfaces.

use crate::curve::{Curve, Piece};
use crate::shape::{Loop, Shape, Use, VertexId};
use crate::surface::Surface;
use hull_geometry::Point;
use hull_geometry::vector::{distance, norm};

impl Shape {
    /// The parameters of a curve between two vertices, rising; `None` if the curve does not reach them.
    ///
    /// On a closed curve the stretch runs from the first vertex onwards, once round if both are one.
    pub fn range_between(&self, curve: &Curve, ends: [VertexId; 2]) -> Option<[f64; 2]> {
        let p = ends.map(|v| self.vertices[v]);
        let near = |p: Point| -> Option<(f64, f64)> {
            Some(match curve {
                Curve::Line { origin, along } => {
                    let d = hull_geometry::vector::sub(p, *origin);
                    let t = hull_geometry::vector::dot(d, *along) / hull_geometry::vector::dot(*along, *along);
                    (t, distance(curve.point(t), p))
                }
                Curve::Ellipse { frame, a, b } => {
                    let q = frame.local(p);
                    let t = (q[1] / b).atan2(q[0] / a).rem_euclid(std::f64::consts::TAU);
                    curve.refine_nearest(p, [t - 1.0, t + 1.0], (t, distance(curve.point(t), p)))
                }
                Curve::Hyperbola { frame, b, .. } => {
                    let t = (frame.local(p)[1] / b).asinh();
                    curve.refine_nearest(p, [t - 1.0, t + 1.0], (t, distance(curve.point(t), p)))
                }
                Curve::Parabola { frame, focal } => {
                    let t = frame.local(p)[1] / (2.0 * focal);
                    curve.refine_nearest(p, [t - 1.0, t + 1.0], (t, distance(curve.point(t), p)))
                }
                _ => {
                    let domain = curve.domain()?;
                    let found = curve.nearest(p, domain);
                    // An end that fits as well is meant.
                    let at_end = domain.into_iter().map(|t| (t, distance(curve.point(t), p)));
                    at_end
                        .filter(|e| e.1 <= found.1 * (1.0 + 1e-6) + 1e-9 * (1.0 + norm(p)))
                        .fold(found, |b, e| if e.1 < b.1 + 1e-9 { e } else { b })
                }
            })
        };
        let [(a, off_a), (b, off_b)] = [near(p[0])?, near(p[1])?];
        if !(a.is_finite() && b.is_finite()) {
            return None;
        }
        let size = distance(p[0], p[1]).max(self.tolerance).max(1e-9);
        let reach = off_a.max(off_b);
        if reach > 0.5 * size && ends[0] != ends[1] {
            return None;
        }
        if let Some(period) = curve.period() {
            let small = 1e-9 * period;
            let mut gap = (b - a).rem_euclid(period);
            if gap <= small || (ends[0] == ends[1]) {
                gap = period;
            }
            return Some([a, a + gap]);
        }
        if ends[0] == ends[1] {
            return curve.domain();
        }
        (b > a).then_some([a, b]).or((a > b).then_some([b, a]))
    }

    /// A loop of edges from pieces that follow each other.
    pub fn loop_of_pieces(&mut self, pieces: Vec<Piece>) -> Option<Loop> {
        let pieces: Vec<Piece> = pieces.into_iter().filter(|p| p.range[0] != p.range[1]).collect();
        let first = pieces.first()?;
        let start = first.at(0.0)[0];
        let size = pieces.iter().map(|p| distance(p.at(0.5)[0], start)).fold(0.0, f64::max);
        let origin = self.add_vertex(start);
        let mut at = origin;
        let n = pieces.len();
        let mut uses = Vec::with_capacity(n);
        for (i, piece) in pieces.into_iter().enumerate() {
            let end = piece.at(1.0)[0];
            let last = i + 1 == n && distance(end, start) <= (1e-3 * size).max(self.tolerance);
            let next = if last { origin } else { self.add_vertex(end) };
            let [a, b] = piece.range;
            let forward = a < b;
            let (range, ends) = if forward { ([a, b], [at, next]) } else { ([b, a], [next, at]) };
            let edge = self.add_edge(piece.curve, range, ends);
            uses.push(Use { edge, forward, hint: None });
            at = next;
        }
        (at == origin).then_some(Loop { uses })
    }

    /// The loop round a rectangle of a surface's parameters; sides that meet become one seam, sides that are
    /// points none.
    pub fn rectangle_loop(&mut self, surface: &Surface, sides: [[f64; 2]; 2]) -> Option<Loop> {
        if sides.iter().any(|[a, b]| !(a.is_finite() && b.is_finite() && b > a)) {
            return None;
        }
        let [[a, b], [c, d]] = sides;
        let whole = |axis: usize, from: f64, to: f64| {
            surface.periods()[axis].is_some_and(|p| (to - from - p).abs() <= 1e-6 * p)
        };
        let poles = surface.poles();
        let is_pole = |axis: usize, value: f64| {
            poles.iter().any(|p| p.axis == axis && (p.value - value).abs() <= 1e-9 * (1.0 + value.abs()))
        };
        let corner = |u: f64, v: f64| surface.point(u, v);
        let size = distance(corner(a, c), corner(0.5 * (a + b), 0.5 * (c + d)));
        let mut own: Vec<VertexId> = Vec::new();
        let mut vertex = |shape: &mut Shape, p: Point| {
            let known = own.iter().copied().find(|&v| distance(shape.vertices[v], p) <= 1e-7 * size);
            known.unwrap_or_else(|| {
                let v = shape.add_vertex(p);
                own.push(v);
                v
            })
        };
        let line = |from: [f64; 2], to: [f64; 2]| Curve::Line {
            origin: [from[0], from[1], 0.0],
            along: [to[0] - from[0], to[1] - from[1], 0.0],
        };
        let mut side = |shape: &mut Shape, from: [f64; 2], to: [f64; 2]| {
            let ends = [vertex(shape, corner(from[0], from[1])), vertex(shape, corner(to[0], to[1]))];
            let plane = Box::new(line(from, to));
            let curve = Curve::OnSurface { surface: Box::new(surface.clone()), plane };
            shape.add_edge(curve, [0.0, 1.0], ends)
        };
        let (round_u, round_v) = (whole(0, a, b), whole(1, c, d));
        let bottom = (!is_pole(1, c)).then(|| side(self, [a, c], [b, c]));
        let top = if round_v { bottom } else { (!is_pole(1, d)).then(|| side(self, [a, d], [b, d])) };
        let left = (!is_pole(0, a)).then(|| side(self, [a, c], [a, d]));
        let right = if round_u { left } else { (!is_pole(0, b)).then(|| side(self, [b, c], [b, d])) };
        let hint = |from: [f64; 2], to: [f64; 2]| Piece { curve: line(from, to), range: [0.0, 1.0] };
        let run = [
            (bottom, true, hint([a, c], [b, c])),
            (right, true, hint([b, c], [b, d])),
            (top, false, hint([a, d], [b, d])),
            (left, false, hint([a, c], [a, d])),
        ];
        let uses = run
            .into_iter()
            .filter_map(|(edge, forward, hint)| Some(Use { edge: edge?, forward, hint: Some(hint) }))
            .collect();
        Some(Loop { uses })
    }

    /// The bare bound of a whole surface that has ends or closes on itself.
    pub fn natural_loop(&mut self, surface: &Surface) -> Option<Loop> {
        self.rectangle_loop(surface, surface.domain())
    }
}
