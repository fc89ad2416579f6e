//! A shape in the curves and surfaces that exchange formats have a word for.
//!
//! Chains become several edges (of curves that bound no face: chains of such curves), curves on surfaces the lines, conics and splines that they are, ruled surfaces
//! splines, mirrored frames right-handed ones. What has no formula is fitted ([`crate::fit`]) and the distance told.

use crate::curve::{Curve, Piece};
use crate::fit;
use crate::frame::Frame;
use crate::isoline::isoline;
use crate::nurbs::NurbsSurface;
use crate::shape::{Edge, EdgeId, Loop, Shape, SurfaceId, Use};
use crate::surface::Surface;
use hull_geometry::vector::{cross, scale};
use std::collections::BTreeSet;
use typed_index_collections::{TiSlice, TiVec};

/// The shape so written, and the largest distance between a curve or surface and what stands for it.
pub fn explicit(shape: &Shape) -> (Shape, f64) {
    // Far finer than anything that is made from it; a spline to this has few pieces all the same.
    let tolerance = (1e-9 * shape.rough_size()).max(f64::MIN_POSITIVE);
    let mut maker = Maker { tolerance, largest: 0.0 };
    let mut out = Shape { edges: TiVec::new(), ..shape.clone() };
    // Whether the normal turned round, and whether the parameters are still the same.
    let mut changed: TiVec<SurfaceId, (bool, bool)> = TiVec::with_capacity(shape.surfaces.len());
    for surface in &mut out.surfaces {
        let (made, flipped) = maker.surface(surface);
        changed.push((flipped, made == *surface));
        *surface = made;
    }
    let wires: BTreeSet<EdgeId> = shape.wires.iter().copied().collect();
    let mut stands_for: TiVec<EdgeId, Vec<(EdgeId, bool)>> = TiVec::with_capacity(shape.edges.len());
    for (e, edge) in shape.edges.iter_enumerated() {
        let mut pieces = maker.pieces(&edge.curve, edge.range);
        if pieces.len() > 1 && wires.contains(&e) {
            let range = [0.0, pieces.len() as f64];
            pieces = vec![Piece { curve: Curve::Chain(pieces), range }];
        }
        stands_for.push(add_edges(&mut out, edge, pieces));
    }
    for face in &mut out.faces {
        let (flipped, same) = changed[face.surface];
        face.same_sense ^= flipped;
        for l in &mut face.loops {
            *l = replaced(l, &stands_for, same);
        }
    }
    out.edge_names =
        shape.edge_names.iter().flat_map(|(&e, name)| stands_for[e].iter().map(move |s| (s.0, name.clone()))).collect();
    out.wires = shape.wires.iter().flat_map(|&w| stands_for[w].iter().map(|s| s.0)).collect();
    (out, maker.largest)
}

/// A loop over the new edges; a parameter curve still says the place of an edge that stayed one.
fn replaced(l: &Loop, stands_for: &TiSlice<EdgeId, Vec<(EdgeId, bool)>>, same_parameters: bool) -> Loop {
    let mut uses = Vec::with_capacity(l.uses.len());
    for u in &l.uses {
        let parts = &stands_for[u.edge];
        let mut run: Vec<Use> = parts
            .iter()
            .map(|&(edge, along)| {
                let hint = u.hint.clone().filter(|_| parts.len() == 1 && along && same_parameters);
                Use { edge, forward: u.forward == along, hint }
            })
            .collect();
        if !u.forward {
            run.reverse();
        }
        uses.extend(run);
    }
    Loop { uses }
}

/// Adds the pieces of an edge with vertices between them.
fn add_edges(shape: &mut Shape, edge: &Edge, pieces: Vec<Piece>) -> Vec<(EdgeId, bool)> {
    let n = pieces.len();
    let mut at = edge.ends[0];
    let mut out = Vec::with_capacity(n);
    for (i, piece) in pieces.into_iter().enumerate() {
        let next = if i + 1 == n { edge.ends[1] } else { shape.add_vertex(piece.at(1.0)[0]) };
        let [a, b] = piece.range;
        let forward = a <= b;
        let (range, ends) = if forward { ([a, b], [at, next]) } else { ([b, a], [next, at]) };
        out.push((shape.add_edge(piece.curve, range, ends), forward));
        at = next;
    }
    out
}

