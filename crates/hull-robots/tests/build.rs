//! Robots built of bodies, against closed forms.

use hull_fitting::align::Rigid;
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::transform::{rotate, translate};
use hull_geometry::vector::{distance, dot, sub};
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::build::{BuildError, build};
use hull_robots::checks::findings;
use hull_robots::collision::{Kind, cost, shapes};
use hull_robots::motion::{Free, clearances, places, places_freely};
use hull_robots::plan::{Collision, Mimic, Mirrored, Plan, PlannedFrame, PlannedJoint, PlannedLink};
use hull_robots::sides::other_side;
use hull_robots::{Geometry, Inertia, JointKind, Shape, urdf, usd};
use parry3d_f64::math::{Pose, Rot3, Vec3};
use parry3d_f64::query::distance as distance_of;
use parry3d_f64::shape::TriMesh;
use proptest::prelude::*;

fn moved(mut mesh: Mesh, by: Point) -> Mesh {
    translate(&mut mesh, by);
    mesh
}

fn hinge(parent: &str, child: &str, at: Point, axis: Point) -> PlannedJoint {
    PlannedJoint {
        name: String::new(),
        kind: JointKind::Revolute,
        parent: parent.into(),
        child: child.into(),
        at,
        axis,
        limits: Some([-90.0, 90.0]),
        effort: 50.0,
        speed: 90.0,
        damping: 0.1,
        friction: 0.0,
        zero: 0.0,
        mimic: None,
    }
}

/// A foot of 200 × 100 × 50 mm, an arm on a hinge at its corner, a hand on a second one.
fn arm() -> (Plan, Vec<Mesh>) {
    let meshes = vec![
        cuboid([200.0, 100.0, 50.0]),
        moved(cuboid([300.0, 40.0, 40.0]), [200.0, 30.0, 50.0]),
        moved(cuboid([100.0, 40.0, 40.0]), [500.0, 30.0, 50.0]),
    ];
    let plan = Plan {
        name: "Crane 1".into(),
        links: ["Foot", "Arm", "Hand"].iter().map(|n| PlannedLink::of(n, n)).collect(),
        joints: vec![
            hinge("Foot", "Arm", [200.0, 50.0, 50.0], [0.0, -2.0, 0.0]),
            hinge("Arm", "Hand", [500.0, 50.0, 50.0], [0.0, -1.0, 0.0]),
        ],
        ..Plan::default()
    };
    (plan, meshes)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// The least clearance is that of every moment of every joint, by `parry3d`'s own distance of two meshes, though most
    /// moments are never looked at.
    #[test]
    fn the_least_clearance_is_that_of_all_moments(
        axes in prop::collection::vec(prop::array::uniform3(-1.0..1.0_f64).prop_filter("an axis", |a| dot(*a, *a) > 0.05), 2),
        far in prop::array::uniform3(-80.0..80.0_f64),
        radius in 20.0..60.0_f64,
    ) {
        let (mut plan, mut meshes) = arm();
        meshes[2] = moved(sphere(radius, 10, 6), [560.0 + far[0], 50.0 + far[1], 70.0 + far[2]]);
        for (joint, axis) in plan.joints.iter_mut().zip(&axes) {
            joint.axis = *axis;
        }
        let made = build(&plan, &meshes, &Watch::default()).unwrap();
        let found = clearances(&made.robot, &made.seen, &Watch::default()).unwrap();
        let shape = |m: &Mesh| {
            let points = m.points.iter().map(|p| Vec3::new(p[0], p[1], p[2])).collect();
            TriMesh::new(points, m.corner_numbers().collect()).unwrap()
        };
        let (foot, hand) = (shape(&made.seen[0]), shape(&made.seen[2]));
        let mut least = f64::INFINITY;
        for k in 0..2 {
            for i in 0..=24 {
                let mut values = [0.0; 2];
                values[k] = (-90.0 + 180.0 * f64::from(i) / 24.0_f64).to_radians();
                let at = places(&made.robot, &values);
                let pose = |r: &Rigid| {
                    let columns = [0, 1, 2].map(|k| Vec3::new(r.rotation[0][k], r.rotation[1][k], r.rotation[2][k]));
                    let m = parry3d_f64::math::Matrix::from_cols(columns[0], columns[1], columns[2]);
                    let shift = Vec3::new(r.shift[0], r.shift[1], r.shift[2]);
                    Pose { rotation: Rot3::from_mat3(&m), translation: shift }
                };
                least = least.min(distance_of(&pose(&at[0]), &foot, &pose(&at[2]), &hand).unwrap().distance);
            }
        }
        prop_assert!((found[0].least - least).abs() < 1e-9, "{:?} {least}", found[0]);
    }
}

