//! Curves, surfaces, quadrature and facets against closed forms.

use hull_exact::curve::{Curve, Piece};
use hull_exact::facet::facet;
use hull_exact::fineness::Fineness;
use hull_exact::locate::Locator;
use hull_exact::nurbs::{NurbsCurve, NurbsSurface};
use hull_exact::parameter_loops::Reader;
use hull_exact::shape::{Edge, EdgeId, Face, FaceId, Loop, Lump, Shell, Use, VertexId};
use hull_exact::{Frame, Motion, Shape, Surface, edit, join, join_plot, quadrature, sheets};
use hull_geometry::vector::{distance, norm, scale, sub};
use hull_geometry::{Watch, measure, topology::Topology};
use proptest::prelude::*;
use std::f64::consts::{FRAC_1_SQRT_2, PI, TAU};

/// The circle of nine control points (The NURBS Book, example 7.2) of radius one about z.
fn circle() -> NurbsCurve {
    let c = [
        [1.0, 0.0],
        [1.0, 1.0],
        [0.0, 1.0],
        [-1.0, 1.0],
        [-1.0, 0.0],
        [-1.0, -1.0],
        [0.0, -1.0],
        [1.0, -1.0],
        [1.0, 0.0],
    ];
    let points: Vec<_> = c.iter().map(|p| [p[0], p[1], 0.0]).collect();
    let weights: Vec<f64> = (0..9).map(|i| if i % 2 == 0 { 1.0 } else { FRAC_1_SQRT_2 }).collect();
    let knots = vec![0.0, 0.0, 0.0, 0.25, 0.25, 0.5, 0.5, 0.75, 0.75, 1.0, 1.0, 1.0];
    NurbsCurve::new(2, knots, &points, Some(&weights)).expect("a circle")
}

/// A profile of control points (x = radius, z = height) turned about z: a surface of revolution as a NURBS
/// (The NURBS Book, 8.5).
///
/// `exchanged`: u runs along the profile and v about the axis.
fn revolved(profile: &[[f64; 2]], weights: &[f64], knots: Vec<f64>, exchanged: bool) -> NurbsSurface {
    let ring = circle();
    let mut points = Vec::new();
    let mut all = Vec::new();
    for (p, w) in ring.control_points().zip(ring.weights()) {
        for (q, v) in profile.iter().zip(weights) {
            points.push([p[0] * q[0], p[1] * q[0], q[1]]);
            all.push(w * v);
        }
    }
    let ring_knots = ring.knots.values.clone();
    if exchanged {
        let (n, m) = (profile.len(), points.len() / profile.len());
        let order = || (0..n * m).map(|k| (k % m) * n + k / m);
        let points: Vec<_> = order().map(|k| points[k]).collect();
        let all: Vec<_> = order().map(|k| all[k]).collect();
        return NurbsSurface::new([2, 2], [knots, ring_knots], m, &points, Some(&all)).expect("a surface");
    }
    NurbsSurface::new([2, 2], [ring_knots, knots], profile.len(), &points, Some(&all)).expect("a surface")
}

/// A sphere of radius one: half a circle turned.
fn nurbs_sphere(exchanged: bool) -> NurbsSurface {
    let profile = [[0.0, -1.0], [1.0, -1.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]];
    let w = [1.0, FRAC_1_SQRT_2, 1.0, FRAC_1_SQRT_2, 1.0];
    revolved(&profile, &w, vec![0.0, 0.0, 0.0, 0.5, 0.5, 1.0, 1.0, 1.0], exchanged)
}

/// A torus of radii three and one.
fn nurbs_torus() -> NurbsSurface {
    let ring = circle();
    let profile: Vec<[f64; 2]> = ring.control_points().map(|p| [3.0 + p[0], p[1]]).collect();
    let w: Vec<f64> = ring.weights().collect();
    revolved(&profile, &w, ring.knots.values.clone(), false)
}