struct Maker {
    tolerance: f64,
    largest: f64,
}

impl Maker {
    /// Pieces that follow each other and together are the curve over `range`.
    fn pieces(&mut self, curve: &Curve, range: [f64; 2]) -> Vec<Piece> {
        let [a, b] = range;
        match curve {
            Curve::Chain(inner) => {
                let mut out = Vec::new();
                for (i, piece) in inner.iter().enumerate() {
                    let (from, to) = ((a - i as f64).clamp(0.0, 1.0), (b - i as f64).clamp(0.0, 1.0));
                    if from < to {
                        let at = |s: f64| piece.range[0] + (piece.range[1] - piece.range[0]) * s;
                        out.extend(self.pieces(&piece.curve, [at(from), at(to)]));
                    }
                }
                out
            }
            Curve::OnSurface { surface, plane } => match along_isoline(surface, plane, range) {
                Some(piece) => self.pieces(&piece.curve, piece.range),
                None => vec![Piece { curve: self.fitted(curve, range), range }],
            },
            Curve::Offset { .. } => vec![Piece { curve: self.fitted(curve, range), range }],
            Curve::Nurbs(n) if curve.period().is_some() => within_domain(n.knots.domain(), range)
                .into_iter()
                .map(|range| Piece { curve: curve.clone(), range })
                .collect(),
            _ => vec![Piece { curve: self.one(curve, range), range }],
        }
    }

    /// The curve as one curve over `range`, its parameter kept.
    fn one(&mut self, curve: &Curve, range: [f64; 2]) -> Curve {
        match curve {
            Curve::Ellipse { frame, a, b } => Curve::Ellipse { frame: by_xy(frame), a: *a, b: *b },
            Curve::Hyperbola { frame, a, b } => Curve::Hyperbola { frame: by_xy(frame), a: *a, b: *b },
            Curve::Parabola { frame, focal } => Curve::Parabola { frame: by_xy(frame), focal: *focal },
            Curve::Chain(_) | Curve::OnSurface { .. } | Curve::Offset { .. } => self.fitted(curve, range),
            Curve::Line { .. } | Curve::Nurbs(_) => curve.clone(),
        }
    }

    fn fitted(&mut self, curve: &Curve, range: [f64; 2]) -> Curve {
        let sorted = [range[0].min(range[1]), range[0].max(range[1])];
        match fit::together(|t| [curve.at(t)], &curve.breaks(sorted), self.tolerance) {
            Some(([spline], off)) => {
                self.largest = self.largest.max(off);
                Curve::Nurbs(Box::new(spline))
            }
            None => curve.clone(),
        }
    }

