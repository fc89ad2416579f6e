//! Curves in space; a curve in a surface's parameter plane is one whose third coordinate is zero.

use crate::frame::{Frame, Motion};
use crate::nurbs::NurbsCurve;
use crate::surface::Surface;
use hull_geometry::vector::{V3, add, cross, dot, nearest_on_segment, norm, scale, sub};
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// A curve with its own parameter, as in ISO 10303-42.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Curve {
    /// `origin + t · along`.
    Line {
        /// The point at 0.
        origin: V3,
        /// The way from 0 to 1.
        along: V3,
    },
    /// `a cos t · x + b sin t · y`; a circle where `a` = `b`.
    Ellipse {
        /// Its centre and axes.
        frame: Frame,
        /// Half axis along x.
        a: f64,
        /// Half axis along y.
        b: f64,
    },
    /// `a cosh t · x + b sinh t · y`.
    Hyperbola {
        /// Its centre and axes.
        frame: Frame,
        /// Half axis along x.
        a: f64,
        /// Half axis along y.
        b: f64,
    },
    /// `f t² · x + 2 f t · y`.
    Parabola {
        /// Its vertex and axes.
        frame: Frame,
        /// The focal distance.
        focal: f64,
    },
    /// A B-spline, rational or not.
    Nurbs(Box<NurbsCurve>),
    /// Pieces one after the other; piece `i` has the parameters `i ..= i + 1`.
    Chain(Vec<Piece>),
    /// `base` moved by `by + growth · t` along `base' × normal`.
    Offset {
        /// What is offset.
        base: Box<Curve>,
        /// At parameter 0.
        by: f64,
        /// What a unit of the parameter adds.
        growth: f64,
        /// Across the plane of the offset.
        normal: V3,
    },
    /// A curve in the parameter plane of a surface, seen in space.
    OnSurface {
        /// On which it lies.
        surface: Box<Surface>,
        /// In its parameters.
        plane: Box<Curve>,
    },
}

/// A stretch of a curve, run from `range[0]` to `range[1]` (backwards if that is less).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Piece {
    /// The curve.
    pub curve: Curve,
    /// Run from the first to the second.
    pub range: [f64; 2],
}

impl Piece {
    /// Point and two derivatives at `s` in `0..=1`.
    pub fn at(&self, s: f64) -> [V3; 3] {
        let [a, b] = self.range;
        let h = b - a;
        let [p, d, dd] = self.curve.at(a + h * s);
        [p, scale(d, h), scale(dd, h * h)]
    }
}

impl Curve {
    /// Point, first and second derivative.
    pub fn at(&self, t: f64) -> [V3; 3] {
        match self {
            Curve::Line { origin, along } => [add(*origin, scale(*along, t)), *along, [0.0; 3]],
            Curve::Ellipse { frame, a, b } => {
                let (s, c) = t.sin_cos();
                let r = frame.turn([a * c, b * s, 0.0]);
                [add(frame.origin, r), frame.turn([-a * s, b * c, 0.0]), scale(r, -1.0)]
            }
            Curve::Hyperbola { frame, a, b } => {
                let (s, c) = (t.sinh(), t.cosh());
                let r = frame.turn([a * c, b * s, 0.0]);
                [add(frame.origin, r), frame.turn([a * s, b * c, 0.0]), r]
            }
            Curve::Parabola { frame, focal: f } => [
                frame.place([f * t * t, 2.0 * f * t, 0.0]),
                frame.turn([2.0 * f * t, 2.0 * f, 0.0]),
                frame.turn([2.0 * f, 0.0, 0.0]),
            ],
            Curve::Nurbs(n) => {
                let [a, b] = n.knots.domain();
                if t >= a && t <= b {
                    return n.at(t);
                }
                // Beyond its ends a closed curve goes round, an open one straight on.
                if self.period().is_some() {
                    return n.at(a + (t - a).rem_euclid(b - a));
                }
                let end = if t < a { a } else { b };
                let [p, d, _] = n.at(end);
                [add(p, scale(d, t - end)), d, [0.0; 3]]
            }
            Curve::Chain(pieces) => {
                let last = pieces.len().saturating_sub(1);
                let i = (t.max(0.0) as usize).min(last);
                pieces.get(i).map_or([[0.0; 3]; 3], |piece| piece.at(t - i as f64))
            }
            Curve::Offset { base, by, growth, normal } => {
                let beside = |t: f64| offset(base.at(t), by + growth * t, *growth, *normal);
                let (h, [p, d]) = (1e-4 * base.speed_scale(), beside(t));
                let bent = sub(beside(t + h)[1], beside(t - h)[1]);
                [p, d, scale(bent, 0.5 / h)]
            }
            Curve::OnSurface { surface, plane } => {
                let [q, d, dd] = plane.at(t);
                let j = surface.jet(q[0], q[1]);
                let first = add(scale(j.u, d[0]), scale(j.v, d[1]));
                let bent = add(add(scale(j.uu, d[0] * d[0]), scale(j.uv, 2.0 * d[0] * d[1])), scale(j.vv, d[1] * d[1]));
                [j.p, first, add(bent, add(scale(j.u, dd[0]), scale(j.v, dd[1])))]
            }
        }
    }

