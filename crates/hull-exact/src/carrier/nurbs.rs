//! B-spline and rational B-spline curves and surfaces.
//!
//! Source of the algorithms: L. Piegl and W. Tiller, *The NURBS Book*, 2nd ed.: A2.1 (span), A2.2 and A2.3
//! (basis functions and derivatives), A3.1 to A3.6 (evaluation), A4.2 and A4.4 (rational derivatives). Knot
//! vectors need not be clamped: the domain is `knots[p] ..= knots[n+1]`.

use hull_geometry::vector::{V3, norm, scale, sub};
use serde::{Deserialize, Serialize};

/// The highest degree that is evaluated.
pub const MAX_DEGREE: usize = 25;

/// Basis functions that are not zero in a span, and their derivatives: `[order][function]`, with room for degree
/// N - 1: small degrees are not to pay for the zeros of large ones.
type Basis<const N: usize> = [[f64; N]; 3];

const MOST: usize = MAX_DEGREE + 1;

/// Why control points and knots do not make a curve or surface.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NurbsError {
    /// The degree is zero or too high.
    #[error("the degree must be 1 to 25")]
    Degree,
    /// Points and knots do not fit in number.
    #[error("there must be as many knots as control points plus the degree plus one")]
    Count,
    /// Knots fall, or stand too often in one place.
    #[error("the knots must not decrease, and must span something")]
    Knots,
    /// A weight is not greater than zero.
    #[error("the weights must be greater than zero")]
    Weights,
    /// A number is not finite.
    #[error("a coordinate is not a number")]
    NotANumber,
}

/// A degree with its knot vector.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Knots {
    /// Of the pieces.
    pub degree: usize,
    /// In order, each as often as it stands.
    pub values: Vec<f64>,
}

impl Knots {
    /// # Errors
    /// [`NurbsError`] if `values` is no knot vector for `points` control points.
    pub fn new(degree: usize, values: Vec<f64>, points: usize) -> Result<Knots, NurbsError> {
        if degree == 0 || degree > MAX_DEGREE {
            return Err(NurbsError::Degree);
        }
        if points <= degree || values.len() != points + degree + 1 {
            return Err(NurbsError::Count);
        }
        let knots = Knots { degree, values };
        let [a, b] = knots.domain();
        let rising = knots.values.windows(2).all(|w| w[0] <= w[1]);
        if !(rising && a.is_finite() && b.is_finite() && b > a) {
            return Err(NurbsError::Knots);
        }
        Ok(knots)
    }

    /// Knots of value and multiplicity, spelt out.
    pub fn spelt_out(values: &[f64], multiplicities: &[usize]) -> Vec<f64> {
        values.iter().zip(multiplicities).flat_map(|(&v, &m)| std::iter::repeat_n(v, m)).collect()
    }

    /// From where to where points are defined.
    pub fn domain(&self) -> [f64; 2] {
        [self.values[self.degree], self.values[self.values.len() - 1 - self.degree]]
    }

    /// The distinct knots within the domain, ends included.
    pub fn breaks(&self) -> Vec<f64> {
        let [a, b] = self.domain();
        let mut out: Vec<f64> = self.values.iter().copied().filter(|&t| t >= a && t <= b).collect();
        let least = (b - a) * 1e-12;
        out.dedup_by(|next, kept| *next - *kept <= least);
        out
    }

    /// The span that holds `t` (A2.1); the last one for the end of the domain.
    #[inline]
    fn span(&self, t: f64) -> usize {
        let p = self.degree;
        let last = self.values.len() - p - 2;
        let u = &self.values;
        let mut span = p + u[p + 1..=last].partition_point(|&k| k <= t);
        // Ends repeated more often than needed leave empty spans there.
        while span > p && u[span] >= u[span + 1] {
            span -= 1;
        }
        while span < last && u[span] >= u[span + 1] {
            span += 1;
        }
        span
    }

    /// Basis functions of degree P of a span and their first derivatives (A2.2, eq. 2.7).
    #[inline(always)]
    fn functions<const P: usize>(&self, span: usize, t: f64) -> ([f64; 4], [f64; 4]) {
        let w = &self.values[span + 1 - P..][..2 * P];
        let mut n = [0.0; 4];
        let mut lower = [0.0; 4];
        n[0] = 1.0;
        for j in 1..=P {
            if j == P {
                lower = n;
            }
            let mut saved = 0.0;
            for r in 0..j {
                let (right, left) = (w[P + r] - t, t - w[P + r - j]);
                let part = n[r] / (right + left);
                n[r] = saved + right * part;
                saved = left * part;
            }
            n[j] = saved;
        }
        let mut first = [0.0; 4];
        let mut before = 0.0;
        for r in 0..P {
            let next = lower[r] / (w[r + P] - w[r]);
            first[r] = P as f64 * (before - next);
            before = next;
        }
        first[P] = P as f64 * before;
        (n, first)
    }