proptest! {
    #[test]
    fn rational_circles_spheres_and_tori_are_round(u in 0.0..1.0f64, v in 0.0..1.0f64) {
        prop_assert!((norm(circle().at(u)[0]) - 1.0).abs() < 1e-14);
        prop_assert!((norm(nurbs_sphere(false).first(u, v)[0]) - 1.0).abs() < 1e-14);
        let p = nurbs_torus().first(u, v)[0];
        let tube = (p[0].hypot(p[1]) - 3.0).hypot(p[2]);
        prop_assert!((tube - 1.0).abs() < 1e-13);
    }

    /// Derivatives of every kind of surface against differences of the points themselves.
    #[test]
    fn derivatives_are_those_of_the_points(kind in 0..7usize, u in 0.1..0.9f64, v in 0.1..0.9f64) {
        let frame = Frame::new([1.0, 2.0, 3.0], [1.0, 2.0, -1.0], Some([1.0, 0.0, 0.3]));
        let surface = match kind {
            0 => Surface::Cone { frame, radius: 2.0, half_angle: 0.3 },
            1 => Surface::Sphere { frame, radius: 2.0 },
            2 => Surface::Torus { frame, major: 3.0, minor: 1.0 },
            3 => Surface::Extrusion { profile: Curve::Nurbs(Box::new(circle())), along: [0.2, 0.1, 2.0] },
            4 => Surface::Revolution { profile: Curve::Ellipse { frame, a: 2.0, b: 1.0 }, axis: Frame::WORLD },
            5 => Surface::Nurbs(Box::new(nurbs_torus())),
            _ => Surface::Offset { base: Box::new(Surface::Nurbs(Box::new(nurbs_torus()))), by: 0.2 },
        };
        let h = 1e-5;
        let j = surface.jet(u, v);
        let slope = |a: [f64; 3], b: [f64; 3]| scale(sub(a, b), 0.5 / h);
        let du = slope(surface.point(u + h, v), surface.point(u - h, v));
        let dv = slope(surface.point(u, v + h), surface.point(u, v - h));
        let duv = slope(surface.jet(u, v + h).u, surface.jet(u, v - h).u);
        let size = 1.0 + norm(j.u) + norm(j.v) + norm(j.uu) + norm(j.vv);
        prop_assert!(distance(j.u, du) < 1e-7 * size * size, "{kind}: {:?} {du:?}", j.u);
        prop_assert!(distance(j.v, dv) < 1e-7 * size * size, "{kind}: {:?} {dv:?}", j.v);
        prop_assert!(distance(j.uv, duv) < 1e-3 * size, "{kind}: {:?} {duv:?}", j.uv);
    }

    /// A point of a surface is found again from its place in space, whatever the hint.
    #[test]
    fn points_are_located_where_they_came_from(u in 0.02..0.98f64, v in 0.02..0.98f64, a in 0.0..1.0f64, b in 0.0..1.0f64) {
        for surface in [nurbs_torus(), nurbs_sphere(false)] {
            let surface = Surface::Nurbs(Box::new(surface));
            let p = surface.point(u, v);
            let locator = Locator::new(&surface);
            prop_assert!(locator.locate(p, None).1 < 1e-9);
            prop_assert!(locator.locate(p, Some([a, b])).1 < 1e-9);
        }
    }
}

/// Arc lengths: of a circle; of an ellipse by the complete integral of the second kind, 4 a E(e), with E(√3/2) =
/// 1.2110560275684594 (Abramowitz and Stegun, table 17.1, from memory); of a parabola in closed form; of the rational
/// circle, which is the same circle with another parameter.
#[test]
fn lengths_of_curves_are_the_closed_forms() {
    let length =
        |curve: Curve, range: [f64; 2]| quadrature::length(&Edge { curve, range, ends: [VertexId(0), VertexId(1)] });
    let ellipse = |a: f64, b: f64| Curve::Ellipse { frame: at_height(2.0), a, b };
    // y² = 4 f x from the apex to t: x = f t², y = 2 f t.
    let (f, t) = (3.0_f64, 1.7_f64);
    let parabola = f * (t * t.hypot(1.0) + t.asinh());
    for (curve, range, expected) in [
        (ellipse(5.0, 5.0), [0.0, TAU], 5.0 * TAU),
        (ellipse(5.0, 5.0), [1.0, 2.5], 7.5),
        (ellipse(2.0, 1.0), [0.0, TAU], 8.0 * 1.211_056_027_568_459_4),
        (Curve::Parabola { frame: at_height(0.0), focal: f }, [0.0, t], parabola),
        (Curve::Nurbs(Box::new(circle())), circle().knots.domain(), TAU),
    ] {
        let found = length(curve.clone(), range);
        assert!((found / expected - 1.0).abs() < 1e-10, "{curve:?}: {found} for {expected}");
    }
}

fn full_circle(shape: &mut Shape, frame: Frame, radius: f64, start: f64) -> EdgeId {
    let curve = Curve::Ellipse { frame, a: radius, b: radius };
    let v = shape.add_vertex(curve.point(start));
    shape.add_edge(curve, [start, start + TAU], [v, v])
}

