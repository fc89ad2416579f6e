//! Points along edges, fine enough for the facets of every face that uses them.

use crate::fineness::{Fineness, angle_between, sagitta, spread};
use crate::locate::Locator;
use crate::parameter_loops::Sampled;
use crate::shape::{Edge, EdgeId, Shape, SurfaceId};
use hull_geometry::Point;
use hull_geometry::vector::{distance, dot, norm};
use rayon::prelude::*;
use std::cell::Cell;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// Samples of every edge; `finer[edge]` multiplies the number of pieces (1 where nothing more is needed).
pub fn edges(
    shape: &Shape,
    locators: &TiSlice<SurfaceId, Locator>,
    fineness: &Fineness,
    finer: &TiSlice<EdgeId, u32>,
) -> TiVec<EdgeId, Sampled> {
    let mut users: TiVec<EdgeId, Vec<SurfaceId>> = ti_vec![Vec::new(); shape.edges.len()];
    for face in &shape.faces {
        for u in face.loops.iter().flat_map(|l| &l.uses) {
            let list = &mut users[u.edge];
            if !list.contains(&face.surface) {
                list.push(face.surface);
            }
        }
    }
    let of_edge = |(i, edge): (usize, &Edge)| {
        let i = EdgeId::from(i);
        let on: Vec<&Locator> = users[i].iter().map(|&s| &locators[s]).collect();
        let mut sampled = edge_points(edge, &on, fineness, finer[i] as usize);
        let last = sampled.p.len() - 1;
        sampled.p[0] = shape.vertices[edge.ends[0]];
        sampled.p[last] = shape.vertices[edge.ends[1]];
        sampled
    };
    TiVec::from(shape.edges.raw.par_iter().enumerate().map(of_edge).collect::<Vec<_>>())
}

/// Evenly spread samples of every edge, without regard to neighbours. For measuring.
pub fn evenly(shape: &Shape, pieces: usize) -> TiVec<EdgeId, Sampled> {
    TiVec::from(shape.edges.raw.par_iter().map(|e| evenly_along(e, pieces)).collect::<Vec<_>>())
}

/// Samples of one edge: `pieces` between each pair of breaks, fewer where there are many.
pub fn evenly_along(edge: &Edge, pieces: usize) -> Sampled {
    let breaks = edge.curve.breaks(edge.range);
    let each = if edge.curve.is_straight() { 2 } else { (2 * pieces / breaks.len()).clamp(1, pieces) };
    let mut t: Vec<f64> = Vec::with_capacity((breaks.len() - 1) * each + 1);
    for w in breaks.windows(2) {
        t.extend((0..each).map(|i| w[0] + (w[1] - w[0]) * i as f64 / each as f64));
    }
    t.push(edge.range[1]);
    let p = t.iter().map(|&t| edge.curve.point(t)).collect();
    Sampled { t, p }
}

/// Whether a face of this surface bends, so that its edges must follow.
fn bends(on: &Locator) -> bool {
    !matches!(on.surface, crate::surface::Surface::Plane(_))
}

/// A place or, where it lies on a seam, the place at either end of the surface, which may bend otherwise there: half a
/// rounding step decides on which side a point of a seam is found. Ends within `reach` of each other are one seam.
fn sides_of_seam(on: &Locator, uv: [f64; 2], reach: f64) -> [[f64; 2]; 2] {
    let domain = on.surface.bounded_domain();
    let place = |uv: [f64; 2]| on.surface.point(uv[0], uv[1]);
    for axis in 0..2 {
        let ends = domain[axis];
        let sides = ends.map(|end| if axis == 0 { [end, uv[1]] } else { [uv[0], end] });
        let at_end = ends.iter().any(|end| (uv[axis] - end).abs() <= 1e-6 * (ends[1] - ends[0]));
        if at_end && distance(place(sides[0]), place(sides[1])) <= reach {
            return sides;
        }
    }
    [uv; 2]
}

