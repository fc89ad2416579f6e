//! Motion under weight against closed forms.

use hull_fitting::align::Rigid;
use hull_robots::dynamics::{Base, GRAVITY, Tree, let_go};
use hull_robots::{Inertia, Joint, JointKind, Link, Pose, Robot};
use proptest::prelude::*;
use std::f64::consts::PI;

/// A bar: mass, distance of its centre along x, moment about its centre across.
#[derive(Clone, Copy, Debug)]
struct Bar {
    mass: f64,
    centre: f64,
    moment: f64,
}

fn link(name: &str, bar: Bar) -> Link {
    let inertia = Inertia {
        at: Pose { xyz: [bar.centre, 0.0, 0.0], rpy: [0.0; 3] },
        mass: bar.mass,
        moments: [1e-3 * bar.moment, 0.0, 0.0, bar.moment, 0.0, bar.moment],
    };
    Link { name: name.into(), inertia: Some(inertia), ..Link::default() }
}

fn hinge(name: &str, parent: &str, child: &str, x: f64, axis: [f64; 3]) -> Joint {
    Joint {
        name: name.into(),
        kind: JointKind::Continuous,
        parent: parent.into(),
        child: child.into(),
        at: Pose { xyz: [x, 0.0, 0.0], rpy: [0.0; 3] },
        axis,
        ..Joint::default()
    }
}

/// Two bars one behind the other, both about y: at zero they lie along x.
fn double(a: Bar, b: Bar, length: f64) -> Robot {
    Robot {
        name: "double".into(),
        links: vec![link("base", Bar { mass: 1.0, centre: 0.0, moment: 1.0 }), link("first", a), link("second", b)],
        joints: vec![
            hinge("one", "base", "first", 0.0, [0.0, 1.0, 0.0]),
            hinge("two", "first", "second", length, [0.0, 1.0, 0.0]),
        ],
    }
}

fn bar() -> impl Strategy<Value = Bar> {
    (0.2..5.0_f64, 0.05..0.8_f64, 0.01..0.5_f64).prop_map(|(mass, centre, moment)| Bar { mass, centre, moment })
}

proptest! {
    /// The double pendulum's equations in closed form (H. Goldstein, Classical Mechanics): masses, centrifugal terms, weight; and
    /// inverse after forward gives what was put in.
    #[test]
    fn the_double_pendulum(a in bar(), b in bar(), length in 0.3..1.5_f64, q in prop::array::uniform2(-3.0..3.0_f64), v in prop::array::uniform2(-4.0..4.0_f64), t in prop::array::uniform2(-9.0..9.0_f64)) {
        let robot = double(a, b, length);
        let tree = Tree::of(&robot).unwrap();
        // About y a turn by +q brings x down: height of a place r along x is −r sin q.
        let h = tree.masses(&q);
        let (c2, s2) = (q[1].cos(), q[1].sin());
        let h22 = b.moment + b.mass * b.centre * b.centre;
        let h12 = h22 + b.mass * length * b.centre * c2;
        let h11 = a.moment + a.mass * a.centre * a.centre + h22 + b.mass * (length * length + 2.0 * length * b.centre * c2);
        for (is, be) in [(h[(0, 0)], h11), (h[(0, 1)], h12), (h[(1, 0)], h12), (h[(1, 1)], h22)] {
            prop_assert!((is - be).abs() < 1e-12 * h11, "{is} for {be}");
        }
        let k = b.mass * length * b.centre * s2;
        let (c1, c12) = (q[0].cos(), (q[0] + q[1]).cos());
        let weight = [
            -GRAVITY * ((a.mass * a.centre + b.mass * length) * c1 + b.mass * b.centre * c12),
            -GRAVITY * b.mass * b.centre * c12,
        ];
        let bias = [-k * (2.0 * v[0] * v[1] + v[1] * v[1]) + weight[0], k * v[0] * v[0] + weight[1]];
        let got = tree.inverse(&q, &v, &[0.0; 2], GRAVITY);
        for c in 0..2 {
            prop_assert!((got[c] - bias[c]).abs() < 1e-10 * (1.0 + bias[c].abs()), "{got:?} for {bias:?}");
        }
        let acceleration = tree.forward(&q, &v, &t, GRAVITY).unwrap();
        let back = tree.inverse(&q, &v, &acceleration, GRAVITY);
        for c in 0..2 {
            prop_assert!((back[c] - t[c]).abs() < 1e-8 * (1.0 + t[c].abs() + bias[c].abs()));
        }
    }
}

/// A tree of links, each on one before it, by joints of any kind and direction.
fn tree() -> impl Strategy<Value = Robot> {
    let three = || prop::array::uniform3(-1.0..1.0_f64);
    let one = (bar(), three(), three(), prop::array::uniform3(-3.0..3.0_f64), 0..4_u8, any::<prop::sample::Index>());
    prop::collection::vec(one, 1..7).prop_map(|all| {
        let mut robot = Robot {
            name: "tree".into(),
            links: vec![link("0", Bar { mass: 1.0, centre: 0.2, moment: 0.3 })],
            joints: Vec::new(),
        };
        for (i, (bar, axis, xyz, rpy, kind, above)) in all.into_iter().enumerate() {
            let kind =
                [JointKind::Revolute, JointKind::Continuous, JointKind::Prismatic, JointKind::Fixed][kind as usize];
            let long = axis.iter().map(|x| x * x).sum::<f64>().sqrt().max(1e-3);
            robot.joints.push(Joint {
                kind,
                at: Pose { xyz, rpy },
                ..hinge(
                    &format!("j{i}"),
                    &above.index(i + 1).to_string(),
                    &(i + 1).to_string(),
                    0.0,
                    axis.map(|x| x / long),
                )
            });
            robot.links.push(link(&(i + 1).to_string(), bar));
        }
        robot
    })
}

