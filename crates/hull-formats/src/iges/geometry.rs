//! IGES curves and surfaces (IGES 5.3, section 4).

use super::record::{Entry, File, Value};
use crate::depth::Depth;
use hull_exact::curve::Piece;
use hull_exact::nurbs::NurbsCurve;
use hull_exact::{Curve, Frame, Motion, Surface};
use hull_geometry::Point;
use hull_geometry::vector::{V3, cross, dot, norm, sub};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::f64::consts::TAU;

/// A surface with the parameter ranges that the file gives it.
pub struct Bounded {
    pub surface: Surface,
    pub sides: Option<[[f64; 2]; 2]>,
    /// How the file's parameters become ours: `ours = swap ? (v, u) : (u, v)`, then times and plus.
    pub swap: bool,
    pub times: [f64; 2],
    pub plus: [f64; 2],
}

impl Bounded {
    fn plain(surface: Surface, sides: Option<[[f64; 2]; 2]>) -> Bounded {
        Bounded { surface, sides, swap: false, times: [1.0, 1.0], plus: [0.0, 0.0] }
    }
}

/// Looks entities up and remembers what could not be used.
pub struct Reader<'f> {
    pub file: &'f File<'f>,
    pub skipped: RefCell<BTreeMap<String, usize>>,
    depth: Depth,
}

