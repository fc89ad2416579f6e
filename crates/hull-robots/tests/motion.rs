//! Where links are and how near they come, against plain matrices and against plain lists of boxes.

use hull_geometry::shapes::cuboid;
use hull_geometry::transform::translate;
use hull_geometry::vector::{distance, norm, unit};
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::motion::{Clearance, clearances, places};
use hull_robots::{Joint, JointKind, Link, Pose, Robot};
use proptest::prelude::*;

type Matrix = [[f64; 4]; 4];

fn times(a: &Matrix, b: &Matrix) -> Matrix {
    [0, 1, 2, 3].map(|i| [0, 1, 2, 3].map(|j| (0..4).map(|k| a[i][k] * b[k][j]).sum()))
}

fn shifted(by: Point) -> Matrix {
    [[1.0, 0.0, 0.0, by[0]], [0.0, 1.0, 0.0, by[1]], [0.0, 0.0, 1.0, by[2]], [0.0, 0.0, 0.0, 1.0]]
}

/// A turn about an axis of length one through the origin: O. Rodrigues, 1840.
fn turned([x, y, z]: Point, angle: f64) -> Matrix {
    let (s, c) = angle.sin_cos();
    let t = 1.0 - c;
    [
        [c + t * x * x, t * x * y - s * z, t * x * z + s * y, 0.0],
        [t * x * y + s * z, c + t * y * y, t * y * z - s * x, 0.0],
        [t * x * z - s * y, t * y * z + s * x, c + t * z * z, 0.0],
        [0.0, 0.0, 0.0, 1.0],
    ]
}

/// Roll, pitch and yaw: about the fixed x, then y, then z (URDF, *from memory*).
fn pose(p: &Pose) -> Matrix {
    let [roll, pitch, yaw] = p.rpy;
    let turns = [turned([0.0, 0.0, 1.0], yaw), turned([0.0, 1.0, 0.0], pitch), turned([1.0, 0.0, 0.0], roll)];
    turns.iter().fold(shifted(p.xyz), |m, t| times(&m, t))
}

const KINDS: [JointKind; 4] = [JointKind::Fixed, JointKind::Revolute, JointKind::Continuous, JointKind::Prismatic];

/// A tree whose links hang on any link before them.
fn any_tree() -> impl Strategy<Value = Robot> {
    let numbers = || prop::array::uniform3(-2.0..2.0_f64);
    let joint =
        (0..4_usize, any::<prop::sample::Index>(), numbers(), numbers(), numbers(), prop::option::of(-2.0..2.0_f64));
    prop::collection::vec(joint, 1..7).prop_map(|all| {
        let mut robot = Robot {
            name: "tree".into(),
            links: vec![Link { name: "l0".into(), ..Link::default() }],
            ..Robot::default()
        };
        for (i, (kind, parent, xyz, rpy, axis, follows)) in all.into_iter().enumerate() {
            let axis = unit(axis).unwrap_or([0.0, 0.0, 1.0]);
            robot.joints.push(Joint {
                name: format!("j{i}"),
                kind: KINDS[kind],
                parent: format!("l{}", parent.index(i + 1)),
                child: format!("l{}", i + 1),
                at: Pose { xyz, rpy },
                axis,
                limits: Some([-1.0, 1.0]),
                // The first joint leads.
                mimic: follows.filter(|_| i > 0).map(|factor| ("j0".into(), factor, 0.25)),
                ..Joint::default()
            });
            robot.links.push(Link { name: format!("l{}", i + 1), ..Link::default() });
        }
        // Joints stand in files in any order.
        robot.joints.reverse();
        robot
    })
}

proptest! {
    /// Every link is where the product of the matrices on its way from the root puts it.
    #[test]
    fn links_are_where_matrices_put_them(robot in any_tree(), values in prop::collection::vec(-3.0..3.0_f64, 7)) {
        let found = places(&robot, &values);
        let value = |k: usize| match &robot.joints[k].mimic {
            None => values[k],
            Some((_, factor, offset)) => factor * values[robot.joints.len() - 1] + offset,
        };
        for (l, link) in robot.links.iter().enumerate() {
            let mut expected = shifted([0.0; 3]);
            let mut name = link.name.clone();
            while let Some(k) = robot.joints.iter().position(|j| j.child == name) {
                let joint = &robot.joints[k];
                let moved = match joint.kind {
                    JointKind::Fixed => shifted([0.0; 3]),
                    JointKind::Prismatic => shifted(joint.axis.map(|x| x * value(k))),
                    _ => turned(joint.axis, value(k)),
                };
                expected = times(&times(&pose(&joint.at), &moved), &expected);
                name.clone_from(&joint.parent);
            }
            for p in [[0.0; 3], [1.0, 0.0, 0.0], [0.3, -2.0, 0.7]] {
                let q = [0, 1, 2].map(|i| (0..3).map(|k| expected[i][k] * p[k]).sum::<f64>() + expected[i][3]);
                prop_assert!(distance(found[l].place(p), q) < 1e-9, "{} at {:?} for {:?}", link.name, found[l].place(p), q);
            }
        }
    }
}

/// A box of these sides in m about its own middle.
fn block(size: [f64; 3]) -> Mesh {
    let mut mesh = cuboid(size);
    translate(&mut mesh, size.map(|s| -0.5 * s));
    mesh
}

/// How far two boxes along the axes are apart.
fn gap(at: [Point; 2], sizes: [[f64; 3]; 2]) -> f64 {
    norm([0, 1, 2].map(|k| ((at[0][k] - at[1][k]).abs() - 0.5 * (sizes[0][k] + sizes[1][k])).max(0.0)))
}

