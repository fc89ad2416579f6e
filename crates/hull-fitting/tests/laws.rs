//! Fits and alignments against what defines them: nothing near a fit is better, what is moved is fitted where it went, and
//! motions are what plain formulas and searches give.

use hull_fitting::align::{
    AlignError, Rigid, by_directions, by_pairs, by_principal_axes, by_smallest_box, symmetric_axes,
};
use hull_fitting::outline::{Piece, fitted, on_span};
use hull_fitting::quick::quick_cylinder;
use hull_fitting::register::{Options, Sampled, register};
use hull_fitting::{Kind, Shape, fit};
use hull_geometry::mesh::Bounds;
use hull_geometry::transform::Axis;
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{Mesh, Point, PointId, Watch};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

fn points_in(size: f64, count: std::ops::Range<usize>) -> impl Strategy<Value = Vec<Point>> {
    prop::collection::vec(prop::array::uniform3(-size..size), count)
}

fn directions() -> impl Strategy<Value = V3> {
    prop::array::uniform3(-1.0..1.0_f64).prop_filter_map("of some length", |v| unit(v).filter(|_| norm(v) > 0.1))
}

/// Turns of up to half a turn about any axis, and shifts.
fn rigids() -> impl Strategy<Value = Rigid> {
    (directions(), 0.0..180.0_f64, prop::array::uniform3(-80.0..80.0_f64))
        .prop_map(|(axis, angle, shift)| Rigid { shift, ..Rigid::turned_by(scale(axis, angle)) })
}

/// Two directions across a third.
fn across(z: V3) -> [V3; 2] {
    let aside = if z[0].abs() < 0.6 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] };
    let x = unit(cross(aside, z)).unwrap();
    [x, cross(z, x)]
}

/// A place of a shape by two parameters from 0 to 1, as its definition says; lines and planes reach 40 to each side, cones and
/// cylinders 40 along their axes.
fn place_on(shape: &Shape, u: f64, v: f64) -> Point {
    let d = shape.direction().unwrap_or([0.0, 0.0, 1.0]);
    let [x, y] = across(d);
    let put = |a: f64, b: f64, c: f64| add(shape.at(), add(add(scale(x, a), scale(y, b)), scale(d, c)));
    let (s, c) = (TAU * u).sin_cos();
    match *shape {
        Shape::Plane { .. } => put(80.0 * u - 40.0, 80.0 * v - 40.0, 0.0),
        Shape::Line { .. } => put(0.0, 0.0, 80.0 * v - 40.0),
        Shape::Circle { radius, .. } => put(radius * c, radius * s, 0.0),
        Shape::Cylinder { radius, .. } => put(radius * c, radius * s, 80.0 * v - 40.0),
        Shape::Sphere { radius, .. } => {
            let (p, q) = (PI * v).sin_cos();
            put(radius * p * c, radius * p * s, radius * q)
        }
        Shape::Cone { half_angle, .. } => {
            let r = 40.0 * v * half_angle.to_radians().tan();
            put(r * c, r * s, 40.0 * v)
        }
        Shape::Torus { major, minor, .. } => {
            let (p, q) = (TAU * v).sin_cos();
            put((major + minor * q) * c, (major + minor * q) * s, minor * p)
        }
    }
}

/// A shape of each kind, with sizes of 5 to 20.
fn shape_of(kind: Kind, at: Point, direction: V3, radius: f64) -> Shape {
    match kind {
        Kind::Plane => Shape::Plane { at, normal: direction },
        Kind::Line => Shape::Line { at, direction },
        Kind::Circle => Shape::Circle { at, normal: direction, radius },
        Kind::Cylinder => Shape::Cylinder { at, direction, radius },
        Kind::Sphere => Shape::Sphere { at, radius },
        Kind::Cone => Shape::Cone { at, direction, half_angle: 2.0 * radius },
        Kind::Torus => Shape::Torus { at, direction, major: 2.0 * radius, minor: 0.7 * radius },
    }
}

fn shapes() -> impl Strategy<Value = Shape> {
    (0_usize..7, prop::array::uniform3(-30.0..30.0_f64), directions(), 5.0..20.0_f64)
        .prop_map(|(k, at, direction, radius)| shape_of(Kind::ALL[k], at, direction, radius))
}

