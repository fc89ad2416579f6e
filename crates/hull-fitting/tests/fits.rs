//! Fits against closed forms: exact points give the shape back, noisy ones within what statistics allow.

use hull_fitting::align::{Rigid, by_directions, by_pairs, by_points, by_principal_axes, by_smallest_box};
use hull_fitting::register::{Options, Sampled, register};
use hull_fitting::{Fit, FitError, Kind, Shape, fit};
use hull_geometry::shapes::{cone, cuboid, torus};
use hull_geometry::transform::{Axis, Matrix};
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{Mesh, Point, Rebuilt, Watch};
use proptest::prelude::*;

/// A sequence of numbers from 0 to 1 that looks random and is always the same.
struct Numbers(u64);

impl Numbers {
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }

    /// Normal distribution (G. Box and M. Muller, 1958).
    fn normal(&mut self) -> f64 {
        let (u, v) = (self.next().max(1e-300), self.next());
        (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
    }

    fn direction(&mut self) -> V3 {
        loop {
            let v = [self.normal(), self.normal(), self.normal()];
            if let Some(u) = unit(v) {
                return u;
            }
        }
    }
}

fn rotation(n: &mut Numbers) -> Matrix {
    let z = n.direction();
    let x = unit(cross(n.direction(), z)).unwrap_or([1.0, 0.0, 0.0]);
    [x, cross(z, x), z]
}

/// Points on a patch of a shape: part of the turn, part of the height, each moved along the normal by noise.
fn patch(kind: Kind, rigid: &Rigid, turn: f64, noise: f64, count: usize, n: &mut Numbers) -> Vec<Point> {
    (0..count)
        .map(|_| {
            let (a, b) = (turn * std::f64::consts::TAU * n.next(), n.next());
            let out = noise * n.normal();
            let local = match kind {
                Kind::Plane => [30.0 * n.next(), 20.0 * b, out],
                Kind::Line => [30.0 * b, 0.0, 0.0],
                Kind::Circle => [12.0 * a.cos(), 12.0 * a.sin(), 0.0],
                Kind::Cylinder => [(12.0 + out) * a.cos(), (12.0 + out) * a.sin(), 25.0 * b],
                Kind::Sphere => {
                    let (r, h) = (12.0 + out, 1.4 * b - 0.7);
                    let s = (1.0_f64 - h * h).sqrt();
                    [r * s * a.cos(), r * s * a.sin(), r * h]
                }
                Kind::Cone => {
                    let (l, half) = (10.0 + 20.0 * b, 20.0_f64.to_radians());
                    let (r, h) = (l * half.sin() + out * half.cos(), l * half.cos() - out * half.sin());
                    [r * a.cos(), r * a.sin(), h]
                }
                Kind::Torus => {
                    let (r, t) = (5.0 + out, std::f64::consts::TAU * b);
                    [(20.0 + r * t.cos()) * a.cos(), (20.0 + r * t.cos()) * a.sin(), r * t.sin()]
                }
            };
            rigid.place(local)
        })
        .collect()
}

fn sizes(shape: &Shape) -> [f64; 2] {
    match *shape {
        Shape::Circle { radius, .. } | Shape::Cylinder { radius, .. } | Shape::Sphere { radius, .. } => [radius, 0.0],
        Shape::Cone { half_angle, .. } => [half_angle, 0.0],
        Shape::Torus { major, minor, .. } => [major, minor],
        Shape::Plane { .. } | Shape::Line { .. } => [0.0; 2],
    }
}

fn meant(kind: Kind) -> [f64; 2] {
    match kind {
        Kind::Circle | Kind::Cylinder | Kind::Sphere => [12.0, 0.0],
        Kind::Cone => [20.0, 0.0],
        Kind::Torus => [20.0, 5.0],
        Kind::Plane | Kind::Line => [0.0; 2],
    }
}