fn edge_points(edge: &Edge, on: &[&Locator], fineness: &Fineness, finer: usize) -> Sampled {
    let breaks = edge.curve.breaks(edge.range);
    let curved: Vec<&&Locator> = on.iter().filter(|l| bends(l)).collect();
    let closed = edge.ends[0] == edge.ends[1];
    let straight = edge.curve.is_straight();
    if straight && curved.is_empty() && fineness.largest.is_none() && finer == 1 {
        let t = edge.range.to_vec();
        return Sampled { p: t.iter().map(|&t| edge.curve.point(t)).collect(), t };
    }
    // Corners of the curve must be points; smooth breaks need not.
    let mut stretches: Vec<[f64; 2]> = Vec::new();
    let mut start = breaks[0];
    for w in breaks.windows(2).take(breaks.len().saturating_sub(2)) {
        let h = 1e-7 * (edge.range[1] - edge.range[0]);
        let (before, after) = (edge.curve.at(w[1] - h)[1], edge.curve.at(w[1] + h)[1]);
        if angle_between(before, after) > 1e-3 {
            stretches.push([start, w[1]]);
            start = w[1];
        }
    }
    stretches.push([start, edge.range[1]]);
    let mut out = vec![edge.range[0]];
    let least = if closed && stretches.len() < 3 { 3usize.div_ceil(stretches.len()) } else { 1 };
    for ends in stretches {
        let inner = breaks.iter().filter(|b| **b > ends[0] && **b < ends[1]).count() + 1;
        let samples = if straight { 8 } else { (inner * 6).clamp(16, 400) };
        // The search on a surface starts where the last one ended.
        let near: Vec<Cell<Option<[f64; 2]>>> = curved.iter().map(|_| Cell::new(None)).collect();
        let density = &|t: f64| {
            let [p, d, dd] = edge.curve.at(t);
            let mut side = fineness.along_curve(d, dd);
            for (l, near) in curved.iter().zip(&near) {
                let (uv, _) = l.locate(p, near.get());
                near.set(Some(uv));
                for uv in sides_of_seam(l, uv, 0.01 * fineness.deviation) {
                    let allowed = fineness.on_surface(&l.surface.jet(uv[0], uv[1]));
                    side = side.min(allowed.along(d)).min(fineness.longest(&allowed));
                }
            }
            let speed = dot(d, d).sqrt();
            if side > 0.0 && side.is_finite() { speed / side } else { 0.0 }
        };
        let mut pieces = spread(ends, samples, [least, fineness.most_pieces()], density);
        if finer > 1 {
            let more = ((pieces.len() - 1) * finer).min(MOST_POINTS);
            pieces = spread(ends, samples, [more, fineness.most_pieces().max(more)], density);
        }
        let point = |t: f64| edge.curve.point(t);
        for _ in 0..6 {
            let worst = pieces.windows(2).map(|w| sagitta(point, w[0], w[1])).fold(0.0, f64::max);
            if worst <= 0.75 * fineness.deviation || straight {
                break;
            }
            let more =
                ((pieces.len() - 1) as f64 * (worst / (0.75 * fineness.deviation)).sqrt().clamp(1.05, 4.0)).ceil();
            if more > MOST_POINTS as f64 {
                break;
            }
            pieces = spread(ends, samples, [more as usize, fineness.most_pieces().max(more as usize)], density);
        }
        for w in pieces.windows(2) {
            halve(&point, [w[0], w[1]], 0.94 * fineness.deviation, DEEPEST, &mut out);
        }
    }
    let p = out.iter().map(|&t| edge.curve.point(t)).collect();
    Sampled { t: out, p }
}

/// Points along one edge at most: a circle has 2 200 at a millionth of its radius, the finest that can be asked.
const MOST_POINTS: usize = 20_000;
/// Halvings of one piece at most.
const DEEPEST: u32 = 8;

/// Adds the ends of the pieces into which a stretch is halved until none bows by more than `most`: where a curve bends
/// sharply in one place, spreading more pieces evenly does not reach it.
fn halve(point: &impl Fn(f64) -> Point, [a, b]: [f64; 2], most: f64, depth: u32, out: &mut Vec<f64>) {
    let middle = 0.5 * (a + b);
    let full = out.len() >= MOST_POINTS;
    if full || depth == 0 || sagitta(point, a, b) <= most || middle <= a || middle >= b {
        out.push(b);
        return;
    }
    halve(point, [a, middle], most, depth - 1, out);
    halve(point, [middle, b], most, depth - 1, out);
}

/// Points along an edge that no face uses, its ends among them.
pub fn along(edge: &Edge, fineness: &Fineness) -> Vec<Point> {
    edge_points(edge, &[], fineness, 1).p
}

/// The length of a sampled edge.
pub fn length(s: &Sampled) -> f64 {
    s.p.windows(2).map(|w| norm(hull_geometry::vector::sub(w[1], w[0]))).sum()
}