/// The same shape with its numbers changed a little: its place, its direction, its sizes.
fn varied(shape: &Shape, by: &[f64; 8], much: f64) -> Shape {
    let turned = Rigid::turned_by(scale([by[0], by[1], by[2]], much));
    let shift = scale([by[3], by[4], by[5]], much);
    let mut out = shape.moved(|p| add(p, shift), |d| turned.turn(d), 1.0);
    match &mut out {
        Shape::Plane { .. } | Shape::Line { .. } => {}
        Shape::Circle { radius, .. } | Shape::Cylinder { radius, .. } | Shape::Sphere { radius, .. } => {
            *radius += much * by[6];
        }
        Shape::Cone { half_angle, .. } => *half_angle += much * by[6],
        Shape::Torus { major, minor, .. } => (*major, *minor) = (*major + much * by[6], *minor + much * by[7]),
    }
    out
}

fn squares(shape: &Shape, points: &[Point]) -> f64 {
    points.iter().map(|p| shape.distance(*p).powi(2)).sum()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// The distance from a shape is that to the nearest of many places of it, as its definition draws them.
    #[test]
    fn a_distance_is_the_least(shape in shapes(), p in prop::array::uniform3(-25.0..25.0_f64)) {
        // Within the part that is drawn, so that the foot is on it.
        let p = add(shape.at(), p);
        let d = shape.distance(p);
        let n = 160;
        let least = (0..=n)
            .flat_map(|i| (0..=n).map(move |j| (f64::from(i) / f64::from(n), f64::from(j) / f64::from(n))))
            .map(|(u, v)| distance(p, place_on(&shape, u, v)))
            .fold(f64::INFINITY, f64::min);
        // Half a diagonal of the net: sizes are at most 120 around, 80 along.
        let net = 0.5 * (TAU * 54.0_f64).hypot(TAU * 14.0) / f64::from(n);
        prop_assert!(least >= d - 1e-9, "{shape:?}: a place at {least}, told {d}");
        prop_assert!(least <= d + net, "{shape:?}: the nearest at {least}, told {d}");
        for (u, v) in [(0.1, 0.2), (0.7, 0.9), (0.4, 0.5)] {
            prop_assert!(shape.distance(place_on(&shape, u, v)) < 1e-9);
        }
    }

    /// Distances go along with a motion and with a scale, and curves that show a shape lie on it, but for its axis.
    #[test]
    fn shapes_are_moved_with_their_distances(
        shape in shapes(),
        rigid in rigids(),
        factor in 0.05..20.0_f64,
        p in prop::array::uniform3(-60.0..60.0_f64),
    ) {
        let place = |p: Point| scale(rigid.place(p), factor);
        let moved = shape.moved(place, |d| rigid.turn(d), factor);
        prop_assert!((moved.distance(place(p)) - factor * shape.distance(p)).abs() < 1e-9 * factor * 200.0);
        for line in shape.drawn(50.0) {
            let round = line.len() > 5;
            let flat = shape.kind() == Kind::Plane && line.len() == 5;
            if round || flat || shape.kind() == Kind::Line {
                prop_assert!(line.iter().all(|p| shape.distance(*p) < 1e-9 * 100.0), "{shape:?}");
            } else {
                // The axis: all of it as far from a round surface, or through the middle.
                let d = shape.direction().unwrap();
                prop_assert!(line.iter().all(|p| norm(cross(sub(*p, shape.at()), d)) < 1e-9), "{shape:?}");
            }
        }
    }

    /// Least squares: of shapes nearby, however they are varied, none has a smaller sum; the root mean square and the largest
    /// distance are those of the points, whatever their order.
    #[test]
    fn nothing_near_a_fit_is_better(
        shape in shapes(),
        places in prop::collection::vec((0.0..0.6_f64, 0.05..0.7_f64, prop::array::uniform3(-0.3..0.3_f64)), 60..200),
        vary in prop::collection::vec(prop::array::uniform8(-1.0..1.0_f64), 30),
    ) {
        let points: Vec<Point> = places.iter().map(|(u, v, off)| add(place_on(&shape, *u, *v), *off)).collect();
        let found = fit(shape.kind(), &points, &[], &Watch::default()).unwrap();
        let sum = squares(&found.shape, &points);
        prop_assert!((found.rms - (sum / points.len() as f64).sqrt()).abs() < 1e-9);
        let largest = points.iter().map(|p| found.shape.distance(*p)).fold(0.0, f64::max);
        prop_assert_eq!((found.largest, found.points), (largest, points.len()));
        prop_assert!(sum <= squares(&shape, &points) * (1.0 + 1e-9), "{shape:?} is nearer than {found:?}");
        for by in &vary {
            for much in [1e-3, 0.03, 0.5] {
                let other = squares(&varied(&found.shape, by, much), &points);
                prop_assert!(other >= sum * (1.0 - 1e-7), "{:?}: {other} near {sum}", found.shape);
            }
        }
        let mut turned = points.clone();
        turned.reverse();
        let again = fit(shape.kind(), &turned, &[], &Watch::default()).unwrap();
        prop_assert!((again.rms - found.rms).abs() < 1e-6 * found.rms, "{} and {}", again.rms, found.rms);
    }

    /// What is moved and enlarged is fitted where it went.
    #[test]
    fn a_fit_goes_along(
        shape in shapes(),
        places in prop::collection::vec((0.0..0.7_f64, 0.05..0.8_f64, prop::array::uniform3(-0.1..0.1_f64)), 80..120),
        rigid in rigids(),
        factor in 0.01..100.0_f64,
    ) {
        let points: Vec<Point> = places.iter().map(|(u, v, off)| add(place_on(&shape, *u, *v), *off)).collect();
        let place = |p: &Point| scale(rigid.place(*p), factor);
        let there: Vec<Point> = points.iter().map(place).collect();
        let (here, there) = (fit(shape.kind(), &points, &[], &Watch::default()).unwrap(), fit(shape.kind(), &there, &[], &Watch::default()).unwrap());
        prop_assert!((there.rms / factor - here.rms).abs() < 1e-6 * here.rms, "{here:?} and {there:?}");
        for (p, _) in points.iter().zip(0..20) {
            let [a, b] = [here.shape.distance(*p), there.shape.distance(place(p)) / factor];
            prop_assert!((a - b).abs() < 1e-5, "{a} and {b}: {here:?} and {there:?}");
        }
    }

    /// A cylinder told by normals is the one that the facets lie on; facets of a plane, a ball and a cone are none.
    #[test]
    fn a_quick_cylinder_is_one(at in prop::array::uniform3(-30.0..30.0_f64), d in directions(), r in 1.0..20.0_f64, turn in 0.3..1.0_f64) {
        let on = |kind: Kind| {
            let shape = shape_of(kind, at, d, r);
            let places: Vec<Point> = (0..90).map(|i| place_on(&shape, turn * (f64::from(i) * 0.618).fract(), 0.2 + 0.6 * f64::from(i) / 90.0)).collect();
            let normals: Vec<V3> = places.iter().map(|p| {
                let v = sub(*p, at);
                let out = sub(v, scale(d, dot(v, d)));
                match shape {
                    Shape::Cylinder { .. } => unit(out).unwrap(),
                    Shape::Cone { half_angle, .. } => {
                        let (s, c) = half_angle.to_radians().sin_cos();
                        sub(scale(unit(out).unwrap(), c), scale(d, s))
                    }
                    Shape::Sphere { .. } => unit(v).unwrap(),
                    _ => d,
                }
            }).collect();
            quick_cylinder(&places, &normals)
        };
        let (place, axis, radius) = on(Kind::Cylinder).unwrap();
        prop_assert!(norm(cross(axis, d)) < 1e-6 && (radius / r - 1.0).abs() < 1e-6);
        prop_assert!(norm(cross(sub(place, at), d)) < 1e-5 * r.max(30.0));
        prop_assert!(on(Kind::Plane).is_none() && on(Kind::Sphere).is_none());
        prop_assert!(r < 3.0 || on(Kind::Cone).is_none(), "{:?}", on(Kind::Cone));
    }

    /// Motions are a group: forth and back, one after another in any grouping; the three numbers of a turn give it back and
    /// turn as Rodrigues' formula says.
    #[test]
    fn motions_are_a_group(a in rigids(), b in rigids(), c in rigids(), p in prop::array::uniform3(-50.0..50.0_f64)) {
        let near = |x: Point, y: Point| distance(x, y) < 1e-10 * 500.0;
        prop_assert!(near(a.inverse().place(a.place(p)), p) && near(a.place(a.inverse().place(p)), p));
        prop_assert!(near(a.after(&b).place(p), a.place(b.place(p))));
        prop_assert!(near(a.after(&b).after(&c).place(p), a.after(&b.after(&c)).place(p)));
        let v = a.turn_vector();
        prop_assert!((norm(v) - a.angle()).abs() < 1e-6, "{v:?} and {}", a.angle());
        prop_assert!(near(Rigid::turned_by(v).turn(p), a.turn(p)));
        prop_assert!((dot(a.turn(p), a.turn(a.turn(p))) - dot(p, a.turn(p))).abs() < 1e-9 * 2500.0);
        if let Some(k) = unit(v) {
            let (s, c) = norm(v).to_radians().sin_cos();
            let rodrigues = add(add(scale(p, c), scale(cross(k, p), s)), scale(k, dot(k, p) * (1.0 - c)));
            prop_assert!(near(a.turn(p), rodrigues));
        }
    }

    /// Eigenvectors are what they are defined by, right-handed and in order.
    #[test]
    fn axes_of_a_matrix_are_its_eigenvectors(x in prop::array::uniform6(-9.0..9.0_f64)) {
        let m = [[x[0], x[3], x[4]], [x[3], x[1], x[5]], [x[4], x[5], x[2]]];
        let (axes, values) = symmetric_axes(m);
        for (v, value) in axes.iter().zip(values) {
            let mv = m.map(|row| dot(row, *v));
            prop_assert!(distance(mv, scale(*v, value)) < 1e-10 && (norm(*v) - 1.0).abs() < 1e-12);
        }
        prop_assert!(distance(cross(axes[0], axes[1]), axes[2]) < 1e-10);
        prop_assert!(values[0] <= values[1] && values[1] <= values[2]);
        prop_assert!((values.iter().sum::<f64>() - x[0] - x[1] - x[2]).abs() < 1e-10);
    }

    /// The best motion of pairs: none nearby leaves less, and it is that of the quaternion that B. Horn's matrix (1987) has for
    /// its largest eigenvalue.
    #[test]
    fn pairs_are_brought_as_near_as_can_be(
        pairs in prop::collection::vec((prop::array::uniform3(-20.0..20.0_f64), prop::array::uniform3(-4.0..4.0_f64)), 4..30),
        rigid in rigids(),
        vary in prop::collection::vec(prop::array::uniform6(-1.0..1.0_f64), 20),
    ) {
        let from: Vec<Point> = pairs.iter().map(|p| p.0).collect();
        let to: Vec<Point> = pairs.iter().map(|(p, off)| add(rigid.place(*p), *off)).collect();
        let (got, rms) = by_pairs(&from, &to).unwrap();
        let left = |m: &Rigid| (from.iter().zip(&to).map(|(p, q)| distance(m.place(*p), *q).powi(2)).sum::<f64>() / from.len() as f64).sqrt();
        prop_assert!((left(&got) - rms).abs() < 1e-9);
        let middle = from.iter().fold([0.0; 3], |s, p| add(s, scale(*p, 1.0 / from.len() as f64)));
        for by in &vary {
            for much in [1e-3, 0.1, 10.0] {
                let turn = Rigid::turned_by(scale([by[0], by[1], by[2]], much));
                let about = Rigid::turning(turn.rotation, middle, add(middle, scale([by[3], by[4], by[5]], 0.05 * much)));
                prop_assert!(left(&got.after(&about)) >= rms * (1.0 - 1e-12));
            }
        }
        prop_assert!((horn(&from, &to) - rms).abs() < 1e-6 * rms.max(1e-3), "{} and {rms}", horn(&from, &to));
    }

    /// Principal axes: second moments across each other are none afterwards, the largest along x and the least along z; the
    /// axes that come there stay on their side. Facets that are parted into four are the same surface.
    #[test]
    fn principal_axes_have_no_mixed_moments(points in points_in(30.0, 12..40), rigid in rigids(), stretch in prop::array::uniform3(0.3..3.0_f64)) {
        let points: Vec<Point> = points.iter().map(|p| rigid.place([0, 1, 2].map(|k| p[k] * stretch[k]))).collect();
        let facets: Vec<[u32; 3]> = (0..points.len() as u32 / 3).map(|i| [3 * i, 3 * i + 1, 3 * i + 2]).collect();
        let mesh = Mesh::from_arrays(points.clone(), facets);
        let of_points = by_principal_axes(&Mesh::default(), &points).unwrap();
        let moments = second_moments(&points.iter().map(|p| (1.0, of_points.place(*p))).collect::<Vec<_>>());
        is_principal(&moments)?;
        let of_area = by_principal_axes(&mesh, &points).unwrap();
        // A quadratic is integrated by the middles of the sides of a triangle, each with a third of the area.
        let middles: Vec<(f64, Point)> = mesh.triangles.keys().flat_map(|f| {
            let c = mesh.corners(f).map(|p| of_area.place(p));
            let area = 0.5 * norm(mesh.area_vector(f));
            [0, 1, 2].map(|k| (area / 3.0, scale(add(c[k], c[(k + 1) % 3]), 0.5)))
        }).collect();
        is_principal(&second_moments(&middles))?;
        let finer = by_principal_axes(&quartered(&mesh), &[]).unwrap();
        for k in 0..3 {
            prop_assert!(distance(finer.rotation[k], of_area.rotation[k]) < 1e-6);
        }
        for got in [of_area, of_points] {
            prop_assert!(got.rotation[2][2] >= 0.0 && got.rotation[0][0] >= -1e-12, "{got:?}");
        }
    }

    /// The smallest box that lies on a face of the convex hull is found by trying all: every plane through three points that has
    /// all others on one side, and within it every line through two.
    #[test]
    fn the_smallest_box_is_the_smallest(points in points_in(20.0, 4..11), stretch in prop::array::uniform3(0.2..2.0_f64)) {
        let points: Vec<Point> = points.iter().map(|p| [0, 1, 2].map(|k| p[k] * stretch[k])).collect();
        let got = by_smallest_box(&points).unwrap();
        let there = Bounds::of(points.iter().map(|p| got.place(*p)));
        let size = there.size();
        prop_assert!(size[0] >= size[1] - 1e-9 && size[1] >= size[2] - 1e-9, "{size:?}");
        let volume: f64 = size.iter().product();
        let least = smallest_by_trying(&points);
        prop_assert!((volume / least - 1.0).abs() < 1e-9, "{volume} for {least}");
        // The middle of the box stays where it is.
        prop_assert!(distance(got.inverse().place(there.centre()), there.centre()) < 1e-9);
    }

    /// Two directions and a place come where they are asked to, and nothing is mirrored or enlarged.
    #[test]
    fn directions_come_to_axes(a in directions(), b in directions(), up in 0_usize..6, forward in 0_usize..6, at in prop::array::uniform3(-9.0..9.0_f64)) {
        let axes = [Axis::PlusX, Axis::MinusX, Axis::PlusY, Axis::MinusY, Axis::PlusZ, Axis::MinusZ];
        let (up, forward) = (axes[up], axes[forward]);
        let got = by_directions(a, up, b, forward, at);
        if dot(up.direction(), forward.direction()) != 0.0 {
            prop_assert_eq!(got, Err(AlignError::SameAxis));
            return Ok(());
        }
        prop_assume!(norm(cross(a, b)) > 1e-3);
        let got = got.unwrap();
        prop_assert!(distance(got.turn(a), up.direction()) < 1e-12 && norm(got.place(at)) < 1e-12);
        let turned = got.turn(b);
        prop_assert!(dot(turned, cross(up.direction(), forward.direction())).abs() < 1e-9 && dot(turned, forward.direction()) > 0.0);
        prop_assert!(distance(cross(got.turn(a), turned), got.turn(cross(a, b))) < 1e-12);
    }

    /// Samples of a surface lie on its facets, as many on each as its share of the area, to one; they face as it does.
    #[test]
    fn samples_are_spread_by_area(points in points_in(20.0, 6..30), most in 50_usize..900) {
        let facets: Vec<[u32; 3]> = (0..points.len() as u32 / 3).map(|i| [3 * i, 3 * i + 1, 3 * i + 2]).collect();
        let mesh = Mesh::from_arrays(points, facets);
        let of = Sampled::of_mesh(&mesh, most);
        prop_assert!(of.points.len().abs_diff(most) <= 1 && of.normals.len() == of.points.len() && of.facing);
        let areas: Vec<f64> = mesh.triangles.keys().map(|f| 0.5 * norm(mesh.area_vector(f))).collect();
        let total: f64 = areas.iter().sum();
        let mut next = 0;
        for (f, area) in mesh.triangles.keys().zip(&areas) {
            let n = unit(mesh.area_vector(f)).unwrap();
            let own = of.normals[next..].iter().take_while(|m| **m == n).count();
            let due = area / total * most as f64;
            prop_assert!((own as f64 - due).abs() <= 1.0 + 1e-9, "{own} for {due}");
            let [a, b, c] = mesh.corners(f);
            for p in &of.points[next..next + own] {
                // Areas towards the sides are shares of the whole.
                let parts = [[a, b], [b, c], [c, a]].map(|[q, r]| dot(cross(sub(q, *p), sub(r, *p)), n));
                prop_assert!(parts.iter().all(|x| *x >= -1e-9 * area) && (parts.iter().sum::<f64>() / 2.0 / area - 1.0).abs() < 1e-9);
            }
            next += own;
        }
        prop_assert_eq!(next, of.points.len());
    }

    /// Pieces of any polyline follow each other without a gap, from its first point to its last or around; no corner of the
    /// polyline is further from them than is told, and that is within the tolerance.
    #[test]
    fn pieces_stand_for_the_polyline(way in ways(), closed in any::<bool>(), tolerance in 0.005..0.5_f64) {
        let (pieces, off) = fitted(&way, closed, tolerance);
        prop_assert!(off <= tolerance && !pieces.is_empty(), "{off} of {tolerance}");
        let ends: Vec<[Point; 2]> = pieces.iter().map(ends_of).collect();
        prop_assert!(ends.windows(2).all(|w| distance(w[0][1], w[1][0]) < 1e-6), "{ends:?}");
        let (first, last) = (ends[0][0], ends[ends.len() - 1][1]);
        if closed {
            prop_assert!(distance(first, last) < 1e-6);
        } else {
            prop_assert!(distance(first, way[0]) < 1e-9 && distance(last, way[way.len() - 1]) < 1e-6);
        }
        let drawn: Vec<Vec<Point>> = pieces.iter().map(drawn).collect();
        for p in &way {
            let near = drawn.iter().flat_map(|line| line.windows(2)).map(|w| to_segment(*p, w)).fold(f64::INFINITY, f64::min);
            // A chord of the drawn arcs is 1e-3 of their radius off at most.
            prop_assert!(near <= off + 0.05, "{p:?} is {near} off, told {off}");
        }
        prop_assert!(pieces.len() <= way.len());
    }
}

