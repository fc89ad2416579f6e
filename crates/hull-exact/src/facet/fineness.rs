//! How fine facets must be, and what that allows locally.

use crate::nurbs::Jet;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub};
use serde::{Deserialize, Serialize};

/// What is asked of facets. Lengths in the unit of the shape.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Fineness {
    /// No point of the surface is further from its facet than this.
    pub deviation: f64,
    /// Neighbouring facets turn by at most about this many degrees.
    pub angle: f64,
    /// No side is longer than this, where given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub largest: Option<f64>,
    /// Whether facets are to be no slivers where a surface bends both ways, or where a longest side is asked: along the
    /// straight lines of what bends one way only, nothing else asks for points.
    #[serde(default = "yes")]
    pub even: bool,
    /// Sides shorter than this are not made for the sake of angle; twice the deviation where nothing is given,
    /// as a bend that small does not show beside the deviation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub smallest: Option<f64>,
}

fn yes() -> bool {
    true
}

/// Longest side in shortest sides, so that no angle of a cell's half falls much below 15°.
pub const LONGEST: f64 = 3.4;

impl Fineness {
    /// The angle in radians, held to what still makes a facet of a curved face.
    pub fn radians(&self) -> f64 {
        self.angle.to_radians().clamp(0.2_f64.to_radians(), 45.0_f64.to_radians())
    }

    /// The most pieces of one curve.
    pub fn most_pieces(&self) -> usize {
        if self.largest.is_some() { MOST_PIECES } else { MOST_FOR_BENDS }
    }

    /// The longest side at a place of a surface.
    pub fn longest(&self, at: &Allowed) -> f64 {
        if self.even && (at.bends_both_ways || self.largest.is_some()) { LONGEST * at.tight } else { f64::INFINITY }
    }

    /// The side that a bend of curvature `k` (1/length) allows.
    pub fn side(&self, k: f64, share: f64) -> f64 {
        let largest = self.largest.unwrap_or(f64::INFINITY);
        if k <= 1e-12 {
            return largest;
        }
        // Sagitta s of a chord c of a circle of radius r: c² = 8 r s - 4 s². A bend tighter than s itself is
        // within the deviation whatever the side.
        let s = 0.94 * self.deviation * share;
        let by_sagitta = (8.0 * s / k - 4.0 * s * s).max(4.0 * s * s).sqrt();
        let by_angle = 2.0 / k * (0.5 * self.radians()).sin();
        let by_angle = by_angle.max(self.smallest.unwrap_or(2.0 * self.deviation));
        by_sagitta.min(by_angle).min(largest)
    }

    /// The side allowed along a curve with these derivatives.
    pub fn along_curve(&self, first: V3, second: V3) -> f64 {
        let speed = norm(first);
        if speed <= 0.0 {
            return self.side(0.0, 1.0);
        }
        self.side(norm(cross(first, second)) / speed.powi(3), 0.75)
    }

    /// What a surface with these derivatives allows.
    pub fn on_surface(&self, j: &Jet) -> Allowed {
        let n = cross(j.u, j.v);
        let area = norm(n);
        let (e, f, g) = (dot(j.u, j.u), dot(j.u, j.v), dot(j.v, j.v));
        if area <= 1e-14 * (e + g) {
            let tight = self.side(0.0, 1.0);
            return Allowed { shape: None, fineness: *self, share: 1.0, tight, bends_both_ways: false };
        }
        let n = scale(n, 1.0 / area);
        let (l, m, k) = (dot(j.uu, n), dot(j.uv, n), dot(j.vv, n));
        let det = e * g - f * f;
        // Principal curvatures from mean and Gaussian curvature.
        let mean = 0.5 * (e * k - 2.0 * f * m + g * l) / det;
        let gauss = (l * k - m * m) / det;
        let root = (mean * mean - gauss).max(0.0).sqrt();
        let (big, small) = (mean.abs() + root, (mean.abs() - root).abs());
        // Where a surface bends both ways, both bends add up in the middle of a facet.
        let bends_both_ways = small > 0.05 * big;
        let share = if bends_both_ways { 0.52 } else { 1.0 };
        // The Weingarten map: how the normal turns, in parameters.
        let map = [[(f * m - g * l) / det, (f * k - g * m) / det], [(f * l - e * m) / det, (f * m - e * k) / det]];
        Allowed { shape: Some((map, j.u, j.v)), fineness: *self, share, tight: self.side(big, share), bends_both_ways }
    }
}

