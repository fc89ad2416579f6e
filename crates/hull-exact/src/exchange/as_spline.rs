//! Conics and surfaces as the rational B-splines that they are, exactly.
//!
//! Arcs are rational quadratics of at most a quarter turn each (L. Piegl and W. Tiller, *The NURBS Book*, 1997,
//! sections 7.3 and 8.5), with knots at the angles where they meet; between knots the parameter is not the angle.

use crate::curve::Curve;
use crate::frame::Frame;
use crate::isoline::isoline;
use crate::nurbs::{NurbsCurve, NurbsSurface};
use crate::surface::Surface;
use hull_geometry::vector::{V3, scale};
use std::f64::consts::FRAC_PI_2;

/// A stretch of a curve as a spline whose knots are the curve's parameters; splines come whole. `None` for a curve
/// without such a form, and for a range that is none.
pub fn curve_as_spline(curve: &Curve, [a, b]: [f64; 2]) -> Option<NurbsCurve> {
    if a >= b || !(b - a).is_finite() {
        return None;
    }
    // Control points between two knots, in the frame of a conic, with their weight.
    let conic = |frame: &Frame, longest: f64, middle: &dyn Fn(f64, f64) -> ([f64; 2], f64)| {
        let knots = pieces([a, b], longest);
        let (mut points, mut weights) = (vec![curve.point(a)], vec![1.0]);
        for w in knots.windows(2) {
            let (p, weight) = middle(w[0], w[1]);
            points.extend([frame.place([p[0], p[1], 0.0]), curve.point(w[1])]);
            weights.extend([weight, 1.0]);
        }
        let rational = weights.iter().any(|w| *w != 1.0);
        NurbsCurve::new(2, double(&knots), &points, rational.then_some(&weights)).ok()
    };
    match curve {
        Curve::Line { .. } => NurbsCurve::new(1, vec![a, a, b, b], &[curve.point(a), curve.point(b)], None).ok(),
        Curve::Ellipse { frame, a: r, b: s } => conic(frame, FRAC_PI_2, &|t, u| {
            let (m, w) = (0.5 * (t + u), (0.5 * (u - t)).cos());
            ([r * m.cos() / w, s * m.sin() / w], w)
        }),
        Curve::Hyperbola { frame, a: r, b: s } => conic(frame, 1.0, &|t, u| {
            let (m, w) = (0.5 * (t + u), (0.5 * (u - t)).cosh());
            ([r * m.cosh() / w, s * m.sinh() / w], w)
        }),
        Curve::Parabola { frame, focal } => {
            conic(frame, f64::INFINITY, &|t, u| ([focal * t * u, focal * (t + u)], 1.0))
        }
        Curve::Nurbs(n) => Some((**n).clone()),
        Curve::Chain(_) | Curve::Offset { .. } | Curve::OnSurface { .. } => None,
    }
}

/// A surface over a little more than a stretch of its parameters, which a face needs, as a spline with the same normals, or as an offset of one. `None` for a
/// surface without such a form.
pub fn surface_as_spline(surface: &Surface, needed: [[f64; 2]; 2]) -> Option<Surface> {
    let [u, v] = with_margin(surface, needed);
    let spline = match surface {
        Surface::Plane(frame) => {
            let corner = |i: usize, j: usize| frame.place([u[i], v[j], 0.0]);
            let points = [corner(0, 0), corner(0, 1), corner(1, 0), corner(1, 1)];
            NurbsSurface::new([1, 1], [u, v].map(|[a, b]| vec![a, a, b, b]), 2, &points, None).ok()?
        }
        Surface::Cylinder { frame, .. }
        | Surface::Cone { frame, .. }
        | Surface::Sphere { frame, .. }
        | Surface::Torus { frame, .. }
        | Surface::Revolution { axis: frame, .. } => {
            let profile = curve_as_spline(&isoline(surface, 0, 0.0)?, v)?;
            revolved(&profile, frame, u)?
        }
        Surface::Extrusion { profile, along } => {
            let profile = curve_as_spline(profile, u)?;
            let ends = v.map(|t| scale(*along, t));
            let points: Vec<V3> =
                profile.control_points().flat_map(|p| ends.map(|e| [p[0] + e[0], p[1] + e[1], p[2] + e[2]])).collect();
            let weights: Vec<f64> = profile.weights().flat_map(|w| [w, w]).collect();
            let knots = [profile.knots.values.clone(), vec![v[0], v[0], v[1], v[1]]];
            let weights = profile.rational.then_some(&weights[..]);
            NurbsSurface::new([profile.knots.degree, 1], knots, 2, &points, weights).ok()?
        }
        Surface::Nurbs(n) => (**n).clone(),
        Surface::Offset { base, by } => {
            return Some(Surface::Offset { base: Box::new(surface_as_spline(base, needed)?), by: *by });
        }
        Surface::Ruled { .. } => return None,
    };
    Some(Surface::Nurbs(Box::new(spline)))
}

/// The needed stretch a little wider, as it was found from samples, but not wider than the surface or once round.
fn with_margin(s: &Surface, needed: [[f64; 2]; 2]) -> [[f64; 2]; 2] {
    let (domain, periods) = (s.domain(), s.periods());
    [0, 1].map(|k| {
        let [a, b] = needed[k];
        let margin = 0.02 * (b - a);
        match periods[k] {
            Some(p) if b - a + 2.0 * margin >= p => [a, a + p],
            Some(_) => [a - margin, b + margin],
            None => [(a - margin).max(domain[k][0]), (b + margin).min(domain[k][1])],
        }
    })
}

/// A profile turned about the third axis of a frame from one angle to another.
fn revolved(profile: &NurbsCurve, axis: &Frame, range: [f64; 2]) -> Option<NurbsSurface> {
    let angles = pieces(range, FRAC_PI_2);
    let columns: Vec<(V3, f64)> = profile.control_points().map(|p| axis.local(p)).zip(profile.weights()).collect();
    let (mut points, mut weights) = (Vec::new(), Vec::new());
    let mut row = |angle: f64, weight: f64| {
        let (s, c) = angle.sin_cos();
        for (q, w) in &columns {
            let [x, y] = [q[0] / weight, q[1] / weight];
            points.push(axis.place([c * x - s * y, s * x + c * y, q[2]]));
            weights.push(w * weight);
        }
    };
    row(angles[0], 1.0);
    for w in angles.windows(2) {
        row(0.5 * (w[0] + w[1]), (0.5 * (w[1] - w[0])).cos());
        row(w[1], 1.0);
    }
    let knots = [double(&angles), profile.knots.values.clone()];
    NurbsSurface::new([2, profile.knots.degree], knots, columns.len(), &points, Some(&weights)).ok()
}

/// Ends of equal pieces, none longer than `longest`.
fn pieces([a, b]: [f64; 2], longest: f64) -> Vec<f64> {
    // A whole turn is four quarters, however it was rounded.
    let n = (((b - a) / longest - 1e-9).ceil()).clamp(1.0, 1000.0) as usize;
    (0..=n).map(|i| if i == n { b } else { a + (b - a) * i as f64 / n as f64 }).collect()
}

/// Knots of a quadratic that passes through a control point at each of `ends`.
fn double(ends: &[f64]) -> Vec<f64> {
    let mut out = vec![ends[0]];
    out.extend(ends.iter().flat_map(|t| [*t, *t]));
    out.push(ends[ends.len() - 1]);
    out
}