/// The root mean square that is left by Horn's quaternion: by powers of his matrix, made positive.
fn horn(from: &[Point], to: &[Point]) -> f64 {
    let n = from.len() as f64;
    let mean = |list: &[Point]| scale(list.iter().fold([0.0; 3], |s, p| add(s, *p)), 1.0 / n);
    let (a, b) = (mean(from), mean(to));
    let (p, q): (Vec<V3>, Vec<V3>) = from.iter().zip(to).map(|(p, q)| (sub(*p, a), sub(*q, b))).unzip();
    let s = |i: usize, j: usize| p.iter().zip(&q).map(|(p, q)| p[i] * q[j]).sum::<f64>();
    let matrix = [
        [s(0, 0) + s(1, 1) + s(2, 2), s(1, 2) - s(2, 1), s(2, 0) - s(0, 2), s(0, 1) - s(1, 0)],
        [s(1, 2) - s(2, 1), s(0, 0) - s(1, 1) - s(2, 2), s(0, 1) + s(1, 0), s(2, 0) + s(0, 2)],
        [s(2, 0) - s(0, 2), s(0, 1) + s(1, 0), s(1, 1) - s(0, 0) - s(2, 2), s(1, 2) + s(2, 1)],
        [s(0, 1) - s(1, 0), s(2, 0) + s(0, 2), s(1, 2) + s(2, 1), s(2, 2) - s(0, 0) - s(1, 1)],
    ];
    let spread: f64 = p.iter().chain(&q).map(|v| dot(*v, *v)).sum();
    let mut v = [0.5, 0.4, 0.3, 0.7];
    for _ in 0..20_000 {
        let next: [f64; 4] = std::array::from_fn(|i| (0..4).map(|j| matrix[i][j] * v[j]).sum::<f64>() + spread * v[i]);
        let length = next.iter().map(|x| x * x).sum::<f64>().sqrt();
        v = next.map(|x| x / length);
    }
    let largest: f64 = (0..4).map(|i| v[i] * (0..4).map(|j| matrix[i][j] * v[j]).sum::<f64>()).sum();
    ((spread - 2.0 * largest).max(0.0) / n).sqrt()
}