fn face(shape: &mut Shape, surface: Surface, same_sense: bool, edges: &[(EdgeId, bool)]) {
    let surface = shape.add_surface(surface);
    let one = |&(edge, forward): &(EdgeId, bool)| Loop { uses: vec![Use { edge, forward, hint: None }] };
    let loops = edges.iter().map(one).collect();
    shape.faces.push(Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None });
}

fn solid(mut shape: Shape) -> Shape {
    let faces = shape.faces.keys().map(|f| (f, true)).collect();
    let outer = Shell { faces };
    shape.lumps.push(Lump { name: "it".into(), colour: None, closed: true, outer, voids: Vec::new() });
    shape
}

fn at_height(z: f64) -> Frame {
    Frame { origin: [0.0, 0.0, z], ..Frame::WORLD }
}

fn facing_down(z: f64) -> Surface {
    Surface::Plane(Frame::new([0.0, 0.0, z], [0.0, 0.0, -1.0], None))
}

/// A cylinder, cone frustum or the like whose side is bounded by two whole circles, without a seam.
fn drum(side: Surface, low: (f64, f64), high: (f64, f64)) -> Shape {
    let mut shape = Shape::default();
    let bottom = full_circle(&mut shape, at_height(low.0), low.1, 0.7);
    let top = full_circle(&mut shape, at_height(high.0), high.1, 2.9);
    face(&mut shape, side, true, &[(bottom, true), (top, false)]);
    face(&mut shape, facing_down(low.0), true, &[(bottom, false)]);
    face(&mut shape, Surface::Plane(at_height(high.0)), true, &[(top, true)]);
    solid(shape)
}

/// A piece that ends in a pole: one whole circle bounds it.
fn cap(side: Surface, z: f64, radius: f64) -> Shape {
    let mut shape = Shape::default();
    let rim = full_circle(&mut shape, at_height(z), radius, 1.1);
    face(&mut shape, side, true, &[(rim, true)]);
    face(&mut shape, facing_down(z), true, &[(rim, false)]);
    solid(shape)
}

/// A piece that ends in a pole below: one whole circle bounds it.
fn cup(side: Surface, z: f64, radius: f64) -> Shape {
    let mut shape = Shape::default();
    let rim = full_circle(&mut shape, at_height(z), radius, 1.1);
    face(&mut shape, side, true, &[(rim, false)]);
    face(&mut shape, Surface::Plane(at_height(z)), true, &[(rim, true)]);
    solid(shape)
}

/// Bodies without seams, with their exact volume and area.
fn bodies() -> Vec<(&'static str, Shape, f64, f64)> {
    let cylinder = drum(Surface::Cylinder { frame: Frame::WORLD, radius: 2.0 }, (1.0, 2.0), (6.0, 2.0));
    let slope = 0.25_f64;
    let cone = Surface::Cone { frame: at_height(0.0), radius: 3.0, half_angle: -slope.atan() };
    let frustum = drum(cone.clone(), (0.0, 3.0), (8.0, 1.0));
    let slant = (1.0 + slope * slope).sqrt();
    let tip = cap(cone.clone(), 4.0, 2.0);
    // The cone's other nappe begins at its apex, at height 12.
    let beyond = cup(cone.clone(), 16.0, 1.0);
    let ring_beyond = drum(cone, (16.0, 1.0), (20.0, 2.0));
    // A tube wider than its ring: the sheet without, and the one within, each down to its equator.
    let (root, third) = (3f64.sqrt(), PI / 3.0);
    let torus = Surface::Torus { frame: Frame::WORLD, major: 1.0, minor: 2.0 };
    let apple = cap(torus.clone(), 0.0, 3.0);
    let mut lemon = cap(torus, 0.0, 1.0);
    lemon.faces[FaceId(0)].same_sense = false;
    let ball = Surface::Sphere { frame: Frame::WORLD, radius: 5.0 };
    let dome = cap(ball.clone(), 3.0, 4.0);
    let most_of_it = cap(ball, -3.0, 4.0);
    let zone = drum(Surface::Sphere { frame: Frame::WORLD, radius: 5.0 }, (-3.0, 4.0), (4.0, 3.0));
    vec![
        ("cylinder", cylinder, PI * 4.0 * 5.0, PI * 4.0 * 7.0),
        ("frustum", frustum, PI * 8.0 / 3.0 * 13.0, PI * (4.0 * 8.0 * slant + 10.0)),
        ("cone to its tip", tip, PI * 4.0 * 8.0 / 3.0, PI * (2.0 * 8.0 * slant + 4.0)),
        // V = π h² (3 r - h) / 3, A = 2 π r h
        ("dome", dome, PI * 4.0 * 13.0 / 3.0, PI * (20.0 + 16.0)),
        ("most of a ball", most_of_it, PI * 64.0 * 7.0 / 3.0, PI * (80.0 + 16.0)),
        // V = π h (3 a² + 3 b² + h²) / 6
        ("zone of a ball", zone, PI * 7.0 * (48.0 + 27.0 + 49.0) / 6.0, PI * (70.0 + 16.0 + 9.0)),
        ("beyond the apex", beyond, PI * 4.0 / 3.0, PI * (4.0 * slant + 1.0)),
        ("a ring beyond the apex", ring_beyond, PI * 4.0 / 3.0 * 7.0, PI * (3.0 * 4.0 * slant + 5.0)),
        // V = π ∫ r² dz with r = √(4 - z²) ± 1 (without: up to 2, less what lies within from √3 on); A = 4 π ∫ |1 + 2 cos v| dv
        ("apple", apple, PI * (3.0 * root + 8.0 * third), 4.0 * PI * (2.0 * third + root) + 9.0 * PI),
        ("lemon", lemon, PI * (3.0 * root - 4.0 * third), 4.0 * PI * (root - third) + PI),
    ]
}

