//! The bounds of a face as closed runs of curves in the parameters of its surface (pcurves), each with the curve in
//! space that it stands for.

use crate::curve::{Curve, Piece};
use crate::fit;
use crate::locate::Locator;
use crate::parameter_loops::{At, Corner, Reader, Sampled, parameter_loops};
use crate::shape::{EdgeId, Face, Loop, Shape, Use};
use crate::surface::Surface;
use hull_geometry::vector::{V3, add, dot, scale, sub};
use typed_index_collections::TiSlice;

/// One side of a bound.
#[derive(Clone, Debug)]
pub struct Side {
    /// In the parameters of the surface: x is u, y is v. `None` for a bound that does not close there.
    pub plane: Option<Piece>,
    /// In space; `None` along a pole.
    pub space: Option<Piece>,
}

/// Bounds with the face on their left as seen against the surface's normal.
#[derive(Clone, Debug, Default)]
pub struct Bounds {
    /// The outer one first.
    pub loops: Vec<Vec<Side>>,
    /// Whether a side is a pole, or is run along twice: then the curves in space alone do not tell the face.
    pub needs_parameters: bool,
}

/// The bounds of `face` on a surface that stands for its own; `samples` has points of every edge.
///
/// A face that goes round its surface without a seam has bounds that do not close in the parameters; these have curves
/// in space only, as a cut through their middle would belong to no neighbour.
pub fn bounds_on(surface: &Surface, shape: &Shape, face: &Face, samples: &TiSlice<EdgeId, Sampled>) -> Bounds {
    closed_in_parameters(surface, shape, face, samples).unwrap_or_else(|| in_space(shape, face, samples))
}

fn closed_in_parameters(
    surface: &Surface,
    shape: &Shape,
    face: &Face,
    samples: &TiSlice<EdgeId, Sampled>,
) -> Option<Bounds> {
    let locator = Locator::new(surface);
    let mut bounds_in_plane = parameter_loops(shape, face, samples, &locator, Reader::Trusting, None);
    let cut = bounds_in_plane.loops.iter().flatten().any(|c| c.along.is_none() && !matches!(c.at, At::Pole(_)));
    if cut || bounds_in_plane.doubt.is_some() {
        return None;
    }
    bring_into_domain(&locator, &mut bounds_in_plane.loops)?;
    let mut out = Bounds::default();
    for corners in &bounds_in_plane.loops {
        let mut sides = Vec::new();
        for run in runs(corners) {
            let (from, to) = (run[0].uv, run[run.len() - 1].to);
            if run[0].along.is_none() && from == to {
                continue;
            }
            sides.push(match run[0].along {
                Some((edge, _)) => {
                    let piece = Piece { curve: shape.edges[edge].curve.clone(), range: stretch(run)? };
                    Side { plane: Some(plane_curve(&locator, &piece, run)?), space: Some(piece) }
                }
                None => Side { plane: Some(straight(from, to)), space: None },
            });
        }
        out.needs_parameters |= sides.iter().any(|s| s.space.is_none()) || runs_twice(corners);
        out.loops.push(sides);
    }
    Some(out)
}

/// Moves bounds by whole periods into the stretch over which a closed surface is told; `None` where they run over its
/// ends.
fn bring_into_domain(locator: &Locator, loops: &mut [Vec<Corner>]) -> Option<()> {
    let domain = locator.surface.domain();
    for (k, [lo, hi]) in domain.into_iter().enumerate() {
        let Some(period) = locator.periods[k].filter(|_| lo.is_finite() && hi.is_finite()) else { continue };
        let all = || loops.iter().flatten().map(|c| c.uv[k]);
        let (least, most) = (all().fold(f64::INFINITY, f64::min), all().fold(f64::NEG_INFINITY, f64::max));
        let small = 1e-6 * period;
        let by = -((least - lo + small) / period).floor() * period;
        if most + by > hi + small {
            return None;
        }
        loops.iter_mut().flatten().for_each(|c| {
            c.uv[k] += by;
            c.to[k] += by;
        });
    }
    Some(())
}

fn in_space(shape: &Shape, face: &Face, samples: &TiSlice<EdgeId, Sampled>) -> Bounds {
    let mut loops: Vec<&Loop> = face.loops.iter().filter(|l| !l.uses.is_empty()).collect();
    let points = |l: &Loop| l.uses.iter().flat_map(|u| samples[u.edge].p.iter().copied()).collect::<Vec<_>>();
    let size = |l: &Loop| hull_geometry::mesh::Bounds::of(points(l)).diagonal();
    loops.sort_by(|a, b| size(b).total_cmp(&size(a)));
    let side = |u: &Use| {
        let edge = &shape.edges[u.edge];
        let [a, b] = edge.range;
        let range = if u.forward == face.same_sense { [a, b] } else { [b, a] };
        Side { plane: None, space: Some(Piece { curve: edge.curve.clone(), range }) }
    };
    let sides = |l: &Loop| {
        let mut out: Vec<Side> = l.uses.iter().map(side).collect();
        if !face.same_sense {
            out.reverse();
        }
        out
    };
    Bounds { loops: loops.into_iter().map(sides).collect(), needs_parameters: false }
}

/// Corners that follow the same edge the same way, one list for each time.
fn runs(corners: &[Corner]) -> Vec<&[Corner]> {
    corners
        .chunk_by(|a, b| match (a.along, b.along) {
            (Some((e, [t, u])), Some((f, [v, w]))) => e == f && u == v && (t < u) == (v < w),
            _ => false,
        })
        .collect()
}

