//! STEP geometry: points, placements, curves and surfaces (ISO 10303-42).

use super::part21::{Entity, File, Value};
use crate::depth::Depth;
use crate::extent;
use hull_exact::curve::Piece;
use hull_exact::nurbs::{Knots, NurbsCurve, NurbsSurface};
use hull_exact::{Curve, Frame, Motion, Surface};
use hull_geometry::Point;
use hull_geometry::vector::{V3, cross, dot, norm, scale, sub};
use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};

/// Looks geometry up in a file and remembers what it could not use.
pub struct Geometry<'a> {
    /// The file.
    pub file: &'a File<'a>,
    /// Radians in one plane-angle unit of the representation being read.
    pub radians: std::cell::Cell<f64>,
    /// Type names that were met and not understood, with how often.
    skipped: RefCell<BTreeMap<String, usize>>,
    depth: Depth,
    points: RefCell<HashMap<u64, Option<Point>>>,
}

impl<'a> Geometry<'a> {
    /// Reads geometry of a file.
    pub fn new(file: &'a File<'a>) -> Geometry<'a> {
        Geometry {
            file,
            radians: std::cell::Cell::new(1.0),
            skipped: RefCell::default(),
            depth: Depth::default(),
            points: RefCell::default(),
        }
    }

    /// The entity `id`, or `None`, counted, if it is missing or damaged.
    pub fn entity(&self, id: u64) -> Option<Entity<'a>> {
        match self.file.entity(id) {
            Some(Ok(entity)) => Some(entity),
            Some(Err(_)) => {
                self.skip("damaged entities");
                None
            }
            None => {
                self.skip("entities that are named but missing");
                None
            }
        }
    }

    /// The entity that a value refers to.
    pub fn dereference(&self, value: Option<&Value<'a>>) -> Option<Entity<'a>> {
        self.entity(value?.reference()?)
    }

    /// A coordinate that is too far away, of the points that were used.
    pub fn out_of_bounds(&self) -> Option<f64> {
        let points = self.points.borrow();
        let first = points
            .iter()
            .filter(|(_, p)| p.is_some_and(|p| p.iter().any(extent::is_out)))
            .min_by_key(|(id, _)| **id)?;
        first.1.and_then(|p| p.into_iter().find(extent::is_out))
    }

    /// Counts something that could not be used.
    pub fn skip(&self, what: &str) {
        *self.skipped.borrow_mut().entry(what.to_string()).or_default() += 1;
    }

    /// What could not be used, with how often.
    pub fn take_skipped(&self) -> BTreeMap<String, usize> {
        self.skipped.take()
    }

    /// Runs `work` one level deeper; `None`, counted, if that is too deep.
    fn deeper<T>(&self, work: impl FnOnce() -> Option<T>) -> Option<T> {
        self.depth.deeper(|| self.skip("entities that lead back to themselves"), work)
    }

    /// A cartesian point.
    pub fn point(&self, value: Option<&Value<'a>>) -> Option<Point> {
        let id = value?.reference()?;
        if let Some(known) = self.points.borrow().get(&id) {
            return *known;
        }
        let found = self.entity(id).and_then(|e| {
            let list = e.part("CARTESIAN_POINT")?;
            let xyz = list.iter().find_map(|v| v.list())?;
            triple(xyz)
        });
        self.points.borrow_mut().insert(id, found);
        found
    }

    /// A direction, of length one.
    pub fn direction(&self, value: Option<&Value<'a>>) -> Option<V3> {
        let e = self.dereference(value)?;
        triple(e.part("DIRECTION")?.iter().find_map(|v| v.list())?)
    }

    /// A VECTOR: direction of length one times magnitude.
    fn vector(&self, value: Option<&Value<'a>>) -> Option<V3> {
        let e = self.dereference(value)?;
        let p = e.part("VECTOR")?;
        let d = self.direction(p.get(1))?;
        let length = p.get(2)?.number()?;
        hull_geometry::vector::unit(d).map(|u| scale(u, length))
    }

    /// AXIS1_PLACEMENT, AXIS2_PLACEMENT_2D or AXIS2_PLACEMENT_3D.
    pub fn placement(&self, value: Option<&Value<'a>>) -> Option<Frame> {
        let e = self.dereference(value)?;
        if let Some(p) = e.part("AXIS2_PLACEMENT_3D") {
            let axis = self.direction(p.get(2)).unwrap_or([0.0, 0.0, 1.0]);
            return Some(Frame::new(self.point(p.get(1))?, axis, self.direction(p.get(3))));
        }
        if let Some(p) = e.part("AXIS2_PLACEMENT_2D") {
            return Some(Frame::new(self.point(p.get(1))?, [0.0, 0.0, 1.0], self.direction(p.get(2))));
        }
        if let Some(p) = e.part("AXIS1_PLACEMENT") {
            let axis = self.direction(p.get(2)).unwrap_or([0.0, 0.0, 1.0]);
            return Some(Frame::new(self.point(p.get(1))?, axis, None));
        }
        self.skip(e.name());
        None
    }

    /// A placement or a CARTESIAN_TRANSFORMATION_OPERATOR, as a motion.
    pub fn motion(&self, value: Option<&Value<'a>>) -> Option<Motion> {
        let e = self.dereference(value)?;
        if e.is("CARTESIAN_TRANSFORMATION_OPERATOR_3D") || e.is("CARTESIAN_TRANSFORMATION_OPERATOR") {
            // Simple: name, (description of the operator:) axis1, axis2, origin, scale, axis3. Complex: the same
            // without the name, axis3 in a part of its own.
            let p = e.part("CARTESIAN_TRANSFORMATION_OPERATOR").or(e.part("CARTESIAN_TRANSFORMATION_OPERATOR_3D"))?;
            let own = p.iter().position(|v| matches!(v, Value::Ref(id) if self.is_point(*id)))?;
            let origin = self.point(p.get(own))?;
            let x = own.checked_sub(2).and_then(|i| self.direction(p.get(i)));
            let y = own.checked_sub(1).and_then(|i| self.direction(p.get(i)));
            let size = p.get(own + 1).and_then(Value::number).unwrap_or(1.0);
            let third = if e.parts.len() > 1 {
                e.part("CARTESIAN_TRANSFORMATION_OPERATOR_3D").and_then(|q| self.direction(q.first()))
            } else {
                self.direction(p.get(own + 2))
            };
            let z = third.or_else(|| Some(cross(x?, y?))).unwrap_or([0.0, 0.0, 1.0]);
            let mut frame = Frame::new(origin, z, x.or_else(|| Some(cross(y?, z))));
            // The three axes may be left-handed: a mirrored copy.
            if y.is_some_and(|y| dot(frame.y, y) < 0.0) {
                frame.y = scale(frame.y, -1.0);
            }
            return Some(Motion { frame, scale: size });
        }
        self.placement(value).map(|frame| Motion { frame, scale: 1.0 })
    }

    fn is_point(&self, id: u64) -> bool {
        matches!(self.file.entity(id), Some(Ok(e)) if e.is("CARTESIAN_POINT"))
    }

    /// A list of references to points.
    pub fn points(&self, value: &Value<'a>) -> Option<Vec<Point>> {
        value.list()?.iter().map(|v| self.point(Some(v))).collect()
    }

    /// Any curve. Trimmed curves give their basis: an edge's vertices trim it again.
    pub fn curve(&self, value: Option<&Value<'a>>) -> Option<Curve> {
        let e = self.dereference(value)?;
        self.deeper(|| self.curve_of(&e))
    }

    fn curve_of(&self, e: &Entity<'a>) -> Option<Curve> {
        let p = |i: usize| e.get(i);
        let n = |i: usize| p(i).and_then(Value::number);
        if let Some(spline) = self.spline_curve(e) {
            return Some(Curve::Nurbs(Box::new(spline)));
        }
        match e.name().to_ascii_uppercase().as_str() {
            "LINE" => Some(Curve::Line { origin: self.point(p(1))?, along: nonzero(self.vector(p(2))?)? }),
            "CIRCLE" => {
                let r = positive(n(2)?)?;
                Some(Curve::Ellipse { frame: self.placement(p(1))?, a: r, b: r })
            }
            "ELLIPSE" => {
                Some(Curve::Ellipse { frame: self.placement(p(1))?, a: positive(n(2)?)?, b: positive(n(3)?)? })
            }
            "HYPERBOLA" => {
                Some(Curve::Hyperbola { frame: self.placement(p(1))?, a: positive(n(2)?)?, b: positive(n(3)?)? })
            }
            "PARABOLA" => Some(Curve::Parabola { frame: self.placement(p(1))?, focal: positive(n(2)?)? }),
            "POLYLINE" => NurbsCurve::polyline(&distinct(self.points(p(1)?)?)).ok().map(|c| Curve::Nurbs(Box::new(c))),
            "TRIMMED_CURVE" => self.curve(p(1)),
            "SURFACE_CURVE" | "SEAM_CURVE" | "INTERSECTION_CURVE" | "BOUNDED_SURFACE_CURVE" => {
                let first = |v: &Value<'a>| v.list().and_then(|l| l.first().cloned());
                self.curve(p(1)).or_else(|| self.curve(p(2).and_then(first).as_ref()))
            }
            "COMPOSITE_CURVE" | "BOUNDARY_CURVE" | "OUTER_BOUNDARY_CURVE" | "COMPOSITE_CURVE_ON_SURFACE" => {
                self.chain(p(1)?)
            }
            "PCURVE" | "DEGENERATE_PCURVE" | "BOUNDED_PCURVE" => {
                let surface = self.surface(p(1))?;
                let plane = self.plane_curve(p(2))?.stretched(self.parameter_units(&surface));
                Some(Curve::OnSurface { surface: Box::new(surface), plane: Box::new(plane) })
            }
            "CURVE_REPLICA" => Some(self.curve(p(1))?.moved(&self.motion(p(2))?)),
            // Along reference direction × tangent: to the left, where ours is to the right.
            "OFFSET_CURVE_3D" => Some(Curve::Offset {
                base: Box::new(self.curve(p(1))?),
                by: -n(2)?,
                growth: 0.0,
                normal: self.direction(p(4))?,
            }),
            _ => {
                self.skip(e.name());
                None
            }
        }
    }

    /// The pieces of a composite curve, each trimmed as the file says.
    fn chain(&self, segments: &Value<'a>) -> Option<Curve> {
        let mut pieces = Vec::new();
        for s in segments.list()? {
            let e = self.dereference(Some(s))?;
            let forward = e.get(1)?.truth()?;
            let mut piece = self.trimmed(e.get(2))?;
            if !forward {
                piece.range.swap(0, 1);
            }
            match piece.curve {
                Curve::Chain(inner) if piece.range[0] < piece.range[1] => pieces.extend(inner),
                Curve::Chain(inner) => pieces.extend(inner.into_iter().rev().map(|mut p| {
                    p.range.swap(0, 1);
                    p
                })),
                _ => pieces.push(piece),
            }
        }
        (!pieces.is_empty()).then_some(Curve::Chain(pieces))
    }

    /// A bounded curve with its range: a trimmed curve's own trims, else the whole curve.
    pub fn trimmed(&self, value: Option<&Value<'a>>) -> Option<Piece> {
        let e = self.dereference(value)?;
        let Some(p) = e.part("TRIMMED_CURVE") else {
            let curve = self.curve(value)?;
            let range = curve.domain()?;
            return Some(Piece { curve, range });
        };
        let curve = self.deeper(|| self.curve(p.get(1)))?;
        let conic = matches!(curve, Curve::Ellipse { .. });
        let points_first = matches!(p.get(5), Some(Value::Enum(e)) if e.eq_ignore_ascii_case("CARTESIAN"));
        let trim = |v: &Value<'a>| -> Option<f64> {
            let items = v.list()?;
            let number = items.iter().find_map(|i| match i {
                Value::Typed(_, inner) => inner.first()?.number(),
                Value::Integer(_) | Value::Real(_) => i.number(),
                _ => None,
            });
            let by_number = number.map(|t| if conic { t * self.radians.get() } else { t });
            let by_point = || {
                let at = items.iter().find_map(|i| self.point(Some(i)))?;
                let [a, b] = curve.domain().unwrap_or([-1e6, 1e6]);
                Some(curve.nearest(at, [a, b]).0)
            };
            if points_first { by_point().or(by_number) } else { by_number.or_else(by_point) }
        };
        let (mut a, mut b) = (trim(p.get(2)?)?, trim(p.get(3)?)?);
        let sense = p.get(4).and_then(Value::truth).unwrap_or(true);
        if let Some(period) = curve.period() {
            if sense && b <= a {
                b += period;
            } else if !sense && a <= b {
                a += period;
            }
        }
        Some(Piece { curve, range: [a, b] })
    }

    /// The curve of a DEFINITIONAL_REPRESENTATION, in a parameter plane.
    pub fn plane_curve(&self, value: Option<&Value<'a>>) -> Option<Curve> {
        let e = self.dereference(value)?;
        let items = e.get(1)?.list()?;
        self.curve(items.first())
    }

    fn spline_curve(&self, e: &Entity<'a>) -> Option<NurbsCurve> {
        let kind = ["B_SPLINE_CURVE_WITH_KNOTS", "BEZIER_CURVE", "QUASI_UNIFORM_CURVE", "UNIFORM_CURVE"];
        let name = kind.into_iter().find(|k| e.is(k))?;
        let simple = e.parts.len() == 1;
        let own = e.part(name)?;
        // A simple entity has the name and the supertype's parameters first.
        let base = if simple { own.get(1..)? } else { e.part("B_SPLINE_CURVE")? };
        let degree = usize::try_from(base.first()?.integer()?).ok()?;
        let points = self.points(base.get(1)?)?;
        let knots = match name {
            "B_SPLINE_CURVE_WITH_KNOTS" => {
                let own = if simple { own.get(6..)? } else { own };
                knot_vector(own.first()?, own.get(1)?, points.len() + degree + 1)?
            }
            other => implied_knots(other, degree, points.len()),
        };
        let weights: Option<Vec<f64>> = match e.part("RATIONAL_B_SPLINE_CURVE") {
            Some(p) => Some(numbers(p.first()?)?),
            None => None,
        };
        NurbsCurve::new(degree, knots, &points, weights.as_deref()).ok()
    }

    /// Any surface, trims of rectangular trimmed surfaces left aside (see [`Geometry::rectangle`]).
    pub fn surface(&self, value: Option<&Value<'a>>) -> Option<Surface> {
        let e = self.dereference(value)?;
        self.deeper(|| self.surface_of(&e))
    }

    fn surface_of(&self, e: &Entity<'a>) -> Option<Surface> {
        let p = |i: usize| e.get(i);
        let n = |i: usize| p(i).and_then(Value::number);
        if let Some(spline) = self.spline_surface(e) {
            return Some(Surface::Nurbs(Box::new(spline)));
        }
        match e.name().to_ascii_uppercase().as_str() {
            "PLANE" => Some(Surface::Plane(self.placement(p(1))?)),
            "CYLINDRICAL_SURFACE" => Some(Surface::Cylinder { frame: self.placement(p(1))?, radius: positive(n(2)?)? }),
            "CONICAL_SURFACE" => {
                let half_angle = n(3)? * self.radians.get();
                let radius = Some(n(2)?).filter(|r| *r >= 0.0)?;
                Some(Surface::Cone { frame: self.placement(p(1))?, radius, half_angle })
            }
            "SPHERICAL_SURFACE" => Some(Surface::Sphere { frame: self.placement(p(1))?, radius: positive(n(2)?)? }),
            "TOROIDAL_SURFACE" | "DEGENERATE_TOROIDAL_SURFACE" => {
                Some(Surface::Torus { frame: self.placement(p(1))?, major: positive(n(2)?)?, minor: positive(n(3)?)? })
            }
            "SURFACE_OF_LINEAR_EXTRUSION" => {
                Some(Surface::Extrusion { profile: self.curve(p(1))?, along: nonzero(self.vector(p(2))?)? })
            }
            "SURFACE_OF_REVOLUTION" => {
                Some(Surface::Revolution { profile: self.curve(p(1))?, axis: self.placement(p(2))? })
            }
            "OFFSET_SURFACE" => Some(Surface::Offset { base: Box::new(self.surface(p(1))?), by: n(2)? }),
            "RECTANGULAR_TRIMMED_SURFACE" | "CURVE_BOUNDED_SURFACE" => self.surface(p(1)),
            "SURFACE_REPLICA" => Some(self.surface(p(1))?.moved(&self.motion(p(2))?)),
            _ => {
                self.skip(e.name());
                None
            }
        }
    }

    fn spline_surface(&self, e: &Entity<'a>) -> Option<NurbsSurface> {
        let kind = ["B_SPLINE_SURFACE_WITH_KNOTS", "BEZIER_SURFACE", "QUASI_UNIFORM_SURFACE", "UNIFORM_SURFACE"];
        let name = kind.into_iter().find(|k| e.is(k))?;
        let simple = e.parts.len() == 1;
        let own = e.part(name)?;
        let base = if simple { own.get(1..)? } else { e.part("B_SPLINE_SURFACE")? };
        let degree = |i: usize| usize::try_from(base.get(i)?.integer()?).ok();
        let (du, dv) = (degree(0)?, degree(1)?);
        let rows: Vec<Vec<Point>> = base.get(2)?.list()?.iter().map(|r| self.points(r)).collect::<Option<_>>()?;
        let columns = rows.first()?.len();
        if rows.iter().any(|r| r.len() != columns) {
            return None;
        }
        let (nu, nv) = (rows.len(), columns);
        let knots = match name {
            "B_SPLINE_SURFACE_WITH_KNOTS" => {
                let own = if simple { own.get(8..)? } else { own };
                [
                    knot_vector(own.first()?, own.get(2)?, nu + du + 1)?,
                    knot_vector(own.get(1)?, own.get(3)?, nv + dv + 1)?,
                ]
            }
            other => [implied_knots(other, du, nu), implied_knots(other, dv, nv)],
        };
        let weights: Option<Vec<f64>> = match e.part("RATIONAL_B_SPLINE_SURFACE") {
            Some(p) => {
                let rows: Vec<Vec<f64>> = p.first()?.list()?.iter().map(numbers).collect::<Option<_>>()?;
                Some(rows.concat())
            }
            None => None,
        };
        NurbsSurface::new([du, dv], knots, columns, &rows.concat(), weights.as_deref()).ok()
    }

    /// The parameter rectangle of a RECTANGULAR_TRIMMED_SURFACE in its basis, and whether u and v keep their
    /// sense.
    pub fn rectangle(&self, e: &Entity<'a>, surface: &Surface) -> Option<[[f64; 2]; 2]> {
        let p = e.part("RECTANGULAR_TRIMMED_SURFACE")?;
        let n = |i: usize| p.get(i).and_then(Value::number);
        let mut u = [n(2)?, n(3)?];
        let mut v = [n(4)?, n(5)?];
        let sense = |i: usize| p.get(i).and_then(Value::truth).unwrap_or(true);
        if !sense(6) {
            u.swap(0, 1);
        }
        if !sense(7) {
            v.swap(0, 1);
        }
        let angles = self.parameter_units(surface);
        let periods = surface.periods();
        let larger = surface.parameter_scale(self.enlarged(p.get(1)));
        let mut sides = [u.map(|t| t * larger[0]), v.map(|t| t * larger[1])];
        for axis in 0..2 {
            sides[axis] = sides[axis].map(|t| t * angles[axis]);
            let [a, b] = sides[axis];
            if b <= a {
                sides[axis] = match periods[axis] {
                    Some(period) => [a, b + period],
                    None => [b, a],
                };
            }
        }
        Some(sides)
    }

    /// What the file's u and v of a surface are times to be ours: angles are in its unit of angles.
    pub fn parameter_units(&self, surface: &Surface) -> [f64; 2] {
        let one = |angle: bool| if angle { self.radians.get() } else { 1.0 };
        let conic = |c: &Curve| one(matches!(c, Curve::Ellipse { .. }));
        match surface {
            Surface::Cylinder { .. } | Surface::Cone { .. } => [one(true), 1.0],
            Surface::Sphere { .. } | Surface::Torus { .. } => [one(true); 2],
            Surface::Revolution { profile, .. } => [one(true), conic(profile)],
            Surface::Extrusion { profile, .. } => [conic(profile), 1.0],
            Surface::Offset { base, .. } => self.parameter_units(base),
            _ => [1.0; 2],
        }
    }

    /// How many times a SURFACE_REPLICA is as large as the surface whose parameters it has.
    fn enlarged(&self, surface: Option<&Value<'a>>) -> f64 {
        let replica = || {
            let e = self.dereference(surface).filter(|e| e.is("SURFACE_REPLICA"))?;
            self.deeper(|| Some(self.motion(e.get(2))?.scale * self.enlarged(e.get(1))))
        };
        replica().unwrap_or(1.0)
    }
}