/// Masses and moments of boxes: m, m (b² + c²) / 12, in the link's frame; the arm's tip where sines and cosines put it.
#[test]
fn an_arm_has_the_masses_and_places_of_its_boxes() {
    let (plan, meshes) = arm();
    let made = build(&plan, &meshes, &Watch::default()).unwrap();
    let near = |a: f64, b: f64| assert!((a - b).abs() <= 1e-12 * b.abs().max(1e-3), "{a} for {b}");
    let i = made.robot.links[1].inertia.unwrap();
    let m = 7850.0 * 0.3 * 0.04 * 0.04;
    near(i.mass, m);
    near(i.moments[0], m * (0.04_f64.powi(2) * 2.0) / 12.0);
    near(i.moments[3], m * (0.3_f64.powi(2) + 0.04_f64.powi(2)) / 12.0);
    for (k, x) in [0.15, 0.0, 0.02].into_iter().enumerate() {
        near(i.at.xyz[k], x);
    }
    // Lifted by 30°, then the hand by 60° more: about −y that is upward.
    let at = places(&made.robot, &[30_f64.to_radians(), 60_f64.to_radians()]);
    let tip = at[2].place([0.1, 0.0, 0.0]);
    let (s, c) = 30_f64.to_radians().sin_cos();
    for (k, x) in [0.2 + 0.3 * c, 0.05, 0.05 + 0.3 * s + 0.1].into_iter().enumerate() {
        near(tip[k], x);
    }
    assert!(findings(&made.robot, |f| made.files.iter().any(|x| x.0 == f)).is_empty());
    assert_eq!(urdf::read(urdf::write(&made.robot).as_bytes()).unwrap().robot, made.robot);
    // The hand comes down on the foot's plane nowhere, and nearest where the arm hangs or the hand folds back.
    let near_by = clearances(&made.robot, &made.seen, &Watch::default()).unwrap();
    assert_eq!(near_by.len(), 1);
    assert!(near_by[0].least > 0.1 && near_by[0].least < 0.3, "{near_by:?}");
    let stage = usd::write(&made.robot, &[], |f| made.files.iter().find(|x| x.0 == f).map(|x| (x.1.clone(), x.2)));
    assert!(stage.contains("PhysicsRevoluteJoint") && stage.matches("def Mesh").count() == 6, "{stage}");
}

#[test]
fn what_is_no_tree_is_refused_with_a_sentence() {
    let (plan, meshes) = arm();
    let why = |change: &dyn Fn(&mut Plan)| {
        let mut plan = plan.clone();
        change(&mut plan);
        match build(&plan, &meshes, &Watch::default()) {
            Err(BuildError::Refused(why)) => why,
            _ => panic!("taken"),
        }
    };
    assert!(why(&|p| drop(p.joints.pop())).contains("2 roots, Foot, Hand"));
    assert!(why(&|p| p.joints[1] = hinge("Foot", "Arm", [0.0; 3], [1.0, 0.0, 0.0])).contains("hangs on two joints"));
    assert!(why(&|p| p.joints.push(hinge("Hand", "Foot", [0.0; 3], [1.0, 0.0, 0.0]))).contains("in a circle"));
    assert!(why(&|p| p.joints[0].axis = [0.0; 3]).contains("no length"));
    assert!(why(&|p| p.joints[0].limits = None).contains("needs limits"));
    assert!(why(&|p| p.links[2].name = "arm".into()).contains("Two links"));
    assert!(why(&|p| p.links[0].density = 0.0).contains("above zero"));
    assert!(why(&|p| p.joints[0].parent = "Leg".into()).contains("both must be links"));
}