fn stretch(run: &[Corner]) -> Option<[f64; 2]> {
    Some([run[0].along?.1[0], run[run.len() - 1].along?.1[1]])
}

/// Whether an edge is on the bound twice.
fn runs_twice(corners: &[Corner]) -> bool {
    let mut edges: Vec<EdgeId> = runs(corners).iter().filter_map(|r| Some(r[0].along?.0)).collect();
    edges.sort_unstable();
    edges.windows(2).any(|w| w[0] == w[1])
}

fn straight([a, b]: [f64; 2], [c, d]: [f64; 2]) -> Piece {
    Piece { curve: Curve::Line { origin: [a, b, 0.0], along: [c - a, d - b, 0.0] }, range: [0.0, 1.0] }
}

/// The curve in parameters along an edge, with the edge's own parameter: straight where it is straight.
fn plane_curve(locator: &Locator, piece: &Piece, run: &[Corner]) -> Option<Piece> {
    let (from, to) = (run[0].uv, run[run.len() - 1].to);
    let [a, b] = piece.range;
    let box_of = |k: usize| run.iter().map(move |c| c.uv[k]).chain([to[k]]);
    let extent = |k: usize| box_of(k).fold(f64::MIN, f64::max) - box_of(k).fold(f64::MAX, f64::min);
    let size = extent(0).max(extent(1));
    let at_line = |t: f64| {
        let s = (t - a) / (b - a);
        [from[0] + (to[0] - from[0]) * s, from[1] + (to[1] - from[1]) * s]
    };
    let even = run.iter().all(|c| {
        let q = at_line(c.along.map_or(a, |(_, r)| r[0]));
        (0..2).all(|k| (q[k] - c.uv[k]).abs() <= 1e-9 * size)
    });
    // Few corners can lie evenly by chance, as on a quarter of a circle.
    let evenly_between = |s: f64| {
        let (t, near) = (a + (b - a) * s, at_line(a + (b - a) * s));
        let uv = parameters(locator, &piece.curve, t, near)[0];
        (0..2).all(|k| (uv[k] - near[k]).abs() <= 1e-9 * size)
    };
    if even && evenly_between(0.137) && evenly_between(0.71) {
        return Some(straight(from, to));
    }
    // The corner before a parameter tells where on the surface to look.
    let rising = a < b;
    let near = |t: f64| {
        let i = run.partition_point(|c| c.along.is_some_and(|(_, r)| (r[0] <= t) == rising || r[0] == t));
        let c = &run[i.saturating_sub(1)];
        let [t0, t1] = c.along.map_or([a, b], |x| x.1);
        let s = ((t - t0) / (t1 - t0)).clamp(0.0, 1.0);
        [c.uv[0] + (c.to[0] - c.uv[0]) * s, c.uv[1] + (c.to[1] - c.uv[1]) * s]
    };
    let at = |t: f64| [parameters(locator, &piece.curve, t, near(t))];
    let ends = [a.min(b), a.max(b)];
    let (found, off) = fit::together(at, &piece.curve.breaks(ends), 1e-7 * size)?;
    // What jumps, at a pole or a crease of the surface, is told by its points.
    let curve = if off <= 1e-6 * size {
        let [spline] = found;
        Curve::Nurbs(Box::new(spline))
    } else {
        return polyline(run);
    };
    Some(Piece { curve, range: [a, b] })
}

fn polyline(run: &[Corner]) -> Option<Piece> {
    let points: Vec<V3> = run.iter().map(|c| c.uv).chain([run[run.len() - 1].to]).map(|[u, v]| [u, v, 0.0]).collect();
    let curve = crate::nurbs::NurbsCurve::polyline(&points).ok()?;
    let range = curve.knots.domain();
    Some(Piece { curve: Curve::Nurbs(Box::new(curve)), range })
}

/// Where a curve is in the parameters of a surface on which it lies, with two derivatives along the curve.
fn parameters(locator: &Locator, curve: &Curve, t: f64, near: [f64; 2]) -> [V3; 3] {
    let [p, d1, d2] = curve.at(t);
    let (uv, _) = locator.locate(p, Some(near));
    let mut uv = locator.shifted_towards(uv, near);
    let reach = 1e-9 * locator.surface.first(near[0], near[1])[1..].iter().map(|d| dot(*d, *d).sqrt()).sum::<f64>();
    if let Some(pole) = locator.pole_at(p, reach) {
        uv[1 - pole.axis] = near[1 - pole.axis];
    }
    let jet = locator.surface.jet(uv[0], uv[1]);
    let solve = |w: V3| {
        let (e, f, g) = (dot(jet.u, jet.u), dot(jet.u, jet.v), dot(jet.v, jet.v));
        let (b, c) = (dot(jet.u, w), dot(jet.v, w));
        let det = e * g - f * f;
        // At a pole one parameter moves nothing: a curve that ends there does so along the other.
        if det <= 1e-12 * e.max(g).powi(2) {
            return if e > g { [b / e, 0.0] } else { [0.0, c / g.max(f64::MIN_POSITIVE)] };
        }
        [(b * g - c * f) / det, (c * e - b * f) / det]
    };
    let first = solve(d1);
    let [x, y] = first;
    let bent = add(add(scale(jet.uu, x * x), scale(jet.uv, 2.0 * x * y)), scale(jet.vv, y * y));
    let second = solve(sub(d2, bent));
    [[uv[0], uv[1], 0.0], [x, y, 0.0], [second[0], second[1], 0.0]]
}