/// Second moments of weighted places about their centre: xx, yy, zz, xy, yz, zx.
fn second_moments(places: &[(f64, Point)]) -> [f64; 6] {
    let whole: f64 = places.iter().map(|p| p.0).sum();
    let centre = places.iter().fold([0.0; 3], |s, (w, p)| add(s, scale(*p, w / whole)));
    let of = |i: usize, j: usize| {
        places.iter().map(|(w, p)| w / whole * (p[i] - centre[i]) * (p[j] - centre[j])).sum::<f64>()
    };
    [of(0, 0), of(1, 1), of(2, 2), of(0, 1), of(1, 2), of(2, 0)]
}

fn is_principal(m: &[f64; 6]) -> Result<(), TestCaseError> {
    prop_assert!(m[0] >= m[1] - 1e-9 && m[1] >= m[2] - 1e-9, "{m:?}");
    prop_assert!(m[3..].iter().all(|x| x.abs() < 1e-9 * m[0]), "{m:?}");
    Ok(())
}

/// Every facet as four.
fn quartered(mesh: &Mesh) -> Mesh {
    let mut out = Mesh::default();
    for f in mesh.triangles.keys() {
        let c = mesh.corners(f);
        let m = [0, 1, 2].map(|k| scale(add(c[k], c[(k + 1) % 3]), 0.5));
        for t in [[c[0], m[0], m[2]], [m[0], c[1], m[1]], [m[2], m[1], c[2]], m] {
            let first = out.points.len();
            out.points.extend(t);
            out.triangles.push([0, 1, 2].map(|k| PointId::from(first + k)));
        }
    }
    out
}