/// Whether a shape of the description holds a point, by its own definition.
fn holds(shape: &hull_robots::Shape, p: Point) -> bool {
    let [r, t, y] = shape.at.rpy;
    let (sr, cr, sp, cp, sy, cy) = (r.sin(), r.cos(), t.sin(), t.cos(), y.sin(), y.cos());
    let axes = [
        [cy * cp, sy * cp, -sp],
        [cy * sp * sr - sy * cr, sy * sp * sr + cy * cr, cp * sr],
        [cy * sp * cr + sy * sr, sy * sp * cr - cy * sr, cp * cr],
    ];
    let v = sub(p, shape.at.xyz);
    let l = [0, 1, 2].map(|k| dot(v, axes[k]));
    let e = 1e-6;
    match shape.geometry {
        Geometry::Sphere(r) => distance(l, [0.0; 3]) <= r + e,
        Geometry::Box(s) => (0..3).all(|k| l[k].abs() <= s[k] / 2.0 + e),
        Geometry::Cylinder(r, h) => l[0].hypot(l[1]) <= r + e && l[2].abs() <= h / 2.0 + e,
        Geometry::Mesh { .. } => true,
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, ..ProptestConfig::default() })]

    /// Every shape holds the body it is for, wherever and however that stands, and its volume is what its kind has around a box.
    #[test]
    fn shapes_hold_their_body(turn in prop::array::uniform3(-3.0..3.0_f64), by in prop::array::uniform3(-2.0..2.0_f64)) {
        let watch = Watch::default();
        let axes = hull_fitting::align::Rigid::turned_by(turn.map(f64::to_degrees)).rotation;
        let mut mesh = cuboid([0.6, 0.4, 0.2]);
        rotate(&mut mesh, &axes);
        translate(&mut mesh, by);
        let half = (0.09_f64 + 0.04 + 0.01).sqrt();
        for (kind, volume) in [
            (Collision::Box, 0.048),
            (Collision::Sphere, 4.0 / 3.0 * std::f64::consts::PI * half.powi(3)),
            (Collision::Cylinder, (std::f64::consts::PI * 0.05 * 0.6).min(std::f64::consts::PI * 0.13 * 0.2)),
            (Collision::Hull, 0.048),
        ] {
            let made = shapes(&mesh, kind, &watch).unwrap();
            let c = cost(&mesh, &made, &watch).unwrap();
            // Meshes of round shapes are a little smaller than what they stand for.
            prop_assert!((c.volume_error + 1.0 - volume / 0.048).abs() < 0.05 * volume / 0.048, "{kind:?} {c:?}");
            for m in &made {
                if let Kind::Simple(shape) = &m.kind {
                    for p in &mesh.points { prop_assert!(holds(shape, *p), "{kind:?} {shape:?} {p:?}"); }
                }
            }
        }
    }
}

/// Two balls and a bar: in convex pieces they stand for it better than the hull does.
#[test]
fn pieces_stand_nearer_than_the_hull() {
    let watch = Watch::default();
    let mut bell = sphere(0.1, 20, 10);
    bell.append(&moved(sphere(0.1, 20, 10), [0.6, 0.0, 0.0]));
    bell.append(&moved(cuboid([0.6, 0.04, 0.04]), [0.0, -0.02, -0.02]));
    let of = |kind| cost(&bell, &shapes(&bell, kind, &watch).unwrap(), &watch).unwrap();
    let (hull, pieces) = (of(Collision::Hull), of(Collision::Pieces));
    assert!(pieces.shapes > 1 && pieces.volume_error < 0.5 * hull.volume_error, "{hull:?} {pieces:?}");
    assert!(pieces.sticks_out < hull.sticks_out);
}

