//! Curves and surfaces as entities.

use super::records::{Entry, Parameter, Records, int, number};
use hull_exact::curve::{Curve, Piece};
use hull_exact::nurbs::{NurbsCurve, NurbsSurface};
use hull_exact::{Frame, Surface};
use hull_geometry::vector::{V3, add, scale};
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

/// A stretch of a curve from its start to its end; `None` for a curve without an entity.
pub fn curve(records: &mut Records, piece: &Piece) -> Option<i64> {
    let [a, b] = piece.range;
    if let Curve::Line { .. } = piece.curve {
        return Some(line(records, piece.at(0.0)[0], piece.at(1.0)[0]));
    }
    if a > b {
        return curve(records, &backwards(piece));
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
    let polynomial = i64::from(!n.rational);
    let head = [n.points.len() as i64 - 1, n.knots.degree as i64, 0, 0, polynomial, 0].map(int);
    let values = n.knots.values.iter().copied().chain(n.weights()).chain(n.control_points().flatten());
    let values = values.chain(range).chain([0.0; 3]);
    records.add(&part(126, 0, 0), head.into_iter().chain(numbers(values)))
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

/// A surface over the stretch of its parameters that a face needs; `None` for one without an entity.
pub fn surface(records: &mut Records, s: &Surface, needed: [[f64; 2]; 2]) -> Option<i64> {
    let [[u0, u1], [v0, v1]] = with_margin(s, needed);
    let straight = |s: &Surface| Piece {
        curve: Curve::Line { origin: s.point(u0, 0.0), along: s.first(u0, 0.0)[2] },
        range: [v0, v1],
    };
    Some(match s {
        Surface::Plane(f) => {
            let corners = [[u0, v0], [u1, v0], [u0, v1], [u1, v1]].map(|[u, v]| f.place([u, v, 0.0]));
            let knots = [u0, u0, u1, u1, v0, v0, v1, v1];
            let values = knots.into_iter().chain([1.0; 4]).chain(corners.concat()).chain([u0, u1, v0, v1]);
            let head = [1, 1, 1, 1, 0, 0, 1, 0, 0].map(int);
            records.add(&part(128, 0, 0), head.into_iter().chain(numbers(values)))
        }
        Surface::Cylinder { frame, .. } | Surface::Cone { frame, .. } => {
            revolution(records, frame, &straight(s), [u0, u1])?
        }
        Surface::Sphere { frame, .. } | Surface::Torus { frame, .. } => {
            let meridian = hull_exact::isoline::isoline(s, 0, u0)?;
            revolution(records, frame, &Piece { curve: meridian, range: [v0, v1] }, [u0, u1])?
        }
        Surface::Revolution { axis, .. } => {
            let meridian = hull_exact::isoline::isoline(s, 0, u0)?;
            revolution(records, axis, &Piece { curve: meridian, range: [v0, v1] }, [u0, u1])?
        }
        Surface::Extrusion { .. } => {
            let directrix = Piece { curve: hull_exact::isoline::isoline(s, 1, v0)?, range: [u0, u1] };
            let id = curve(records, &directrix)?;
            let end = s.point(u0, v1);
            records.add(&part(122, 0, 0), std::iter::once(int(id)).chain(numbers(end)))
        }
        Surface::Nurbs(n) => spline_surface(records, n),
        Surface::Offset { base, by } => {
            // The indicator stands in the middle of what is written of the base: of splines that is all.
            let written = if matches!(**base, Surface::Nurbs(_)) { base.domain() } else { with_margin(base, needed) };
            let [u, v] = written.map(|[a, b]| 0.5 * (a + b));
            let normal = base.normal(u, v);
            let id = surface(records, base, needed)?;
            records.add(&part(140, 0, 0), numbers(normal).chain([number(*by), int(id)]))
        }
        Surface::Ruled { .. } => return None,
    })
}

/// The needed stretch a little wider, but not wider than the surface or once round.
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

/// 120: `profile` stands at the start angle already.
fn revolution(records: &mut Records, frame: &Frame, profile: &Piece, [from, to]: [f64; 2]) -> Option<i64> {
    let axis = line(records, frame.origin, add(frame.origin, frame.z));
    let profile = curve(records, profile)?;
    Some(records.add(&part(120, 0, 0), [int(axis), int(profile), number(0.0), number(to - from)]))
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