fn smallest_by_trying(points: &[Point]) -> f64 {
    let extent = |d: V3| {
        let along = points.iter().map(|p| dot(*p, d));
        along.clone().fold(f64::NEG_INFINITY, f64::max) - along.fold(f64::INFINITY, f64::min)
    };
    let mut least = f64::INFINITY;
    for i in 0..points.len() {
        for j in 0..i {
            for k in 0..j {
                let Some(n) = unit(cross(sub(points[j], points[i]), sub(points[k], points[i]))) else { continue };
                let sides = points.iter().map(|p| dot(sub(*p, points[i]), n));
                let (above, below) = (sides.clone().any(|s| s > 1e-9), sides.clone().any(|s| s < -1e-9));
                if above && below {
                    continue;
                }
                for p in points {
                    for q in points {
                        let flat = sub(sub(*q, *p), scale(n, dot(sub(*q, *p), n)));
                        let Some(u) = unit(flat) else { continue };
                        least = least.min(extent(n) * extent(u) * extent(cross(n, u)));
                    }
                }
            }
        }
    }
    least
}

/// Polylines of straight runs, arcs and shaken points, in space.
fn ways() -> impl Strategy<Value = Vec<Point>> {
    let run = (0_usize..3, 2.0..20.0_f64, -1.5..1.5_f64, 3_usize..25);
    (prop::collection::vec(run, 1..6), directions(), 0.0..0.3_f64).prop_map(|(runs, d, shake)| {
        let [x, y] = across(d);
        let (mut at, mut heading) = ([0.0_f64; 2], 0.0_f64);
        let mut flat = vec![at];
        for (kind, length, turn, n) in runs {
            heading += if kind == 0 { turn } else { 0.0 };
            for i in 0..n {
                heading += if kind == 1 { turn / n as f64 } else { 0.0 };
                let step = length / n as f64;
                at = [at[0] + step * heading.cos(), at[1] + step * heading.sin()];
                let off = if kind == 2 { shake * ((i * i) as f64 * 0.37).sin() } else { 0.0 };
                flat.push([at[0] - off * heading.sin(), at[1] + off * heading.cos()]);
            }
        }
        flat.iter()
            .enumerate()
            .map(|(i, p)| add(add(scale(x, p[0]), scale(y, p[1])), scale(d, 0.01 * i as f64)))
            .collect()
    })
}