    /// Basis functions of a span and their derivatives up to `order` ≤ 2 (A2.2 and A2.3; derivatives from the
    /// functions of one and two degrees less, which the triangle holds anyway).
    #[inline]
    fn basis<const N: usize>(&self, span: usize, t: f64, order: usize, out: &mut Basis<N>) {
        let p = self.degree;
        let u = &self.values;
        let mut lower = [[0.0; N]; 2];
        let n = &mut out[0];
        n[0] = 1.0;
        for j in 1..=p {
            if j == p && order >= 1 {
                lower[0][..j].copy_from_slice(&n[..j]);
            }
            if j + 1 == p && order >= 2 {
                lower[1][..j].copy_from_slice(&n[..j]);
            }
            let mut saved = 0.0;
            for r in 0..j {
                let right = u[span + r + 1] - t;
                let left = t - u[span + 1 + r - j];
                let part = n[r] / (right + left);
                n[r] = saved + right * part;
                saved = left * part;
            }
            n[j] = saved;
        }
        if order == 0 {
            return;
        }
        derive(&lower[0], p, span, u, &mut out[1]);
        if order >= 2 {
            out[2] = [0.0; N];
            if p >= 2 {
                let mut first = [0.0; N];
                derive(&lower[1], p - 1, span, u, &mut first);
                derive(&first, p, span, u, &mut out[2]);
            }
        }
    }
}

/// Derivatives of the functions of degree `p` from (derivatives of) those of degree `p - 1` (eq. 2.7).
#[inline]
fn derive<const N: usize>(lower: &[f64; N], p: usize, span: usize, u: &[f64], out: &mut [f64; N]) {
    let p_real = p as f64;
    let mut before = 0.0;
    for r in 0..p {
        let i = span + r + 1 - p;
        let next = lower[r] / (u[i + p] - u[i]);
        out[r] = p_real * (before - next);
        before = next;
    }
    out[p] = p_real * before;
}

/// A control point, homogeneous: `(x w, y w, z w, w)`.
pub type Homogeneous = [f64; 4];

fn homogeneous(points: &[V3], weights: Option<&[f64]>) -> Result<(Vec<Homogeneous>, bool), NurbsError> {
    let weights = weights.unwrap_or(&[]);
    if !weights.is_empty() && weights.len() != points.len() {
        return Err(NurbsError::Count);
    }
    if weights.iter().any(|w| !(*w > 0.0 && w.is_finite())) {
        return Err(NurbsError::Weights);
    }
    if points.iter().flatten().any(|x| !x.is_finite()) {
        return Err(NurbsError::NotANumber);
    }
    let rational = weights.iter().any(|&w| (w - weights[0]).abs() > 1e-14 * weights[0]);
    let weight = |i: usize| if rational { weights[i] } else { 1.0 };
    let made = points.iter().enumerate().map(|(i, p)| {
        let w = weight(i);
        [p[0] * w, p[1] * w, p[2] * w, w]
    });
    Ok((made.collect(), rational))
}

/// The point and derivatives of `A/w` from those of `A` and `w` (A4.2 for two orders).
#[inline]
fn project(a: &[Homogeneous; 3]) -> [V3; 3] {
    let xyz = |h: &Homogeneous| [h[0], h[1], h[2]];
    let w = 1.0 / a[0][3];
    let point = scale(xyz(&a[0]), w);
    let first = scale(sub(xyz(&a[1]), scale(point, a[1][3])), w);
    let rest = sub(sub(xyz(&a[2]), scale(first, 2.0 * a[1][3])), scale(point, a[2][3]));
    [point, first, scale(rest, w)]
}

/// A B-spline curve, rational or not.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct NurbsCurve {
    /// Of the parameter.
    pub knots: Knots,
    /// Control points with weights.
    pub points: Vec<Homogeneous>,
    /// Whether weights differ.
    pub rational: bool,
}

