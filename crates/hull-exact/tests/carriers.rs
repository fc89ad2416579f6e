//! Curves and surfaces of every kind against their definitions, against plain search, and against each other.

use crate::common::{any_motion, normal_turn};
use hull_exact::arc_length::ByLength;
use hull_exact::as_spline::{curve_as_spline, surface_as_spline};
use hull_exact::curve::{Curve, Piece};
use hull_exact::locate::Locator;
use hull_exact::nurbs::{NurbsCurve, NurbsSurface};
use hull_exact::{Frame, Motion, Surface};
use hull_geometry::vector::{V3, add, distance, dot, norm, scale, sub, unit};
use proptest::prelude::*;
use std::f64::consts::TAU;

/// A spline by its definition: basis functions by the recursion of Cox and de Boor, as ISO 10303-42 tells it.
struct Basis<'k> {
    degree: usize,
    knots: &'k [f64],
}

impl Basis<'_> {
    fn value(&self, i: usize, degree: usize, t: f64) -> f64 {
        let k = self.knots;
        if degree == 0 {
            // The last span that is not empty has its end, too.
            let last = *k.last().expect("knots");
            return f64::from((k[i] <= t && t < k[i + 1]) || (t == last && k[i] < k[i + 1] && k[i + 1] == last));
        }
        let part = |up: f64, down: f64, of: f64| if down > 0.0 { up / down * of } else { 0.0 };
        part(t - k[i], k[i + degree] - k[i], self.value(i, degree - 1, t))
            + part(k[i + degree + 1] - t, k[i + degree + 1] - k[i + 1], self.value(i + 1, degree - 1, t))
    }

    fn all(&self, t: f64) -> Vec<f64> {
        (0..self.knots.len() - self.degree - 1).map(|i| self.value(i, self.degree, t)).collect()
    }
}

/// Knots that hold the ends, with inner ones of any multiplicity up to the degree.
fn any_knots(degree: usize) -> impl Strategy<Value = Vec<f64>> {
    prop::collection::vec((0.2..1.5_f64, 1..=degree), 0..4).prop_map(move |inner| {
        let mut knots = vec![0.0; degree + 1];
        let mut at = 0.0;
        for (step, times) in inner {
            at += step;
            knots.extend(vec![at; times]);
        }
        knots.extend(vec![at + 0.7; degree + 1]);
        knots
    })
}

fn any_point() -> impl Strategy<Value = V3> {
    prop::array::uniform3(-4.0..4.0_f64)
}

fn any_spline() -> impl Strategy<Value = NurbsCurve> {
    (1..6_usize).prop_flat_map(|degree| (Just(degree), any_knots(degree))).prop_flat_map(|(degree, knots)| {
        let n = knots.len() - degree - 1;
        let points = prop::collection::vec(any_point(), n);
        let weights = prop::option::of(prop::collection::vec(0.3..3.0_f64, n));
        (points, weights).prop_map(move |(points, weights)| {
            NurbsCurve::new(degree, knots.clone(), &points, weights.as_deref()).expect("a spline")
        })
    })
}

/// A spline as people draw them: it goes on, without hairpins between two samples of it.
fn any_drawn_spline() -> impl Strategy<Value = NurbsCurve> {
    (2..6_usize).prop_flat_map(|degree| (Just(degree), any_knots(degree))).prop_flat_map(|(degree, knots)| {
        let n = knots.len() - degree - 1;
        let aside = prop::collection::vec((-1.5..1.5_f64, -1.5..1.5_f64), n);
        let weights = prop::option::of(prop::collection::vec(0.5..2.0_f64, n));
        (aside, weights).prop_map(move |(aside, weights)| {
            let points: Vec<V3> = aside.iter().enumerate().map(|(i, (y, z))| [i as f64, *y, *z]).collect();
            NurbsCurve::new(degree, knots.clone(), &points, weights.as_deref()).expect("a spline")
        })
    })
}

fn any_frame() -> impl Strategy<Value = Frame> {
    (any_point(), any_point(), any_point()).prop_map(|(origin, axis, towards)| Frame::new(origin, axis, Some(towards)))
}