/// An arc's place after so much of it.
fn on_arc(centre: Point, axis: V3, from: Point, angle: f64) -> Point {
    let turn = Rigid::turned_by(scale(axis, angle.to_degrees()));
    add(centre, turn.turn(sub(from, centre)))
}

fn ends_of(piece: &Piece) -> [Point; 2] {
    match piece {
        Piece::Line { ends } => *ends,
        Piece::Arc { centre, axis, from, angle } => [*from, on_arc(*centre, *axis, *from, *angle)],
        Piece::Spline { spans } => [spans[0][0], spans[spans.len() - 1][3]],
    }
}

fn drawn(piece: &Piece) -> Vec<Point> {
    match piece {
        Piece::Line { ends } => ends.to_vec(),
        Piece::Arc { centre, axis, from, angle } => {
            (0..=200).map(|i| on_arc(*centre, *axis, *from, angle * f64::from(i) / 200.0)).collect()
        }
        Piece::Spline { spans } => {
            spans.iter().flat_map(|s| (0..=40).map(move |i| on_span(s, f64::from(i) / 40.0))).collect()
        }
    }
}

fn to_segment(p: Point, w: &[Point]) -> f64 {
    let along = sub(w[1], w[0]);
    let square = dot(along, along);
    let t = if square > 0.0 { (dot(sub(p, w[0]), along) / square).clamp(0.0, 1.0) } else { 0.0 };
    distance(p, add(w[0], scale(along, t)))
}