impl<'f> Reader<'f> {
    pub fn new(file: &'f File<'f>) -> Reader<'f> {
        Reader { file, skipped: RefCell::default(), depth: Depth::default() }
    }

    pub fn skip(&self, what: impl Into<String>) {
        *self.skipped.borrow_mut().entry(what.into()).or_default() += 1;
    }

    /// An entity with its parameters.
    pub fn entity(&self, pointer: i64) -> Option<(&'f Entry, Vec<Value>)> {
        let entry = self.file.entries.get(&pointer.checked_abs()?)?;
        match self.file.parameters(entry) {
            Some(p) => Some((entry, p)),
            None => {
                self.skip("entities without parameters");
                None
            }
        }
    }

    /// Runs `work` one level deeper; `None`, counted, if that is too deep.
    pub fn deeper<T>(&self, work: impl FnOnce() -> Option<T>) -> Option<T> {
        self.depth.deeper(|| self.skip("entities that lead back to themselves"), work)
    }

    /// The transformation 124 of an entry.
    pub fn motion(&self, entry: &Entry) -> Motion {
        if entry.matrix == 0 { Motion::NONE } else { self.matrix(entry.matrix).unwrap_or(Motion::NONE) }
    }

    fn matrix(&self, pointer: i64) -> Option<Motion> {
        self.deeper(|| {
            let (entry, p) = self.entity(pointer)?;
            if entry.kind != 124 {
                return None;
            }
            let n = numbers(&p);
            let r = n.get(1..13)?;
            let column = |k: usize| [r[k], r[4 + k], r[8 + k]];
            let [x, y, z] = [column(0), column(1), column(2)];
            let size = norm(x);
            if size <= 0.0 || !dot(x, cross(y, z)).is_finite() {
                return None;
            }
            let scaled = |v: V3| v.map(|c| c / norm(v).max(1e-300));
            // Rows are given with nine digits or so: the axes are squared again.
            let zz = scaled(z);
            let xx = scaled(sub(x, zz.map(|c| c * dot(x, zz))));
            let handed = if dot(cross(zz, xx), y) < 0.0 { -1.0 } else { 1.0 };
            let frame = Frame { origin: column(3), x: xx, y: cross(zz, xx).map(|c| c * handed), z: zz };
            let own = Motion { frame, scale: if (size - 1.0).abs() < 1e-6 { 1.0 } else { size } };
            Some(if entry.matrix == 0 { own } else { self.matrix(entry.matrix)?.after(&own) })
        })
    }

    pub fn point(&self, pointer: i64) -> Option<Point> {
        let (entry, p) = self.entity(pointer)?;
        let n = numbers(&p);
        (entry.kind == 116).then(|| Some(self.motion(entry).point([*n.get(1)?, *n.get(2)?, *n.get(3)?])))?
    }

    fn direction(&self, pointer: i64) -> Option<V3> {
        let (entry, p) = self.entity(pointer)?;
        let n = numbers(&p);
        (entry.kind == 123).then(|| Some(self.motion(entry).direction([*n.get(1)?, *n.get(2)?, *n.get(3)?])))?
    }

    /// A curve with its range; chains and polylines included.
    pub fn curve(&self, pointer: i64) -> Option<Piece> {
        self.deeper(|| {
            let (entry, p) = self.entity(pointer)?;
            let mut piece = self.curve_of(entry, &numbers(&p))?;
            if entry.matrix != 0 {
                piece.curve = piece.curve.moved(&self.motion(entry));
            }
            Some(piece)
        })
    }

    fn curve_of(&self, entry: &Entry, n: &[f64]) -> Option<Piece> {
        let at = |i: usize| n.get(i).copied();
        match entry.kind {
            100 => {
                let (z, c) = (at(1)?, [at(2)?, at(3)?]);
                let (s, e) = ([at(4)? - c[0], at(5)? - c[1]], [at(6)? - c[0], at(7)? - c[1]]);
                let radius = s[0].hypot(s[1]);
                let from = s[1].atan2(s[0]);
                let mut to = e[1].atan2(e[0]);
                // Start and end in one place mean the whole circle.
                if to - from <= 1e-9 {
                    to += TAU;
                }
                let frame = Frame { origin: [c[0], c[1], z], ..Frame::WORLD };
                (radius > 0.0)
                    .then_some(Piece { curve: Curve::Ellipse { frame, a: radius, b: radius }, range: [from, to] })
            }
            102 => {
                let count = super::counting::count(at(1)?, n.len())?;
                let mut pieces = Vec::new();
                for i in 0..count {
                    let member = at(2 + i)? as i64;
                    // Points between curves only mark a place.
                    if self.file.entries.get(&member).is_some_and(|e| matches!(e.kind, 116 | 132)) {
                        continue;
                    }
                    let piece = self.curve(member)?;
                    match piece.curve {
                        Curve::Chain(inner) => pieces.extend(inner),
                        _ => pieces.push(piece),
                    }
                }
                let end = pieces.len() as f64;
                (!pieces.is_empty()).then_some(Piece { curve: Curve::Chain(pieces), range: [0.0, end] })
            }
            104 => conic(n),
            106 => {
                let tuple = at(1)? as i64;
                let count = super::counting::count(at(2)?, n.len())?;
                let mut points = Vec::with_capacity(count);
                let (start, step) = match tuple {
                    1 => (4, 2),
                    2 => (3, 3),
                    _ => (3, 6),
                };
                for i in 0..count {
                    let k = start + i * step;
                    let z = if tuple == 1 { at(3)? } else { at(k + 2)? };
                    points.push([at(k)?, at(k + 1)?, z]);
                }
                if entry.form == 63 && points.first() != points.last() {
                    points.extend(points.first().copied());
                }
                if let Some(what) = no_curve(entry.form) {
                    self.skip(format!("{what} (type 106)"));
                    return None;
                }
                let points = crate::step::geometry::distinct(points);
                let curve = NurbsCurve::polyline(&points).ok()?;
                let range = curve.knots.domain();
                Some(Piece { curve: Curve::Nurbs(Box::new(curve)), range })
            }
            110 => {
                let (p, q) = ([at(1)?, at(2)?, at(3)?], [at(4)?, at(5)?, at(6)?]);
                let along = sub(q, p);
                (norm(along) > 0.0).then_some(Piece { curve: Curve::Line { origin: p, along }, range: [0.0, 1.0] })
            }
            112 => {
                let curve = self.spline_112(n)?;
                let range = curve.knots.domain();
                Some(Piece { curve: Curve::Nurbs(Box::new(curve)), range })
            }
            126 => {
                let (curve, range) = self.spline_126(n)?;
                Some(Piece { curve: Curve::Nurbs(Box::new(curve)), range })
            }
            130 => self.offset_130(n).or_else(|| {
                self.skip("offset curves that cannot be used (type 130)");
                None
            }),
            142 => {
                let model = at(4)? as i64;
                if model != 0 { self.curve(model) } else { self.curve_on_surface(at(2)? as i64, at(3)? as i64) }
            }
            kind => {
                self.skip(format!("type {kind}"));
                None
            }
        }
    }

    /// A curve given only in a surface's parameters.
    pub fn curve_on_surface(&self, surface: i64, curve: i64) -> Option<Piece> {
        let bounded = self.surface(surface)?;
        let piece = self.curve(curve)?;
        let on = |p: Piece| Piece {
            range: p.range,
            curve: Curve::OnSurface {
                surface: Box::new(bounded.surface.clone()),
                plane: Box::new(plane_curve(&p.curve, &bounded)),
            },
        };
        Some(match piece.curve {
            Curve::Chain(pieces) => {
                let end = pieces.len() as f64;
                Piece { curve: Curve::Chain(pieces.into_iter().map(on).collect()), range: [0.0, end] }
            }
            _ => on(piece),
        })
    }

    /// A surface as the file tells it.
    pub fn surface(&self, pointer: i64) -> Option<Bounded> {
        self.deeper(|| {
            let (entry, p) = self.entity(pointer)?;
            let mut bounded = self.surface_of(entry, &numbers(&p))?;
            if entry.matrix != 0 {
                bounded.surface = bounded.surface.moved(&self.motion(entry));
            }
            Some(bounded)
        })
    }

    fn surface_of(&self, entry: &Entry, n: &[f64]) -> Option<Bounded> {
        let at = |i: usize| n.get(i).copied();
        let pointer = |i: usize| at(i).map(|x| x as i64);
        let reference = |i: usize| pointer(i).filter(|p| *p != 0).and_then(|p| self.direction(p));
        match entry.kind {
            108 => {
                let normal = [at(1)?, at(2)?, at(3)?];
                let length = norm(normal);
                if length <= 0.0 {
                    return None;
                }
                let origin = normal.map(|x| x * at(4).unwrap_or(0.0) / (length * length));
                Some(Bounded::plain(Surface::Plane(Frame::new(origin, normal, None)), None))
            }
            114 => {
                let s = self.spline_114(n)?;
                let sides = [s.u.domain(), s.v.domain()];
                Some(Bounded::plain(Surface::Nurbs(Box::new(s)), Some(sides)))
            }
            118 => {
                let (a, b) = (self.ruled_side(entry, pointer(1)?)?, self.ruled_side(entry, pointer(2)?)?);
                let mut second = b.range;
                if at(3).unwrap_or(0.0) as i64 == 1 {
                    second.swap(0, 1);
                }
                let surface = Surface::Ruled { curves: Box::new([a.curve, b.curve]), ranges: [a.range, second] };
                Some(Bounded::plain(surface, Some([[0.0, 1.0], [0.0, 1.0]])))
            }
            120 => {
                let axis = self.curve(pointer(1)?)?;
                let profile = self.curve(pointer(2)?)?;
                let (p, q) = (axis.at(0.0)[0], axis.at(1.0)[0]);
                let frame = Frame::new(p, sub(q, p), None);
                let (from, to) = (at(3)?, at(4)?);
                let surface = Surface::Revolution { profile: profile.curve, axis: frame };
                let [a, b] = profile.range;
                // Their u runs along the profile: from 0 to 1 on lines, as the profile's own parameter elsewhere.
                let sides = Some([[from, to], [a.min(b), a.max(b)]]);
                Some(Bounded { surface, sides, swap: true, times: [1.0, 1.0], plus: [0.0, 0.0] })
            }
            122 => {
                let profile = self.curve(pointer(1)?)?;
                let start = profile.at(0.0)[0];
                let along = sub([at(2)?, at(3)?, at(4)?], start);
                let [a, b] = profile.range;
                let surface = Surface::Extrusion { profile: profile.curve, along };
                let sides = Some([[a.min(b), a.max(b)], [0.0, 1.0]]);
                Some(Bounded { surface, sides, swap: false, times: [b - a, 1.0], plus: [a, 0.0] })
            }
            128 => {
                let (s, sides) = self.spline_128(n)?;
                Some(Bounded::plain(Surface::Nurbs(Box::new(s)), Some(sides)))
            }
            140 => {
                let base = self.surface(pointer(5)?)?;
                let by = at(4)?;
                // The indicator says which way the offset goes in the middle; our normal may be the other one.
                let sides = base.sides.unwrap_or_else(|| base.surface.bounded_domain());
                let [u, v] = sides.map(|[a, b]| 0.5 * (a + b));
                let towards = dot(base.surface.normal(u, v), [at(1)?, at(2)?, at(3)?]);
                let by = if towards < 0.0 { -by } else { by };
                Some(Bounded { surface: Surface::Offset { base: Box::new(base.surface), by }, ..base })
            }
            143 | 144 => self.surface(pointer(if entry.kind == 143 { 2 } else { 1 })?),
            190 => {
                let frame = Frame::new(self.point(pointer(1)?)?, self.direction(pointer(2)?)?, reference(3));
                Some(Bounded::plain(Surface::Plane(frame), None))
            }
            192 => {
                let frame = Frame::new(self.point(pointer(1)?)?, self.direction(pointer(2)?)?, reference(4));
                let radius = at(3).filter(|r| *r > 0.0)?;
                Some(in_degrees(Surface::Cylinder { frame, radius }, [true, false]))
            }
            194 => {
                let frame = Frame::new(self.point(pointer(1)?)?, self.direction(pointer(2)?)?, reference(5));
                let (radius, half_angle) = (at(3).filter(|r| *r >= 0.0)?, at(4)?.to_radians());
                Some(in_degrees(Surface::Cone { frame, radius, half_angle }, [true, false]))
            }
            196 => {
                let axis = reference(3).unwrap_or([0.0, 0.0, 1.0]);
                let frame = Frame::new(self.point(pointer(1)?)?, axis, reference(4));
                Some(in_degrees(Surface::Sphere { frame, radius: at(2).filter(|r| *r > 0.0)? }, [true, true]))
            }
            198 => {
                let frame = Frame::new(self.point(pointer(1)?)?, self.direction(pointer(2)?)?, reference(5));
                let (major, minor) = (at(3).filter(|r| *r > 0.0)?, at(4).filter(|r| *r > 0.0)?);
                Some(in_degrees(Surface::Torus { frame, major, minor }, [true, true]))
            }
            kind => {
                self.skip(format!("type {kind}"));
                None
            }
        }
    }
}

