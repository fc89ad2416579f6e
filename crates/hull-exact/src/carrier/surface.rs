//! Surfaces, with the parameters of ISO 10303-42.

use crate::curve::Curve;
use crate::frame::{Frame, Motion};
use crate::nurbs::{Jet, Knots, NurbsSurface};
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use serde::{Deserialize, Serialize};
use std::f64::consts::{FRAC_PI_2, TAU};

/// A surface with its own parameters u and v.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Surface {
    /// The plane of a frame's x and y.
    Plane(Frame),
    /// u: angle, v: length along the axis.
    Cylinder {
        /// Axis z, angle from x.
        frame: Frame,
        /// Around the axis.
        radius: f64,
    },
    /// Radius `radius + v tan(half_angle)` at height v.
    Cone {
        /// Axis z, angle from x.
        frame: Frame,
        /// At the frame's origin.
        radius: f64,
        /// Between axis and surface, in radians.
        half_angle: f64,
    },
    /// u: longitude, v: latitude.
    Sphere {
        /// Centre and axes.
        frame: Frame,
        /// Of the sphere.
        radius: f64,
    },
    /// u: about the axis, v: about the tube.
    Torus {
        /// Centre and axes.
        frame: Frame,
        /// From the axis to the middle of the tube.
        major: f64,
        /// Of the tube.
        minor: f64,
    },
    /// `profile(u) + v · along`.
    Extrusion {
        /// What is drawn along.
        profile: Curve,
        /// The way of parameter 1.
        along: V3,
    },
    /// `profile(v)` turned by u about z of `axis`.
    Revolution {
        /// What is turned.
        profile: Curve,
        /// Around its z.
        axis: Frame,
    },
    /// `(1 - v) · curves[0](u) + v · curves[1](u)`, each run over its range for u from 0 to 1.
    Ruled {
        /// On either side.
        curves: Box<[Curve; 2]>,
        /// The part of each that is used.
        ranges: [[f64; 2]; 2],
    },
    /// A B-spline, rational or not.
    Nurbs(Box<NurbsSurface>),
    /// Another surface moved along its normal.
    Offset {
        /// What is offset.
        base: Box<Surface>,
        /// Along its normal.
        by: f64,
    },
}

/// A side of the parameter rectangle that is one point in space.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pole {
    /// The parameter that is constant: 0 for u, 1 for v.
    pub axis: usize,
    /// Of the parameter that does matter.
    pub value: f64,
    /// Where all points of it are.
    pub at: V3,
    /// Whether the surface lies at smaller values of that parameter; where it lies on both sides, one of them.
    pub at_end: bool,
}

/// The turned circle frame: cosine and sine of u along x and y.
#[inline]
fn ring(frame: &Frame, u: f64) -> (V3, V3) {
    let (s, c) = u.sin_cos();
    (frame.turn([c, s, 0.0]), frame.turn([-s, c, 0.0]))
}

impl Surface {
    /// The point at u and v.
    pub fn point(&self, u: f64, v: f64) -> V3 {
        match self {
            Surface::Plane(f) => f.place([u, v, 0.0]),
            Surface::Nurbs(n) => n.first(self.wrapped(n, 0, u), self.wrapped(n, 1, v))[0],
            _ => self.jet(u, v).p,
        }
    }

    /// Point and first derivatives.
    pub fn first(&self, u: f64, v: f64) -> [V3; 3] {
        match self {
            Surface::Nurbs(n) => n.first(self.wrapped(n, 0, u), self.wrapped(n, 1, v)),
            _ => {
                let j = self.jet(u, v);
                [j.p, j.u, j.v]
            }
        }
    }

    fn wrapped(&self, n: &NurbsSurface, axis: usize, t: f64) -> f64 {
        let [a, b] = if axis == 0 { n.u.domain() } else { n.v.domain() };
        if t >= a && t <= b {
            return t;
        }
        if n.closed[axis] { a + (t - a).rem_euclid(b - a) } else { t.clamp(a, b) }
    }

