//! Curves and surfaces as records (ISO 10303-42).

use super::lines::{Lines, list, refs, triple};
use crate::text::real;
use hull_exact::curve::{Curve, Piece};
use hull_exact::nurbs::{Homogeneous, Knots, NurbsCurve, NurbsSurface};
use hull_exact::{Frame, Surface};
use hull_geometry::Point;
use hull_geometry::vector::{V3, distance, norm, scale};

pub fn point(lines: &mut Lines, p: Point) -> usize {
    lines.add(format_args!("CARTESIAN_POINT('',{})", triple(p)))
}

fn direction(lines: &mut Lines, d: V3) -> usize {
    lines.add(format_args!("DIRECTION('',{})", triple(d)))
}

pub fn placement(lines: &mut Lines, f: &Frame) -> usize {
    let (o, z, x) = (point(lines, f.origin), direction(lines, f.z), direction(lines, f.x));
    lines.add(format_args!("AXIS2_PLACEMENT_3D('',#{o},#{z},#{x})"))
}

fn vector(lines: &mut Lines, v: V3) -> usize {
    let length = norm(v);
    let d = direction(lines, if length > 0.0 { scale(v, 1.0 / length) } else { v });
    lines.add(format_args!("VECTOR('',#{d},{})", real(length)))
}

/// A curve that [`hull_exact::explicit`] gave; `None` for one it had to leave.
pub fn curve(lines: &mut Lines, c: &Curve) -> Option<usize> {
    Some(match c {
        Curve::Line { origin, along } => {
            let (p, v) = (point(lines, *origin), vector(lines, *along));
            lines.add(format_args!("LINE('',#{p},#{v})"))
        }
        Curve::Ellipse { frame, a, b } if a == b => {
            let at = placement(lines, frame);
            lines.add(format_args!("CIRCLE('',#{at},{})", real(*a)))
        }
        Curve::Ellipse { frame, a, b } => {
            let at = placement(lines, frame);
            lines.add(format_args!("ELLIPSE('',#{at},{},{})", real(*a), real(*b)))
        }
        Curve::Hyperbola { frame, a, b } => {
            let at = placement(lines, frame);
            lines.add(format_args!("HYPERBOLA('',#{at},{},{})", real(*a), real(*b)))
        }
        Curve::Parabola { frame, focal } => {
            let at = placement(lines, frame);
            lines.add(format_args!("PARABOLA('',#{at},{})", real(*focal)))
        }
        Curve::Nurbs(n) => spline(lines, n),
        Curve::Chain(_) | Curve::Offset { .. } | Curve::OnSurface { .. } => return None,
    })
}

/// A stretch of a curve, from its start to its end.
pub fn trimmed(lines: &mut Lines, name: &str, c: &Curve, range: [f64; 2]) -> Option<usize> {
    let basis = curve(lines, c)?;
    let [a, b] = range.map(|t| point(lines, c.point(t)));
    let [t, u] = range.map(real);
    let sense = if range[0] <= range[1] { ".T." } else { ".F." };
    Some(lines.add(format_args!(
        "TRIMMED_CURVE({name},#{basis},(#{a},PARAMETER_VALUE({t})),(#{b},PARAMETER_VALUE({u})),{sense},.PARAMETER.)"
    )))
}

/// A chain of stretches, each from where the one before it ends.
pub fn composite(lines: &mut Lines, name: &str, pieces: &[Piece]) -> Option<usize> {
    let mut segments = Vec::with_capacity(pieces.len());
    let meet = |a: &Piece, b: &Piece| distance(a.at(1.0)[0], b.at(0.0)[0]) <= 1e-9 * (1.0 + norm(b.at(0.0)[0]));
    for (i, piece) in pieces.iter().enumerate() {
        let parent = trimmed(lines, "''", &piece.curve, piece.range)?;
        // Behind the last there is a next one where the chain is closed.
        let goes_on = pieces.get(i + 1).map_or_else(|| meet(piece, &pieces[0]), |next| meet(piece, next));
        let then = if goes_on { ".CONTINUOUS." } else { ".DISCONTINUOUS." };
        segments.push(lines.add(format_args!("COMPOSITE_CURVE_SEGMENT({then},.T.,#{parent})")));
    }
    Some(lines.add(format_args!("COMPOSITE_CURVE({name},{},.F.)", refs(segments))))
}

/// Distinct knots with their multiplicities, as two lists.
fn knots(k: &Knots) -> (String, String) {
    let mut distinct: Vec<(f64, usize)> = Vec::new();
    for &t in &k.values {
        match distinct.last_mut() {
            Some((value, count)) if *value == t => *count += 1,
            _ => distinct.push((t, 1)),
        }
    }
    (list(distinct.iter().map(|d| d.1.to_string())), list(distinct.iter().map(|d| real(d.0))))
}