fn fitted(kind: Kind, points: &[Point]) -> Fit {
    fit(kind, points, &[], &Watch::default()).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Exact points of a patch of at least a third of a turn, anywhere: the shape within 1e-9 of its size.
    #[test]
    fn exact_points_give_the_shape(seed in any::<u64>(), turn in 0.35..1.0_f64) {
        let mut n = Numbers(seed);
        for kind in Kind::ALL {
            let far = scale(n.direction(), 300.0 * n.next());
            let rigid = Rigid { rotation: rotation(&mut n), shift: far };
            let points = patch(kind, &rigid, turn, 0.0, 300, &mut n);
            let found = fitted(kind, &points);
            prop_assert!(found.largest < 1e-9 * 30.0, "{kind:?}: {found:?}");
            let (is, be) = (sizes(&found.shape), meant(kind));
            prop_assert!((is[0] - be[0]).abs() < 1e-7 && (is[1] - be[1]).abs() < 1e-7, "{kind:?}: {found:?}");
            if let (Some(d), false) = (found.shape.direction(), kind == Kind::Line) {
                let z = rigid.turn([0.0, 0.0, 1.0]);
                prop_assert!(norm(cross(d, z)) < 1e-8, "{kind:?}: {found:?}");
            }
            // What is told of a point agrees with where it was made.
            let outside = add(rigid.place([0.0, 0.0, 0.0]), rigid.turn([0.0, 0.0, 7.0]));
            if kind == Kind::Plane { prop_assert!((found.shape.distance(outside) - 7.0).abs() < 1e-8); }
        }
    }

    /// 3-2-1: the plane becomes horizontal through the origin, the line runs along x, the body is above.
    #[test]
    fn three_two_one(seed in any::<u64>()) {
        let mut n = Numbers(seed);
        let rigid = Rigid { rotation: rotation(&mut n), shift: scale(n.direction(), 50.0) };
        let p = |x, y, z| rigid.place([x, y, z]);
        let got = by_points([p(0.0, 0.0, 0.0), p(9.0, 1.0, 0.0), p(2.0, 8.0, 0.0)], Axis::PlusZ, [p(1.0, 1.0, 0.4), p(6.0, 1.0, 0.1)], Axis::PlusX, p(3.0, 4.0, 5.0), p(1.0, 1.0, 2.0)).unwrap();
        let back = got.after(&rigid);
        prop_assert!(distance(back.place([3.0, 4.0, 0.0]), [0.0; 3]) < 1e-12 * 100.0);
        prop_assert!(distance(back.turn([0.0, 0.0, 1.0]), [0.0, 0.0, 1.0]) < 1e-12);
        prop_assert!(distance(back.turn([1.0, 0.0, 0.0]), [1.0, 0.0, 0.0]) < 1e-12);
    }

    /// Points moved by a known motion come back by it; no mirror even where all lie in a plane.
    #[test]
    fn pairs_tell_the_motion(seed in any::<u64>(), flat in any::<bool>()) {
        let mut n = Numbers(seed);
        let rigid = Rigid { rotation: rotation(&mut n), shift: scale(n.direction(), 50.0) };
        let from: Vec<Point> = (0..5).map(|_| [9.0 * n.next(), 7.0 * n.next(), if flat { 0.0 } else { 5.0 * n.next() }]).collect();
        let to: Vec<Point> = from.iter().map(|p| rigid.place(*p)).collect();
        let (got, rms) = by_pairs(&from, &to).unwrap();
        prop_assert!(rms < 1e-11);
        prop_assert!(distance(got.place([1.0, 2.0, 3.0]), rigid.place([1.0, 2.0, 3.0])) < 1e-9);
    }
}

/// The radius of a noisy full cylinder is within four standard deviations of the Cramér–Rao bound σ/√n, for 40 of 40.
#[test]
fn noise_stays_within_the_bound() {
    let mut n = Numbers(7);
    for seed in 0..40 {
        let mut own = Numbers(seed * 977 + 5);
        let rigid = Rigid { rotation: rotation(&mut own), shift: scale(own.direction(), 20.0) };
        let (count, sigma) = (2000, 0.05);
        for kind in [Kind::Cylinder, Kind::Sphere] {
            let points = patch(kind, &rigid, 1.0, sigma, count, &mut n);
            let found = fitted(kind, &points);
            let bound = sigma / (count as f64).sqrt();
            let off = (sizes(&found.shape)[0] - 12.0).abs();
            // The maximum of 80 draws of a normal distribution passes four deviations once in 200 such tests.
            assert!(off < 4.0 * 1.3 * bound, "{kind:?} {seed}: {off} against {bound}");
            assert!((found.rms / sigma - 1.0).abs() < 0.1, "{kind:?} {seed}: {}", found.rms);
        }
    }
}