    /// Point with first and second derivatives.
    pub fn jet(&self, u: f64, v: f64) -> Jet {
        const O: V3 = [0.0; 3];
        match self {
            Surface::Plane(f) => Jet { p: f.place([u, v, 0.0]), u: f.x, v: f.y, uu: O, uv: O, vv: O },
            Surface::Cylinder { frame, radius } => {
                let (c, s) = ring(frame, u);
                let p = add(frame.origin, add(scale(c, *radius), scale(frame.z, v)));
                Jet { p, u: scale(s, *radius), v: frame.z, uu: scale(c, -radius), uv: O, vv: O }
            }
            Surface::Cone { frame, radius, half_angle } => {
                let (c, s) = ring(frame, u);
                let slope = half_angle.tan();
                let r = radius + v * slope;
                let p = add(frame.origin, add(scale(c, r), scale(frame.z, v)));
                let along = add(scale(c, slope), frame.z);
                Jet { p, u: scale(s, r), v: along, uu: scale(c, -r), uv: scale(s, slope), vv: O }
            }
            Surface::Sphere { frame, radius } => round(frame, 0.0, *radius, u, v),
            Surface::Torus { frame, major, minor } => round(frame, *major, *minor, u, v),
            Surface::Extrusion { profile, along } => {
                let [p, d, dd] = profile.at(u);
                Jet { p: add(p, scale(*along, v)), u: d, v: *along, uu: dd, uv: O, vv: O }
            }
            Surface::Revolution { profile, axis } => {
                let [p, d, dd] = profile.at(v);
                let (s, c) = u.sin_cos();
                let turn = |q: V3| axis.turn([c * q[0] - s * q[1], s * q[0] + c * q[1], q[2]]);
                let swing = |q: V3| axis.turn([-s * q[0] - c * q[1], c * q[0] - s * q[1], 0.0]);
                let flat = |q: V3| [dot(q, axis.x), dot(q, axis.y), dot(q, axis.z)];
                let (q, e, ee) = (axis.local(p), flat(d), flat(dd));
                Jet {
                    p: add(axis.origin, turn(q)),
                    u: swing(q),
                    v: turn(e),
                    uu: scale(turn([q[0], q[1], 0.0]), -1.0),
                    uv: swing(e),
                    vv: turn(ee),
                }
            }
            Surface::Ruled { curves, ranges } => {
                let at = |i: usize| {
                    let [a, b] = ranges[i];
                    let h = b - a;
                    let [p, d, dd] = curves[i].at(a + h * u);
                    [p, scale(d, h), scale(dd, h * h)]
                };
                let (a, b) = (at(0), at(1));
                let mix = |k: usize| add(scale(a[k], 1.0 - v), scale(b[k], v));
                Jet { p: mix(0), u: mix(1), v: sub(b[0], a[0]), uu: mix(2), uv: sub(b[1], a[1]), vv: O }
            }
            Surface::Nurbs(n) => n.jet(self.wrapped(n, 0, u), self.wrapped(n, 1, v)),
            Surface::Offset { base, by } => offset_jet(base, *by, u, v),
        }
    }

    /// The normal of length one that u and v turn about, also at poles (taken just beside them).
    pub fn normal(&self, u: f64, v: f64) -> V3 {
        let [_, su, sv] = self.first(u, v);
        let n = cross(su, sv);
        if dot(n, n) > 1e-18 * dot(su, su) * dot(sv, sv) && dot(n, n) > 0.0 {
            return unit(n).unwrap_or([0.0, 0.0, 1.0]);
        }
        let [[a, b], [c, d]] = self.bounded_domain();
        let inward = |t: f64, lo: f64, hi: f64| t + 1e-5 * (hi - lo) * if t > 0.5 * (lo + hi) { -1.0 } else { 1.0 };
        let [_, su, sv] = self.first(inward(u, a, b), inward(v, c, d));
        unit(cross(su, sv)).unwrap_or([0.0, 0.0, 1.0])
    }

