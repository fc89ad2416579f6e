//! A face's bounds in the parameter plane of its surface.
//!
//! Points of the edges are looked up on the surface and carried on without jumps, so that seams and poles need
//! no special curves from the file. The result is one outer polygon and its holes, each closed in the plane,
//! with the face on its left: seams are run along twice, a pole is a straight piece, and a band that goes round a
//! closed surface without a seam gets a cut.

use crate::fineness::{Fineness, spread};
use crate::locate::Locator;
use crate::shape::{EdgeId, Face, Loop, Shape, Use};
use crate::surface::Pole;
use hull_geometry::Point;
use hull_geometry::vector::{add, distance, norm, scale};
use typed_index_collections::TiSlice;

/// Points of one edge, ends included, in the order of its parameter.
#[derive(Clone, Debug, Default)]
pub struct Sampled {
    /// Parameters of the edge's curve.
    pub t: Vec<f64>,
    /// Points at them.
    pub p: Vec<Point>,
}

/// What a corner of the polygon is in space.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum At {
    /// Sample `.1` of edge `.0`; the first and last are its vertices.
    Edge(EdgeId, u32),
    /// The pole of that number.
    Pole(u32),
    /// Point of that number on the cut.
    Cut(u32),
}

/// A corner of the polygon and the side that follows it.
#[derive(Clone, Copy, Debug)]
pub struct Corner {
    /// Parameters of the surface.
    pub uv: [f64; 2],
    /// Where the side ends; the next corner's `uv` but for rounding.
    pub to: [f64; 2],
    /// Where on its edge it stands.
    pub at: At,
    /// The stretch of an edge's parameter that the side follows; `None` at poles and cuts.
    pub along: Option<(EdgeId, [f64; 2])>,
}

/// A face in its parameter plane.
#[derive(Clone, Debug, Default)]
pub struct ParameterLoops {
    /// The outer polygon first, anticlockwise; holes clockwise.
    pub loops: Vec<Vec<Corner>>,
    /// The largest distance of an edge's sample from the surface.
    pub off_surface: f64,
    /// Why the bounds cannot be trusted, if they cannot.
    pub doubt: Option<&'static str>,
}

/// How the bounds of a face are taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Reader {
    /// The file's parameter curves say on which side of a seam an edge lies, and its directions are kept.
    #[default]
    Trusting,
    /// Only surfaces and edges in space count; which loop is outermost and how loops turn is found anew.
    Rebuilding,
}

struct LoopBuilder<'a> {
    shape: &'a Shape,
    samples: &'a TiSlice<EdgeId, Sampled>,
    locator: &'a Locator<'a>,
    tolerance: f64,
    reader: Reader,
    /// Whether the face lies to the left of its loops in the parameter plane.
    left: bool,
    off_surface: f64,
    /// How fine facets are to be, which says how close points on a cut must be.
    fineness: Option<&'a Fineness>,
}

/// The bounds of `face` in the parameter plane; `samples` has the points of every edge it uses.
///
/// `fineness` gives cuts points as close as facets need them; without it they have none.
pub fn parameter_loops<'a>(
    shape: &'a Shape,
    face: &Face,
    samples: &'a TiSlice<EdgeId, Sampled>,
    locator: &'a Locator<'a>,
    reader: Reader,
    fineness: Option<&'a Fineness>,
) -> ParameterLoops {
    let mut lift = LoopBuilder { reader, fineness, ..LoopBuilder::new(shape, face, samples, locator) };
    let mut closed = Vec::new();
    let mut round = Vec::new();
    for l in face.loops.iter().filter(|l| !l.uses.is_empty()) {
        let corners = lift.run(l);
        if corners.is_empty() {
            continue;
        }
        let corners = if lift.left { corners } else { backwards(corners) };
        match lift.winding(&corners) {
            [0, 0] => closed.push(corners),
            winding => round.push((corners, winding)),
        }
    }
    let mut doubt = None;
    if !round.is_empty() {
        match lift.cut_open(round, &closed) {
            Ok(polygons) => closed.extend(polygons),
            Err(reason) => doubt = Some(reason),
        }
    }
    if closed.is_empty() {
        return ParameterLoops {
            loops: Vec::new(),
            off_surface: lift.off_surface,
            doubt: doubt.or(Some("no bound closes")),
        };
    }
    let outer = outermost(&closed);
    closed.swap(0, outer);
    if signed_area(&closed[0]) < 0.0 {
        // Only a periodic surface could mean “everything but this”; there the cut has made the outer polygon.
        closed[0] = backwards(std::mem::take(&mut closed[0]));
        if reader == Reader::Trusting && face.loops.len() == 1 {
            doubt = doubt.or(Some("the bounds ran against the face's normal"));
        }
    }
    let (first, rest) = closed.split_at_mut(1);
    for hole in rest {
        if signed_area(hole) > 0.0 {
            *hole = backwards(std::mem::take(hole));
        }
        lift.bring_inside(hole, &first[0]);
    }
    ParameterLoops { loops: closed, off_surface: lift.off_surface, doubt }
}