/// The sides that facets may have at a place of a surface.
#[derive(Clone, Copy, Debug)]
pub struct Allowed {
    /// The Weingarten map and the derivatives it is taken in; `None` at poles.
    shape: Option<([[f64; 2]; 2], V3, V3)>,
    fineness: Fineness,
    share: f64,
    /// In the direction that allows least.
    pub tight: f64,
    /// Whether the surface bends across that direction too.
    pub bends_both_ways: bool,
}

impl Allowed {
    /// The surface's normal, of any length; `None` at poles.
    pub fn normal(&self) -> Option<V3> {
        self.shape.map(|(_, u, v)| cross(u, v))
    }

    /// Along a direction in the parameters: how fast the normal turns there decides.
    pub fn towards(&self, [du, dv]: [f64; 2]) -> f64 {
        let Some((map, u, v)) = self.shape else { return self.tight };
        let speed = norm(add(scale(u, du), scale(v, dv)));
        let (tu, tv) = (map[0][0] * du + map[0][1] * dv, map[1][0] * du + map[1][1] * dv);
        let turn = norm(add(scale(u, tu), scale(v, tv)));
        if speed > 0.0 { self.fineness.side(turn / speed, self.share) } else { self.tight }
    }

    /// Along a direction in space, which lies in the surface.
    pub fn along(&self, d: V3) -> f64 {
        let Some((_, u, v)) = self.shape else { return self.tight };
        let (e, f, g) = (dot(u, u), dot(u, v), dot(v, v));
        let (x, y) = (dot(d, u), dot(d, v));
        let det = e * g - f * f;
        self.towards([(g * x - f * y) / det, (e * y - f * x) / det])
    }
}

/// The largest distance of a curve from the chord between two of its parameters, at seven places.
pub fn sagitta(point: impl Fn(f64) -> V3, a: f64, b: f64) -> f64 {
    let (p, q) = (point(a), point(b));
    (1..8).map(|i| from_chord(point(a + (b - a) * f64::from(i) / 8.0), p, q)).fold(0.0, f64::max)
}

/// The distance of `p` from the segment `a b`.
pub fn from_chord(p: V3, a: V3, b: V3) -> f64 {
    hull_geometry::vector::nearest_on_segment(p, a, b).1.sqrt()
}

/// The most pieces of one curve, where a longest side is asked.
const MOST_PIECES: usize = 100_000;
/// The most pieces of one curve for how it bends: a circle has 2 200 at a millionth of its radius.
const MOST_FOR_BENDS: usize = 8_000;

/// Parameters that divide `ends` evenly in the measure whose density is `density(t)`: at least `least`
/// pieces, at most `most`.
pub fn spread(ends: [f64; 2], samples: usize, [least, most]: [usize; 2], density: impl Fn(f64) -> f64) -> Vec<f64> {
    let least = least.min(most);
    let [a, b] = ends;
    let at = |i: usize| a + (b - a) * i as f64 / samples as f64;
    let mut sums = vec![0.0];
    let mut before = density(a);
    for i in 0..samples {
        let (mid, end) = (density(0.5 * (at(i) + at(i + 1))), density(at(i + 1)));
        // Simpson's rule.
        sums.push(sums[i] + (b - a) / samples as f64 * (before + 4.0 * mid + end) / 6.0);
        before = end;
    }
    let total = sums[samples];
    let pieces = if total.is_finite() { ((total - 1e-6).ceil().max(0.0) as usize).clamp(least, most) } else { least };
    let mut out = vec![a];
    let mut i = 0;
    for k in 1..pieces {
        let wanted = total * k as f64 / pieces as f64;
        if total <= 0.0 {
            out.push(a + (b - a) * k as f64 / pieces as f64);
            continue;
        }
        while sums[i + 1] < wanted {
            i += 1;
        }
        let s = (wanted - sums[i]) / (sums[i + 1] - sums[i]);
        out.push(at(i) + s * (at(i + 1) - at(i)));
    }
    out.push(b);
    out
}

/// Distance between two directions, in radians.
pub fn angle_between(a: V3, b: V3) -> f64 {
    norm(cross(a, b)).atan2(dot(a, b))
}

/// The distance of `p` from the plane of a triangle.
pub fn from_plane(p: V3, [a, b, c]: [V3; 3]) -> f64 {
    let n = cross(sub(b, a), sub(c, a));
    let length = norm(n);
    if length > 0.0 { (dot(sub(p, a), n) / length).abs() } else { from_chord(p, a, b) }
}