impl NurbsCurve {
    /// # Errors
    /// [`NurbsError`] if the parts do not fit each other.
    pub fn new(
        degree: usize,
        knots: Vec<f64>,
        points: &[V3],
        weights: Option<&[f64]>,
    ) -> Result<NurbsCurve, NurbsError> {
        let knots = Knots::new(degree, knots, points.len())?;
        let (points, rational) = homogeneous(points, weights)?;
        Ok(NurbsCurve { knots, points, rational })
    }

    /// The polyline through `points`, a parameter of one for each piece.
    pub fn polyline(points: &[V3]) -> Result<NurbsCurve, NurbsError> {
        let last = points.len().saturating_sub(1) as f64;
        let mut knots = vec![0.0];
        knots.extend((0..points.len()).map(|i| i as f64));
        knots.push(last);
        NurbsCurve::new(1, knots, points, None)
    }

    /// Point, first and second derivative.
    #[inline]
    pub fn at(&self, t: f64) -> [V3; 3] {
        let span = self.knots.span(t);
        let mut basis: Basis<MOST> = [[0.0; MOST]; 3];
        self.knots.basis(span, t, 2, &mut basis);
        let p = self.knots.degree;
        let mut sum = [[0.0; 4]; 3];
        for (i, control) in self.points[span - p..=span].iter().enumerate() {
            for (order, s) in sum.iter_mut().enumerate() {
                let b = basis[order][i];
                for k in 0..4 {
                    s[k] += b * control[k];
                }
            }
        }
        project(&sum)
    }

    /// Control points without weights.
    pub fn control_points(&self) -> impl Iterator<Item = V3> + '_ {
        self.points.iter().map(|h| [h[0] / h[3], h[1] / h[3], h[2] / h[3]])
    }

    /// The weights.
    pub fn weights(&self) -> impl Iterator<Item = f64> + '_ {
        self.points.iter().map(|h| h[3])
    }

    /// Every control point mapped; the map must be affine.
    pub fn mapped(&self, map: impl Fn(V3) -> V3) -> NurbsCurve {
        let mut out = self.clone();
        map_homogeneous(&mut out.points, map);
        out
    }
}

fn map_homogeneous(points: &mut [Homogeneous], map: impl Fn(V3) -> V3) {
    for h in points {
        let w = h[3];
        let p = map([h[0] / w, h[1] / w, h[2] / w]);
        *h = [p[0] * w, p[1] * w, p[2] * w, w];
    }
}

/// Point and partial derivatives of a surface at one parameter pair.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Jet {
    /// The point.
    pub p: V3,
    /// First derivative along u.
    pub u: V3,
    /// First derivative along v.
    pub v: V3,
    /// Second derivative along u.
    pub uu: V3,
    /// Mixed derivative.
    pub uv: V3,
    /// Second derivative along v.
    pub vv: V3,
}

/// A tensor-product B-spline surface, rational or not.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct NurbsSurface {
    /// Along u.
    pub u: Knots,
    /// Along v.
    pub v: Knots,
    /// Control points, `points[i * columns + j]` for row `i` along u and column `j` along v.
    pub points: Vec<Homogeneous>,
    /// Control points along v.
    pub columns: usize,
    /// Whether weights differ.
    pub rational: bool,
    /// Whether the surface closes on itself along u and v.
    pub closed: [bool; 2],
}

impl NurbsSurface {
    /// `points` and `weights` run through v fastest.
    ///
    /// # Errors
    /// [`NurbsError`] if the parts do not fit each other.
    pub fn new(
        degrees: [usize; 2],
        knots: [Vec<f64>; 2],
        columns: usize,
        points: &[V3],
        weights: Option<&[f64]>,
    ) -> Result<NurbsSurface, NurbsError> {
        if columns == 0 || !points.len().is_multiple_of(columns) {
            return Err(NurbsError::Count);
        }
        let [ku, kv] = knots;
        let u = Knots::new(degrees[0], ku, points.len() / columns)?;
        let v = Knots::new(degrees[1], kv, columns)?;
        let (points, rational) = homogeneous(points, weights)?;
        let mut surface = NurbsSurface { u, v, points, columns, rational, closed: [false; 2] };
        surface.closed = surface.closes();
        Ok(surface)
    }