/// A body that stands by its axes stays as it is: half a turn is no alignment.
#[test]
fn an_aligned_body_stays() {
    let mesh = hull_geometry::shapes::cuboid([30.0, 20.0, 10.0]);
    for got in [by_principal_axes(&mesh, &[]).unwrap(), by_smallest_box(&mesh.points.raw).unwrap()] {
        assert!(got.angle() < 1e-6, "turned by {}", got.angle());
    }
}

/// Nothing to fit by is refused with its reason.
#[test]
fn what_does_not_tell_is_refused() {
    let line: Vec<Point> = (0..9).map(|i| [f64::from(i), 2.0 * f64::from(i), 0.0]).collect();
    assert_eq!(by_pairs(&line[..2], &line[..2]).unwrap_err(), AlignError::Pairs);
    assert_eq!(by_pairs(&line, &line[..8]).unwrap_err(), AlignError::Pairs);
    assert_eq!(by_pairs(&line, &line).unwrap_err(), AlignError::Pairs, "a turn about the line is free");
    assert_eq!(by_pairs(&[[1.0; 3]; 5], &line[..5]).unwrap_err(), AlignError::Pairs);
    assert_eq!(by_smallest_box(&line).unwrap_err(), AlignError::Flat);
    assert_eq!(by_smallest_box(&[]).unwrap_err(), AlignError::Flat);
}

