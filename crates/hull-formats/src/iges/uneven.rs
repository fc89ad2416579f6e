//! IGES curves that go by the length of other curves, or at a distance that changes: 118 of form 0, and 130.

use super::geometry::Reader;
use super::record::Entry;
use hull_exact::Curve;
use hull_exact::arc_length::ByLength;
use hull_exact::curve::Piece;
use hull_exact::fit;
use hull_geometry::vector::{V3, add, cross, scale, unit};

/// Splines keep to the curves that they stand for within this part of the length.
const TOLERANCE: f64 = 1e-8;

impl Reader<'_> {
    /// One side of a ruled surface: of form 0 rulings join equal parts of the lengths, of form 1 of the parameters.
    pub(super) fn ruled_side(&self, entry: &Entry, pointer: i64) -> Option<Piece> {
        let piece = self.curve(pointer)?;
        let Some(even) = ByLength::new(&piece).filter(|l| entry.form == 0 && !l.is_even()) else { return Some(piece) };
        spline(|x| even.at(x), &even.breaks(), even.total())
    }

    /// 130: a curve beside another about a normal, at a distance that stays, changes evenly, or is a coordinate of a third
    /// curve, along the other's length or parameter.
    pub(super) fn offset_130(&self, n: &[f64]) -> Option<Piece> {
        let at = |i: usize| n.get(i).copied();
        let base = self.curve(at(1)? as i64)?;
        let normal = [at(10)?, at(11)?, at(12)?];
        let even = ByLength::new(&base)?;
        let along_arc = at(5).unwrap_or(0.0) as i64 == 1;
        let [from, to] = if along_arc { [0.0, even.total()] } else { [at(13)?, at(14)?] };
        let kind = at(2)? as i64;
        // Distance at the start and how it grows from there to the end.
        let line = match kind {
            1 => Some((at(6)?, 0.0)),
            2 => {
                let slope = (at(8)? - at(6)?) / (at(9)? - at(7)?);
                Some((at(6)? + slope * (from - at(7)?), slope * (to - from)))
            }
            _ => None,
        };
        if let Some((start, growth)) = line.filter(|(_, growth)| *growth == 0.0 || !along_arc || even.is_even()) {
            return beside(base, start, growth, normal);
        }
        let third = if kind == 3 { Some((self.curve(at(3)? as i64)?.curve, at(4)? as usize)) } else { None };
        let distance = |x: f64| match (&third, line) {
            (Some((curve, axis)), _) => curve.point(from + x * (to - from)).get(axis.wrapping_sub(1)).copied(),
            (None, Some((start, growth))) => Some(start + growth * x),
            (None, None) => None,
        };
        distance(0.0)?;
        let place = |x: f64| {
            let [p, d, _] = if along_arc { even.at(x) } else { base.at(x) };
            unit(cross(normal, d)).map_or(p, |left| add(p, scale(left, distance(x).unwrap_or(0.0))))
        };
        let breaks = if along_arc { even.breaks() } else { base_breaks(&base) };
        spline(|x| differences(place, x), &breaks, even.total())
    }
}

/// A curve beside another whose distance grows evenly with its parameter. Ours goes to the right, theirs to the left.
fn beside(base: Piece, start: f64, growth: f64, normal: V3) -> Option<Piece> {
    let Piece { curve, range: [a, b] } = base;
    let growth = growth / (b - a);
    let by = -(start - growth * a);
    (by.is_finite() && growth.is_finite())
        .then(|| Piece { curve: Curve::Offset { base: Box::new(curve), by, growth: -growth, normal }, range: [a, b] })
}

fn base_breaks(base: &Piece) -> Vec<f64> {
    let [a, b] = base.range;
    let mut out: Vec<f64> = base.curve.breaks([a.min(b), a.max(b)]).iter().map(|t| (t - a) / (b - a)).collect();
    out.sort_by(f64::total_cmp);
    out
}

fn spline(at: impl Fn(f64) -> [V3; 3], breaks: &[f64], length: f64) -> Option<Piece> {
    let ([curve], _) = fit::together(|x| [at(x)], breaks, TOLERANCE * length)?;
    Some(Piece { curve: Curve::Nurbs(Box::new(curve)), range: [0.0, 1.0] })
}

/// Point and two derivatives by central differences, within 0 to 1.
fn differences(place: impl Fn(f64) -> V3, x: f64) -> [V3; 3] {
    const H: f64 = 1e-4;
    let middle = x.clamp(H, 1.0 - H);
    let [m, p, q] = [place(middle - H), place(middle), place(middle + H)];
    let second = scale(add(add(m, q), scale(p, -2.0)), 1.0 / (H * H));
    let first = scale(add(q, scale(m, -1.0)), 0.5 / H);
    [place(x), add(first, scale(second, x - middle)), second]
}