/// The least and greatest parameters on a face's bounds; `None` where no bound closes.
pub fn parameter_box(shape: &Shape, face: &Face, samples: &TiSlice<EdgeId, Sampled>) -> Option<[[f64; 2]; 2]> {
    let locator = Locator::new(&shape.surfaces[face.surface]);
    let bounds_in_plane = parameter_loops(shape, face, samples, &locator, Reader::Trusting, None);
    let range = |axis: usize| {
        let all = bounds_in_plane.loops.iter().flatten().map(|c| c.uv[axis]);
        all.fold([f64::INFINITY, f64::NEG_INFINITY], |[a, b], t| [a.min(t), b.max(t)])
    };
    let found = [range(0), range(1)];
    found.iter().all(|[a, b]| b > a).then_some(found)
}

/// How often each loop of a face goes round its surface along u and v.
pub fn windings(shape: &Shape, face: &Face, samples: &TiSlice<EdgeId, Sampled>, locator: &Locator) -> Vec<[i32; 2]> {
    let mut lift = LoopBuilder::new(shape, face, samples, locator);
    let runs: Vec<Vec<Corner>> = face.loops.iter().map(|l| lift.run(l)).collect();
    runs.iter().map(|r| if r.is_empty() { [0, 0] } else { lift.winding(r) }).collect()
}

/// Which loops of a face run the wrong way round: the outermost must have the face on its left, holes too, and of
/// two that go round a closed surface the one with the smaller cross parameter runs forwards.
pub fn loops_to_reverse(
    shape: &Shape,
    face: &Face,
    samples: &TiSlice<EdgeId, Sampled>,
    locator: &Locator,
) -> Vec<bool> {
    let mut lift = LoopBuilder::new(shape, face, samples, locator);
    let runs: Vec<Vec<Corner>> = face.loops.iter().map(|l| lift.run(l)).collect();
    let mut out = vec![false; runs.len()];
    let closed: Vec<usize> =
        (0..runs.len()).filter(|&i| !runs[i].is_empty() && lift.winding(&runs[i]) == [0, 0]).collect();
    let round: Vec<usize> = (0..runs.len()).filter(|&i| !runs[i].is_empty() && !closed.contains(&i)).collect();
    let area = |i: usize| signed_area(&runs[i]);
    let outer = closed.iter().copied().max_by(|&a, &b| area(a).abs().total_cmp(&area(b).abs()));
    for &i in &closed {
        let wanted = Some(i) == outer && round.is_empty();
        // Seen in the surface's own parameters, the face's side decides the sense.
        out[i] = ((area(i) > 0.0) == lift.left) != wanted;
    }
    if let [a, b] = round[..] {
        let axis = usize::from(lift.winding(&runs[a])[0] == 0);
        let height = |i: usize| runs[i].iter().map(|c| c.uv[1 - axis]).sum::<f64>() / runs[i].len() as f64;
        let (low, high) = if height(a) <= height(b) { (a, b) } else { (b, a) };
        let forwards = (axis == 0) == lift.left;
        out[low] = (lift.winding(&runs[low])[axis] > 0) != forwards;
        out[high] = (lift.winding(&runs[high])[axis] > 0) == forwards;
    }
    out
}

/// Twice the signed area of a polygon.
pub fn signed_area(corners: &[Corner]) -> f64 {
    let o = corners[0].uv;
    corners.iter().map(|c| (c.uv[0] - o[0]) * (c.to[1] - o[1]) - (c.to[0] - o[0]) * (c.uv[1] - o[1])).sum()
}

fn outermost(loops: &[Vec<Corner>]) -> usize {
    let area = |i: usize| signed_area(&loops[i]).abs();
    (0..loops.len()).fold(0, |best, i| if area(i) > area(best) { i } else { best })
}