/// The value at which the bodies stand is where they stand; at nought they are back by as much.
#[test]
fn a_joint_that_stands_at_a_value_is_there_at_that_value() {
    let (plain, meshes) = arm();
    let mut plan = plain.clone();
    plan.joints[0].zero = 30.0;
    plan.joints[1] =
        PlannedJoint { kind: JointKind::Prismatic, axis: [1.0, 0.0, 0.0], zero: 40.0, ..plan.joints[1].clone() };
    let built = |p: &Plan| build(p, &meshes, &Watch::default()).unwrap().robot;
    let (as_placed, moved) = (places(&built(&plain), &[0.0; 2]), places(&built(&plan), &[30_f64.to_radians(), 0.04]));
    for (a, b) in as_placed.iter().zip(&moved) {
        assert!(
            distance(a.shift, b.shift) < 1e-12 && distance(a.turn([1.0, 2.0, 3.0]), b.turn([1.0, 2.0, 3.0])) < 1e-12
        );
    }
    // At nought the arm, which turns about −y, is 30° lower.
    let tip = places(&built(&plan), &[0.0, 0.04])[1].turn([1.0, 0.0, 0.0]);
    assert!(distance(tip, [30_f64.to_radians().cos(), 0.0, -0.5]) < 1e-12, "{tip:?}");
}

#[test]
fn a_joint_that_follows_moves_as_its_leader_times_its_factor() {
    let (mut plan, meshes) = arm();
    plan.joints[0].name = "shoulder".into();
    plan.joints[1].mimic = Some(Mimic { joint: "shoulder".into(), factor: -0.5, offset: 10.0 });
    let robot = build(&plan, &meshes, &Watch::default()).unwrap().robot;
    assert_eq!(robot.followed(&[0.4, 99.0]), [0.4, -0.2 + 10_f64.to_radians()]);
    assert_eq!(urdf::read(urdf::write(&robot).as_bytes()).unwrap().robot, robot);
    plan.joints[0].mimic = Some(Mimic { joint: "Arm_to_Hand".into(), factor: 1.0, offset: 0.0 });
    assert!(
        matches!(build(&plan, &meshes, &Watch::default()), Err(BuildError::Refused(e)) if e.contains("follows itself"))
    );
    plan.joints[0].mimic = Some(Mimic { joint: "elbow".into(), factor: 1.0, offset: 0.0 });
    assert!(
        matches!(build(&plan, &meshes, &Watch::default()), Err(BuildError::Refused(e)) if e.contains("no other joint"))
    );
}

#[test]
fn a_frame_is_a_named_place_that_goes_with_its_link() {
    let (mut plan, meshes) = arm();
    plan.frames.push(PlannedFrame {
        name: "Tool".into(),
        link: "Hand".into(),
        at: [600.0, 50.0, 50.0],
        axis: [1.0, 0.0, 0.0],
    });
    let made = build(&plan, &meshes, &Watch::default()).unwrap();
    assert_eq!(made.robot.roots(), ["foot"]);
    assert!(findings(&made.robot, |_| true).is_empty());
    let at = places(&made.robot, &[0.0; 3])[3];
    // The root's frame is that of the bodies, in metres.
    assert!(
        distance(at.shift, [0.6, 0.05, 0.05]) < 1e-12 && distance(at.turn([0.0, 0.0, 1.0]), [1.0, 0.0, 0.0]) < 1e-12
    );
    plan.frames.push(PlannedFrame { name: "hand".into(), ..plan.frames[0].clone() });
    assert!(matches!(build(&plan, &meshes, &Watch::default()), Err(BuildError::Refused(e)) if e.contains("already")));
}