/// A cloud on itself, moved a little, comes back to the last digits, and the root mean squares go down to it.
#[test]
fn a_surface_finds_itself() {
    let body = hull_geometry::shapes::torus(30.0, 9.0, 48, 24);
    let mut lump = hull_geometry::shapes::cuboid([14.0, 9.0, 22.0]);
    hull_geometry::transform::translate(&mut lump, [35.0, -20.0, -7.0]);
    let mut whole = body;
    whole.append(&lump);
    let target = Sampled::of_mesh(&whole, 4000);
    let away = Rigid { shift: [0.8, -0.5, 0.6], ..Rigid::turned_by([2.0, -1.5, 2.5]) };
    let moved = Sampled {
        points: target.points.iter().map(|p| away.place(*p)).collect(),
        normals: target.normals.iter().map(|n| away.turn(*n)).collect(),
        facing: true,
    };
    let got = register(&moved, &target, Options { overlap: 1.0, from_scratch: false }, &Watch::default()).unwrap();
    let off = target.points.iter().map(|p| distance(got.motion.place(away.place(*p)), *p)).fold(0.0, f64::max);
    assert!(off < 1e-9, "off by {off}");
    assert!(got.rms < 1e-9 && got.points == target.points.len());
    assert!(got.rounds[0] > 0.1 && got.rounds.last().unwrap() < &1e-9, "{:?}", got.rounds);
}
