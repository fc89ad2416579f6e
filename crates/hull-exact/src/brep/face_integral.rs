//! The integrals over one face, taken round its bounds in the parameter plane.
//!
//! Green: `∬ f du dv = ∮ F dv` with `F(u, v) = ∫ f du` from a fixed u. The outer integral is adaptive, by the pair of 7
//! and 15 nodes of Gauss and Kronrod (R. Piessens et al., QUADPACK, 1983, whose estimate of the error is used; nodes
//! from memory, tested on polynomials of degree 22), and split where a side crosses a break of the surface. The inner
//! one is taken between those breaks, in parts halved until halving changes nothing.

use crate::gauss::gauss;
use crate::locate::Locator;
use crate::parameter_loops::{Corner, ParameterLoops};
use crate::shape::Shape;
use crate::surface::Surface;
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub};
use serde::{Deserialize, Serialize};

/// Node, weight of 15, weight of 7 (zero where it is not one of them); the other half lies mirrored.
const KRONROD: [(f64, f64, f64); 8] = [
    (0.991_455_371_120_812_6, 0.022_935_322_010_529_224, 0.0),
    (0.949_107_912_342_758_5, 0.063_092_092_629_978_56, 0.129_484_966_168_869_7),
    (0.864_864_423_359_769_1, 0.104_790_010_322_250_18, 0.0),
    (0.741_531_185_599_394_5, 0.140_653_259_715_525_92, 0.279_705_391_489_276_64),
    (0.586_087_235_467_691_1, 0.169_004_726_639_267_9, 0.0),
    (0.405_845_151_377_397_2, 0.190_350_578_064_785_4, 0.381_830_050_505_118_9),
    (0.207_784_955_007_898_47, 0.204_432_940_075_298_89, 0.0),
    (0.0, 0.209_482_141_084_727_82, 0.417_959_183_673_469_4),
];

/// A face that asks for the surface in more places than this is not measured: some seconds.
const MOST_PLACES: usize = 20_000_000;

/// Beyond this many places no side is split again for the sake of the last digits.
const WORTH_PLACES: usize = 8_000_000;

/// The same as the first where halving the inner parts did not settle, as on a surface torn by a wrong number: more places do not help.
const MOST_UNSETTLED: usize = 4_000_000;

/// The share of a face's figures that is worth another split.
const WORTH: f64 = 1e-10;

/// Integrals over a face, seen along its surface's normal.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Integrals {
    /// Of the face.
    pub area: f64,
    /// Signed volume towards the origin it was taken about.
    pub volume: f64,
    /// First moments of that volume.
    pub moment: V3,
    /// How far the area may be off.
    pub area_error: f64,
    /// How far the volume may be off.
    pub volume_error: f64,
}

impl Integrals {
    pub(crate) fn plus(self, o: Integrals, sign: f64) -> Integrals {
        Integrals {
            area: self.area + o.area,
            volume: self.volume + sign * o.volume,
            moment: add(self.moment, scale(o.moment, sign)),
            area_error: self.area_error + o.area_error,
            volume_error: self.volume_error + o.volume_error,
        }
    }

    pub(crate) fn scaled(self, w: f64) -> Integrals {
        Integrals { area: self.area * w, volume: self.volume * w, moment: scale(self.moment, w), ..self }
    }
}

/// A stretch of one side, with what the integral over it is and may be off by.
struct Piece {
    side: usize,
    range: [f64; 2],
    value: Integrals,
}

struct Over<'a> {
    shape: &'a Shape,
    sides: Vec<&'a Corner>,
    locator: &'a Locator<'a>,
    origin: Point,
    /// Ends of the pieces in which u is integrated.
    panels: Vec<f64>,
    /// A change of v along a side below which it is rounding alone.
    nothing: f64,
}