/// A curve that is told by itself, and a stretch of it.
fn any_simple_curve() -> impl Strategy<Value = (Curve, [f64; 2])> {
    let sizes = (0.3..4.0_f64, 0.3..4.0_f64);
    let stretch = (-2.0..2.0_f64, 0.2..3.0_f64).prop_map(|(a, h)| [a, a + h]);
    let line = (any_point(), any_point(), stretch.clone())
        .prop_filter("a direction", |(_, d, _)| norm(*d) > 0.1)
        .prop_map(|(origin, along, range)| (Curve::Line { origin, along }, range));
    let ellipse = (any_frame(), sizes.clone(), 0.0..TAU, 0.3..TAU)
        .prop_map(|(frame, (a, b), from, turn)| (Curve::Ellipse { frame, a, b }, [from, from + turn]));
    let hyperbola = (any_frame(), sizes, stretch.clone())
        .prop_map(|(frame, (a, b), range)| (Curve::Hyperbola { frame, a, b }, range));
    let parabola = (any_frame(), 0.2..2.0_f64, stretch)
        .prop_map(|(frame, focal, range)| (Curve::Parabola { frame, focal }, range));
    let spline = any_spline().prop_map(|n| {
        let range = n.knots.domain();
        (Curve::Nurbs(Box::new(n)), range)
    });
    prop_oneof![line, ellipse, hyperbola, parabola, spline]
}

/// Any curve, also chains, offsets and curves on surfaces.
fn any_curve() -> impl Strategy<Value = (Curve, [f64; 2])> {
    let chain = prop::collection::vec((any_simple_curve(), any::<bool>()), 1..4).prop_map(|all| {
        let piece = |((curve, [a, b]), back): ((Curve, [f64; 2]), bool)| Piece {
            curve,
            range: if back { [b, a] } else { [a, b] },
        };
        let pieces: Vec<Piece> = all.into_iter().map(piece).collect();
        let end = pieces.len() as f64;
        (Curve::Chain(pieces), [0.0, end])
    });
    let offset = (any_frame(), 2.0..4.0_f64, 1.5..2.0_f64, -0.4..0.4_f64, -0.1..0.1_f64).prop_map(
        |(frame, a, b, by, growth)| {
            let base = Box::new(Curve::Ellipse { frame, a, b });
            (Curve::Offset { base, by, growth, normal: frame.z }, [0.2, 5.0])
        },
    );
    let on_surface = (any_surface(), any_spline()).prop_map(|((surface, sides), plane)| {
        // Into the rectangle of parameters, by the box of its control points.
        let map = |p: V3| {
            let part = |k: usize| (p[k] + 4.0) / 8.0;
            [
                sides[0][0] + (sides[0][1] - sides[0][0]) * part(0),
                sides[1][0] + (sides[1][1] - sides[1][0]) * part(1),
                0.0,
            ]
        };
        let plane = plane.mapped(map);
        let range = plane.knots.domain();
        let (surface, plane) = (Box::new(surface), Box::new(Curve::Nurbs(Box::new(plane))));
        (Curve::OnSurface { surface, plane }, range)
    });
    prop_oneof![3 => any_simple_curve(), 1 => chain, 1 => offset, 1 => on_surface]
}

