//! Curves and surfaces as entities.

use super::records::{Entry, Parameter, Records, int, number};
use hull_exact::as_spline::surface_as_spline;
use hull_exact::curve::{Curve, Piece};
use hull_exact::nurbs::{NurbsCurve, NurbsSurface};
use hull_exact::{Frame, Surface};
use hull_geometry::vector::{V3, scale};
use std::f64::consts::TAU;

fn part(kind: i64, form: i64, matrix: i64) -> Entry {
    Entry { kind, form, matrix, dependent: true, ..Entry::default() }
}

fn numbers(values: impl IntoIterator<Item = f64>) -> impl Iterator<Item = Parameter> {
    values.into_iter().map(number)
}

/// 124: the placement of a frame.
pub fn matrix(records: &mut Records, f: &Frame) -> i64 {
    let row = |k: usize| [f.x[k], f.y[k], f.z[k], f.origin[k]];
    records.add(&part(124, 0, 0), numbers([row(0), row(1), row(2)].concat()))
}

/// 110.
fn line(records: &mut Records, from: V3, to: V3) -> i64 {
    records.add(&part(110, 0, 0), numbers([from, to].concat()))
}

/// A stretch of a curve from its start to its end, or a whole chain; `None` for a curve without an entity.
pub fn curve(records: &mut Records, piece: &Piece) -> Option<i64> {
    let [a, b] = piece.range;
    if let Curve::Line { .. } = piece.curve {
        return Some(line(records, piece.at(0.0)[0], piece.at(1.0)[0]));
    }
    if a > b {
        return curve(records, &backwards(piece));
    }
    if let Curve::Chain(pieces) = &piece.curve {
        let all: Vec<i64> = pieces.iter().map(|p| curve(records, p)).collect::<Option<_>>()?;
        let values = [all.len() as i64].into_iter().chain(all).map(int);
        return Some(records.add(&part(102, 0, 0), values));
    }
    let ends = |p: [f64; 2], q: [f64; 2]| [p[0], p[1], q[0], q[1]];
    Some(match &piece.curve {
        Curve::Ellipse { frame, a: r, b: s } if r == s => {
            let at = |t: f64| [r * t.cos(), r * t.sin()];
            // Start and end in one place mean the whole circle.
            let stop = if b - a >= TAU * (1.0 - 1e-12) { at(a) } else { at(b) };
            let placed = matrix(records, frame);
            let values = [&[0.0, 0.0, 0.0][..], &ends(at(a), stop)].concat();
            records.add(&part(100, 0, placed), numbers(values))
        }
        Curve::Ellipse { frame, a: r, b: s } => {
            let at = |t: f64| [r * t.cos(), s * t.sin()];
            let stop = if b - a >= TAU * (1.0 - 1e-12) { at(a) } else { at(b) };
            conic(records, 1, frame, [r.powi(-2), 0.0, s.powi(-2), 0.0, 0.0, -1.0], ends(at(a), stop))
        }
        Curve::Hyperbola { frame, a: r, b: s } => {
            let at = |t: f64| [r * t.cosh(), s * t.sinh()];
            conic(records, 2, frame, [r.powi(-2), 0.0, -s.powi(-2), 0.0, 0.0, -1.0], ends(at(a), at(b)))
        }
        Curve::Parabola { frame, focal } => {
            let at = |t: f64| [focal * t * t, 2.0 * focal * t];
            conic(records, 3, frame, [0.0, 0.0, 1.0, -4.0 * focal, 0.0, 0.0], ends(at(a), at(b)))
        }
        Curve::Nurbs(n) => spline(records, n, [a, b]),
        Curve::Line { .. } | Curve::Chain(_) | Curve::Offset { .. } | Curve::OnSurface { .. } => return None,
    })
}

/// 104.
fn conic(records: &mut Records, form: i64, frame: &Frame, coefficients: [f64; 6], ends: [f64; 4]) -> i64 {
    let placed = matrix(records, frame);
    records.add(&part(104, form, placed), numbers([&coefficients[..], &[0.0], &ends].concat()))
}

/// 126.
fn spline(records: &mut Records, n: &NurbsCurve, range: [f64; 2]) -> i64 {
    records.add(&part(126, 0, 0), spline_values(n, range, false))
}

fn spline_values(n: &NurbsCurve, range: [f64; 2], in_plane: bool) -> Vec<Parameter> {
    let (planar, polynomial) = (i64::from(in_plane), i64::from(!n.rational));
    let head = [n.points.len() as i64 - 1, n.knots.degree as i64, planar, 0, polynomial, 0].map(int);
    let values = n.knots.values.iter().copied().chain(n.weights()).chain(n.control_points().flatten());
    let values = values.chain(range).chain([0.0, 0.0, f64::from(u8::from(in_plane))]);
    head.into_iter().chain(numbers(values)).collect()
}

/// A line or spline in the parameters of a surface.
pub fn plane_curve(records: &mut Records, piece: &Piece) -> Option<i64> {
    let own = |kind| Entry { in_parameters: true, ..part(kind, 0, 0) };
    let [a, b] = piece.range;
    match &piece.curve {
        Curve::Line { .. } => {
            let ends = [piece.at(0.0)[0], piece.at(1.0)[0]].concat();
            Some(records.add(&own(110), numbers(ends)))
        }
        Curve::Nurbs(_) if a > b => plane_curve(records, &backwards(piece)),
        Curve::Nurbs(n) => Some(records.add(&own(126), spline_values(n, [a, b], true))),
        _ => None,
    }
}

