//! Curves without a formula of their own as B-splines, to a measured distance.
//!
//! Each piece is a quintic that takes point, first and second derivative over at both ends (quintic Hermite, in
//! Bernstein form); pieces that meet smoothly share a knot of multiplicity three, found by blossoming (L. Ramshaw,
//! *Blossoming: a connect-the-dots approach to splines*, 1987). The parameter stays that of the curve.

use crate::nurbs::NurbsCurve;
use hull_geometry::vector::{V3, add, distance, norm, scale, sub};

/// Halvings of one piece at most.
const DEEPEST: u32 = 14;

/// Splines with common knots for `N` curves over the same parameters, and the largest distance measured between
/// them and the curves; `None` if a point is not a number.
///
/// `at` gives point and two derivatives of each curve; `breaks` are the ends and every parameter between them where a
/// curve may turn sharply.
pub fn together<const N: usize>(
    at: impl Fn(f64) -> [[V3; 3]; N],
    breaks: &[f64],
    tolerance: f64,
) -> Option<([NurbsCurve; N], f64)> {
    // Each break is left by the side it is on: a step inside it that does not matter for smooth curves.
    let mut pieces: Vec<Piece<N>> = Vec::new();
    for w in breaks.windows(2) {
        let inset = 1e-12 * (w[1] - w[0]);
        let ends = [w[0] + inset, w[1] - inset];
        divide(&at, w[0], w[1], [at(ends[0]), at(ends[1])], tolerance, DEEPEST, &mut pieces);
    }
    // A joint is smooth for all or for none: the knots are common.
    let smooth: Vec<bool> =
        pieces.windows(2).map(|w| (0..N).all(|k| meet_smoothly(w[0].ends[1][k], w[1].ends[0][k]))).collect();
    let splines: Vec<NurbsCurve> = (0..N).map(|k| joined(&pieces, &smooth, k)).collect::<Option<_>>()?;
    let splines: [NurbsCurve; N] = splines.try_into().ok()?;
    let mut largest: f64 = 0.0;
    for p in &pieces {
        for i in 0..=8 {
            let t = p.from + (p.to - p.from) * f64::from(i) / 8.0;
            let wanted = at(t);
            for k in 0..N {
                largest = largest.max(distance(splines[k].at(t)[0], wanted[k][0]));
            }
        }
    }
    largest.is_finite().then_some((splines, largest))
}

/// A stretch with the Bernstein points of each curve's quintic.
struct Piece<const N: usize> {
    from: f64,
    to: f64,
    points: [[V3; 6]; N],
    ends: [[[V3; 3]; N]; 2],
}

fn divide<const N: usize>(
    at: &impl Fn(f64) -> [[V3; 3]; N],
    from: f64,
    to: f64,
    ends: [[[V3; 3]; N]; 2],
    tolerance: f64,
    depth: u32,
    out: &mut Vec<Piece<N>>,
) {
    let h = to - from;
    let points: [[V3; 6]; N] = std::array::from_fn(|k| quintic(ends[0][k], ends[1][k], h));
    let near = |s: f64| {
        let wanted = at(from + h * s);
        (0..N).all(|k| distance(bernstein(&points[k], s), wanted[k][0]) <= tolerance)
    };
    if depth == 0 || [0.15, 0.35, 0.5, 0.65, 0.85].into_iter().all(near) {
        out.push(Piece { from, to, points, ends });
        return;
    }
    let middle = 0.5 * (from + to);
    let inner = at(middle);
    divide(at, from, middle, [ends[0], inner], tolerance, depth - 1, out);
    divide(at, middle, to, [inner, ends[1]], tolerance, depth - 1, out);
}

fn quintic([p, d, dd]: [V3; 3], [q, e, ee]: [V3; 3], h: f64) -> [V3; 6] {
    let ahead = |x: V3, by: f64, v: V3, w: V3| add(x, add(scale(v, by), scale(w, h * h / 20.0)));
    [p, add(p, scale(d, h / 5.0)), ahead(p, 0.4 * h, d, dd), ahead(q, -0.4 * h, e, ee), sub(q, scale(e, h / 5.0)), q]
}

fn bernstein(points: &[V3; 6], s: f64) -> V3 {
    const CHOOSE: [f64; 6] = [1.0, 5.0, 10.0, 10.0, 5.0, 1.0];
    (0..6).fold([0.0; 3], |sum, i| {
        add(sum, scale(points[i], CHOOSE[i] * s.powi(i as i32) * (1.0 - s).powi(5 - i as i32)))
    })
}

fn joined<const N: usize>(pieces: &[Piece<N>], smooth: &[bool], k: usize) -> Option<NurbsCurve> {
    let (first, last) = (pieces.first()?, pieces.last()?);
    let mut knots = vec![first.from; 6];
    let mut points = vec![first.points[k][0]];
    for (i, piece) in pieces.iter().enumerate() {
        let p = &piece.points[k];
        if i == 0 || !smooth[i - 1] {
            points.push(p[1]);
        }
        points.extend([p[2], p[3]]);
        let Some(next) = pieces.get(i + 1) else {
            points.extend([p[4], p[5]]);
            break;
        };
        if smooth[i] {
            // The blossom at (from, to, to, to, next.to).
            let s = (next.to - piece.from) / (piece.to - piece.from);
            points.push(add(p[3], scale(sub(p[4], p[3]), s)));
            knots.extend([piece.to; 3]);
        } else {
            points.extend([p[4], p[5]]);
            knots.extend([piece.to; 5]);
        }
    }
    knots.extend([last.to; 6]);
    NurbsCurve::new(5, knots, &points, None).ok()
}

/// Whether two ends agree in both derivatives.
fn meet_smoothly([_, d, dd]: [V3; 3], [_, e, ee]: [V3; 3]) -> bool {
    let size = norm(d).max(norm(e));
    distance(d, e) <= 1e-9 * size && distance(dd, ee) <= 1e-6 * norm(dd).max(norm(ee)).max(size)
}