    /// The surface, and whether its normal turned round.
    fn surface(&mut self, surface: &Surface) -> (Surface, bool) {
        let profile = |maker: &mut Maker, c: &Curve| match c.domain() {
            Some(domain) => maker.one(c, domain),
            None => maker.one(c, [-1.0, 1.0]),
        };
        match surface {
            Surface::Plane(f) => (Surface::Plane(by_xy(f)), false),
            Surface::Cylinder { frame, radius } => {
                let (frame, flipped) = right_handed(frame);
                (Surface::Cylinder { frame, radius: *radius }, flipped)
            }
            Surface::Cone { frame, radius, half_angle } => {
                let (mut frame, flipped) = right_handed(frame);
                if *half_angle < 0.0 {
                    // Both parameters run the other way, so the normal stays.
                    frame = Frame { y: scale(frame.y, -1.0), z: scale(frame.z, -1.0), ..frame };
                }
                (Surface::Cone { frame, radius: *radius, half_angle: half_angle.abs() }, flipped)
            }
            Surface::Sphere { frame, radius } => {
                let (frame, flipped) = right_handed(frame);
                (Surface::Sphere { frame, radius: *radius }, flipped)
            }
            Surface::Torus { frame, major, minor } => {
                let (frame, flipped) = right_handed(frame);
                (Surface::Torus { frame, major: *major, minor: *minor }, flipped)
            }
            Surface::Extrusion { profile: p, along } => {
                (Surface::Extrusion { profile: profile(self, p), along: *along }, false)
            }
            Surface::Revolution { profile: p, axis } => {
                (Surface::Revolution { profile: profile(self, p), axis: by_xy(axis) }, false)
            }
            Surface::Ruled { .. } => (self.ruled(surface), false),
            Surface::Nurbs(_) => (surface.clone(), false),
            Surface::Offset { base, by } => {
                let (base, flipped) = self.surface(base);
                (Surface::Offset { base: Box::new(base), by: if flipped { -by } else { *by } }, flipped)
            }
        }
    }

    /// Two splines with common knots, as the rows of a surface that is straight between them.
    fn ruled(&mut self, surface: &Surface) -> Surface {
        let sides = |u: f64| {
            let (low, high) = (surface.jet(u, 0.0), surface.jet(u, 1.0));
            [[low.p, low.u, low.uu], [high.p, high.u, high.uu]]
        };
        let Some((splines, off)) = fit::together(sides, &surface.breaks(0), self.tolerance) else {
            return surface.clone();
        };
        self.largest = self.largest.max(off);
        let points: Vec<_> =
            splines[0].control_points().zip(splines[1].control_points()).flat_map(|(a, b)| [a, b]).collect();
        let knots = [splines[0].knots.values.clone(), vec![0.0, 0.0, 1.0, 1.0]];
        NurbsSurface::new([5, 1], knots, 2, &points, None).map_or(surface.clone(), |n| Surface::Nurbs(Box::new(n)))
    }
}

/// A straight run through the parameters with one of them constant.
fn along_isoline(surface: &Surface, plane: &Curve, [a, b]: [f64; 2]) -> Option<Piece> {
    let Curve::Line { origin, along } = plane else { return None };
    let axis = if along[0] == 0.0 { 0 } else { usize::from(along[1] == 0.0) };
    if along[axis] != 0.0 {
        return None;
    }
    let free = |t: f64| origin[1 - axis] + t * along[1 - axis];
    Some(Piece { curve: isoline(surface, axis, origin[axis])?, range: [free(a), free(b)] })
}

/// A stretch of a closed curve's parameter that runs over its ends, cut there.
fn within_domain([lo, hi]: [f64; 2], [a, b]: [f64; 2]) -> Vec<[f64; 2]> {
    let turn = hi - lo;
    let small = 1e-9 * turn;
    if a.min(b) >= lo - small && a.max(b) <= hi + small {
        return vec![[a.clamp(lo, hi), b.clamp(lo, hi)]];
    }
    let first = ((a.min(b) - lo + small) / turn).floor();
    let (from, to) = (a.min(b) - first * turn, a.max(b) - first * turn);
    if to <= hi + small || to - hi > turn {
        let shift = a.min(b) - from;
        return vec![[a - shift, b - shift]];
    }
    let halves = [[from, hi], [lo, to - turn]];
    if a <= b { halves.to_vec() } else { halves.into_iter().rev().map(|[x, y]| [y, x]).collect() }
}

/// The frame with the third axis that x and y make: what is drawn by x and y alone stays.
fn by_xy(f: &Frame) -> Frame {
    Frame { z: cross(f.x, f.y), ..*f }
}

/// A right-handed frame about the same axis, and whether angles about it now run the other way.
fn right_handed(f: &Frame) -> (Frame, bool) {
    let flipped = f.is_mirrored();
    (if flipped { Frame { y: scale(f.y, -1.0), ..*f } } else { *f }, flipped)
}
