//! A robot set down on a floor, against what weight and levers say.

use hull_geometry::shapes::cuboid;
use hull_geometry::transform::translate;
use hull_geometry::{Mesh, Point};
use hull_robots::contact::{Joints, Setting, Stood, Verdict, set_down};
use hull_robots::dynamics::GRAVITY;
use hull_robots::{Inertia, Joint, JointKind, Link, Pose, Robot};

/// A box of these sides in metres about its own middle.
fn block(size: [f64; 3]) -> Mesh {
    let mut mesh = cuboid(size);
    translate(&mut mesh, size.map(|s| -0.5 * s));
    mesh
}

/// Moments of an even box: m (b² + c²) / 12.
fn link(name: &str, size: [f64; 3], mass: f64, centre: Point) -> Link {
    let [a, b, c] = size.map(|s| s * s * mass / 12.0);
    let inertia =
        Inertia { at: Pose { xyz: centre, rpy: [0.0; 3] }, mass, moments: [b + c, 0.0, 0.0, a + c, 0.0, a + b] };
    Link { name: name.into(), inertia: Some(inertia), ..Link::default() }
}

fn alone(size: [f64; 3], mass: f64, centre: Point, how: Setting) -> Stood {
    let robot = Robot { name: "one".into(), links: vec![link("body", size, mass, centre)], joints: Vec::new() };
    set_down(&robot, &[block(size)], &how).unwrap()
}

fn short(seconds: f64) -> Setting {
    Setting { seconds, ..Setting::default() }
}

#[test]
fn a_box_stands_and_the_floor_carries_its_weight() {
    let stood = alone([0.2, 0.1, 0.05], 3.0, [0.0; 3], short(2.0));
    assert_eq!(stood.verdict, Verdict::Stands);
    let end = stood.moments.last().unwrap();
    assert!((end.carried / (3.0 * GRAVITY) - 1.0).abs() < 1e-3, "{}", end.carried);
    assert!(end.lean < 0.01 && end.speed < 1e-4 && (end.height + 1e-3).abs() < 1e-3, "{end:?}");
}

#[test]
fn one_whose_centre_is_beyond_its_foot_tips_and_one_within_does_not() {
    for (x, verdict) in [(0.03, Verdict::Stands), (0.07, Verdict::Tips)] {
        let stood = alone([0.1, 0.1, 0.1], 2.0, [x, 0.0, 0.0], short(2.0));
        assert_eq!(stood.verdict, verdict, "centre at {x}, foot to 0.05: {:?}", stood.moments.last());
    }
}

#[test]
fn it_falls_freely_until_it_touches_and_joints_do_not_move_by_falling() {
    let arm = [0.3, 0.05, 0.05];
    let mut robot = Robot {
        name: "two".into(),
        links: vec![link("foot", [0.2; 3], 5.0, [0.0; 3]), link("arm", arm, 1.0, [0.15, 0.0, 0.0])],
        joints: vec![Joint {
            name: "hinge".into(),
            kind: JointKind::Continuous,
            parent: "foot".into(),
            child: "arm".into(),
            at: Pose { xyz: [0.1, 0.0, 0.05], rpy: [0.0; 3] },
            axis: [0.0, 1.0, 0.0],
            ..Joint::default()
        }],
    };
    let mut seen = vec![block([0.2; 3]), block(arm)];
    translate(&mut seen[1], [0.15, 0.0, 0.0]);
    let how = Setting { joints: Joints::Released, seconds: 0.4, drop: 1.0, friction: 0.5 };
    let fell = set_down(&robot, &seen, &how).unwrap();
    for m in &fell.moments {
        assert!((m.height + 0.5 * GRAVITY * m.time * m.time).abs() < 1e-3, "{m:?}");
        assert!(m.values[0].abs() < 1e-6 && m.carried == 0.0, "{m:?}");
    }
    // Released, the arm then hangs down from the hinge while the foot stands; held, it does not move.
    let how = Setting { joints: Joints::Released, seconds: 3.0, ..Setting::default() };
    robot.joints[0].dynamics = Some([0.5, 0.0]);
    let released = set_down(&robot, &seen, &how).unwrap();
    assert!(released.moments.last().unwrap().values[0] > 0.3, "{:?}", released.moments.last());
    let held = set_down(&robot, &seen, &short(1.0)).unwrap();
    assert_eq!((held.verdict, held.joints.len()), (Verdict::Stands, 0));
    assert_eq!(held.csv().lines().count(), 1 + held.moments.len());
}

#[test]
fn a_driven_joint_follows_its_sine() {
    let robot = Robot {
        name: "driven".into(),
        links: vec![link("foot", [0.4, 0.4, 0.1], 20.0, [0.0; 3]), link("arm", [0.1; 3], 0.5, [0.0; 3])],
        joints: vec![Joint {
            name: "turn".into(),
            kind: JointKind::Revolute,
            parent: "foot".into(),
            child: "arm".into(),
            at: Pose { xyz: [0.0, 0.0, 0.2], rpy: [0.0; 3] },
            axis: [0.0, 0.0, 1.0],
            limits: Some([-1.0, 1.0]),
            effort_speed: Some([100.0, 10.0]),
            ..Joint::default()
        }],
    };
    let how = Setting { joints: Joints::Driven(0.5, 0.5), seconds: 2.0, ..Setting::default() };
    let stood = set_down(&robot, &[block([0.4, 0.4, 0.1]), block([0.1; 3])], &how).unwrap();
    assert_eq!(stood.verdict, Verdict::Stands);
    for m in stood.moments.iter().filter(|m| m.time > 0.5) {
        let wanted = 0.5 * (std::f64::consts::PI * m.time).sin();
        assert!((m.values[0] - wanted).abs() < 0.08, "{} for {wanted} at {}", m.values[0], m.time);
    }
}

#[test]
fn what_cannot_be_tried_is_refused() {
    let robot =
        Robot { name: "none".into(), links: vec![Link { name: "a".into(), ..Link::default() }], joints: Vec::new() };
    assert!(set_down(&robot, &[Mesh::default()], &short(0.0)).is_err());
    let massless = Link { visual: Vec::new(), inertia: None, name: "a".into(), collision: Vec::new() };
    let robot = Robot { links: vec![massless], ..robot };
    assert!(set_down(&robot, &[Mesh::default()], &short(1.0)).is_err());
}