/// Area, volume and moments of a face whose bounds are bounds_in_plane; volume is taken towards `origin`.
pub(crate) fn over_face(
    shape: &Shape,
    bounds_in_plane: &ParameterLoops,
    locator: &Locator,
    origin: Point,
) -> Integrals {
    let sides: Vec<&Corner> = bounds_in_plane.loops.iter().flatten().collect();
    let ends = |axis: usize| {
        let all = sides.iter().map(|c| c.uv[axis]);
        [all.clone().fold(f64::INFINITY, f64::min), all.fold(f64::NEG_INFINITY, f64::max)]
    };
    let ([from, to], [low, high]) = (ends(0), ends(1));
    if !(to > from && from.is_finite() && to.is_finite() && low.is_finite() && high.is_finite()) {
        return Integrals::default();
    }
    let mut over = Over { shape, sides, locator, origin, panels: vec![from, to], nothing: 1e-12 * (high - low) };
    over.panels = panels(locator, from, to);
    let (inner_error, settled) = over.halve_panels([low, high]);
    let Some(mut out) = over.outer(if settled { MOST_PLACES } else { MOST_UNSETTLED }) else {
        // Told as what it is: figures that may be off by the whole of the face's box.
        let far = over.size();
        return Integrals { area_error: far * far, volume_error: far.powi(3), ..Integrals::default() };
    };
    out.area_error += inner_error.area_error * (high - low);
    out.volume_error += inner_error.volume_error * (high - low);
    // Bounds that do not lie on the surface leave a strip that belongs to nobody.
    let around: f64 = over.sides.iter().filter_map(|c| over.chord(c)).sum();
    let reach =
        over.sides.iter().map(|c| distance(locator.surface.point(c.uv[0], c.uv[1]), origin)).fold(0.0, f64::max);
    out.area_error += bounds_in_plane.off_surface * around;
    out.volume_error += bounds_in_plane.off_surface * around * reach / 3.0;
    out
}