fn control(lines: &mut Lines, points: &[Homogeneous]) -> Vec<usize> {
    points.iter().map(|h| point(lines, [h[0] / h[3], h[1] / h[3], h[2] / h[3]])).collect()
}

fn spline(lines: &mut Lines, n: &NurbsCurve) -> usize {
    let points = refs(control(lines, &n.points));
    let (count, values) = knots(&n.knots);
    let degree = n.knots.degree;
    if !n.rational {
        return lines.add(format_args!(
            "B_SPLINE_CURVE_WITH_KNOTS('',{degree},{points},.UNSPECIFIED.,.U.,.U.,{count},{values},.UNSPECIFIED.)"
        ));
    }
    let weights = list(n.weights().map(real));
    lines.add(format_args!(
        "(BOUNDED_CURVE()B_SPLINE_CURVE({degree},{points},.UNSPECIFIED.,.U.,.U.)B_SPLINE_CURVE_WITH_KNOTS({count},\
         {values},.UNSPECIFIED.)CURVE()GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_CURVE({weights})\
         REPRESENTATION_ITEM(''))"
    ))
}

fn spline_surface(lines: &mut Lines, n: &NurbsSurface) -> usize {
    let ids = control(lines, &n.points);
    let rows = list(ids.chunks(n.columns).map(|row| refs(row.iter().copied())));
    let ((mu, ku), (mv, kv)) = (knots(&n.u), knots(&n.v));
    let (p, q) = (n.u.degree, n.v.degree);
    let [closed_u, closed_v] = n.closed.map(|c| if c { ".T." } else { ".F." });
    if !n.rational {
        return lines.add(format_args!(
            "B_SPLINE_SURFACE_WITH_KNOTS('',{p},{q},{rows},.UNSPECIFIED.,{closed_u},{closed_v},.U.,{mu},{mv},{ku},{kv},\
             .UNSPECIFIED.)"
        ));
    }
    let weights = list(n.points.chunks(n.columns).map(|row| list(row.iter().map(|h| real(h[3])))));
    lines.add(format_args!(
        "(BOUNDED_SURFACE()B_SPLINE_SURFACE({p},{q},{rows},.UNSPECIFIED.,{closed_u},{closed_v},.U.)\
         B_SPLINE_SURFACE_WITH_KNOTS({mu},{mv},{ku},{kv},.UNSPECIFIED.)GEOMETRIC_REPRESENTATION_ITEM()\
         RATIONAL_B_SPLINE_SURFACE({weights})REPRESENTATION_ITEM('')SURFACE())"
    ))
}

/// A surface that [`hull_exact::explicit`] gave; `None` for one it had to leave.
pub fn surface(lines: &mut Lines, s: &Surface) -> Option<usize> {
    Some(match s {
        Surface::Plane(f) => {
            let at = placement(lines, f);
            lines.add(format_args!("PLANE('',#{at})"))
        }
        Surface::Cylinder { frame, radius } => {
            let at = placement(lines, frame);
            lines.add(format_args!("CYLINDRICAL_SURFACE('',#{at},{})", real(*radius)))
        }
        Surface::Cone { frame, radius, half_angle } => {
            let at = placement(lines, frame);
            lines.add(format_args!("CONICAL_SURFACE('',#{at},{},{})", real(*radius), real(*half_angle)))
        }
        Surface::Sphere { frame, radius } => {
            let at = placement(lines, frame);
            lines.add(format_args!("SPHERICAL_SURFACE('',#{at},{})", real(*radius)))
        }
        Surface::Torus { frame, major, minor } => {
            let at = placement(lines, frame);
            lines.add(format_args!("TOROIDAL_SURFACE('',#{at},{},{})", real(*major), real(*minor)))
        }
        Surface::Extrusion { profile, along } => {
            let (c, v) = (curve(lines, profile)?, vector(lines, *along));
            lines.add(format_args!("SURFACE_OF_LINEAR_EXTRUSION('',#{c},#{v})"))
        }
        Surface::Revolution { profile, axis } => {
            let (c, o, z) = (curve(lines, profile)?, point(lines, axis.origin), direction(lines, axis.z));
            let axis = lines.add(format_args!("AXIS1_PLACEMENT('',#{o},#{z})"));
            lines.add(format_args!("SURFACE_OF_REVOLUTION('',#{c},#{axis})"))
        }
        Surface::Nurbs(n) => spline_surface(lines, n),
        Surface::Offset { base, by } => {
            let base = surface(lines, base)?;
            lines.add(format_args!("OFFSET_SURFACE('',#{base},{},.F.)", real(*by)))
        }
        Surface::Ruled { .. } => return None,
    })
}