    /// Where u and v are defined; infinite where nothing ends them.
    pub fn domain(&self) -> [[f64; 2]; 2] {
        const ALL: [f64; 2] = [f64::NEG_INFINITY, f64::INFINITY];
        const ROUND: [f64; 2] = [0.0, TAU];
        let of = |c: &Curve| c.domain().unwrap_or(ALL);
        match self {
            Surface::Plane(_) => [ALL, ALL],
            Surface::Cylinder { .. } | Surface::Cone { .. } => [ROUND, ALL],
            Surface::Sphere { .. } => [ROUND, [-FRAC_PI_2, FRAC_PI_2]],
            Surface::Torus { .. } => [ROUND, ROUND],
            Surface::Extrusion { profile, .. } => [of(profile), ALL],
            Surface::Revolution { profile, .. } => [ROUND, of(profile)],
            Surface::Ruled { .. } => [[0.0, 1.0], [0.0, 1.0]],
            Surface::Nurbs(n) => [n.u.domain(), n.v.domain()],
            Surface::Offset { base, .. } => base.domain(),
        }
    }

    /// The domain with a stand-in of ±1 where it has no end.
    pub fn bounded_domain(&self) -> [[f64; 2]; 2] {
        self.domain().map(|[a, b]| [if a.is_finite() { a } else { -1.0 }, if b.is_finite() { b } else { 1.0 }])
    }

    /// After which length u and v repeat.
    pub fn periods(&self) -> [Option<f64>; 2] {
        match self {
            Surface::Plane(_) | Surface::Ruled { .. } => [None, None],
            Surface::Cylinder { .. } | Surface::Cone { .. } | Surface::Sphere { .. } => [Some(TAU), None],
            Surface::Torus { .. } => [Some(TAU), Some(TAU)],
            Surface::Extrusion { profile, .. } => [profile.period(), None],
            Surface::Revolution { profile, .. } => [Some(TAU), profile.period()],
            Surface::Nurbs(n) => {
                let closed = n.closed;
                let length = |[a, b]: [f64; 2]| b - a;
                [closed[0].then(|| length(n.u.domain())), closed[1].then(|| length(n.v.domain()))]
            }
            Surface::Offset { base, .. } => base.periods(),
        }
    }

    /// The sides of the parameter rectangle that are points.
    pub fn poles(&self) -> Vec<Pole> {
        match self {
            Surface::Cone { frame, radius, half_angle } => {
                let slope = half_angle.tan();
                if slope.abs() < 1e-12 {
                    return Vec::new();
                }
                let value = -radius / slope;
                let at = frame.place([0.0, 0.0, value]);
                // Both nappes end there; the one that starts at v = 0 is said.
                vec![Pole { axis: 1, value, at, at_end: value > 0.0 }]
            }
            Surface::Sphere { frame, radius } => [-1.0, 1.0]
                .map(|s| Pole {
                    axis: 1,
                    value: s * FRAC_PI_2,
                    at: frame.place([0.0, 0.0, s * radius]),
                    at_end: s > 0.0,
                })
                .to_vec(),
            Surface::Torus { frame, major, minor } if minor > major && *minor > 0.0 => {
                // Where the tube crosses the axis; the sheets within and without end there.
                let value = (-major / minor).acos();
                let height = minor * value.sin();
                [(value, height, true), (TAU - value, -height, false)]
                    .map(|(value, z, at_end)| Pole { axis: 1, value, at: frame.place([0.0, 0.0, z]), at_end })
                    .to_vec()
            }
            Surface::Plane(_) | Surface::Cylinder { .. } | Surface::Torus { .. } | Surface::Extrusion { .. } => {
                Vec::new()
            }
            _ => self.sampled_poles(),
        }
    }

    fn sampled_poles(&self) -> Vec<Pole> {
        let domain = self.domain();
        if domain.iter().flatten().any(|t| !t.is_finite()) {
            return Vec::new();
        }
        let size = {
            let [[a, b], [c, d]] = domain;
            let corners = [self.point(a, c), self.point(b, c), self.point(b, d), self.point(a, d)];
            let middle = self.point(0.5 * (a + b), 0.5 * (c + d));
            corners.iter().map(|p| norm(sub(*p, middle))).fold(0.0, f64::max)
        };
        let mut out = Vec::new();
        for axis in 0..2 {
            for (end, value) in domain[axis].into_iter().enumerate() {
                let [a, b] = domain[1 - axis];
                let at = |i: u32| {
                    let t = a + (b - a) * f64::from(i) / 8.0;
                    if axis == 0 { self.point(value, t) } else { self.point(t, value) }
                };
                let first = at(0);
                if (1..=8).all(|i| norm(sub(at(i), first)) <= 1e-7 * size) {
                    out.push(Pole { axis, value, at: first, at_end: end == 1 });
                }
            }
        }
        out
    }