proptest! {
    /// What has to act for the motion that is found is what acts: no force and no moment on the free root, the joints' torques and
    /// forces, by Newton and Euler, which share nothing with articulated bodies. The same with the root held.
    #[test]
    fn a_free_tree_moves_as_newton_and_euler_say(
        robot in tree(),
        x in prop::collection::vec(-2.0..2.0_f64, 64),
        pressed in prop::collection::vec((prop::array::uniform3(-5.0..5.0_f64), prop::array::uniform3(-5.0..5.0_f64)), 7),
    ) {
        let tree = Tree::of(&robot).unwrap();
        let n = tree.moving.len();
        let (q, v, t) = (&x[..n], &x[n..2 * n], &x[2 * n..3 * n]);
        let three = |k: usize| [x[k], x[k + 1], x[k + 2]];
        let place = Rigid { shift: three(30), ..Rigid::turned_by(three(33).map(|a| a * 60.0)) };
        let base = Base { place, spin: three(36), speed: three(39), ..Base::default() };
        let pressed = &pressed[..robot.links.len()];
        let (spin_rate, speed_rate, joints) = tree.free(&base, q, v, t, GRAVITY, pressed).unwrap();
        let (force, moment, torques) = tree.flow(&Base { spin_rate, speed_rate, ..base }, q, v, &joints, GRAVITY, pressed);
        let large = 1e-7 * (1.0 + joints.iter().chain(&spin_rate).chain(&speed_rate).fold(0.0, |m: f64, a| m.max(a.abs())));
        prop_assert!(force.iter().chain(&moment).all(|f| f.abs() < large), "{force:?} {moment:?}");
        prop_assert!(torques.iter().zip(t).all(|(a, b)| (a - b).abs() < large), "{torques:?} for {t:?}");
        let held = tree.forward(q, v, t, GRAVITY).unwrap();
        let back = tree.inverse(q, v, &held, GRAVITY);
        let large = 1e-7 * (1.0 + held.iter().fold(0.0, |m: f64, a| m.max(a.abs())));
        prop_assert!(back.iter().zip(t).all(|(a, b)| (a - b).abs() < large), "{back:?} for {t:?}");
    }
}

/// A slide that is let go along z falls; one across does not move; their masses are the masses above them.
#[test]
fn slides_fall() {
    let mut robot =
        double(Bar { mass: 2.0, centre: 0.1, moment: 0.1 }, Bar { mass: 3.0, centre: 0.1, moment: 0.1 }, 0.5);
    robot.joints[0] = Joint { kind: JointKind::Prismatic, axis: [0.0, 0.0, 1.0], ..robot.joints[0].clone() };
    robot.joints[1] = Joint { kind: JointKind::Prismatic, axis: [1.0, 0.0, 0.0], ..robot.joints[1].clone() };
    let tree = Tree::of(&robot).unwrap();
    let h = tree.masses(&[0.3, 0.2]);
    assert!((h[(0, 0)] - 5.0).abs() < 1e-12 && (h[(1, 1)] - 3.0).abs() < 1e-12 && h[(0, 1)].abs() < 1e-12);
    let trial = let_go(&robot, 0.5).unwrap();
    let end = trial.moments.last().unwrap();
    assert!((end.values[0] + GRAVITY * 0.125).abs() < 1e-9 && end.values[1].abs() < 1e-12, "{end:?}");
}

/// A pendulum that is let go level: its period is that of the elliptic integral, 1.18034 times that of small swings (K(sin 45°) =
/// 1.854 07, M. Abramowitz and I. Stegun, 17.3); its energy is kept to 1e-6 over 10 s, also of the double one, which is chaotic.
#[test]
fn energy_and_period() {
    let a = Bar { mass: 1.3, centre: 0.4, moment: 0.05 };
    let mut one = double(a, Bar { mass: 0.7, centre: 0.2, moment: 0.01 }, 0.6);
    let trial = let_go(&one, 10.0).unwrap();
    let scale = GRAVITY * (1.3 * 0.4 + 0.7 * 0.8);
    assert!(trial.energy_change < 1e-6 * scale, "{}", trial.energy_change);
    one.joints[1].kind = JointKind::Fixed;
    let (mass, far) = (2.0, (1.3 * 0.4 + 0.7 * 0.8) / 2.0);
    let about = 0.05 + 1.3 * 0.16 + 0.01 + 0.7 * 0.64;
    let period = 1.854_074_677 * 2.0 / PI * 2.0 * PI * (about / (mass * GRAVITY * far)).sqrt();
    let trial = let_go(&one, 10.0).unwrap();
    assert!(trial.energy_change < 1e-6 * scale);
    // It turns from 0 to half a turn and back: it is at rest again after whole periods.
    let back: Vec<f64> = trial
        .moments
        .windows(3)
        .filter(|w| w[1].values[0] < w[0].values[0] && w[1].values[0] <= w[2].values[0])
        .map(|w| w[1].time)
        .collect();
    assert!(back.len() > 3 && (back[2] / 3.0 - period).abs() < 0.02, "{back:?} for {period}");
    // Damped it ends hanging, a quarter turn down.
    one.joints[0].dynamics = Some([2.0, 0.0]);
    let still = let_go(&one, 20.0).unwrap();
    assert!(
        (still.moments.last().unwrap().values[0] - PI / 2.0).abs() < 1e-3
            && still.moments.last().unwrap().energy < -1.0
    );
    one.joints[0].limits = Some([-0.1, 0.5]);
    assert_eq!(let_go(&one, 2.0).unwrap().passed[0].0, "one");
    assert!(let_go(&one, 0.0).is_err());
}