#[test]
fn what_the_points_do_not_tell_is_refused() {
    let line: Vec<Point> = (0..20).map(|i| [f64::from(i), 0.0, 0.0]).collect();
    let refused = |kind, points: &[Point]| fit(kind, points, &[], &Watch::default());
    assert_eq!(refused(Kind::Plane, &line), Err(FitError::Undetermined("plane")));
    assert_eq!(refused(Kind::Sphere, &line[..3]), Err(FitError::TooFew { kind: "sphere", least: 4, points: 3 }));
    assert_eq!(refused(Kind::Line, &[[1.0; 3]; 5]), Err(FitError::Undetermined("line")));
    assert!(by_directions([1.0, 0.0, 0.0], Axis::PlusZ, [2.0, 0.0, 0.0], Axis::PlusX, [0.0; 3]).is_err());
}

fn turned(mesh: &Mesh, rigid: &Rigid) -> Mesh {
    Mesh { points: mesh.points.iter().map(|p| rigid.place(*p)).collect(), ..mesh.clone() }
}

#[test]
fn a_turned_box_comes_straight() {
    let mut n = Numbers(3);
    for _ in 0..10 {
        let rigid = Rigid { rotation: rotation(&mut n), shift: scale(n.direction(), 40.0) };
        let mesh = turned(&cuboid([30.0, 20.0, 10.0]), &rigid);
        for got in [by_principal_axes(&mesh, &mesh.points.raw).unwrap(), by_smallest_box(&mesh.points.raw).unwrap()] {
            let size = turned(&mesh, &got).bounds().size();
            assert!(distance(size, [30.0, 20.0, 10.0]) < 1e-9, "{size:?}");
            // Its middle stays.
            let (a, b) = (mesh.bounds().centre(), turned(&mesh, &got).bounds().centre());
            assert!(distance(a, b) < 1e-9);
        }
    }
}

/// A surface of no symmetry, and the part of it ahead of a plane: 60 % of its area or so.
fn scans() -> (Mesh, Mesh) {
    let mut whole = torus(30.0, 9.0, 60, 24);
    let mut lump = cuboid([14.0, 9.0, 22.0]);
    hull_geometry::transform::translate(&mut lump, [35.0, -20.0, -7.0]);
    whole.append(&lump);
    let mut horn = cone(8.0, 30.0, 24);
    hull_geometry::transform::translate(&mut horn, [-25.0, 10.0, 8.0]);
    whole.append(&horn);
    let middle = whole.bounds().centre();
    let part = Rebuilt::keeping(&whole, |f| {
        let c = whole.corners(f);
        let c = scale(add(add(c[0], c[1]), c[2]), 1.0 / 3.0);
        dot(sub(c, middle), [0.6, 0.8, 0.0]) < 6.0
    });
    (whole, part.mesh)
}

/// From anywhere: parts of 60 % and more of a surface with 1 % noise come back onto the whole, for 8 of 8.
#[test]
fn parts_come_back_from_anywhere() {
    let (whole, part) = scans();
    let target = Sampled::of_mesh(&whole, 20_000);
    let size = whole.bounds().diagonal();
    let mut n = Numbers(11);
    for case in 0..8 {
        let away = Rigid { rotation: rotation(&mut n), shift: scale(n.direction(), 100.0) };
        let mut body = Sampled::of_mesh(&turned(&part, &away), 6_000);
        let noise = 0.002 * size;
        for p in &mut body.points {
            *p = add(*p, [noise * n.normal(), noise * n.normal(), noise * n.normal()]);
        }
        let got = register(&body, &target, Options { overlap: 0.95, from_scratch: true }, &Watch::default()).unwrap();
        let off = part.points.iter().map(|p| distance(got.motion.place(away.place(*p)), *p)).fold(0.0, f64::max);
        assert!(off < 0.01 * size, "case {case}: off by {off} of {size}");
        assert!(got.rms < 2.0 * noise, "case {case}: {} left", got.rms);
    }
}