impl Over<'_> {
    /// The length of the chord of a side along an edge.
    fn chord(&self, c: &Corner) -> Option<f64> {
        let (edge, [a, b]) = c.along?;
        let curve = &self.shape.edges[edge].curve;
        Some(distance(curve.point(a), curve.point(b)))
    }

    /// Halves the parts in which u is integrated until that changes nothing at three heights; gives what it changed last
    /// and whether it settled.
    fn halve_panels(&mut self, [low, high]: [f64; 2]) -> (Integrals, bool) {
        let to = self.panels[self.panels.len() - 1];
        let at = |panels: &[f64]| [0.211, 0.5, 0.713].map(|s| self.inner(panels, [to, low + (high - low) * s]));
        let mut panels = self.panels.clone();
        let first = panels.len();
        let mut found = at(&panels);
        let (mut off, mut settled) = (Integrals::default(), false);
        for _ in 0..5 {
            let halved: Vec<f64> = panels.windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1])]).chain([to]).collect();
            let next = at(&halved);
            off = Integrals::default();
            settled = true;
            for (a, b) in found.iter().zip(&next) {
                let (area, volume) = ((a.area - b.area).abs(), (a.volume - b.volume).abs());
                off.area_error = off.area_error.max(area);
                off.volume_error = off.volume_error.max(volume);
                settled &= area <= 0.1 * WORTH * b.area.abs();
            }
            if settled || halved.len() > 512.max(2 * first) {
                break;
            }
            (panels, found) = (halved, next);
        }
        self.panels = panels;
        (off, settled)
    }

    /// The integral around all sides; `None` if it asks for the surface in more places than `most_places`.
    fn outer(&self, most_places: usize) -> Option<Integrals> {
        let mut ranges: Vec<(usize, [f64; 2])> = Vec::new();
        for (side, c) in self.sides.iter().enumerate() {
            ranges.extend(self.cuts(c).windows(2).map(|w| (side, [w[0], w[1]])));
        }
        let per_piece = 15 * 10 * self.panels.len();
        if ranges.len() > most_places / per_piece {
            return None;
        }
        let mut pieces: Vec<Piece> = ranges.into_iter().map(|(side, range)| self.piece(side, range)).collect();
        let sum = |pieces: &[Piece]| pieces.iter().fold(Integrals::default(), |s, p| s.plus(p.value, 1.0));
        let total = sum(&pieces);
        let reach = total.volume.abs().max(1e-3 * total.area.abs() * self.size());
        let worth =
            |i: &Integrals| (i.area_error > WORTH * total.area.abs() / 16.0) || (i.volume_error > WORTH * reach / 16.0);
        // Each round splits what is still worth it; a face costs at most a few times what its sides ask for.
        let spare = (WORTH_PLACES / per_piece).saturating_sub(pieces.len()) / 2;
        let mut budget = (4 * pieces.len() + 128).min(spare);
        for _ in 0..16 {
            let mut next = Vec::with_capacity(pieces.len());
            let mut split = false;
            for p in pieces {
                if worth(&p.value) && budget > 0 {
                    budget -= 1;
                    split = true;
                    let mid = 0.5 * (p.range[0] + p.range[1]);
                    next.extend([[p.range[0], mid], [mid, p.range[1]]].map(|range| self.piece(p.side, range)));
                } else {
                    next.push(p);
                }
            }
            pieces = next;
            if !split {
                break;
            }
        }
        Some(sum(&pieces))
    }

    /// The largest distance of a corner from the origin of the volume.
    fn size(&self) -> f64 {
        let far = |c: &&Corner| distance(self.locator.surface.point(c.uv[0], c.uv[1]), self.origin);
        self.sides.iter().map(far).fold(0.0, f64::max)
    }

    /// Where a side is to be split, from 0 to 1: where it crosses breaks of the surface.
    fn cuts(&self, c: &Corner) -> Vec<f64> {
        let mut out = vec![0.0, 1.0];
        for axis in 0..2 {
            let (a, b) = (c.uv[axis], c.to[axis]);
            let crossed = |t: &f64| *t > a.min(b) && *t < a.max(b);
            for t in shifted_breaks(self.locator, axis).into_iter().filter(crossed) {
                let off = |s: f64| self.at(c, s).0[axis] - t;
                out.push(if c.along.is_none() { (t - a) / (b - a) } else { root(off, a - t) });
            }
        }
        out.sort_by(f64::total_cmp);
        out.dedup_by(|next, kept| *next - *kept <= 1e-9);
        out
    }

    fn piece(&self, side: usize, [a, b]: [f64; 2]) -> Piece {
        let (mid, half) = (0.5 * (a + b), 0.5 * (b - a));
        let (mut fine, mut coarse) = (Integrals::default(), Integrals::default());
        let mut values = Vec::with_capacity(15);
        for (x, w15, w7) in KRONROD {
            for s in if x == 0.0 { vec![mid] } else { vec![mid - half * x, mid + half * x] } {
                let (uv, dv) = self.at(self.sides[side], s);
                if (dv * half).abs() <= self.nothing {
                    continue;
                }
                let value = self.inner(&self.panels, uv).scaled(dv * half);
                fine = fine.plus(value.scaled(w15), 1.0);
                coarse = coarse.plus(value.scaled(w7), 1.0);
                values.push((w15, value));
            }
        }
        let spread = |of: fn(&Integrals) -> f64| -> f64 {
            let mean = 0.5 * of(&fine);
            values.iter().map(|(w, v)| w * (of(v) - mean).abs()).sum()
        };
        let estimate = |of: fn(&Integrals) -> f64| {
            let (off, spread) = ((of(&fine) - of(&coarse)).abs(), spread(of));
            if spread > 0.0 { spread * (200.0 * off / spread).powf(1.5).min(1.0) } else { off }
        };
        let (area_error, volume_error) = (estimate(|i| i.area), estimate(|i| i.volume));
        Piece { side, range: [a, b], value: Integrals { area_error, volume_error, ..fine } }
    }

    /// Place in the parameter plane at `s` from 0 to 1 along a side, and dv there by s.
    fn at(&self, c: &Corner, s: f64) -> ([f64; 2], f64) {
        let straight = [c.uv[0] + (c.to[0] - c.uv[0]) * s, c.uv[1] + (c.to[1] - c.uv[1]) * s];
        let Some((edge, [a, b])) = c.along else { return (straight, c.to[1] - c.uv[1]) };
        let [p, d, _] = self.shape.edges[edge].curve.at(a + (b - a) * s);
        let (uv, _) = self.locator.locate(p, Some(straight));
        let [_, su, sv] = self.locator.surface.first(uv[0], uv[1]);
        // The edge's direction in the parameters, by least squares.
        let (e, f, g) = (dot(su, su), dot(su, sv), dot(sv, sv));
        let (x, y) = (dot(d, su), dot(d, sv));
        let det = e * g - f * f;
        let dv = if det > 1e-14 * e * g { (e * y - f * x) / det * (b - a) } else { c.to[1] - c.uv[1] };
        (uv, dv)
    }

    /// `∫ f du` from the least u of the face to `uv[0]`, at constant v.
    fn inner(&self, panels: &[f64], [u, v]: [f64; 2]) -> Integrals {
        let mut sum = Integrals::default();
        for (i, w) in panels.windows(2).enumerate() {
            // The last piece goes on beyond the end by what rounding asks for; the first one likewise.
            let end = if i + 2 == panels.len() { u } else { u.min(w[1]) };
            if i > 0 && end <= w[0] {
                break;
            }
            for (s, weight) in gauss(w[0], end) {
                let [p, su, sv] = self.locator.surface.first(s, v);
                let n = cross(su, sv);
                let r = sub(p, self.origin);
                let height = dot(r, n) / 3.0;
                // The moment of the cone from the origin to a piece of surface is 3/4 of its base's.
                let (area, volume) = (norm(n), height);
                let piece = Integrals { area, volume, moment: scale(r, 0.75 * height), ..Integrals::default() };
                sum = sum.plus(piece.scaled(weight), 1.0);
            }
        }
        sum
    }
}