/// Any surface but an offset, with a rectangle of its parameters in which it is regular.
fn any_surface() -> impl Strategy<Value = (Surface, [[f64; 2]; 2])> {
    let round = (0.0..TAU, 0.4..5.0_f64).prop_map(|(a, h)| [a, a + h]);
    let plane = any_frame().prop_map(|f| (Surface::Plane(f), [[-1.0, 3.0], [0.0, 2.0]]));
    let cylinder = (any_frame(), 0.5..3.0_f64, round.clone())
        .prop_map(|(frame, radius, u)| (Surface::Cylinder { frame, radius }, [u, [-1.0, 2.0]]));
    let cone = (any_frame(), 1.0..3.0_f64, -0.7..0.7_f64, round.clone()).prop_map(|(frame, radius, half_angle, u)| {
        // Away from the tip.
        (Surface::Cone { frame, radius, half_angle }, [u, [-0.8, 0.8]])
    });
    let sphere = (any_frame(), 0.5..3.0_f64, round.clone())
        .prop_map(|(frame, radius, u)| (Surface::Sphere { frame, radius }, [u, [-1.3, 1.2]]));
    let torus = (any_frame(), 2.0..4.0_f64, 0.3..1.6_f64, round.clone(), round.clone())
        .prop_map(|(frame, major, minor, u, v)| (Surface::Torus { frame, major, minor }, [u, v]));
    let extrusion =
        (any_spline(), any_point()).prop_filter("a direction", |(_, d)| norm(*d) > 0.5).prop_map(|(n, along)| {
            let u = n.knots.domain();
            (Surface::Extrusion { profile: Curve::Nurbs(Box::new(n)), along }, [u, [-1.0, 1.5]])
        });
    let revolution = (any_frame(), 0.4..1.2_f64, 0.4..1.2_f64, round).prop_map(|(axis, a, b, u)| {
        let frame = Frame { origin: axis.place([3.0, 0.0, 0.5]), x: axis.x, y: axis.z, z: scale(axis.y, -1.0) };
        (Surface::Revolution { profile: Curve::Ellipse { frame, a, b }, axis }, [u, [0.3, 5.9]])
    });
    let spline = (1..4_usize, 1..4_usize)
        .prop_flat_map(|(p, q)| (Just([p, q]), any_knots(p), any_knots(q)))
        .prop_flat_map(|(degrees, u, v)| {
            let (n, m) = (u.len() - degrees[0] - 1, v.len() - degrees[1] - 1);
            let heights = prop::collection::vec(-0.5..0.5_f64, n * m);
            let weights = prop::option::of(prop::collection::vec(0.5..2.0_f64, n * m));
            (heights, weights).prop_map(move |(heights, weights)| {
                // A sheet that waves: control points over a grid.
                let points: Vec<V3> =
                    heights.iter().enumerate().map(|(i, h)| [(i / m) as f64, (i % m) as f64, *h]).collect();
                let knots = [u.clone(), v.clone()];
                let made = NurbsSurface::new(degrees, knots, m, &points, weights.as_deref()).expect("a surface");
                let sides = [made.u.domain(), made.v.domain()];
                (Surface::Nurbs(Box::new(made)), sides)
            })
        });
    prop_oneof![plane, cylinder, cone, sphere, torus, extrusion, revolution, spline]
}

