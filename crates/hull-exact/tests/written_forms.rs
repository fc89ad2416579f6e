//! What is done to a model before it is written: isolines, fitted curves, explicit shapes, rigid placements.

use hull_exact::curve::Curve;
use hull_exact::explicit::explicit;
use hull_exact::fit;
use hull_exact::isoline::isoline;
use hull_exact::model::{Model, Node, NodeId, Part, PartId, Tessellated};
use hull_exact::nurbs::NurbsSurface;
use hull_exact::parameter_loops::Reader;
use hull_exact::shape::{Face, FaceId, Lump, Shape, Shell};
use hull_exact::{Frame, Motion, Surface, assembly::usual_fineness};
use hull_geometry::shapes::sphere;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{distance, scale};
use hull_geometry::{Watch, measure};
use proptest::prelude::*;
use typed_index_collections::{TiVec, ti_vec};

fn frame(axis: [f64; 3], mirror: bool) -> Frame {
    let mut f = Frame::new([1.0, -2.0, 0.5], axis, None);
    if mirror {
        f.y = scale(f.y, -1.0);
    }
    f
}

fn surface(kind: usize, frame: Frame, a: f64, b: f64) -> Surface {
    let arc = Curve::Ellipse { frame: Frame { origin: [4.0, 0.0, 0.0], ..Frame::WORLD }, a, b };
    match kind {
        0 => Surface::Plane(frame),
        1 => Surface::Cylinder { frame, radius: a },
        2 => Surface::Cone { frame, radius: 3.0, half_angle: 0.5 * (b - 1.0) },
        3 => Surface::Sphere { frame, radius: a },
        4 => Surface::Torus { frame, major: 3.0, minor: a },
        5 => Surface::Extrusion { profile: arc, along: [0.1, b, 2.0] },
        6 => Surface::Revolution { profile: arc, axis: Frame { origin: [0.0; 3], ..frame } },
        _ => {
            let points: Vec<[f64; 3]> =
                (0..16).map(|i| [f64::from(i / 4), f64::from(i % 4), a * f64::from(i * i % 7) * 0.2]).collect();
            let knots = [vec![0.0, 0.0, 0.0, 0.5, 1.0, 1.0, 1.0], vec![0.0, 0.0, 0.0, 0.3, 1.0, 1.0, 1.0]];
            let weights: Vec<f64> = (0..16).map(|i| 1.0 + b * f64::from(i % 3)).collect();
            Surface::Nurbs(Box::new(NurbsSurface::new([2, 2], knots, 4, &points, Some(&weights)).expect("a surface")))
        }
    }
}