    /// The point at `t`.
    pub fn point(&self, t: f64) -> V3 {
        match self {
            Curve::Line { origin, along } => add(*origin, scale(*along, t)),
            _ => self.at(t)[0],
        }
    }

    /// A parameter length over which the curve changes noticeably, for differences.
    fn speed_scale(&self) -> f64 {
        match self.domain() {
            Some([a, b]) => b - a,
            None => 1.0,
        }
    }

    /// The parameters where the curve is defined; `None` if it has no ends of its own.
    pub fn domain(&self) -> Option<[f64; 2]> {
        match self {
            Curve::Line { .. } | Curve::Hyperbola { .. } | Curve::Parabola { .. } => None,
            Curve::Ellipse { .. } => Some([0.0, TAU]),
            Curve::Nurbs(n) => Some(n.knots.domain()),
            Curve::Chain(pieces) => Some([0.0, pieces.len() as f64]),
            Curve::Offset { base, .. } => base.domain(),
            Curve::OnSurface { plane, .. } => plane.domain(),
        }
    }

    /// The parameter length after which a closed curve repeats itself.
    pub fn period(&self) -> Option<f64> {
        match self {
            Curve::Ellipse { .. } => Some(TAU),
            Curve::Nurbs(n) => {
                let [a, b] = n.knots.domain();
                let [p, q] = [n.at(a)[0], n.at(b)[0]];
                let size = n.control_points().map(|c| norm(sub(c, p))).fold(0.0, f64::max);
                (norm(sub(p, q)) <= 1e-9 * size).then_some(b - a)
            }
            _ => None,
        }
    }

    /// Parameters within `range` where the curve may be less smooth, ends of `range` included, ascending.
    pub fn breaks(&self, range: [f64; 2]) -> Vec<f64> {
        let [a, b] = range;
        let mut out = vec![a];
        let inside = |t: f64| t > a + 1e-9 * (b - a) && t < b - 1e-9 * (b - a);
        match self {
            Curve::Nurbs(n) => {
                let knots = n.knots.breaks();
                let [lo, hi] = n.knots.domain();
                let turn = hi - lo;
                let first = ((a - hi) / turn).floor().max(-8.0) as i32;
                let last = ((b - lo) / turn).ceil().min(8.0) as i32;
                for k in first..=last {
                    out.extend(knots.iter().map(|t| t + f64::from(k) * turn).filter(|&t| inside(t)));
                }
            }
            Curve::Chain(pieces) => {
                for (i, piece) in pieces.iter().enumerate() {
                    let [s0, s1] = piece.range;
                    let within = piece.curve.breaks([s0.min(s1), s0.max(s1)]);
                    let own = within.into_iter().map(|t| i as f64 + (t - s0) / (s1 - s0));
                    out.extend(own.filter(|&t| inside(t)));
                }
            }
            Curve::Offset { base, .. } => return base.breaks(range),
            Curve::OnSurface { plane, .. } => return plane.breaks(range),
            _ => {}
        }
        out.push(b);
        out.sort_by(f64::total_cmp);
        out.dedup_by(|next, kept| *next - *kept <= 1e-9 * (b - a));
        if let Some(end) = out.last_mut() {
            *end = b;
        }
        out
    }

    /// Whether the curve is a straight line as it stands.
    pub fn is_straight(&self) -> bool {
        match self {
            Curve::Line { .. } => true,
            Curve::Nurbs(n) => n.knots.degree == 1 && n.points.len() == 2,
            Curve::Chain(pieces) => pieces.len() == 1 && pieces[0].curve.is_straight(),
            _ => false,
        }
    }

