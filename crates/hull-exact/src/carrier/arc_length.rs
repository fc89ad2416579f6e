//! Curves run evenly: by the length that lies behind instead of by their own parameter.

use crate::curve::Piece;
use crate::gauss::gauss;
use hull_geometry::vector::{V3, dot, norm, scale, sub};

/// Stretches between two breaks of the curve, each short enough for ten Gauss points.
const STRETCHES: usize = 8;

/// A stretch of a curve with the lengths along it.
pub struct ByLength<'p> {
    piece: &'p Piece,
    /// Places of the stretch from 0 to 1, with the length up to there.
    marks: Vec<(f64, f64)>,
    /// Those of `marks` where the curve may turn sharply, its ends among them.
    breaks: Vec<usize>,
}

impl<'p> ByLength<'p> {
    /// Measures a stretch; `None` if it has no length.
    pub fn new(piece: &'p Piece) -> Option<ByLength<'p>> {
        let [a, b] = piece.range;
        let mut ends: Vec<f64> =
            piece.curve.breaks([a.min(b), a.max(b)]).into_iter().map(|t| (t - a) / (b - a)).collect();
        if a > b {
            ends.reverse();
        }
        let mut out = ByLength { piece, marks: vec![(0.0, 0.0)], breaks: vec![0] };
        for w in ends.windows(2) {
            for k in 1..=STRETCHES {
                let (from, sum) = *out.marks.last()?;
                let to = if k == STRETCHES { w[1] } else { w[0] + (w[1] - w[0]) * k as f64 / STRETCHES as f64 };
                out.marks.push((to, sum + out.length(from, to)));
            }
            out.breaks.push(out.marks.len() - 1);
        }
        let total = out.total();
        (total > 0.0 && total.is_finite()).then_some(out)
    }

    fn speed(&self, s: f64) -> f64 {
        norm(self.piece.at(s)[1])
    }

    fn length(&self, from: f64, to: f64) -> f64 {
        gauss(from, to).map(|(s, weight)| weight * self.speed(s)).sum()
    }

    /// The length of the whole.
    pub fn total(&self) -> f64 {
        self.marks.last().map_or(0.0, |m| m.1)
    }

    /// Whether the curve's own parameter runs evenly already.
    pub fn is_even(&self) -> bool {
        let total = self.total();
        self.marks.iter().all(|&(s, length)| (length - s * total).abs() <= 1e-9 * total)
    }

    /// The parts of the length at which the curve may turn sharply, from 0 to 1.
    pub fn breaks(&self) -> Vec<f64> {
        self.breaks.iter().map(|&i| self.marks[i].1 / self.total()).collect()
    }

    /// Point and two derivatives at a part of the length, from 0 to 1.
    pub fn at(&self, part: f64) -> [V3; 3] {
        let total = self.total();
        let [p, d, dd] = self.piece.at(self.place(part * total));
        let speed = norm(d).max(f64::MIN_POSITIVE);
        let bent = sub(scale(dd, 1.0 / (speed * speed)), scale(d, dot(d, dd) / speed.powi(4)));
        [p, scale(d, total / speed), scale(bent, total * total)]
    }

    /// The place of the stretch up to which the length is `wanted`, by Newton's method between two marks.
    fn place(&self, wanted: f64) -> f64 {
        let i = self.marks.partition_point(|m| m.1 <= wanted).clamp(1, self.marks.len() - 1);
        let ((from, start), (to, end)) = (self.marks[i - 1], self.marks[i]);
        let mut s = from + (to - from) * ((wanted - start) / (end - start).max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
        for _ in 0..12 {
            let off = start + self.length(from, s) - wanted;
            let next = (s - off / self.speed(s).max(f64::MIN_POSITIVE)).clamp(from, to);
            let done = (next - s).abs() <= 1e-15;
            s = next;
            if done {
                break;
            }
        }
        s
    }
}