    /// Point and first derivatives (A3.6, A4.4 for one order): the fast path.
    #[inline]
    pub fn first(&self, u: f64, v: f64) -> [V3; 3] {
        match (self.u.degree, self.v.degree, self.rational) {
            // The usual degrees, with every loop's length known.
            (3, 3, false) => return self.first_fixed::<3, 3>(u, v),
            (3, 3, true) => return self.first_fixed::<3, 4>(u, v),
            (2, 2, false) => return self.first_fixed::<2, 3>(u, v),
            (2, 2, true) => return self.first_fixed::<2, 4>(u, v),
            _ => {}
        }
        match self.u.degree.max(self.v.degree) {
            ..=3 => self.first_of::<4>(u, v),
            4..=7 => self.first_of::<8>(u, v),
            _ => self.first_of::<MOST>(u, v),
        }
    }

    /// [`NurbsSurface::first`] for degree P both ways, with K coordinates a control point (4 where it is rational).
    #[inline]
    fn first_fixed<const P: usize, const K: usize>(&self, u: f64, v: f64) -> [V3; 3] {
        let (su, sv) = (self.u.span(u), self.v.span(v));
        let (bu, du) = self.u.functions::<P>(su, u);
        let (bv, dv) = self.v.functions::<P>(sv, v);
        let mut sum = [[0.0; K]; 3];
        for i in 0..=P {
            let row = &self.points[(su - P + i) * self.columns + sv - P..][..=P];
            let mut along = [[0.0; K]; 2];
            for (j, h) in row.iter().enumerate() {
                for k in 0..K {
                    along[0][k] += bv[j] * h[k];
                    along[1][k] += dv[j] * h[k];
                }
            }
            for k in 0..K {
                sum[0][k] += bu[i] * along[0][k];
                sum[1][k] += du[i] * along[0][k];
                sum[2][k] += bu[i] * along[1][k];
            }
        }
        let xyz = |h: &[f64; K]| [h[0], h[1], h[2]];
        if K == 3 {
            return [xyz(&sum[0]), xyz(&sum[1]), xyz(&sum[2])];
        }
        let w = 1.0 / sum[0][K - 1];
        let point = scale(xyz(&sum[0]), w);
        let part = |h: &[f64; K]| scale(sub(xyz(h), scale(point, h[K - 1])), w);
        [point, part(&sum[1]), part(&sum[2])]
    }

    #[inline]
    fn first_of<const N: usize>(&self, u: f64, v: f64) -> [V3; 3] {
        let (su, sv) = (self.u.span(u), self.v.span(v));
        let mut bu: Basis<N> = [[0.0; N]; 3];
        let mut bv: Basis<N> = [[0.0; N]; 3];
        self.u.basis(su, u, 1, &mut bu);
        self.v.basis(sv, v, 1, &mut bv);
        let (p, q) = (self.u.degree, self.v.degree);
        let mut sum = [[0.0; 4]; 3];
        for (i, (&b0, &b1)) in bu[0].iter().zip(&bu[1]).take(p + 1).enumerate() {
            let start = (su - p + i) * self.columns + sv - q;
            let row = &self.points[start..=start + q];
            let mut along = [[0.0; 4]; 2];
            for (j, h) in row.iter().enumerate() {
                for k in 0..4 {
                    along[0][k] += bv[0][j] * h[k];
                    along[1][k] += bv[1][j] * h[k];
                }
            }
            for k in 0..4 {
                sum[0][k] += b0 * along[0][k];
                sum[1][k] += b1 * along[0][k];
                sum[2][k] += b0 * along[1][k];
            }
        }
        let xyz = |h: &Homogeneous| [h[0], h[1], h[2]];
        if !self.rational {
            return [xyz(&sum[0]), xyz(&sum[1]), xyz(&sum[2])];
        }
        let w = 1.0 / sum[0][3];
        let point = scale(xyz(&sum[0]), w);
        let part = |h: &Homogeneous| scale(sub(xyz(h), scale(point, h[3])), w);
        [point, part(&sum[1]), part(&sum[2])]
    }