    /// The curve moved; its parameter stays.
    pub fn moved(&self, m: &Motion) -> Curve {
        let s = m.scale;
        match self {
            Curve::Line { origin, along } => {
                Curve::Line { origin: m.point(*origin), along: scale(m.direction(*along), s) }
            }
            Curve::Ellipse { frame, a, b } => Curve::Ellipse { frame: m.frame(frame), a: a * s, b: b * s },
            Curve::Hyperbola { frame, a, b } => Curve::Hyperbola { frame: m.frame(frame), a: a * s, b: b * s },
            Curve::Parabola { frame, focal } => Curve::Parabola { frame: m.frame(frame), focal: focal * s },
            Curve::Nurbs(n) => Curve::Nurbs(Box::new(n.mapped(|p| m.point(p)))),
            Curve::Chain(pieces) => {
                Curve::Chain(pieces.iter().map(|p| Piece { curve: p.curve.moved(m), range: p.range }).collect())
            }
            Curve::Offset { base, by, growth, normal } => {
                // A mirror turns cross products round.
                let s = if m.frame.is_mirrored() { -s } else { s };
                let (by, growth) = (by * s, growth * s);
                Curve::Offset { base: Box::new(base.moved(m)), by, growth, normal: m.direction(*normal) }
            }
            Curve::OnSurface { surface, plane } => Curve::OnSurface {
                plane: Box::new(plane.stretched(surface.parameter_scale(s))),
                surface: Box::new(surface.moved(m)),
            },
        }
    }

    /// A curve of the parameter plane stretched along u and v.
    pub fn stretched(&self, [su, sv]: [f64; 2]) -> Curve {
        if su == 1.0 && sv == 1.0 {
            return self.clone();
        }
        let map = |p: V3| [p[0] * su, p[1] * sv, p[2]];
        match self {
            Curve::Line { origin, along } => Curve::Line { origin: map(*origin), along: map(*along) },
            Curve::Nurbs(n) => Curve::Nurbs(Box::new(n.mapped(map))),
            Curve::Chain(pieces) => Curve::Chain(
                pieces.iter().map(|p| Piece { curve: p.curve.stretched([su, sv]), range: p.range }).collect(),
            ),
            conic if su == sv => conic.moved(&Motion::scaling(su)),
            // A conic stretched unevenly is rare: pieces of a polyline fine enough for a hint of place.
            other => {
                let [a, b] = other.domain().unwrap_or([-1.0, 1.0]);
                let points: Vec<V3> = (0..=64).map(|i| map(other.point(a + (b - a) * f64::from(i) / 64.0))).collect();
                NurbsCurve::polyline(&points).map_or(other.clone(), |n| Curve::Nurbs(Box::new(rescaled(n, a, b))))
            }
        }
    }

    /// The parameter in `range` whose point is nearest to `p`, and the distance.
    pub fn nearest(&self, p: V3, range: [f64; 2]) -> (f64, f64) {
        let [a, b] = range;
        if let Curve::Line { origin, along } = self {
            let t = (dot(sub(p, *origin), *along) / dot(*along, *along)).clamp(a, b);
            return (t, norm(sub(self.point(t), p)));
        }
        let mut starts: Vec<Start> = Vec::new();
        for w in self.breaks(range).windows(2) {
            match self {
                Curve::Nurbs(c) if c.knots.degree == 1 => starts.push(self.on_chord(p, [w[0], w[1]])),
                _ => self.nearest_samples(p, [w[0], w[1]], &mut starts),
            }
        }
        starts.sort_by(|a, b| a.off.total_cmp(&b.off));
        // A range of no length has nothing but its end.
        let mut best = (a, norm(sub(self.point(a), p)).min(f64::INFINITY));
        for start in starts {
            if start.least < best.1 {
                let mut found = self.refine_nearest(p, start.around, (start.t, start.off));
                if !self.is_foot(p, found.0, start.stretch) {
                    let again = self.refine_nearest(p, start.around, self.narrowed(p, start.around));
                    found = if again.1 < found.1 { again } else { found };
                }
                best = if found.1 < best.1 { found } else { best };
            }
        }
        best
    }

    /// Samples of a stretch that are nearer to a place than those beside them.
    fn nearest_samples(&self, p: V3, [a, b]: [f64; 2], out: &mut Vec<Start>) {
        let samples: [(f64, V3); SAMPLES + 1] = std::array::from_fn(|i| {
            let t = a + (b - a) * i as f64 / SAMPLES as f64;
            (t, self.point(t))
        });
        let off = samples.map(|(_, q)| norm(sub(q, p)));
        for (i, (t, q)) in samples.into_iter().enumerate() {
            let beside = [i.checked_sub(1), (i < SAMPLES).then_some(i + 1)].into_iter().flatten();
            if beside.clone().all(|k| off[i] <= off[k]) {
                let reach = beside.map(|k| norm(sub(samples[k].1, q))).fold(0.0, f64::max);
                let around = [samples[i.saturating_sub(1)].0, samples[(i + 1).min(SAMPLES)].0];
                out.push(Start { t, off: off[i], least: off[i] - reach, around, stretch: [a, b] });
            }
        }
    }