/// The same polygon run the other way.
fn backwards(corners: Vec<Corner>) -> Vec<Corner> {
    let n = corners.len();
    (0..n)
        .rev()
        .map(|i| {
            let c = corners[i];
            let next = corners[(i + 1) % n];
            Corner { uv: c.to, to: c.uv, at: next.at, along: c.along.map(|(e, [a, b])| (e, [b, a])) }
        })
        .collect()
}

impl<'a> LoopBuilder<'a> {
    fn new(
        shape: &'a Shape,
        face: &Face,
        samples: &'a TiSlice<EdgeId, Sampled>,
        locator: &'a Locator<'a>,
    ) -> LoopBuilder<'a> {
        let uses = face.loops.iter().flat_map(|l| &l.uses);
        let points = uses.flat_map(|u| samples[u.edge].p.iter().copied());
        let size = hull_geometry::mesh::Bounds::of(points).diagonal();
        LoopBuilder {
            shape,
            samples,
            locator,
            tolerance: (1e-7 * size).max(shape.tolerance.min(1e-3 * size)),
            reader: Reader::Trusting,
            left: face.same_sense,
            off_surface: 0.0,
            fineness: None,
        }
    }

    /// All corners of one loop, carried on from use to use.
    fn run(&mut self, l: &Loop) -> Vec<Corner> {
        let mut out: Vec<Corner> = Vec::new();
        let mut previous: Option<EdgeId> = None;
        for u in &l.uses {
            let Some(mut chain) = self.chain(u, out.last().map(|c| c.to)) else { continue };
            if let Some(last) = out.last().copied() {
                let vertex = chain[0].uv;
                match self.pole_of(self.samples[u.edge].p[self.first_index(u)]) {
                    Some(pole) => {
                        let to = self.across_pole(pole, last, vertex, previous == Some(u.edge));
                        let shift = [to[0] - vertex[0], to[1] - vertex[1]];
                        move_by(&mut chain, shift);
                        out.push(Corner { uv: last.to, to, at: At::Pole(pole as u32), along: None });
                    }
                    None => {
                        let to = self.locator.shifted_towards(vertex, last.to);
                        move_by(&mut chain, [to[0] - vertex[0], to[1] - vertex[1]]);
                    }
                }
            }
            previous = Some(u.edge);
            out.extend(chain);
        }
        // The joint at the start, where that is a pole.
        if let (Some(first), Some(last), Some(u)) = (out.first().copied(), out.last().copied(), l.uses.first())
            && let Some(pole) = self.pole_of(self.samples[u.edge].p[self.first_index(u)])
        {
            let same = previous == Some(u.edge);
            let to = self.across_pole(pole, last, first.uv, same && l.uses.len() > 1);
            out.push(Corner { uv: last.to, to, at: At::Pole(pole as u32), along: None });
        }
        out
    }

    fn first_index(&self, u: &Use) -> usize {
        if u.forward { 0 } else { self.samples[u.edge].p.len() - 1 }
    }

    fn pole_of(&self, p: Point) -> Option<usize> {
        self.locator.poles.iter().position(|pole| distance(pole.at, p) <= 10.0 * self.tolerance)
    }

    /// Where a run along a pole ends: the next edge's start moved by whole periods, so that the face stays on
    /// its side.
    fn across_pole(&self, pole: usize, last: Corner, to: [f64; 2], seam: bool) -> [f64; 2] {
        let pole = &self.locator.poles[pole];
        let (free, from) = (1 - pole.axis, last.to);
        let mut to = to;
        // The face lies where its side comes from: a cone has a nappe on either side of its apex.
        let risen = from[pole.axis] - last.uv[pole.axis];
        let at_end = if risen == 0.0 { pole.at_end } else { risen > 0.0 };
        to[pole.axis] = from[pole.axis];
        let Some(period) = self.locator.periods[free] else { return to };
        // With the face on the left, a run along the end of v goes towards smaller u, along the end of u
        // towards greater v, and so on.
        let rising = (at_end == (pole.axis == 0)) == self.left;
        let gap = if rising {
            (to[free] - from[free]).rem_euclid(period)
        } else {
            -(from[free] - to[free]).rem_euclid(period)
        };
        let gap = if (gap.abs() - period).abs() < 1e-9 * period { 0.0 } else { gap };
        let whole = if rising { period } else { -period };
        to[free] = from[free] + if seam && gap.abs() < 1e-6 * period { whole } else { gap };
        to
    }

    /// The corners along one use of an edge, its last sample left to the next use.
    fn chain(&mut self, u: &Use, near: Option<[f64; 2]>) -> Option<Vec<Corner>> {
        let s = &self.samples[u.edge];
        let n = s.p.len();
        if n < 2 {
            return None;
        }
        let order = |i: usize| if u.forward { i } else { n - 1 - i };
        let hint = |i: usize| -> Option<[f64; 2]> {
            let hint = u.hint.as_ref().filter(|_| self.reader == Reader::Trusting)?;
            let [a, b] = self.shape.edges[u.edge].range;
            let q = hint.at((s.t[order(i)] - a) / (b - a))[0];
            Some([q[0], q[1]])
        };
        let mut uvs: Vec<[f64; 2]> = Vec::with_capacity(n);
        let mut poles = Vec::new();
        let start = (0..n).find(|&i| self.pole_of(s.p[order(i)]).is_none())?;
        let mut last = None;
        for i in (start..n).chain((0..start).rev()) {
            let p = s.p[order(i)];
            if i + 1 == start {
                last = Some(uvs[0]);
            }
            if let Some(pole) = self.pole_of(p) {
                let pole = &self.locator.poles[pole];
                let before: [f64; 2] = last.unwrap_or_default();
                let mut uv = before;
                uv[pole.axis] = self.nearest_value(pole, before[pole.axis]);
                poles.push(i);
                uvs.push(uv);
                continue;
            }
            // The first place goes by the hint, the others by where the last one was.
            let from = last.or_else(|| hint(i)).or(near);
            let guess = if last.is_some() {
                hint(i).map(|h| self.locator.shifted_towards(h, last.unwrap_or(h))).or(from)
            } else {
                from
            };
            let (uv, off) = self.locator.locate(p, guess);
            let uv = from.map_or(uv, |f| self.locator.shifted_towards(uv, f));
            self.off_surface = self.off_surface.max(off);
            last = Some(uv);
            uvs.push(uv);
        }
        // Samples before `start` were found backwards.
        let (after, before) = uvs.split_at(n - start);
        let uvs: Vec<[f64; 2]> = before.iter().rev().chain(after).copied().collect();
        let corner = |i: usize| {
            let (a, b) = (order(i), order(i + 1));
            Corner {
                uv: uvs[i],
                to: uvs[i + 1],
                at: At::Edge(u.edge, a as u32),
                along: Some((u.edge, [s.t[a], s.t[b]])),
            }
        };
        Some((0..n - 1).map(corner).collect())
    }

    /// How often a loop goes round along u and v.
    fn winding(&self, corners: &[Corner]) -> [i32; 2] {
        let (first, last) = (corners[0].uv, corners[corners.len() - 1].to);
        [0, 1].map(|axis| {
            self.locator.periods[axis].map_or(0, |period| ((last[axis] - first[axis]) / period).round() as i32)
        })
    }

    /// Joins loops that go round a closed surface, in pairs or with a pole, into closed polygons.
    fn cut_open(
        &self,
        mut round: Vec<(Vec<Corner>, [i32; 2])>,
        holes: &[Vec<Corner>],
    ) -> Result<Vec<Vec<Corner>>, &'static str> {
        let axis = if round.iter().any(|(_, w)| w[0] != 0) { 0 } else { 1 };
        if round.iter().any(|(_, w)| w[axis].abs() != 1 || w[1 - axis] != 0) {
            return Err("a bound winds round its surface more than once");
        }
        let Some(period) = self.locator.periods[axis] else { return Err("a bound does not close") };
        let height = |l: &[Corner]| l.iter().map(|c| c.uv[1 - axis]).sum::<f64>() / l.len() as f64;
        round.sort_by(|a, b| height(&a.0).total_cmp(&height(&b.0)));
        // Bottom to top: with the face on the left the lower bound of a band runs towards greater u, or towards
        // smaller v where u is across.
        let lower = if axis == 0 { 1 } else { -1 };
        if self.reader == Reader::Rebuilding && round.len() == 2 {
            for (i, (corners, w)) in round.iter_mut().enumerate() {
                let wanted = if i == 0 { lower } else { -lower };
                if w[axis] != wanted {
                    *corners = backwards(std::mem::take(corners));
                    w[axis] = wanted;
                }
            }
        }
        let other_period = self.locator.periods[1 - axis];
        let mut polygons = Vec::new();
        while let Some((bottom, w)) = round.pop() {
            // Popped from the top: its partner is the nearest one below that runs the other way, or a pole.
            let partner = round.iter().rposition(|(_, o)| o[axis] == -w[axis]);
            let above = w[axis] == lower;
            if let (Some(partner), false) = (partner, above && other_period.is_none()) {
                let (other, _) = round.remove(partner);
                let other = match other_period {
                    Some(p) if above => moved_by(other, along(1 - axis, p)),
                    _ => other,
                };
                polygons.push(self.bridge(bottom, other, axis, period, holes));
                continue;
            }
            let Some((number, value)) = self.pole_beyond(&bottom, axis, above) else {
                return Err("a bound goes round its surface and nothing closes the face");
            };
            let at = |t: f64| if axis == 0 { [t, value] } else { [value, t] };
            let t = bottom[0].uv[axis];
            let step = -f64::from(w[axis]) * period;
            let line = Corner { uv: at(t), to: at(t + step), at: At::Pole(number as u32), along: None };
            polygons.push(self.bridge(bottom, vec![line], axis, period, holes));
        }
        Ok(polygons)
    }

    /// The value of a pole's parameter, a whole number of periods on, that is nearest to `t`.
    fn nearest_value(&self, pole: &Pole, t: f64) -> f64 {
        let period = self.locator.periods[pole.axis];
        period.map_or(pole.value, |p| pole.value + ((t - pole.value) / p).round() * p)
    }

    /// The nearest pole above or below a bound that goes round along `axis`, and its value.
    fn pole_beyond(&self, corners: &[Corner], axis: usize, above: bool) -> Option<(usize, f64)> {
        let at = corners.iter().map(|c| c.uv[1 - axis]).sum::<f64>() / corners.len() as f64;
        let height = |pole: &Pole| match self.locator.periods[1 - axis] {
            Some(p) if above => at + (pole.value - at).rem_euclid(p),
            Some(p) => at - (at - pole.value).rem_euclid(p),
            None => pole.value,
        };
        let poles = self.locator.poles.iter().enumerate().filter(|(_, p)| p.axis == 1 - axis);
        let beyond = poles.map(|(i, p)| (i, height(p))).filter(|(_, v)| if above { *v > at } else { *v < at });
        beyond.min_by(|a, b| (a.1 - at).abs().total_cmp(&(b.1 - at).abs()))
    }

    /// One polygon from two bounds that go round in opposite directions, along a cut run both ways.
    fn bridge(&self, a: Vec<Corner>, b: Vec<Corner>, axis: usize, period: f64, holes: &[Vec<Corner>]) -> Vec<Corner> {
        let turn = (a[a.len() - 1].to[axis] - a[0].uv[axis]).signum() * period;
        let mut choice = (0, 0);
        let stride = a.len().div_ceil(24);
        for i in (0..a.len()).step_by(stride) {
            let from = a[i].uv;
            let gap = |uv: [f64; 2]| {
                let d = uv[axis] - from[axis];
                (d - (d / period).round() * period).abs()
            };
            let j = (0..b.len()).fold(0, |best, j| if gap(b[j].uv) < gap(b[best].uv) { j } else { best });
            choice = (i, j);
            if !self.cut_meets(from, self.near_on(b[j].uv, from, axis, period), holes, axis, period) {
                break;
            }
        }
        let (i, j) = choice;
        let a = rotated(a, i, along(axis, turn));
        let mut b = rotated(b, j, along(axis, -turn));
        let end = a[a.len() - 1].to;
        let start = self.near_on(b[0].uv, end, axis, period);
        let shift = [start[0] - b[0].uv[0], start[1] - b[0].uv[1]];
        move_by(&mut b, shift);
        let back_from = b[b.len() - 1].to;
        let pieces = self.cut_pieces(end, start);
        let at = |from: [f64; 2], to: [f64; 2], k: usize| {
            let s = k as f64 / pieces as f64;
            [from[0] + (to[0] - from[0]) * s, from[1] + (to[1] - from[1]) * s]
        };
        let (a_at, b_at, a_start) = (a[0].at, b[0].at, a[0].uv);
        let mut out = a;
        for k in 0..pieces {
            let node = if k == 0 { a_at } else { At::Cut(k as u32) };
            out.push(Corner { uv: at(end, start, k), to: at(end, start, k + 1), at: node, along: None });
        }
        out.extend(b);
        for k in (0..pieces).rev() {
            let node = if k + 1 == pieces { b_at } else { At::Cut(k as u32 + 1) };
            out.push(Corner {
                uv: at(a_start, back_from, k + 1),
                to: at(a_start, back_from, k),
                at: node,
                along: None,
            });
        }
        out
    }

    fn near_on(&self, mut uv: [f64; 2], near: [f64; 2], axis: usize, period: f64) -> [f64; 2] {
        uv[axis] += ((near[axis] - uv[axis]) / period).round() * period;
        uv
    }

    /// Pieces of the cut, so that no facet needs a shorter side there than the cut has.
    fn cut_pieces(&self, from: [f64; 2], to: [f64; 2]) -> usize {
        let Some(fineness) = self.fineness else { return 1 };
        let d = [to[0] - from[0], to[1] - from[1]];
        let density = |s: f64| {
            let jet = self.locator.surface.jet(from[0] + d[0] * s, from[1] + d[1] * s);
            let allowed = fineness.on_surface(&jet);
            let side = 0.9 * allowed.towards(d).min(fineness.longest(&allowed));
            let speed = norm(add(scale(jet.u, d[0]), scale(jet.v, d[1])));
            if side > 0.0 && side.is_finite() { speed / side } else { 0.0 }
        };
        spread([0.0, 1.0], 16, [1, fineness.most_pieces()], density).len() - 1
    }

    fn cut_meets(&self, from: [f64; 2], to: [f64; 2], holes: &[Vec<Corner>], axis: usize, period: f64) -> bool {
        holes.iter().flatten().any(|c| {
            [-2.0, -1.0, 0.0, 1.0, 2.0].into_iter().any(|k| {
                let s = along(axis, k * period);
                let (p, q) = ([c.uv[0] + s[0], c.uv[1] + s[1]], [c.to[0] + s[0], c.to[1] + s[1]]);
                crosses(from, to, p, q)
            })
        })
    }

    /// Moves a hole by whole periods into the outer polygon.
    fn bring_inside(&self, hole: &mut [Corner], outer: &[Corner]) {
        let steps = |axis: usize| -> Vec<f64> {
            match self.locator.periods[axis] {
                Some(p) => vec![0.0, p, -p, 2.0 * p, -2.0 * p],
                None => vec![0.0],
            }
        };
        let p = hole[0].uv;
        for du in steps(0) {
            for dv in steps(1) {
                if inside([p[0] + du, p[1] + dv], outer) {
                    move_by(hole, [du, dv]);
                    return;
                }
            }
        }
    }
}