    /// Point with first and second derivatives.
    pub fn jet(&self, u: f64, v: f64) -> Jet {
        let (su, sv) = (self.u.span(u), self.v.span(v));
        let mut bu: Basis<MOST> = [[0.0; MOST]; 3];
        let mut bv: Basis<MOST> = [[0.0; MOST]; 3];
        self.u.basis(su, u, 2, &mut bu);
        self.v.basis(sv, v, 2, &mut bv);
        let (p, q) = (self.u.degree, self.v.degree);
        // Rows: (0,0) (1,0) (0,1) (2,0) (1,1) (0,2).
        const ORDERS: [[usize; 2]; 6] = [[0, 0], [1, 0], [0, 1], [2, 0], [1, 1], [0, 2]];
        let mut sum = [[0.0; 4]; 6];
        let columns = (0..=p).map(|i| [bu[0][i], bu[1][i], bu[2][i]]);
        for (i, b) in columns.enumerate() {
            let start = (su - p + i) * self.columns + sv - q;
            let mut along = [[0.0; 4]; 3];
            for (j, h) in self.points[start..=start + q].iter().enumerate() {
                for (order, a) in along.iter_mut().enumerate() {
                    for k in 0..4 {
                        a[k] += bv[order][j] * h[k];
                    }
                }
            }
            for (s, [du, dv]) in sum.iter_mut().zip(ORDERS) {
                for k in 0..4 {
                    s[k] += b[du] * along[dv][k];
                }
            }
        }
        let xyz = |h: &Homogeneous| [h[0], h[1], h[2]];
        let w = 1.0 / sum[0][3];
        let point = scale(xyz(&sum[0]), w);
        let first = |s: &Homogeneous| scale(sub(xyz(s), scale(point, s[3])), w);
        let (du, dv) = (first(&sum[1]), first(&sum[2]));
        let second = |s: &Homogeneous, a: V3, wa: f64, b: V3, wb: f64| {
            let mut out = xyz(s);
            for k in 0..3 {
                out[k] = (out[k] - wa * b[k] - wb * a[k] - s[3] * point[k]) * w;
            }
            out
        };
        let (wu, wv) = (sum[1][3], sum[2][3]);
        Jet {
            p: point,
            u: du,
            v: dv,
            uu: second(&sum[3], du, wu, du, wu),
            uv: second(&sum[4], du, wu, dv, wv),
            vv: second(&sum[5], dv, wv, dv, wv),
        }
    }

    fn closes(&self) -> [bool; 2] {
        let ([a, b], [c, d]) = (self.u.domain(), self.v.domain());
        let size = norm(sub(self.first(a, c)[0], self.first(0.5 * (a + b), 0.5 * (c + d))[0]))
            .max(norm(sub(self.first(b, d)[0], self.first(a, 0.5 * (c + d))[0])));
        let same = |p: V3, q: V3| norm(sub(p, q)) <= 1e-8 * size;
        let at = |lo: f64, hi: f64, i: u32| lo + (hi - lo) * f64::from(i) / 4.0;
        let closed_u = (0..=4).all(|i| same(self.first(a, at(c, d, i))[0], self.first(b, at(c, d, i))[0]));
        let closed_v = (0..=4).all(|i| same(self.first(at(a, b, i), c)[0], self.first(at(a, b, i), d)[0]));
        // A collapsed surface (a pole line of its own) does not count as closed.
        let moves_u = !same(self.first(0.5 * (a + b), at(c, d, 2))[0], self.first(a, at(c, d, 2))[0]);
        let moves_v = !same(self.first(at(a, b, 2), 0.5 * (c + d))[0], self.first(at(a, b, 2), c)[0]);
        [closed_u && moves_u, closed_v && moves_v]
    }

    /// The curve at `value` of u (`axis` 0) or v (1), whose parameter is the other one; `None` outside the domain.
    pub fn isoline(&self, axis: usize, value: f64) -> Option<NurbsCurve> {
        let (across, along) = if axis == 0 { (&self.u, &self.v) } else { (&self.v, &self.u) };
        let [a, b] = across.domain();
        if !(value >= a && value <= b) {
            return None;
        }
        let span = across.span(value);
        let mut basis: Basis<MOST> = [[0.0; MOST]; 3];
        across.basis(span, value, 0, &mut basis);
        let first = span - across.degree;
        let count = if axis == 0 { self.columns } else { self.rows() };
        let control = |i: usize, j: usize| {
            if axis == 0 { self.points[i * self.columns + j] } else { self.points[j * self.columns + i] }
        };
        let sum = |j: usize| {
            (0..=across.degree).fold([0.0; 4], |mut s: Homogeneous, i| {
                let h = control(first + i, j);
                (0..4).for_each(|k| s[k] += basis[0][i] * h[k]);
                s
            })
        };
        let points = (0..count).map(sum).collect();
        Some(NurbsCurve { knots: along.clone(), points, rational: self.rational })
    }

    /// Control points along u.
    pub fn rows(&self) -> usize {
        self.points.len() / self.columns
    }

    /// The surface with control points moved by `map`, which must be affine.
    pub fn mapped(&self, map: impl Fn(V3) -> V3) -> NurbsSurface {
        let mut out = self.clone();
        map_homogeneous(&mut out.points, map);
        out
    }
}
