//! IGES spline entities as B-splines: 112, 114 (power basis, pieces), 126 and 128.

use super::counting::count;
use super::geometry::Reader;
use hull_exact::nurbs::{NurbsCurve, NurbsSurface};
use hull_geometry::vector::V3;

/// Cubic power basis on `0..=h` to Bézier points of that stretch (blossoms at 0 and h).
fn bezier([a, b, c, d]: [f64; 4], h: f64) -> [f64; 4] {
    let (b, c, d) = (b * h, c * h * h, d * h * h * h);
    [a, a + b / 3.0, a + 2.0 * b / 3.0 + c / 3.0, a + b + c + d]
}

/// Knots of pieces of degree three that meet at `breaks`.
fn piece_knots(breaks: &[f64]) -> Vec<f64> {
    let mut out = vec![breaks[0]];
    out.extend(breaks.iter().flat_map(|&t| [t; 3]));
    out.push(breaks[breaks.len() - 1]);
    out
}

impl Reader<'_> {
    /// 112: parametric spline curve.
    pub fn spline_112(&self, p: &[f64]) -> Option<NurbsCurve> {
        let pieces = count(*p.get(4)?, 1_000_000)?;
        let breaks = p.get(5..5 + pieces + 1)?;
        let coefficients = p.get(6 + pieces..)?;
        let mut points: Vec<V3> = Vec::with_capacity(3 * pieces + 1);
        for i in 0..pieces {
            let c = coefficients.get(12 * i..12 * i + 12)?;
            let h = breaks[i + 1] - breaks[i];
            let [x, y, z] = [0, 1, 2].map(|k| bezier([c[4 * k], c[4 * k + 1], c[4 * k + 2], c[4 * k + 3]], h));
            points.extend((usize::from(i > 0)..4).map(|k| [x[k], y[k], z[k]]));
        }
        NurbsCurve::new(3, piece_knots(breaks), &points, None).ok()
    }

    /// 114: parametric spline surface.
    pub fn spline_114(&self, p: &[f64]) -> Option<NurbsSurface> {
        let (m, n) = (count(*p.get(3)?, 10_000)?, count(*p.get(4)?, 10_000)?);
        let us = p.get(5..5 + m + 1)?;
        let vs = p.get(6 + m..6 + m + n + 1)?;
        let coefficients = p.get(7 + m + n..)?;
        let columns = 3 * n + 1;
        let mut points = vec![[0.0; 3]; (3 * m + 1) * columns];
        for i in 0..m {
            for j in 0..n {
                // Each row of patches has one more block than patches.
                let at = (i * (n + 1) + j) * 48;
                let c = coefficients.get(at..at + 48)?;
                let (hu, hv) = (us[i + 1] - us[i], vs[j + 1] - vs[j]);
                for axis in 0..3 {
                    let c = &c[16 * axis..16 * axis + 16];
                    let along_u: Vec<[f64; 4]> =
                        (0..4).map(|t| bezier([c[4 * t], c[4 * t + 1], c[4 * t + 2], c[4 * t + 3]], hu)).collect();
                    for k in 0..4 {
                        let v = bezier([along_u[0][k], along_u[1][k], along_u[2][k], along_u[3][k]], hv);
                        for (l, x) in v.into_iter().enumerate() {
                            points[(3 * i + k) * columns + 3 * j + l][axis] = x;
                        }
                    }
                }
            }
        }
        NurbsSurface::new([3, 3], [piece_knots(us), piece_knots(vs)], columns, &points, None).ok()
    }

    /// 126: rational B-spline curve, with its start and end parameter.
    pub fn spline_126(&self, p: &[f64]) -> Option<(NurbsCurve, [f64; 2])> {
        let (k, degree) = (count(*p.get(1)?, 10_000_000)?, count(*p.get(2)?, 25)?);
        let points = k + 1;
        let knots = k + degree + 2;
        let at = 7;
        let knot_values = p.get(at..at + knots)?;
        let weights = p.get(at + knots..at + knots + points)?;
        let xyz = p.get(at + knots + points..at + knots + 4 * points)?;
        let points: Vec<V3> = xyz.chunks(3).map(|c| [c[0], c[1], c[2]]).collect();
        let curve = NurbsCurve::new(degree, knot_values.to_vec(), &points, Some(weights)).ok()?;
        let rest = at + knots + 4 * points.len();
        let [a, b] = curve.knots.domain();
        let range = match (p.get(rest), p.get(rest + 1)) {
            (Some(&u), Some(&v)) if u < v && u >= a - 1e-9 * (b - a) && v <= b + 1e-9 * (b - a) => [u.max(a), v.min(b)],
            _ => [a, b],
        };
        Some((curve, range))
    }

    /// 128: rational B-spline surface, with its ranges.
    pub fn spline_128(&self, p: &[f64]) -> Option<(NurbsSurface, [[f64; 2]; 2])> {
        let (k1, k2) = (count(*p.get(1)?, 1_000_000)?, count(*p.get(2)?, 1_000_000)?);
        let (m1, m2) = (count(*p.get(3)?, 25)?, count(*p.get(4)?, 25)?);
        let (nu, nv) = (k1 + 1, k2 + 1);
        let total = nu.checked_mul(nv)?;
        let (ku, kv) = (k1 + m1 + 2, k2 + m2 + 2);
        let mut at = 10_usize;
        let mut take = |n: usize| -> Option<&[f64]> {
            let found = p.get(at..at.checked_add(n)?)?;
            at += n;
            Some(found)
        };
        let (us, vs) = (take(ku)?.to_vec(), take(kv)?.to_vec());
        let weights = take(total)?;
        let xyz = take(total.checked_mul(3)?)?;
        let ends = take(4).map(<[f64]>::to_vec);
        // The file runs through u fastest.
        let order = || (0..nu).flat_map(|i| (0..nv).map(move |j| j * nu + i));
        let points: Vec<V3> = order().map(|i| [xyz[3 * i], xyz[3 * i + 1], xyz[3 * i + 2]]).collect();
        let weights: Vec<f64> = order().map(|i| weights[i]).collect();
        let surface = NurbsSurface::new([m1, m2], [us, vs], nv, &points, Some(&weights)).ok()?;
        let whole = [surface.u.domain(), surface.v.domain()];
        let held =
            |[a, b]: [f64; 2], u: f64, v: f64| if u < v && u < b && v > a { [u.max(a), v.min(b)] } else { [a, b] };
        let sides = match ends.as_deref() {
            Some([a, b, c, d]) => [held(whole[0], *a, *b), held(whole[1], *c, *d)],
            _ => whole,
        };
        Some((surface, sides))
    }
}