fn within([a, b]: [f64; 2], part: f64) -> f64 {
    a + (b - a) * part
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    /// Points of spline curves and surfaces are sums of control points by the recursion that defines them.
    #[test]
    fn splines_are_what_their_definition_says(curve in any_spline(), (surface, _) in any_surface(), s in 0.0..=1.0_f64, r in 0.0..=1.0_f64) {
        let t = within(curve.knots.domain(), s);
        let basis = Basis { degree: curve.knots.degree, knots: &curve.knots.values }.all(t);
        let (mut sum, mut weight) = ([0.0; 3], 0.0);
        for ((p, w), b) in curve.control_points().zip(curve.weights()).zip(basis) {
            sum = add(sum, scale(p, w * b));
            weight += w * b;
        }
        prop_assert!(distance(curve.at(t)[0], scale(sum, 1.0 / weight)) < 1e-11, "at {t}");
        if let Surface::Nurbs(n) = &surface {
            let (u, v) = (within(n.u.domain(), s), within(n.v.domain(), r));
            let [along, across] = [(&n.u, u), (&n.v, v)].map(|(k, t)| Basis { degree: k.degree, knots: &k.values }.all(t));
            let (mut sum, mut weight) = ([0.0; 3], 0.0);
            for (i, h) in n.points.iter().enumerate() {
                let b = along[i / n.columns] * across[i % n.columns];
                sum = add(sum, scale([h[0], h[1], h[2]], b));
                weight += h[3] * b;
            }
            prop_assert!(distance(surface.point(u, v), scale(sum, 1.0 / weight)) < 1e-11, "at {u} {v}");
        }
    }

    /// First and second derivatives of every kind of curve are the slopes of its points and of its first derivatives.
    #[test]
    fn curves_have_the_slopes_of_their_points((curve, range) in any_curve(), s in 0.02..0.98_f64) {
        let t = within(range, s);
        let h = 1e-5 * (range[1] - range[0]);
        // Not across a place where the curve may turn sharply.
        prop_assume!(curve.breaks(range).iter().all(|b| (b - t).abs() > 2.0 * h));
        let [_, d, dd] = curve.at(t);
        let slope = |k: usize| scale(sub(curve.at(t + h)[k], curve.at(t - h)[k]), 0.5 / h);
        let size = 1.0 + norm(d) + norm(dd);
        prop_assert!(distance(d, slope(0)) < 1e-5 * size * size, "{d:?} and {:?}", slope(0));
        prop_assert!(distance(dd, slope(1)) < 1e-3 * size * size, "{dd:?} and {:?}", slope(1));
    }

    /// What is moved, turned, mirrored and scaled stands where each of its points goes, with its parameters as they say they
    /// change; a mirror turns normals round.
    #[test]
    fn what_is_moved_stands_where_its_points_go(
        (curve, range) in any_curve(),
        (surface, sides) in any_surface(),
        by in prop::option::of(-0.2..0.2_f64),
        m in any_motion(),
        (s, r) in (0.05..0.95_f64, 0.05..0.95_f64),
    ) {
        let t = within(range, s);
        let size = 1.0 + norm(curve.point(t));
        prop_assert!(distance(curve.moved(&m).point(t), m.point(curve.point(t))) < 1e-9 * m.scale * size, "{curve:?}");
        let surface = match by {
            Some(by) => Surface::Offset { base: Box::new(surface), by },
            None => surface,
        };
        let (u, v) = (within(sides[0], s), within(sides[1], r));
        let [su, sv] = surface.parameter_scale(m.scale);
        let moved = surface.moved(&m);
        let (p, q) = (moved.point(u * su, v * sv), m.point(surface.point(u, v)));
        prop_assert!(distance(p, q) < 1e-9 * m.scale * (1.0 + norm(surface.point(u, v))), "{surface:?}: {p:?} {q:?}");
        let (n, o) = (moved.normal(u * su, v * sv), m.direction(surface.normal(u, v)));
        prop_assert!(distance(n, scale(o, normal_turn(&m))) < 1e-6, "{surface:?}: {n:?} {o:?}");
    }

    /// No point of a curve is nearer than the nearest; what is found is on the curve, within its range.
    #[test]
    fn no_point_of_a_curve_is_nearer_than_the_nearest((curve, range) in any_simple_curve(), p in any_point()) {
        let (t, off) = curve.nearest(p, range);
        prop_assert!(t >= range[0] && t <= range[1]);
        prop_assert!((distance(curve.point(t), p) - off).abs() < 1e-12 * (1.0 + off));
        let around = (0..=4000).map(|i| distance(curve.point(within(range, f64::from(i) / 4000.0)), p));
        let least = around.fold(f64::INFINITY, f64::min);
        // A spline that bends a lot between two knots may hide a nearer place from the search; not by much.
        let slack = if matches!(curve, Curve::Nurbs(_)) { 0.1 * (1.0 + least) } else { 1e-9 };
        prop_assert!(off <= least + slack, "{off} at {t}, {least} by looking");
    }

    /// A point of a spline is found on it, also where control points that coincide leave the spline without a direction.
    #[test]
    fn points_of_a_spline_are_found_on_it(
        curve in any_drawn_spline(),
        twice in prop::option::of(any::<prop::sample::Index>()),
        s in prop_oneof![Just(0.0), Just(1.0), 0.0..=1.0_f64],
    ) {
        let mut curve = curve;
        if let Some(at) = twice.map(|i| i.index(curve.points.len() - 1)) {
            curve.points[at + 1] = curve.points[at];
        }
        let range = curve.knots.domain();
        let p = curve.at(within(range, s))[0];
        let curve = Curve::Nurbs(Box::new(curve));
        let (t, off) = curve.nearest(p, range);
        prop_assert!(off < 1e-7, "{off} at {t} for {}", within(range, s));
        // Of a range without length there is one place.
        let at = within(range, s);
        prop_assert!(curve.nearest(p, [at; 2]) == (at, 0.0));
    }

    /// A place near a surface is found with the distance that a fine grid of its points confirms, from any hint and from none.
    #[test]
    fn places_near_a_surface_are_found(
        (surface, sides) in any_surface(),
        (s, r) in (0.0..=1.0_f64, 0.0..=1.0_f64),
        aside in -0.02..0.02_f64,
        hint in prop::option::of((0.0..1.0_f64, 0.0..1.0_f64)),
    ) {
        let (u, v) = (within(sides[0], s), within(sides[1], r));
        let p = add(surface.point(u, v), scale(surface.normal(u, v), aside));
        let hint = hint.map(|(a, b)| [within(sides[0], a), within(sides[1], b)]);
        let ([x, y], off) = Locator::new(&surface).locate(p, hint);
        prop_assert!((distance(surface.point(x, y), p) - off).abs() < 1e-9 * (1.0 + norm(p)));
        prop_assert!(off <= aside.abs() + 1e-7, "{surface:?}: {off} for {aside}, found at {x} {y}, made at {u} {v}");
    }

    /// Lengths are those of many chords, equal parts are equally long, and the speed is the length of the whole.
    #[test]
    fn by_length_equal_parts_are_equally_long((curve, range) in any_simple_curve(), back: bool, parts in 2..7_usize) {
        let piece = Piece { curve, range: if back { [range[1], range[0]] } else { range } };
        let even = ByLength::new(&piece).expect("it has a length");
        let length = |from: f64, to: f64, at: &dyn Fn(f64) -> V3| {
            let point = |i: u32| at(from + (to - from) * f64::from(i) / 5000.0);
            (0..5000).map(|i| distance(point(i), point(i + 1))).sum::<f64>()
        };
        let total = length(0.0, 1.0, &|s| piece.at(s)[0]);
        prop_assert!((even.total() / total - 1.0).abs() < 5e-4, "{} for {total}", even.total());
        let h = 1.0 / parts as f64;
        for k in 0..parts {
            let part = length(k as f64 * h, (k + 1) as f64 * h, &|s| even.at(s)[0]);
            prop_assert!((part / (total * h) - 1.0).abs() < 1e-3, "part {k} of {parts}: {part} of {total}");
            let speed = norm(even.at((k as f64 + 0.5) * h)[1]);
            prop_assert!((speed / even.total() - 1.0).abs() < 1e-9);
        }
        let ends = [even.at(0.0)[0], even.at(1.0)[0]];
        prop_assert!(distance(ends[0], piece.at(0.0)[0]) + distance(ends[1], piece.at(1.0)[0]) < 1e-9 * (1.0 + total));
    }

    /// Conics as splines are the same curves from end to end, and surfaces as splines the same surfaces with the same normals.
    #[test]
    fn splines_that_stand_for_conics_and_surfaces_are_these(
        (curve, range) in any_simple_curve(),
        (surface, sides) in any_surface(),
        (s, r) in (0.0..=1.0_f64, 0.0..=1.0_f64),
    ) {
        let spline = curve_as_spline(&curve, range).expect("each of these has a form");
        let (p, domain) = (spline.at(within(spline.knots.domain(), s))[0], spline.knots.domain());
        prop_assert!(distance(spline.at(domain[0])[0], curve.point(range[0])) < 1e-9 * (1.0 + norm(p)));
        prop_assert!(distance(spline.at(domain[1])[0], curve.point(range[1])) < 1e-9 * (1.0 + norm(p)));
        let off = match &curve {
            // The same spline: it is not looked for on itself, where it may come by twice.
            Curve::Nurbs(_) => distance(curve.point(within(domain, s)), p),
            _ => curve.nearest(p, range).1,
        };
        prop_assert!(off < 1e-8 * (1.0 + norm(p)), "{curve:?} over {range:?}: {off}");
        let whole = surface_as_spline(&surface, sides).expect("each of these has a form");
        let needed = whole.domain();
        let (u, v) = (within(needed[0], s), within(needed[1], r));
        let (q, locator) = (whole.point(u, v), Locator::new(&surface));
        let (uv, off) = locator.locate(q, Some([u, v]));
        prop_assert!(off < 1e-7 * (1.0 + norm(q)), "{surface:?}: {off}");
        let turned = dot(whole.normal(u, v), surface.normal(uv[0], uv[1]));
        prop_assert!(turned > 0.999, "{surface:?}: normals agree by {turned} at {u} {v}");
    }

    /// Swept lines and circles that are planes, cylinders, cones, spheres and tori are told as those, with the same points and
    /// the side of the normal as said; sizes are the closed forms.
    #[test]
    fn swept_curves_that_are_elementary_are_told_so(
        axis in any_frame(),
        (radius, height) in (0.5..3.0_f64, -2.0..2.0_f64),
        tilt in -1.2..1.2_f64,
        turn in 0.0..TAU,
        kind in 0..6_usize,
        back: bool,
        (s, r) in (0.1..0.9_f64, 0.1..0.9_f64),
    ) {
        // In a plane with the axis, at some angle about it.
        let out = add(scale(axis.x, turn.cos()), scale(axis.y, turn.sin()));
        let across = add(scale(axis.y, turn.cos()), scale(axis.x, -turn.sin()));
        let start = add(add(axis.origin, scale(out, 4.0)), scale(axis.z, height));
        let sign = if back { -1.0 } else { 1.0 };
        let rising = add(scale(out, tilt.sin() * sign), scale(axis.z, tilt.cos() * sign));
        let circle = |origin: V3| Curve::Ellipse {
            frame: Frame { origin, x: out, y: axis.z, z: scale(across, -1.0) }, a: radius, b: radius,
        };
        let flat_circle = Curve::Ellipse {
            frame: Frame { origin: start, x: out, y: scale(across, sign), z: scale(axis.z, sign) }, a: radius, b: radius,
        };
        let (swept, name) = match kind {
            0 => (Surface::Extrusion { profile: Curve::Line { origin: start, along: out }, along: rising }, "plane"),
            1 => (Surface::Extrusion { profile: flat_circle, along: scale(axis.z, sign * 2.0) }, "cylinder"),
            2 => (Surface::Revolution { profile: Curve::Line { origin: start, along: scale(axis.z, sign) }, axis }, "cylinder"),
            3 => (Surface::Revolution { profile: Curve::Line { origin: start, along: rising }, axis }, "cone"),
            4 => (Surface::Revolution { profile: circle(add(axis.origin, scale(axis.z, height))), axis }, "sphere"),
            _ => (Surface::Revolution { profile: circle(start), axis }, "torus"),
        };
        prop_assume!(kind != 3 || tilt.abs() > 0.05);
        prop_assume!(kind != 0 || tilt.cos().abs() > 0.05);
        let domain = swept.bounded_domain();
        let (simple, flipped) = swept.clone().simplified(10.0);
        prop_assert_eq!(simple.kind(), name, "{:?}", swept);
        match &simple {
            Surface::Cylinder { radius: found, .. } if kind == 1 => prop_assert!((found - radius).abs() < 1e-9),
            Surface::Cylinder { radius: found, .. } => prop_assert!((found - 4.0).abs() < 1e-9),
            Surface::Cone { half_angle, .. } => {
                prop_assert!((half_angle.abs() - tilt.abs()).abs() < 1e-9, "{half_angle} for {tilt}");
            }
            Surface::Sphere { radius: found, .. } => prop_assert!((found - radius).abs() < 1e-9),
            Surface::Torus { major, minor, .. } => prop_assert!((major - 4.0).abs() + (minor - radius).abs() < 1e-9),
            _ => {}
        }
        let (u, v) = (within(domain[0], s), within(domain[1], r));
        // On a sphere half of the circle would do; the other half is the same sphere seen from behind.
        prop_assume!(kind != 4 || dot(sub(swept.point(u, v), add(axis.origin, scale(axis.z, height))), scale(axis.z, 1.0)).abs() < 0.99 * radius);
        let (uv, off) = Locator::new(&simple).locate(swept.point(u, v), None);
        prop_assert!(off < 1e-9 * 20.0, "{off}");
        let way = if flipped { -1.0 } else { 1.0 };
        let agree = way * dot(simple.normal(uv[0], uv[1]), swept.normal(u, v));
        prop_assert!(kind == 4 || agree > 0.999, "{swept:?} as {simple:?}, flipped {flipped}: {agree}");
    }
}