/// The same stretch run the other way.
fn backwards(piece: &Piece) -> Piece {
    let [a, b] = piece.range;
    let turned = |f: &Frame| Frame { y: scale(f.y, -1.0), z: scale(f.z, -1.0), ..*f };
    match &piece.curve {
        Curve::Ellipse { frame, a: r, b: s } => {
            Piece { curve: Curve::Ellipse { frame: turned(frame), a: *r, b: *s }, range: [-a, -b] }
        }
        Curve::Hyperbola { frame, a: r, b: s } => {
            Piece { curve: Curve::Hyperbola { frame: turned(frame), a: *r, b: *s }, range: [-a, -b] }
        }
        Curve::Parabola { frame, focal } => {
            Piece { curve: Curve::Parabola { frame: turned(frame), focal: *focal }, range: [-a, -b] }
        }
        Curve::Nurbs(n) => {
            let [lo, hi] = n.knots.domain();
            let mut turned = n.clone();
            turned.points.reverse();
            turned.knots.values = n.knots.values.iter().rev().map(|k| lo + hi - k).collect();
            Piece { curve: Curve::Nurbs(turned), range: [lo + hi - a, lo + hi - b] }
        }
        _ => piece.clone(),
    }
}

/// A surface as a B-spline over the stretch of its parameters that a face needs, and as it was written; `None` for one
/// without an entity.
///
/// Splines, because their parameters mean the same to every reader, which those of 120 and 122 do not.
pub fn spline_surface_over(records: &mut Records, s: &Surface, needed: [[f64; 2]; 2]) -> Option<(i64, Surface)> {
    let made = surface_as_spline(s, needed)?;
    Some((spline_or_offset(records, &made)?, made))
}

fn spline_or_offset(records: &mut Records, s: &Surface) -> Option<i64> {
    match s {
        Surface::Nurbs(n) => Some(spline_surface(records, n)),
        Surface::Offset { base, by } => {
            // The indicator stands in the middle of the base.
            let [u, v] = base.bounded_domain().map(|[a, b]| 0.5 * (a + b));
            let normal = base.normal(u, v);
            let id = spline_or_offset(records, base)?;
            Some(records.add(&part(140, 0, 0), numbers(normal).chain([number(*by), int(id)])))
        }
        _ => None,
    }
}

/// A surface of a solid's face by its kind (190 to 198, with a reference direction), else as a spline.
pub fn solid_surface(records: &mut Records, s: &Surface, needed: [[f64; 2]; 2]) -> Option<i64> {
    let mut placed = |f: &Frame| {
        let origin = records.add(&part(116, 0, 0), numbers(f.origin).chain([int(0)]));
        [origin, records.add(&part(123, 0, 0), numbers(f.z)), records.add(&part(123, 0, 0), numbers(f.x))]
    };
    let (kind, parameters) = match s {
        Surface::Plane(f) => {
            let [o, z, x] = placed(f);
            (190, vec![int(o), int(z), int(x)])
        }
        Surface::Cylinder { frame, radius } => {
            let [o, z, x] = placed(frame);
            (192, vec![int(o), int(z), number(*radius), int(x)])
        }
        Surface::Cone { frame, radius, half_angle } => {
            let [o, z, x] = placed(frame);
            (194, vec![int(o), int(z), number(*radius), number(half_angle.to_degrees()), int(x)])
        }
        Surface::Sphere { frame, radius } => {
            let [o, z, x] = placed(frame);
            (196, vec![int(o), number(*radius), int(z), int(x)])
        }
        // What meets itself has no entity of its own.
        Surface::Torus { frame, major, minor } if minor < major => {
            let [o, z, x] = placed(frame);
            (198, vec![int(o), int(z), number(*major), number(*minor), int(x)])
        }
        _ => return spline_surface_over(records, s, needed).map(|(id, _)| id),
    };
    Some(records.add(&part(kind, 1, 0), parameters))
}

/// 128, which runs through u fastest.
fn spline_surface(records: &mut Records, n: &NurbsSurface) -> i64 {
    let (rows, columns) = (n.rows(), n.columns);
    let [closed_u, closed_v] = n.closed.map(i64::from);
    let head = [
        rows as i64 - 1,
        columns as i64 - 1,
        n.u.degree as i64,
        n.v.degree as i64,
        closed_u,
        closed_v,
        i64::from(!n.rational),
        0,
        0,
    ];
    let order = || (0..columns).flat_map(move |j| (0..rows).map(move |i| i * columns + j));
    let knots = n.u.values.iter().chain(&n.v.values).copied();
    let points = order().flat_map(|i| {
        let h = n.points[i];
        [h[0] / h[3], h[1] / h[3], h[2] / h[3]]
    });
    let values = knots.chain(order().map(|i| n.points[i][3])).chain(points);
    let values = values.chain(n.u.domain()).chain(n.v.domain());
    records.add(&part(128, 0, 0), head.map(int).into_iter().chain(numbers(values)))
}