    /// Parameters of axis 0 (u) or 1 (v) where the surface may be less smooth, within its domain.
    pub fn breaks(&self, axis: usize) -> Vec<f64> {
        let of = |c: &Curve| c.domain().map_or(Vec::new(), |d| c.breaks(d));
        match self {
            Surface::Nurbs(n) => {
                if axis == 0 {
                    n.u.breaks()
                } else {
                    n.v.breaks()
                }
            }
            Surface::Extrusion { profile, .. } if axis == 0 => of(profile),
            Surface::Revolution { profile, .. } if axis == 1 => of(profile),
            Surface::Ruled { curves, ranges } if axis == 0 => {
                let mut all = Vec::new();
                for (curve, [a, b]) in curves.iter().zip(ranges) {
                    let breaks = curve.breaks([a.min(*b), a.max(*b)]);
                    all.extend(breaks.iter().map(|t| (t - a) / (b - a)));
                }
                all.sort_by(f64::total_cmp);
                all.dedup_by(|next, kept| *next - *kept < 1e-9);
                all
            }
            Surface::Offset { base, .. } => base.breaks(axis),
            _ => Vec::new(),
        }
    }

    /// Parameters of an axis along which the surface has an edge of its own: its normal jumps there, between `low` and
    /// `high` of the two axes.
    pub fn creases(&self, axis: usize, low: [f64; 2], high: [f64; 2]) -> Vec<f64> {
        let step = 1e-7 * (high[axis] - low[axis]);
        let normal = |t: f64, s: f64| {
            let cross = low[1 - axis] + (high[1 - axis] - low[1 - axis]) * s;
            if axis == 0 { self.normal(t, cross) } else { self.normal(cross, t) }
        };
        let jumps = |t: f64| {
            [0.07, 0.31, 0.5, 0.72, 0.94]
                .into_iter()
                .any(|s| norm(sub(normal(t - step, s), normal(t + step, s))) > 1e-3)
        };
        let inside = |t: &f64| *t > low[axis] + 10.0 * step && *t < high[axis] - 10.0 * step;
        self.possible_creases(axis).into_iter().filter(inside).filter(|t| jumps(*t)).collect()
    }

    /// Of splines only knots repeated as often as the degree can be creases.
    fn possible_creases(&self, axis: usize) -> Vec<f64> {
        let sharp = |k: &Knots| {
            let repeated = |t: &f64| k.values.iter().filter(|x| (**x - t).abs() <= 1e-12 * (1.0 + t.abs())).count();
            k.breaks().into_iter().filter(|t| repeated(t) >= k.degree).collect()
        };
        match self {
            Surface::Nurbs(n) => sharp(if axis == 0 { &n.u } else { &n.v }),
            Surface::Offset { base, .. } => base.possible_creases(axis),
            _ => self.breaks(axis),
        }
    }

    /// How lengths in the parameters grow when the surface is scaled by `s`.
    pub fn parameter_scale(&self, s: f64) -> [f64; 2] {
        match self {
            Surface::Plane(_) => [s, s],
            Surface::Cylinder { .. } | Surface::Cone { .. } => [1.0, s],
            Surface::Offset { base, .. } => base.parameter_scale(s),
            _ => [1.0, 1.0],
        }
    }