/// What is told wrongly is refused with its reason, and never panics.
#[test]
fn splines_that_cannot_be_are_refused() {
    let points = [[0.0; 3], [1.0, 0.0, 0.0], [2.0, 1.0, 0.0], [3.0, 0.0, 0.0]];
    let knots = vec![0.0, 0.0, 0.0, 0.5, 1.0, 1.0, 1.0];
    let weights = [1.0, 1.0, 0.0, 1.0];
    assert!(NurbsCurve::new(2, knots.clone(), &points, None).is_ok());
    for (what, made) in [
        ("falling knots", NurbsCurve::new(2, vec![0.0, 0.0, 0.0, 1.5, 1.0, 1.0, 1.0], &points, None)),
        ("too few knots", NurbsCurve::new(2, knots[..6].to_vec(), &points, None)),
        ("too many knots", NurbsCurve::new(2, [knots.clone(), vec![2.0]].concat(), &points, None)),
        ("a knot that is no number", NurbsCurve::new(2, vec![0.0, 0.0, 0.0, f64::NAN, 1.0, 1.0, 1.0], &points, None)),
        ("knots of no length", NurbsCurve::new(2, vec![1.0; 7], &points, None)),
        ("a weight of zero", NurbsCurve::new(2, knots.clone(), &points, Some(&weights))),
        ("a degree beyond the points", NurbsCurve::new(7, vec![0.0; 12], &points, None)),
        ("no points", NurbsCurve::new(2, knots.clone(), &[], None)),
    ] {
        assert!(made.is_err(), "{what}: {made:?}");
    }
    let grid = NurbsSurface::new([2, 2], [knots.clone(), knots], 4, &[[0.0; 3]; 15], None);
    assert!(grid.is_err(), "a grid that is not full");
}