/// What a form of 106 is, if it is no curve: lists of points, and the lines of a drawing's annotation.
fn no_curve(form: i64) -> Option<&'static str> {
    match form {
        11..=13 | 63 => None,
        20..=40 => Some("lines of annotation"),
        _ => Some("sets of points"),
    }
}

fn in_degrees(surface: Surface, which: [bool; 2]) -> Bounded {
    let factor = which.map(|w| if w { 1.0_f64.to_radians() } else { 1.0 });
    Bounded { surface, sides: None, swap: false, times: factor, plus: [0.0, 0.0] }
}

/// A curve in the file's parameter plane in ours.
fn plane_curve(curve: &Curve, b: &Bounded) -> Curve {
    let map = |p: V3| {
        let q = if b.swap { [p[1], p[0]] } else { [p[0], p[1]] };
        [q[0] * b.times[0] + b.plus[0], q[1] * b.times[1] + b.plus[1], 0.0]
    };
    match curve {
        Curve::Line { origin, along } => {
            let start = map(*origin);
            let end = map([origin[0] + along[0], origin[1] + along[1], 0.0]);
            Curve::Line { origin: start, along: sub(end, start) }
        }
        Curve::Nurbs(n) => Curve::Nurbs(Box::new(n.mapped(map))),
        Curve::Chain(pieces) => {
            Curve::Chain(pieces.iter().map(|p| Piece { curve: plane_curve(&p.curve, b), range: p.range }).collect())
        }
        other if !b.swap && b.times == [1.0, 1.0] && b.plus == [0.0, 0.0] => other.clone(),
        other => {
            let [from, to] = other.domain().unwrap_or([-1.0, 1.0]);
            let points: Vec<V3> =
                (0..=256).map(|i| map(other.point(from + (to - from) * f64::from(i) / 256.0))).collect();
            let Ok(mut line) = NurbsCurve::polyline(&points) else { return other.clone() };
            let last = line.knots.domain()[1];
            for k in &mut line.knots.values {
                *k = from + *k / last * (to - from);
            }
            Curve::Nurbs(Box::new(line))
        }
    }
}