fn slider(name: &str, [parent, child]: [&str; 2], at: Point, axis: Point, to: f64) -> Joint {
    Joint {
        name: name.into(),
        kind: JointKind::Prismatic,
        parent: parent.into(),
        child: child.into(),
        at: Pose { xyz: at, rpy: [0.0; 3] },
        axis,
        limits: Some([0.0, to]),
        ..Joint::default()
    }
}

fn of<'a>(found: &'a [Clearance], a: &str, b: &str) -> &'a Clearance {
    let both = |c: &&Clearance| [c.a.as_str(), c.b.as_str()] == [a, b];
    found.iter().find(both).unwrap_or_else(|| panic!("{a} and {b} in {found:?}"))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// A gripper: one finger slides on a wrist that slides, the other follows it by a factor. Fingers come as near to each other as
    /// any moment of any joint lets them, counted box by box.
    #[test]
    fn fingers_that_follow_each_other_are_looked_at_too(
        sizes in prop::array::uniform4(prop::array::uniform3(0.02..0.2_f64)),
        apart in 0.2..0.6_f64, factor in -1.5..1.5_f64, offset in -0.05..0.05_f64, reach in 0.05..0.5_f64, rise in 0.1..0.5_f64,
    ) {
        let names = ["palm", "wrist", "left", "right"];
        let mut follower = slider("right", ["wrist", "right"], [0.5 * apart, 0.0, 0.3], [-1.0, 0.0, 0.0], reach);
        follower.mimic = Some(("left".into(), factor, offset));
        let robot = Robot {
            name: "gripper".into(),
            links: names.iter().map(|n| Link { name: (*n).into(), ..Link::default() }).collect(),
            joints: vec![
                slider("lift", ["palm", "wrist"], [0.0, 0.0, 0.4], [0.0, 0.0, -1.0], rise),
                slider("left", ["wrist", "left"], [-0.5 * apart, 0.0, 0.3], [1.0, 0.0, 0.0], reach),
                follower,
            ],
        };
        let seen: Vec<Mesh> = sizes.iter().map(|s| block(*s)).collect();
        let found = clearances(&robot, &seen, &Watch::default()).unwrap();
        prop_assert_eq!(found.len(), 3, "those that a joint joins are left out: {:?}", found);
        // Where the boxes stand with one joint moved and the other at zero.
        let stand = |lift: f64, left: f64| {
            let z = 0.4 - lift;
            [[0.0; 3], [0.0, 0.0, z], [left - 0.5 * apart, 0.0, z + 0.3], [0.5 * apart - (factor * left + offset), 0.0, z + 0.3]]
        };
        for (a, b) in [(0, 2), (0, 3), (2, 3)] {
            let at = |i: i32, to: f64| to * f64::from(i) / 24.0;
            let moments = (0..=24).flat_map(|i| [stand(at(i, rise), 0.0), stand(0.0, at(i, reach))]);
            let least = moments.map(|m| gap([m[a], m[b]], [sizes[a], sizes[b]])).fold(f64::INFINITY, f64::min);
            let told = of(&found, names[a], names[b]);
            prop_assert!((told.least - least).abs() < 1e-9, "{:?} for {}", told, least);
            prop_assert_eq!(told.meet(), least <= 1e-6);
            // Where it is told to be, it is.
            if let Some((joint, value)) = &told.at {
                let m = if joint == "lift" { stand(value / 1000.0, 0.0) } else { stand(0.0, value / 1000.0) };
                prop_assert!(joint != "right" && (gap([m[a], m[b]], [sizes[a], sizes[b]]) - least).abs() < 1e-9, "{:?}", told);
            }
        }
    }
}

/// Joints that follow each other in a circle are told, and still stand somewhere; those that only lead into it are not.
#[test]
fn joints_that_follow_each_other_in_a_circle_are_told() {
    let names = ["base", "a", "b", "c", "d"];
    let mut robot = Robot {
        name: "circle".into(),
        links: names.iter().map(|n| Link { name: (*n).into(), ..Link::default() }).collect(),
        joints: names[1..]
            .iter()
            .map(|n| Joint { effort_speed: Some([1.0, 1.0]), ..slider(n, ["base", n], [0.0; 3], [1.0, 0.0, 0.0], 0.1) })
            .collect(),
    };
    let told = |robot: &Robot| -> Vec<String> {
        let all = hull_robots::checks::findings(robot, |_| true);
        all.into_iter().filter(|f| f.contains("follows")).collect()
    };
    // d follows c, c follows b, b follows a: a chain.
    for (k, leader) in [(1, "a"), (2, "b"), (3, "c")] {
        robot.joints[k].mimic = Some((leader.into(), 2.0, 0.01));
    }
    assert_eq!(told(&robot), [""; 0]);
    let at = places(&robot, &[0.05]).iter().map(|r| r.shift[0]).collect::<Vec<_>>();
    for (found, expected) in at.iter().zip([0.0, 0.05, 0.11, 0.23, 0.47]) {
        assert!((found - expected).abs() < 1e-12, "{at:?}");
    }
    // Closed from b over c: d leads into it and is none of it.
    robot.joints[1].mimic = Some(("c".into(), 1.0, 0.0));
    assert_eq!(
        told(&robot),
        ["joint “b” follows itself by way of other joints", "joint “c” follows itself by way of other joints"]
    );
    assert!(places(&robot, &[0.05]).iter().all(|r| r.shift[0].is_finite()));
    robot.joints[1].mimic = Some(("b".into(), 1.0, 0.0));
    assert_eq!(told(&robot), ["joint “b” follows “b”, which is no other joint"]);
}