proptest! {
    /// A curve of constant u or v is the surface there, whichever way its axes turn.
    #[test]
    fn an_isoline_is_the_surface_at_that_parameter(
        kind in 0..8_usize,
        (a, b) in (0.3..2.0_f64, 0.3..1.7_f64),
        axis in prop::array::uniform3(-1.0..1.0_f64),
        mirror: bool,
        (u, v) in (0.05..0.95_f64, 0.05..0.95_f64),
    ) {
        let s = surface(kind, frame(axis, mirror), a, b);
        for axis in 0..2 {
            let [at, along] = if axis == 0 { [u, v] } else { [v, u] };
            let line = isoline(&s, axis, at).expect("each of these has a formula");
            let (p, q) = (line.point(along), if axis == 0 { s.point(at, along) } else { s.point(along, at) });
            prop_assert!(distance(p, q) <= 1e-12 * (1.0 + a + b + 4.0), "axis {axis}: {p:?} and {q:?}");
        }
    }

    /// A fitted spline keeps the parameter and stays within what was asked, over kinks too, and says how far it is off.
    #[test]
    fn a_fit_keeps_the_parameter_and_the_tolerance(
        (a, b) in (0.5..3.0_f64, 0.5..3.0_f64),
        kink in 0.2..0.8_f64,
        digits in 3..10_i32,
        at in 0.0..=1.0_f64,
    ) {
        let curve = |t: f64| {
            let bend = if t > kink { 1.0 } else { -1.0 };
            let (s, c) = (a * t).sin_cos();
            let p = [s, c * b, bend * (t - kink)];
            [[p, [a * c, -a * b * s, bend], [-a * a * s, -a * a * b * c, 0.0]]]
        };
        let tolerance = 10f64.powi(-digits);
        let ([spline], off) = fit::together(curve, &[0.0, kink, 1.0], tolerance).expect("numbers");
        prop_assert!(off <= 2.0 * tolerance, "{off} for {tolerance}");
        prop_assert!(distance(spline.at(at)[0], curve(at)[0][0]) <= 2.0 * tolerance);
        let ends = [spline.at(0.0)[0], spline.at(1.0)[0]];
        prop_assert!(distance(ends[0], curve(0.0)[0][0]) + distance(ends[1], curve(1.0)[0][0]) <= 1e-9);
    }

    /// Placements that scale, turn and mirror give the same whole once they are rigid: volume, area, box, and facets that
    /// turn outward; parts are stored once for each way in which they stand.
    #[test]
    fn a_rigid_model_is_the_same_whole(
        places in prop::collection::vec((prop::array::uniform3(-1.0..1.0_f64), prop::sample::select(vec![1.0, 2.5]), any::<bool>()), 1..5),
        whole in (prop::array::uniform3(-1.0..1.0_f64), 0.1..30.0_f64, any::<bool>()),
    ) {
        // A half ball: a disc and a dome that share their rim.
        let mut shape = Shape::default();
        let rim = shape.add_vertex([1.0, 0.0, 0.0]);
        let circle = Curve::Ellipse { frame: Frame::WORLD, a: 1.0, b: 1.0 };
        let edge = shape.add_edge(circle, [0.0, std::f64::consts::TAU], [rim, rim]);
        let bound = |forward| hull_exact::shape::Loop { uses: vec![hull_exact::shape::Use { edge, forward, hint: None }] };
        for (surface, same_sense, forward) in [
            (Surface::Sphere { frame: Frame::WORLD, radius: 1.0 }, true, true),
            (Surface::Plane(Frame::WORLD), false, false),
        ] {
            let surface = shape.add_surface(surface);
            let loops = vec![bound(forward)];
            shape.faces.push(Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None });
        }
        let outer = Shell { faces: vec![(FaceId(0), true), (FaceId(1), true)] };
        shape.lumps.push(Lump { name: String::new(), colour: None, closed: true, outer, voids: Vec::new() });
        let part = Part { name: "dome".into(), shape, tessellated: Vec::new() };
        let node = |parent, part, placement| Node { name: "n".into(), parent, part, placement, colour: None };
        let mut model = Model { parts: ti_vec![part], nodes: ti_vec![node(None, None, Motion::NONE)], unit: None };
        let motion = |(axis, scale, mirror): ([f64; 3], f64, bool)| Motion { frame: frame(axis, mirror), scale };
        for p in &places {
            model.nodes.push(node(Some(NodeId(0)), Some(PartId(0)), motion(*p)));
        }
        let placed = motion(whole);
        let rigid = model.rigid(&placed);
        prop_assert!(rigid.nodes.iter().all(|n| n.placement.scale == 1.0 && !n.placement.frame.is_mirrored()));
        prop_assert!(rigid.parts.len() <= 4);
        let s = placed.scale;
        let (a, b) = (model.figures(Reader::Trusting), rigid.figures(Reader::Trusting));
        let close = |x: f64, y: f64| (x - y).abs() <= 1e-9 * x.abs();
        prop_assert!(close(a.volume * s.powi(3), b.volume), "volume {} and {}", a.volume * s.powi(3), b.volume);
        // 2π/3 of each half ball.
        let stated: f64 = places.iter().map(|p| 2.0 / 3.0 * std::f64::consts::PI * p.1.powi(3)).sum();
        prop_assert!(close(stated, a.volume), "{stated} and {}", a.volume);
        prop_assert!(close(a.area * s * s, b.area));
        let fineness = usual_fineness(rigid.rough_bounds().diagonal());
        let made = rigid.facets(&fineness, Reader::Trusting, &Motion::NONE, &Watch::default()).expect("not cancelled");
        prop_assert!(Topology::of(&made.mesh, &Watch::default()).expect("not cancelled").is_closed());
        let volume = measure::mass(&made.mesh, &made.mesh.bounds()).volume;
        prop_assert!((volume / b.volume - 1.0).abs() < 0.05, "facets turn outward: {volume} of {}", b.volume);
        // The same facets straight from the model, moved afterwards.
        let coarse = usual_fineness(model.rough_bounds().diagonal());
        let direct = model.facets(&coarse, Reader::Trusting, &placed, &Watch::default()).expect("not cancelled");
        prop_assert!(measure::mass(&direct.mesh, &direct.mesh.bounds()).volume > 0.9 * b.volume);
        // Explicit shapes of these need nothing fitted.
        prop_assert!(rigid.parts.iter().all(|p| explicit(&p.shape).1 == 0.0));
    }
}

/// Parts in very many places: so many facets as no body can have are counted, not made.
#[test]
fn more_facets_than_a_body_can_have_are_told_and_not_made() {
    let part = Part { name: "ball".into(), shape: Shape::default(), tessellated: Vec::new() };
    let mut model = Model { parts: ti_vec![part], nodes: TiVec::new(), unit: None };
    let ball = sphere(1.0, 60, 40);
    let facets = ball.triangles.len();
    model.parts[PartId(0)].tessellated.push(Tessellated { name: "ball".into(), mesh: ball, colour: None });
    let fineness = usual_fineness(2.0);
    let made = |model: &Model| {
        model.facets(&fineness, Reader::Trusting, &Motion::NONE, &Watch::default()).expect("not cancelled")
    };
    let node = Node { name: "ball".into(), parent: None, placement: Motion::NONE, part: Some(PartId(0)), colour: None };
    model.nodes = ti_vec![node.clone(); 3];
    let few = made(&model);
    assert_eq!((few.too_many, few.mesh.triangles.len()), (None, 3 * facets));
    model.nodes = ti_vec![node; 20_000];
    let many = made(&model);
    assert_eq!((many.too_many, many.mesh.triangles.len()), (Some(20_000 * facets), 0));
}