fn fine(deviation: f64, even: bool) -> Fineness {
    Fineness { deviation, angle: 12.0, largest: None, smallest: None, even }
}

#[test]
fn faces_without_seams_have_their_figures_and_closed_facets() {
    for (name, shape, volume, area) in bodies() {
        for reader in [Reader::Trusting, Reader::Rebuilding] {
            let found = quadrature::figures(&shape, reader);
            assert!((found.volume / volume - 1.0).abs() < 1e-12, "{name}, {reader:?}: {} for {volume}", found.volume);
            assert!((found.area / area - 1.0).abs() < 1e-12, "{name}, {reader:?}: {} for {area}", found.area);
            for even in [true, false] {
                let made = facet(&shape, &fine(0.02, even), reader, &Watch::default()).expect("not cancelled");
                assert_eq!((made.failed.len(), made.doubts.len()), (0, 0), "{name}");
                assert!(made.deviation <= 0.02, "{name}: {}", made.deviation);
                let topology = Topology::of(&made.mesh, &Watch::default()).expect("not cancelled");
                assert!(topology.is_closed() && topology.misdirected.is_empty(), "{name}, {reader:?}");
                let facets = measure::mass(&made.mesh, &made.mesh.bounds()).volume;
                assert!(facets < volume && facets > volume - 0.02 * area, "{name}: {facets} for {volume}");
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Moving and scaling changes figures as it must, and nothing else.
    #[test]
    fn figures_follow_motions(which in 0..10usize, s in 0.01..200.0f64, x in -5.0..5.0f64, z in -1.0..1.0f64) {
        let (name, shape, volume, area) = bodies().swap_remove(which);
        let frame = Frame::new([x * s, s, -x], [0.3, z, 1.0], Some([1.0, x, 0.0]));
        let moved = shape.moved(&Motion { frame, scale: s });
        let found = quadrature::figures(&moved, Reader::Trusting);
        prop_assert!((found.volume / (volume * s.powi(3)) - 1.0).abs() < 1e-9, "{}: {}", name, found.volume);
        prop_assert!((found.area / (area * s * s) - 1.0).abs() < 1e-9, "{}: {}", name, found.area);
    }

    /// Whatever the fineness: closed, and never further from the surface than asked.
    #[test]
    fn facets_keep_their_promise(which in 0..10usize, d in 0.002..0.5f64, angle in 3.0..40.0f64, even in any::<bool>()) {
        let (name, shape, _, _) = bodies().swap_remove(which);
        let asked = Fineness { deviation: d, angle, largest: None, smallest: None, even };
        let made = facet(&shape, &asked, Reader::Trusting, &Watch::default()).expect("not cancelled");
        let topology = Topology::of(&made.mesh, &Watch::default()).expect("not cancelled");
        prop_assert!(topology.is_closed() && topology.misdirected.is_empty(), "{} {:?}: {:?} {:?} {:?} of {}", name, asked, topology.open.len(), topology.overshared.len(), topology.zero_area.len(), made.mesh.triangles.len());
        prop_assert!(made.deviation <= d, "{} {:?}: {}", name, asked, made.deviation);
    }
}

/// Spheres as splines, with the poles along either parameter and at either end; whole, and the part on one side of
/// the equator. The bound of the error holds, and is small.
#[test]
fn poles_of_spline_surfaces_do_not_disturb_the_figures() {
    for (name, surface, axis) in [("as made", nurbs_sphere(false), 1), ("exchanged", nurbs_sphere(true), 0)] {
        for (part, [low, high]) in [("whole", [0.0, 1.0]), ("start", [0.0, 0.5]), ("end", [0.5, 1.0])] {
            let mut shape = Shape::default();
            let surface = Surface::Nurbs(Box::new(surface.clone()));
            let sides = if axis == 1 { [[0.0, 1.0], [low, high]] } else { [[low, high], [0.0, 1.0]] };
            let bound = shape.rectangle_loop(&surface, sides).expect("a bound");
            let surface = shape.add_surface(surface);
            let loops = vec![bound];
            shape.faces.push(Face { surface, same_sense: true, loops, name: String::new(), colour: None, layer: None });
            if axis == 0 {
                // Exchanging the parameters turned the normal.
                shape.faces[FaceId(0)].turn();
            }
            if high - low < 1.0 {
                let rim = shape.faces[FaceId(0)].loops[0].uses.iter().find(|u| {
                    let e = &shape.edges[u.edge];
                    e.ends[0] == e.ends[1] && e.curve.point(0.3)[2].abs() < 1e-9
                });
                let rim = rim.map(|u| (u.edge, !u.forward)).expect("the equator");
                let lid = if low == 0.0 { Surface::Plane(at_height(0.0)) } else { facing_down(0.0) };
                // Its direction follows from the rim's.
                face(&mut shape, lid, true, &[rim]);
            }
            let share = high - low;
            let found = quadrature::figures(&solid(shape.clone()), Reader::Rebuilding);
            let (volume, area) = (4.0 / 3.0 * PI * share, 4.0 * PI * share + if share < 1.0 { PI } else { 0.0 });
            assert!((found.volume - volume).abs() < 1e-9, "{name}, {part}: {} for {volume}", found.volume);
            assert!((found.area - area).abs() < 1e-9, "{name}, {part}: {} for {area}", found.area);
            let sum = quadrature::of_lump(
                &shape,
                &quadrature::of_faces(&shape, Reader::Rebuilding).0,
                &solid(shape.clone()).lumps[0],
            );
            assert!((sum.volume - volume).abs() <= sum.volume_error + 1e-13, "{name}, {part}: {sum:?}");
            assert!(
                (sum.area - area).abs() <= sum.area_error + 1e-12 && sum.volume_error < 1e-6,
                "{name}, {part}: {sum:?}"
            );
        }
    }
}

/// A plate with a hole through it and a pin on it, of planes and cylinders.
fn plate() -> Shape {
    let mut shape = Shape::default();
    let corner = |shape: &mut Shape, i: usize, z: f64| {
        let [x, y] = [[0.0, 0.0], [10.0, 0.0], [10.0, 8.0], [0.0, 8.0]][i];
        shape.add_vertex([x, y, z])
    };
    let low: Vec<VertexId> = (0..4).map(|i| corner(&mut shape, i, 0.0)).collect();
    let high: Vec<VertexId> = (0..4).map(|i| corner(&mut shape, i, 2.0)).collect();
    let line = |shape: &mut Shape, a: VertexId, b: VertexId| {
        let (p, q) = (shape.vertices[a], shape.vertices[b]);
        shape.add_edge(Curve::Line { origin: p, along: sub(q, p) }, [0.0, 1.0], [a, b])
    };
    let below: Vec<EdgeId> = (0..4).map(|i| line(&mut shape, low[i], low[(i + 1) % 4])).collect();
    let above: Vec<EdgeId> = (0..4).map(|i| line(&mut shape, high[i], high[(i + 1) % 4])).collect();
    let up: Vec<EdgeId> = (0..4).map(|i| line(&mut shape, low[i], high[i])).collect();
    let centre = |x: f64, z: f64| Frame { origin: [x, 4.0, z], ..Frame::WORLD };
    let rings =
        [(2.0, 0.0), (2.0, 2.0), (7.0, 2.0), (7.0, 3.0)].map(|(x, z)| full_circle(&mut shape, centre(x, z), 1.0, 0.3));
    let run = |edges: Vec<(EdgeId, bool)>| Loop {
        uses: edges.into_iter().map(|(edge, forward)| Use { edge, forward, hint: None }).collect(),
    };
    let push = |shape: &mut Shape, surface: Surface, same_sense: bool, loops: Vec<Loop>| {
        let surface = shape.add_surface(surface);
        shape.faces.push(Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None });
    };
    let bottom = vec![run((0..4).rev().map(|i| (below[i], false)).collect()), run(vec![(rings[0], true)])];
    push(&mut shape, facing_down(0.0), true, bottom);
    let top = vec![
        run((0..4).map(|i| (above[i], true)).collect()),
        run(vec![(rings[1], false)]),
        run(vec![(rings[2], false)]),
    ];
    push(&mut shape, Surface::Plane(at_height(2.0)), true, top);
    for i in 0..4 {
        let n = (i + 1) % 4;
        let (p, q) = (shape.vertices[low[i]], shape.vertices[low[n]]);
        let d = sub(q, p);
        let out = Surface::Plane(Frame::new(p, [d[1], -d[0], 0.0], Some(d)));
        push(
            &mut shape,
            out,
            true,
            vec![run(vec![(below[i], true), (up[n], true), (above[i], false), (up[i], false)])],
        );
    }
    let wall = Surface::Cylinder { frame: centre(2.0, 0.0), radius: 1.0 };
    push(&mut shape, wall, false, vec![run(vec![(rings[0], false)]), run(vec![(rings[1], true)])]);
    let pin = Surface::Cylinder { frame: centre(7.0, 2.0), radius: 1.0 };
    push(&mut shape, pin, true, vec![run(vec![(rings[2], true)]), run(vec![(rings[3], false)])]);
    push(&mut shape, Surface::Plane(at_height(3.0)), true, vec![run(vec![(rings[3], true)])]);
    solid(shape)
}

#[test]
fn holes_and_pins_go_and_the_rest_stays_exact() {
    let shape = plate();
    let whole = quadrature::figures(&shape, Reader::Trusting);
    assert!((whole.volume - (160.0 - 2.0 * PI + PI)).abs() < 1e-10, "{}", whole.volume);
    let found = edit::features(&shape);
    assert_eq!(found.iter().map(|f| f.walls.len()).collect::<Vec<_>>(), [1, 2], "a hole's wall; a pin's side and top");
    assert!(found.iter().all(|f| (f.diameter - 2.0).abs() < 1e-9));
    let bare = edit::without_features(&shape, &found);
    let left = quadrature::figures(&bare, Reader::Trusting);
    assert_eq!((bare.faces.len(), bare.solids().count(), bare.open_edges().len()), (6, 1, 0));
    assert!((left.volume - 160.0).abs() < 1e-10, "{}", left.volume);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]

    /// Faces with edges of their own, each moved by less than the gap and some turned over, join into the solid.
    #[test]
    fn loose_faces_join_into_the_solid(moves in prop::collection::vec(prop::array::uniform3(-1.0..1.0f64), 9), turned in prop::collection::vec(any::<bool>(), 9), gap in 1e-6..0.02f64) {
        let whole = plate();
        let mut loose = Shape::default();
        for (f, face) in whole.faces.iter().enumerate() {
            let mut one = Shape { vertices: whole.vertices.clone(), edges: whole.edges.clone(), surfaces: whole.surfaces.clone(), ..Default::default() };
            one.faces.push(face.clone());
            one.lumps.push(Lump { name: String::new(), colour: None, closed: false, outer: Shell { faces: vec![(FaceId(0), true)] }, voids: Vec::new() });
            let by = scale(moves[f], gap / 3f64.sqrt());
            let mut one = one.moved(&Motion { frame: Frame { origin: by, ..Frame::WORLD }, scale: 1.0 });
            if turned[f] {
                one.faces[FaceId(0)].turn();
            }
            loose.append(one);
        }
        let plot = join_plot::join_plot(&loose, &Watch::default()).expect("not cancelled");
        let tolerance = plot.proposal.expect("a proposal");
        prop_assert!(tolerance <= 5.0 * gap, "{} for {}", tolerance, gap);
        let (joined, report) = join::join(&loose, tolerance, &Watch::default()).expect("not cancelled");
        prop_assert_eq!((report.open_after, report.solids, joined.faces.len()), (0, 1, 9));
        let volume = quadrature::figures(&joined, Reader::Rebuilding).volume;
        prop_assert!((volume - (160.0 - PI)).abs() <= 300.0 * gap, "{}", volume);
    }
}

/// A drum with a drum-shaped void: a solid is open once a face of its skin or of a void goes, and closed again once the void is
/// gone whole; what is left of it encloses what it says.
#[test]
fn a_solid_that_loses_faces_is_open_wherever_they_were() {
    let mut hollow = drum(Surface::Cylinder { frame: Frame::WORLD, radius: 4.0 }, (0.0, 4.0), (10.0, 4.0));
    let bottom = full_circle(&mut hollow, at_height(2.0), 1.0, 0.3);
    let top = full_circle(&mut hollow, at_height(5.0), 1.0, 1.9);
    // They face into the void.
    face(&mut hollow, Surface::Cylinder { frame: Frame::WORLD, radius: 1.0 }, false, &[(bottom, false), (top, true)]);
    face(&mut hollow, facing_down(2.0), false, &[(bottom, true)]);
    face(&mut hollow, Surface::Plane(at_height(5.0)), false, &[(top, false)]);
    let void = (3..6).map(|f| (FaceId(f), true)).collect();
    hollow.lumps[0].voids.push(Shell { faces: void });
    let volume = |shape: &Shape| quadrature::figures(shape, Reader::Trusting).volume;
    assert!((volume(&hollow) / (PI * (160.0 - 3.0)) - 1.0).abs() < 1e-9, "{}", volume(&hollow));
    for bits in 0..64_u32 {
        let gone: std::collections::BTreeSet<FaceId> = (0..6).filter(|f| bits >> f & 1 == 1).map(FaceId).collect();
        let left = edit::without_faces(&hollow, &gone);
        assert_eq!(left.faces.len(), 6 - gone.len());
        let (skin, void) = (bits & 0b111, bits >> 3);
        let Some(lump) = left.lumps.first() else {
            assert_eq!(skin, 0b111, "only a solid without a skin is gone");
            continue;
        };
        assert_eq!(lump.closed, skin == 0 && (void == 0 || void == 0b111), "without {gone:?}");
        assert_eq!(lump.voids.len(), usize::from(void != 0b111), "without {gone:?}");
        if lump.closed {
            let expected = PI * if void == 0 { 157.0 } else { 160.0 };
            assert!((volume(&left) / expected - 1.0).abs() < 1e-9, "without {gone:?}: {}", volume(&left));
        }
    }
}

#[test]
fn an_edge_that_meets_several_is_split() {
    // Two squares side by side along one long side: three faces, of which one has the long edge whole.
    let mut shape = Shape::default();
    let square = |shape: &mut Shape, x0: f64, x1: f64, y0: f64, y1: f64| {
        let at = [[x0, y0], [x1, y0], [x1, y1], [x0, y1]].map(|[x, y]| [x, y, 0.0]);
        let pieces = (0..4).map(|i| Piece {
            curve: Curve::Line { origin: at[i], along: sub(at[(i + 1) % 4], at[i]) },
            range: [0.0, 1.0],
        });
        let l = shape.loop_of_pieces(pieces.collect()).expect("a square");
        let surface = shape.add_surface(Surface::Plane(Frame::WORLD));
        shape.faces.push(Face {
            surface,
            same_sense: true,
            loops: vec![l],
            name: String::new(),
            colour: None,
            layer: None,
        });
    };
    square(&mut shape, 0.0, 2.0, 0.0, 1.0);
    square(&mut shape, 0.0, 1.0, 1.0, 2.0);
    square(&mut shape, 1.0, 2.0, 1.0, 2.0);
    let (joined, report) = join::join(&shape, 1e-6, &Watch::default()).expect("not cancelled");
    assert_eq!((report.edges_split, report.edges_joined, report.open_shells), (1, 3, 1));
    assert_eq!(joined.open_edges().len(), 7, "the outline: the lower square's three sides, two of each upper one");
    let length = |e: &EdgeId| {
        let e = &joined.edges[*e];
        distance(e.curve.point(e.range[0]), e.curve.point(e.range[1]))
    };
    assert!((joined.open_edges().iter().map(length).sum::<f64>() - 8.0).abs() < 1e-12);
}

/// A rectangle as a face of its own, with edges of its own, run either way.
fn region(shape: &mut Shape, name: &str, [x0, y0, x1, y1]: [f64; 4], turned: bool) {
    let mut at = [[x0, y0], [x1, y0], [x1, y1], [x0, y1]].map(|[x, y]| [x, y, 0.5]);
    if turned {
        at.reverse();
    }
    let line = |i: usize| Piece {
        curve: Curve::Line { origin: at[i], along: sub(at[(i + 1) % 4], at[i]) },
        range: [0.0, 1.0],
    };
    let bound = shape.loop_of_pieces((0..4).map(line).collect()).expect("a rectangle");
    let surface = shape.add_surface(Surface::Plane(Frame { origin: [0.0, 0.0, 0.5], ..Frame::WORLD }));
    let face =
        Face { surface, same_sense: !turned, loops: vec![bound], name: String::new(), colour: None, layer: None };
    shape.faces.push(face);
    let outer = Shell { faces: vec![(shape.faces.last_key().expect("it was pushed"), true)] };
    shape.lumps.push(Lump { name: name.into(), colour: None, closed: false, outer, voids: Vec::new() });
}

proptest! {
    /// A rectangle cut at random again and again: its regions come as one surface whose only open edges are the outline,
    /// whatever T-junctions the cuts made.
    #[test]
    fn regions_of_a_plane_come_as_one_surface(
        cuts in prop::collection::vec((any::<prop::sample::Index>(), any::<bool>(), 0.2..0.8_f64, any::<bool>()), 1..9),
    ) {
        let mut all = vec![([0.0, 0.0, 4.0, 3.0], false)];
        for (which, upright, at, turned) in cuts {
            let (r, _) = all.remove(which.index(all.len()));
            let [x0, y0, x1, y1] = r;
            let (x, y) = (x0 + (x1 - x0) * at, y0 + (y1 - y0) * at);
            let halves = if upright { [[x0, y0, x, y1], [x, y0, x1, y1]] } else { [[x0, y0, x1, y], [x0, y, x1, y1]] };
            all.extend(halves.map(|h| (h, turned)));
        }
        let mut shape = Shape::default();
        for (i, (r, turned)) in all.iter().enumerate() {
            region(&mut shape, &format!("region {i}"), *r, *turned);
        }
        let (joined, _) = sheets::connected(&shape, &Watch::default()).expect("not cancelled").expect("one plane");
        let length = |e: EdgeId| {
            let e = &joined.edges[e];
            distance(e.curve.point(e.range[0]), e.curve.point(e.range[1]))
        };
        let outline: f64 = joined.open_edges().into_iter().map(length).sum();
        prop_assert!((outline - 14.0).abs() < 1e-9, "outline {outline}");
        prop_assert!(joined.uses_of_edges().iter().all(|u| *u <= 2));
        prop_assert_eq!(joined.lumps.len(), 1);
        let names: Vec<&str> = joined.faces.iter().map(|f| f.name.as_str()).collect();
        let given: Vec<String> = (0..all.len()).map(|i| format!("region {i}")).collect();
        prop_assert_eq!(names, given.iter().map(String::as_str).collect::<Vec<_>>());
        let fineness = Fineness { deviation: 0.1, angle: 10.0, largest: Some(0.7), smallest: None, even: true };
        let made = facet(&joined, &fineness, Reader::Trusting, &Watch::default()).expect("not cancelled");
        prop_assert_eq!(&made.failed, &vec![]);
        let topology = Topology::of(&made.mesh, &Watch::default()).expect("not cancelled");
        prop_assert_eq!((topology.shells, topology.misdirected.len(), topology.overshared.len()), (1, 0, 0));
        let area = measure::mass(&made.mesh, &made.mesh.bounds()).area;
        prop_assert!((area - 12.0).abs() < 1e-9);
        let upward = made.mesh.triangles.keys().all(|f| made.mesh.area_vector(f)[2] > 0.0);
        prop_assert!(upward, "all regions face the same way");
    }
}

proptest! {
    /// The short ways for the usual degrees give what the long way gives: A3.6 and A4.4 against the derivatives of
    /// all orders.
    #[test]
    fn the_fast_evaluation_is_the_general_one(
        degree in 1..5_usize,
        inner in prop::collection::vec(0.05..1.0_f64, 0..5),
        heights in prop::collection::vec(-1.0..1.0_f64, 100),
        weights in prop::option::of(prop::collection::vec(0.2..3.0_f64, 100)),
        (s, t) in (0.0..=1.0_f64, 0.0..=1.0_f64),
    ) {
        let mut at = 0.0;
        let breaks: Vec<f64> = inner.iter().map(|d| { at += d; at }).collect();
        let end = at + 1.0;
        let ends = |x: f64| std::iter::repeat_n(x, degree + 1);
        let knots: Vec<f64> = ends(0.0).chain(breaks).chain(ends(end)).collect();
        let n = knots.len() - degree - 1;
        let points: Vec<[f64; 3]> =
            (0..n * n).map(|i| [(i / n) as f64, (i % n) as f64, heights[i % 100]]).collect();
        let weights = weights.map(|w| (0..n * n).map(|i| w[i % 100]).collect::<Vec<f64>>());
        let surface =
            NurbsSurface::new([degree; 2], [knots.clone(), knots], n, &points, weights.as_deref()).expect("a surface");
        let (u, v) = (s * end, t * end);
        let (fast, jet) = (surface.first(u, v), surface.jet(u, v));
        for (a, b) in fast.iter().zip([jet.p, jet.u, jet.v]) {
            prop_assert!(distance(*a, b) <= 1e-11 * (1.0 + norm(b)), "{a:?} and {b:?}");
        }
    }
}