fn along(axis: usize, by: f64) -> [f64; 2] {
    if axis == 0 { [by, 0.0] } else { [0.0, by] }
}

fn move_by(corners: &mut [Corner], by: [f64; 2]) {
    for c in corners {
        c.uv = [c.uv[0] + by[0], c.uv[1] + by[1]];
        c.to = [c.to[0] + by[0], c.to[1] + by[1]];
    }
}

fn moved_by(mut corners: Vec<Corner>, by: [f64; 2]) -> Vec<Corner> {
    move_by(&mut corners, by);
    corners
}

/// The bound started at corner `first`; those before it come a turn later.
fn rotated(corners: Vec<Corner>, first: usize, turn: [f64; 2]) -> Vec<Corner> {
    let mut out = corners[first..].to_vec();
    out.extend(moved_by(corners[..first].to_vec(), turn));
    out
}

fn side(a: [f64; 2], b: [f64; 2], p: [f64; 2]) -> f64 {
    (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])
}

fn crosses(a: [f64; 2], b: [f64; 2], c: [f64; 2], d: [f64; 2]) -> bool {
    side(a, b, c) * side(a, b, d) < 0.0 && side(c, d, a) * side(c, d, b) < 0.0
}

/// Whether a point lies in a polygon (crossings of a ray towards greater u).
pub fn inside(p: [f64; 2], corners: &[Corner]) -> bool {
    let mut within = false;
    for c in corners {
        let (a, b) = (c.uv, c.to);
        if (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0]) {
            within = !within;
        }
    }
    within
}