/// Breaks of the surface, repeated as far as a face can reach round it.
fn shifted_breaks(locator: &Locator, axis: usize) -> Vec<f64> {
    let own = locator.surface.breaks(axis);
    match locator.periods[axis] {
        Some(p) => (-3..=3).flat_map(|k| own.iter().map(move |t| t + f64::from(k) * p)).collect(),
        None => own,
    }
}

/// Where `off` is zero between 0 and 1, by halving; `start` is its value at 0, and it has the other sign at 1.
fn root(off: impl Fn(f64) -> f64, start: f64) -> f64 {
    let (mut a, mut b) = (0.0, 1.0);
    for _ in 0..30 {
        let mid = 0.5 * (a + b);
        if (off(mid) > 0.0) == (start > 0.0) { a = mid } else { b = mid }
    }
    0.5 * (a + b)
}

/// Ends of the pieces in which u is integrated: breaks of the surface, and no piece longer than an eighth turn
/// of a closed one.
fn panels(locator: &Locator, from: f64, to: f64) -> Vec<f64> {
    let mut out = vec![from];
    out.extend(shifted_breaks(locator, 0).into_iter().filter(|t| *t > from && *t < to));
    out.push(to);
    out.sort_by(f64::total_cmp);
    out.dedup_by(|next, kept| *next - *kept <= 1e-12 * (to - from));
    let longest = match (locator.surface, locator.periods[0]) {
        _ if locator.surface.breaks(0).len() > 2 => f64::INFINITY,
        (_, Some(p)) => p / 8.0,
        // Their curves may be long arcs of conics, which ten points do not follow.
        (Surface::Extrusion { .. } | Surface::Ruled { .. } | Surface::Offset { .. }, None) => (to - from) / 6.0,
        _ => f64::INFINITY,
    };
    let mut fine = vec![out[0]];
    for w in out.windows(2) {
        let n = ((w[1] - w[0]) / longest).ceil().max(1.0) as usize;
        fine.extend((1..=n).map(|i| w[0] + (w[1] - w[0]) * i as f64 / n as f64));
    }
    fine
}

#[cfg(test)]
mod tests {
    use super::KRONROD;

    #[test]
    fn both_rules_integrate_the_polynomials_they_should() {
        for (degree, seven) in [(0, true), (12, true), (22, false)] {
            let term = |x: f64| x.powi(degree) * if x == 0.0 { 1.0 } else { 2.0 };
            let with = |pick: fn(&(f64, f64, f64)) -> f64| KRONROD.iter().map(|k| pick(k) * term(k.0)).sum::<f64>();
            let exact = 2.0 / f64::from(degree + 1);
            assert!((with(|k| k.1) - exact).abs() < 1e-15, "15 nodes, degree {degree}");
            assert!(!seven || (with(|k| k.2) - exact).abs() < 1e-15, "7 nodes, degree {degree}");
        }
    }
}