/// A motion and what undoes it: a place comes back, and a motion after another is both.
#[test]
fn motions_follow_each_other() {
    let frame = Frame::new([3.0, -1.0, 2.0], [1.0, 2.0, 3.0], Some([0.0, 1.0, 0.2]));
    let mirrored = Frame { y: scale(frame.y, -1.0), ..frame };
    let p = [0.3, -4.0, 7.5];
    for outer in [Motion { frame, scale: 2.5 }, Motion { frame: mirrored, scale: 0.2 }] {
        for inner in [Motion { frame: mirrored, scale: 3.0 }, Motion { frame, scale: 1.0 }] {
            let both = outer.after(&inner);
            assert!(distance(both.point(p), outer.point(inner.point(p))) < 1e-12 * 40.0);
            assert_eq!(both.frame.is_mirrored(), outer.frame.is_mirrored() != inner.frame.is_mirrored());
            let (v, w) = (unit([1.0, 2.0, -0.5]).expect("a direction"), both.direction([1.0, 2.0, -0.5]));
            assert!(
                distance(unit(w).expect("a direction"), unit(outer.direction(inner.direction(v))).expect("one"))
                    < 1e-12
            );
        }
        let back = outer.frame.inverse();
        assert!(distance(back.place(outer.frame.place(p)), p) < 1e-12 * 20.0);
        assert!(distance(outer.frame.local(outer.frame.place(p)), p) < 1e-12 * 20.0);
    }
}