    /// Where a stretch that is straight is nearest, as if its parameter ran evenly.
    fn on_chord(&self, p: V3, [a, b]: [f64; 2]) -> Start {
        let (share, least) = nearest_on_segment(p, self.point(a), self.point(b));
        let least = least.sqrt();
        let t = a + (b - a) * share;
        // A weight makes the parameter run unevenly.
        Start { t, off: norm(sub(self.point(t), p)), least, around: [a, b], stretch: [a, b] }
    }

    /// Whether the way from a place to the curve's point stands across the curve there, or leads beyond an end. Where the curve
    /// has no direction, nothing is told.
    fn is_foot(&self, p: V3, t: f64, [a, b]: [f64; 2]) -> bool {
        let [c, d, _] = self.at(t);
        let r = sub(c, p);
        let (off, speed, along) = (norm(r), norm(d), dot(r, d));
        let at_end = (t <= a && along >= 0.0) || (t >= b && along <= 0.0);
        off <= 1e-9 * (1.0 + norm(c)) || (speed > 0.0 && (at_end || along.abs() <= 1e-6 * off * speed))
    }

    /// The nearest place between two parameters by the golden section: where Newton's method has no slope to follow.
    fn narrowed(&self, p: V3, [mut a, mut b]: [f64; 2]) -> (f64, f64) {
        const PART: f64 = 0.618_033_988_749_894_9;
        let off = |t: f64| norm(sub(self.point(t), p));
        let (mut s, mut t) = (b - PART * (b - a), a + PART * (b - a));
        let (mut at_s, mut at_t) = (off(s), off(t));
        for _ in 0..40 {
            if at_s < at_t {
                (b, t, at_t) = (t, s, at_s);
                s = b - PART * (b - a);
                at_s = off(s);
            } else {
                (a, s, at_s) = (s, t, at_t);
                t = a + PART * (b - a);
                at_t = off(t);
            }
        }
        if at_s < at_t { (s, at_s) } else { (t, at_t) }
    }

    /// Newton's method on the foot of the perpendicular (NURBS Book, 6.1), kept within `range`.
    pub fn refine_nearest(&self, p: V3, [a, b]: [f64; 2], start: (f64, f64)) -> (f64, f64) {
        let (mut t, mut best) = start;
        let mut kept = start;
        for _ in 0..20 {
            let [c, d, dd] = self.at(t);
            let r = sub(c, p);
            best = norm(r);
            if best < kept.1 {
                kept = (t, best);
            }
            let speed2 = dot(d, d);
            let bend = speed2 + dot(r, dd);
            let bend = if bend > 0.1 * speed2 { bend } else { speed2 };
            if speed2 <= 0.0 {
                break;
            }
            let next = (t - dot(r, d) / bend).clamp(a, b);
            if (next - t).abs() <= 1e-15 * (b - a).abs().max(t.abs()) {
                break;
            }
            t = next;
        }
        if best < kept.1 { (t, best) } else { kept }
    }
}

/// Samples of a stretch between two breaks, less one, from which the nearest place is looked for.
const SAMPLES: usize = 8;

/// Where the search for the nearest place begins.
struct Start {
    t: f64,
    off: f64,
    /// Nothing around it is nearer than about this.
    least: f64,
    /// Between these parameters there is a nearest place.
    around: [f64; 2],
    /// Between the breaks around it.
    stretch: [f64; 2],
}

/// The polyline's parameters stretched to `a ..= b`.
fn rescaled(mut n: NurbsCurve, a: f64, b: f64) -> NurbsCurve {
    let [lo, hi] = n.knots.domain();
    for k in &mut n.knots.values {
        *k = a + (*k - lo) / (hi - lo) * (b - a);
    }
    n
}

/// Point and derivatives by central differences, for curves without a formula.
/// Point and first derivative of a curve moved by `by`, which grows by `growth`, along its direction × `normal`.
fn offset([p, d, dd]: [V3; 3], by: f64, growth: f64, normal: V3) -> [V3; 2] {
    let across = cross(d, normal);
    let length = norm(across);
    if length <= 0.0 {
        return [p, d];
    }
    let n = scale(across, 1.0 / length);
    let turned = cross(dd, normal);
    let change = scale(sub(turned, scale(n, dot(n, turned))), 1.0 / length);
    [add(p, scale(n, by)), add(d, add(scale(change, by), scale(n, growth)))]
}