/// 104: a conic `A x² + B xy + C y² + D x + E y + F = 0` from a start to an end point.
fn conic(n: &[f64]) -> Option<Piece> {
    let [a, b, c, d, e, f, z] = *n.get(1..8)? else { return None };
    let (start, end) = ([*n.get(8)?, *n.get(9)?], [*n.get(10)?, *n.get(11)?]);
    let disc = b * b - 4.0 * a * c;
    let size = a.abs() + b.abs() + c.abs();
    let turn = 0.5 * b.atan2(a - c);
    let (s, co) = turn.sin_cos();
    let x = [co, s, 0.0];
    let frame = |o: [f64; 2]| Frame { origin: [o[0], o[1], z], x, y: [-s, co, 0.0], z: [0.0, 0.0, 1.0] };
    let squares = [a * co * co + b * co * s + c * s * s, a * s * s - b * co * s + c * co * co];
    if disc.abs() > 1e-12 * size * size {
        let centre = [(2.0 * c * d - b * e) / disc, (2.0 * a * e - b * d) / disc];
        let rest = f + 0.5 * (d * centre[0] + e * centre[1]);
        let frame = frame(centre);
        let local = |p: [f64; 2]| frame.local([p[0], p[1], z]);
        let radii = squares.map(|q| -rest / q);
        if disc < 0.0 {
            let (ra, rb) = (radii[0].max(0.0).sqrt(), radii[1].max(0.0).sqrt());
            let angle = |p: [f64; 2]| {
                let q = local(p);
                (q[1] / rb).atan2(q[0] / ra)
            };
            let (from, mut to) = (angle(start), angle(end));
            if to - from <= 1e-9 {
                to += TAU;
            }
            return (ra > 0.0 && rb > 0.0)
                .then_some(Piece { curve: Curve::Ellipse { frame, a: ra, b: rb }, range: [from, to] });
        }
        // A hyperbola opens along the axis with the positive square; the branch is the start point's.
        let along_x = radii[0] > 0.0;
        let frame = if along_x { frame } else { Frame { x: frame.y, y: frame.x.map(|v| -v), ..frame } };
        let frame = if frame.local([start[0], start[1], z])[0] < 0.0 {
            Frame { x: frame.x.map(|v| -v), y: frame.y.map(|v| -v), ..frame }
        } else {
            frame
        };
        let (ra, rb) =
            if along_x { (radii[0].sqrt(), (-radii[1]).sqrt()) } else { (radii[1].sqrt(), (-radii[0]).sqrt()) };
        let t = |p: [f64; 2]| (frame.local([p[0], p[1], z])[1] / rb).asinh();
        return Some(Piece { curve: Curve::Hyperbola { frame, a: ra, b: rb }, range: [t(start), t(end)] });
    }
    // A parabola: q y'² + p x' + r y' + f = 0 with the square along y'.
    let (q, frame) = if squares[0].abs() > squares[1].abs() {
        (squares[0], Frame { x: [-s, co, 0.0], y: [-co, -s, 0.0], ..frame([0.0, 0.0]) })
    } else {
        (squares[1], frame([0.0, 0.0]))
    };
    let lin = |v: V3| d * v[0] + e * v[1];
    let (p, r) = (lin(frame.x), lin(frame.y));
    let y0 = -r / (2.0 * q);
    let x0 = -(q * y0 * y0 + r * y0 + f) / p;
    let focal = -p / (4.0 * q);
    let frame = Frame { origin: frame.place([x0, y0, 0.0]), ..frame };
    let (frame, focal) = if focal < 0.0 {
        (Frame { x: frame.x.map(|v| -v), y: frame.y.map(|v| -v), ..frame }, -focal)
    } else {
        (frame, focal)
    };
    let t = |point: [f64; 2]| frame.local([point[0], point[1], z])[1] / (2.0 * focal);
    (focal > 0.0 && focal.is_finite())
        .then(|| Piece { curve: Curve::Parabola { frame, focal }, range: [t(start), t(end)] })
}

/// Parameters as numbers; texts and what was left out count as zero.
pub fn numbers(p: &[Value]) -> Vec<f64> {
    p.iter().map(|v| v.number().unwrap_or(0.0)).collect()
}