fn triple(list: &[Value]) -> Option<V3> {
    let mut out = [0.0; 3];
    if list.is_empty() || list.len() > 3 {
        return None;
    }
    for (x, v) in out.iter_mut().zip(list) {
        *x = v.number()?;
    }
    Some(out)
}

fn numbers(value: &Value) -> Option<Vec<f64>> {
    value.list()?.iter().map(Value::number).collect()
}

fn positive(x: f64) -> Option<f64> {
    (x > 0.0 && x.is_finite()).then_some(x)
}

fn nonzero(v: V3) -> Option<V3> {
    (norm(v) > 0.0).then_some(v)
}

/// Points without those that repeat the one before.
pub fn distinct(points: Vec<Point>) -> Vec<Point> {
    let mut out: Vec<Point> = Vec::with_capacity(points.len());
    for p in points {
        if out.last().is_none_or(|q| norm(sub(p, *q)) > 0.0) {
            out.push(p);
        }
    }
    out
}

fn knot_vector(multiplicities: &Value, values: &Value, most: usize) -> Option<Vec<f64>> {
    let counts: Vec<usize> =
        multiplicities.list()?.iter().map(|v| usize::try_from(v.integer()?).ok()).collect::<Option<_>>()?;
    let values = numbers(values)?;
    // Lying multiplicities must not make a huge vector.
    if counts.len() != values.len() || counts.iter().try_fold(0_usize, |s, c| s.checked_add(*c))? > most {
        return None;
    }
    Some(Knots::spelt_out(&values, &counts))
}

/// Knots of the forms that give none (ISO 10303-42): Bézier and quasi-uniform are clamped, uniform is not.
fn implied_knots(form: &str, degree: usize, points: usize) -> Vec<f64> {
    let pieces = if form.starts_with("BEZIER") {
        points.saturating_sub(1) / degree.max(1)
    } else {
        points.saturating_sub(degree)
    };
    if form.starts_with("UNIFORM") {
        return (0..points + degree + 1).map(|i| i as f64 - degree as f64).collect();
    }
    let inner = if form.starts_with("BEZIER") { degree } else { 1 };
    let mut out = vec![0.0; degree + 1];
    for k in 1..pieces {
        out.extend(std::iter::repeat_n(k as f64, inner));
    }
    out.extend(std::iter::repeat_n(pieces as f64, degree + 1));
    out
}