/// What is mirrored has the same mass, its centre on the other side, and moves as a mirror shows it.
#[test]
fn the_other_side_of_a_robot_mirrors_it() {
    let pairs =
        [("left arm", "right arm"), ("ARM_L", "ARM_R"), ("Port hand", "Starboard hand"), ("lever", "lever mirrored")];
    pairs.iter().for_each(|(a, b)| assert_eq!(other_side(a), *b));
    let meshes = [cuboid([200.0, 100.0, 50.0]), moved(cuboid([60.0, 200.0, 30.0]), [0.0, 100.0, 0.0])];
    let mut plan = Plan {
        name: "two sides".into(),
        links: vec![PlannedLink::of("body", "a"), PlannedLink::of("left arm", "b")],
        joints: vec![PlannedJoint {
            name: "left shoulder".into(),
            ..hinge("body", "left arm", [30.0, 100.0, 20.0], [1.0, 0.0, 1.0])
        }],
        ..Plan::default()
    };
    let plane = Mirrored { axis: 1, at: 50.0 };
    plan.mirror(1, plane);
    assert_eq!(plan.links[2].name, "right arm");
    assert_eq!((plan.joints[1].parent.as_str(), plan.joints[1].name.as_str()), ("body", "right shoulder"));
    let all = [meshes[0].clone(), meshes[1].clone(), meshes[1].clone()];
    let made = build(&plan, &all, &Watch::default()).unwrap();
    assert!((made.links[1].mass - made.links[2].mass).abs() < 1e-12);
    let at = places(&made.robot, &[0.7, 0.7]);
    // Corners of the left arm, moved, are those of the right one in the mirror; in metres.
    let other = |p: Point| plane.place(p.map(|x| x * 1000.0)).map(|x| x / 1000.0);
    for p in &made.seen[1].points {
        let wanted = other(at[1].place(*p));
        let nearest =
            made.seen[2].points.iter().map(|q| distance(at[2].place(*q), wanted)).fold(f64::INFINITY, f64::min);
        assert!(nearest < 1e-12, "{nearest}");
    }
    assert!(hull_geometry::measure::mass(&made.seen[2], &made.seen[2].bounds()).volume > 0.0);
}

proptest! {
    /// Every point of a body is in its capsule, and a capsule around a bar is no longer than the bar.
    #[test]
    fn a_capsule_holds_its_body(size in prop::array::uniform3(5.0..400.0_f64), turn in prop::array::uniform3(-3.0..3.0_f64)) {
        let mut mesh = cuboid(size);
        rotate(&mut mesh, &hull_fitting::align::Rigid::turned_by(turn.map(f64::to_degrees)).rotation);
        let made = shapes(&mesh, Collision::Capsule, &Watch::default()).unwrap();
        let mut balls = Vec::new();
        for m in &made {
            if let Kind::Simple(s) = &m.kind && let Geometry::Sphere(r) = s.geometry {
                balls.push((s.at.xyz, r));
            }
        }
        let [(a, r), (b, _)] = balls[..] else { panic!("two balls") };
        for p in &mesh.points {
            let off = hull_geometry::vector::nearest_on_segment(*p, a, b).1.sqrt();
            prop_assert!(off <= r * (1.0 + 1e-4), "{off} beyond {r}");
        }
        prop_assert!(distance(a, b) <= size.iter().fold(0.0, |m: f64, s| m.max(*s)) + 1e-9);
    }
}

/// A planar joint moves across its axis and turns about it, a floating one anyhow; the distance of a point from the joint's
/// place is kept by turning.
#[test]
fn joints_of_several_values_move_where_they_are_told() {
    let (mut plan, meshes) = arm();
    (plan.joints[0].kind, plan.joints[0].limits) = (JointKind::Planar, None);
    (plan.joints[1].kind, plan.joints[1].limits) = (JointKind::Floating, None);
    let robot = build(&plan, &meshes, &Watch::default()).expect("a tree").robot;
    let still = places(&robot, &[]);
    let planar = Free { along: [0.2, 0.1, 9.0], about: [9.0, 9.0, 0.0] };
    let moved = places_freely(&robot, &[], &[(0, planar)]);
    let by = sub(moved[1].shift, still[1].shift);
    // Across y: nothing along it, and both lengths square to each other.
    assert!(by[1].abs() < 1e-12 && (dot(by, by) - 0.05).abs() < 1e-12, "{by:?}");
    let free = Free { along: [0.1, 0.2, 0.3], about: [0.0, 0.0, std::f64::consts::FRAC_PI_2] };
    let moved = places_freely(&robot, &[], &[(1, free)]);
    let by = sub(moved[2].shift, still[2].shift);
    assert!(distance(by, [0.1, 0.2, 0.3]) < 1e-12 && distance(moved[2].turn([1.0, 0.0, 0.0]), [0.0, 1.0, 0.0]) < 1e-12);
}