    /// The surface moved; parameters change as [`Surface::parameter_scale`] says.
    pub fn moved(&self, m: &Motion) -> Surface {
        let s = m.scale;
        match self {
            Surface::Plane(f) => Surface::Plane(m.frame(f)),
            Surface::Cylinder { frame, radius } => Surface::Cylinder { frame: m.frame(frame), radius: radius * s },
            Surface::Cone { frame, radius, half_angle } => {
                Surface::Cone { frame: m.frame(frame), radius: radius * s, half_angle: *half_angle }
            }
            Surface::Sphere { frame, radius } => Surface::Sphere { frame: m.frame(frame), radius: radius * s },
            Surface::Torus { frame, major, minor } => {
                Surface::Torus { frame: m.frame(frame), major: major * s, minor: minor * s }
            }
            Surface::Extrusion { profile, along } => {
                Surface::Extrusion { profile: profile.moved(m), along: scale(m.direction(*along), s) }
            }
            Surface::Revolution { profile, axis } => {
                Surface::Revolution { profile: profile.moved(m), axis: m.frame(axis) }
            }
            Surface::Ruled { curves, ranges } => {
                Surface::Ruled { curves: Box::new([curves[0].moved(m), curves[1].moved(m)]), ranges: *ranges }
            }
            Surface::Nurbs(n) => Surface::Nurbs(Box::new(n.mapped(|p| m.point(p)))),
            Surface::Offset { base, by } => {
                // A mirror turns the normal that the parameters make round.
                let by = if m.frame.is_mirrored() { -by } else { *by };
                Surface::Offset { base: Box::new(base.moved(m)), by: by * s }
            }
        }
    }

    /// The surface's kind, in the trade's word.
    pub fn kind(&self) -> &'static str {
        match self {
            Surface::Plane(_) => "plane",
            Surface::Cylinder { .. } => "cylinder",
            Surface::Cone { .. } => "cone",
            Surface::Sphere { .. } => "sphere",
            Surface::Torus { .. } => "torus",
            Surface::Extrusion { .. } => "extrusion",
            Surface::Revolution { .. } => "revolution",
            Surface::Ruled { .. } => "ruled surface",
            Surface::Nurbs(_) => "spline surface",
            Surface::Offset { .. } => "offset surface",
        }
    }
}

/// Sphere (`major` = 0) and torus.
fn round(frame: &Frame, major: f64, minor: f64, u: f64, v: f64) -> Jet {
    let (c, s) = ring(frame, u);
    let (sv, cv) = v.sin_cos();
    let r = major + minor * cv;
    let z = frame.z;
    Jet {
        p: add(frame.origin, add(scale(c, r), scale(z, minor * sv))),
        u: scale(s, r),
        v: add(scale(c, -minor * sv), scale(z, minor * cv)),
        uu: scale(c, -r),
        uv: scale(s, -minor * sv),
        vv: add(scale(c, -minor * cv), scale(z, -minor * sv)),
    }
}

/// Offset along the normal: first derivatives from the second ones of the base (Weingarten), the second ones by
/// differences of the first.
fn offset_jet(base: &Surface, by: f64, u: f64, v: f64) -> Jet {
    let first = |u: f64, v: f64| -> [V3; 3] {
        let j = base.jet(u, v);
        let n = cross(j.u, j.v);
        let length = norm(n);
        if length <= 0.0 {
            return [add(j.p, scale(base.normal(u, v), by)), j.u, j.v];
        }
        let unit_n = scale(n, 1.0 / length);
        let change = |a: V3, b: V3| {
            let d = add(cross(a, j.v), cross(j.u, b));
            scale(sub(d, scale(unit_n, dot(d, unit_n))), 1.0 / length)
        };
        let (nu, nv) = (change(j.uu, j.uv), change(j.uv, j.vv));
        [add(j.p, scale(unit_n, by)), add(j.u, scale(nu, by)), add(j.v, scale(nv, by))]
    };
    let [p, du, dv] = first(u, v);
    let [[a, b], [c, d]] = base.bounded_domain();
    let (hu, hv) = (1e-4 * (b - a), 1e-4 * (d - c));
    let (pu, mu) = (first(u + hu, v), first(u - hu, v));
    let (pv, mv) = (first(u, v + hv), first(u, v - hv));
    let half = |x: V3, y: V3, h: f64| scale(sub(x, y), 0.5 / h);
    Jet { p, u: du, v: dv, uu: half(pu[1], mu[1], hu), uv: half(pu[2], mu[2], hu), vv: half(pv[2], mv[2], hv) }
}