/// Normals of a file are taken as directions whatever their length, but not where one has none: nothing may collapse onto it.
#[test]
fn normals_without_length_are_not_taken() {
    let mut n = Numbers(77);
    let points = rough_ball(&mut n, 60);
    let long: Vec<[f32; 3]> = points.iter().map(|p| p.map(|x| 3.0 * x as f32)).collect();
    let of = Sampled::of_points(&points, &long, 60);
    assert!(of.facing && of.normals.iter().all(|d| (norm(*d) - 1.0).abs() < 1e-12));
    let mut some = long;
    some[7] = [0.0; 3];
    let of = Sampled::of_points(&points, &some, 60);
    assert!(!of.facing && of.normals.iter().all(|d| (norm(*d) - 1.0).abs() < 1e-9));
    let away = Rigid { rotation: rotation(&mut n), shift: [4.0, 0.0, -2.0] };
    let seen: Vec<Point> = points.iter().map(|p| away.place(*p)).collect();
    let seen = Sampled::of_points(&seen, &vec![[0.0; 3]; 60], 60);
    let got = register(&seen, &of, Options { overlap: 1.0, from_scratch: true }, &Watch::default()).unwrap();
    let off = points.iter().map(|p| distance(got.motion.place(away.place(*p)), *p)).fold(0.0, f64::max);
    assert!(off < 1e-6, "off by {off}");
}

/// Points of a rough ball: an ellipsoid whose radius goes up and down by waves, some 10 % of it.
fn rough_ball(n: &mut Numbers, count: usize) -> Vec<Point> {
    let waves: Vec<V3> = (0..7).map(|_| [2.5 * n.normal(), 2.5 * n.normal(), 2.5 * n.normal()]).collect();
    let radius = |d: V3| 1.0 + 0.04 * waves.iter().enumerate().map(|(k, w)| (dot(d, *w) + k as f64).sin()).sum::<f64>();
    (0..count)
        .map(|_| {
            let d = n.direction();
            let r = radius(d);
            [d[0] * r, 0.8 * d[1] * r, 0.6 * d[2] * r]
        })
        .collect()
}

/// From anywhere: two scans of one object that share 60 % of what each has, both with noise of 1 % of the radius and
/// without normals, come together. `outside/arrivals.py` does the same for 50.
#[test]
fn scans_that_overlap_in_part_come_together() {
    for seed in 0..4 {
        let mut n = Numbers(500 + seed);
        let (mut points, along) = (rough_ball(&mut n, 10_000), n.direction());
        points.sort_by(|a, b| dot(*a, along).total_cmp(&dot(*b, along)));
        let (two, five) = (points.len() * 2 / 7, points.len() * 5 / 7);
        // No point is in both: a scanner never meets the same place twice.
        let every = |from: &[Point], start: usize| from.iter().copied().skip(start).step_by(2).collect::<Vec<_>>();
        let (first, other) = (every(&points[two..], two % 2), every(&points[..five], 1));
        let away = Rigid { rotation: rotation(&mut n), shift: scale(n.direction(), 3.0) };
        let mut noisy = |p: Point| add(p, [0.01 * n.normal(), 0.01 * n.normal(), 0.01 * n.normal()]);
        let seen: Vec<Point> = first.iter().map(|p| away.place(noisy(*p))).collect();
        let onto: Vec<Point> = other.iter().map(|p| noisy(*p)).collect();
        let (seen, onto) = (Sampled::of_points(&seen, &[], 40_000), Sampled::of_points(&onto, &[], 40_000));
        let how = Options { overlap: 0.6, from_scratch: true };
        let got = register(&seen, &onto, how, &Watch::default()).unwrap();
        let off = first.iter().map(|p| distance(got.motion.place(away.place(*p)), *p)).fold(0.0, f64::max);
        assert!(off < 0.02, "seed {seed}: off by {off}");
    }
}