#[test]
fn a_link_hangs_where_it_is_dragged_but_not_below_itself() {
    let (mut plan, _) = arm();
    assert!(plan.hang(0, 2).unwrap_err().contains("hangs below “Foot”"));
    assert!(plan.hang(1, 1).is_err() && plan.hang(7, 0).is_err());
    plan.hang(2, 0).expect("beside the arm");
    assert_eq!(plan.joints[1].parent, "Foot");
    // The foot may hang on the hand once nothing of it is above: a joint is made for it.
    plan.joints.remove(1);
    plan.hang(0, 2).expect("a root");
    assert_eq!((plan.joints.len(), plan.joints[1].child.as_str(), plan.joints[1].kind), (2, "Foot", JointKind::Fixed));
}

/// A plate that is screwed to the foot is part of it: it may meet the foot and the arm on it, and is held against the hand.
#[test]
fn what_is_fixed_together_is_one_piece_for_clearances() {
    let (mut plan, mut meshes) = arm();
    plan.links.push(PlannedLink::of("Plate", "Plate"));
    plan.joints.push(PlannedJoint::fixed("Foot", "Plate"));
    meshes.push(moved(cuboid([60.0, 60.0, 20.0]), [160.0, 20.0, 40.0]));
    let made = build(&plan, &meshes, &Watch::default()).unwrap();
    let found = clearances(&made.robot, &made.seen, &Watch::default()).unwrap();
    let pairs: Vec<(&str, &str)> = found.iter().map(|c| (c.a.as_str(), c.b.as_str())).collect();
    assert_eq!(pairs, [("foot", "hand"), ("hand", "plate")]);
    assert!(found.iter().all(|c| !c.meet()), "{found:?}");
}

/// Mass properties and shapes that a file declares take the place of the body's own, on the other side of a plane as well.
#[test]
fn what_a_file_declares_is_kept_on_either_side() {
    let (plan, meshes) = arm();
    let own = build(&plan, &meshes, &Watch::default()).unwrap().robot;
    let in_space = Rigid { shift: [0.5, 0.05, 0.05], ..Rigid::NONE };
    let declared = own.links[2].inertia.unwrap().seen_from(&in_space);
    let at = |xyz| hull_robots::Pose { xyz, rpy: [0.0; 3] };
    let shape = Shape { at: at([0.55, 0.05, 0.07]), geometry: Geometry::Box([0.1, 0.04, 0.04]), colour: None };
    for (mirrored, y) in [(None, 0.0), (Some(Mirrored { axis: 1, at: 20.0 }), -0.06)] {
        let mut plain = plan.clone();
        plain.links[2].mirrored = mirrored;
        let expected = build(&plain, &meshes, &Watch::default()).unwrap().robot.links[2].inertia.unwrap();
        let mut told = plain.clone();
        told.links[2] = PlannedLink {
            inertia: Some(declared),
            touched: vec![shape.clone()],
            collision: Collision::Declared,
            mass: Some(2.0 * declared.mass),
            ..told.links[2].clone()
        };
        let made = build(&told, &meshes, &Watch::default()).unwrap();
        let link = &made.robot.links[2];
        let (a, b) = (link.inertia.unwrap(), expected.weighing(2.0 * expected.mass));
        let all = |i: &Inertia| i.at.xyz.into_iter().chain(i.moments).chain([i.mass]).collect::<Vec<_>>();
        assert!(all(&a).iter().zip(all(&b)).all(|(x, y)| (x - y).abs() < 1e-12), "{a:?} {b:?}");
        assert_eq!((&link.collision[0].geometry, link.collision.len()), (&shape.geometry, 1));
        assert!(distance(link.collision[0].at.xyz, [0.05, y, 0.02]) < 1e-12, "{:?}", link.collision[0].at);
        assert!(made.links[2].collision.sticks_out < 1e-9 && made.links[2].declared);
        told.links[2].inertia = Some(Inertia { moments: [1.0, 0.0, 0.0, 1.0, 0.0, 3.0], ..declared });
        assert!(build(&told, &meshes, &Watch::default()).is_err_and(|e| e.to_string().contains("no body has")));
    }
}
