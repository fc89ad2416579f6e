//! How a robot moves under weight and torques: inverse dynamics by Newton and Euler from link to link, the mass matrix by its columns,
//! forward dynamics by articulated bodies (R. Featherstone, Rigid Body Dynamics Algorithms, 2008, chapters 5 to 7).
//!
//! The root is held, or moves freely as a [`Base`] says. SI units, Z up; joints do not end at their limits, and links do not touch anything: what is told is how they would
//! move freely, and where they pass a limit.

use crate::articulated::Articulated;
use crate::model::{JointKind, Robot};
use crate::motion::places;
use hull_fitting::align::Rigid;
use hull_geometry::vector::{V3, add, cross, dot, scale, sub};
use nalgebra::{DMatrix, DVector};
use serde::Serialize;

/// Standard gravity in m/s² (ISO 80000-3).
pub const GRAVITY: f64 = 9.806_65;

/// A tree made ready: links in an order in which each comes after the one above.
pub struct Tree<'a> {
    robot: &'a Robot,
    /// For each step of the order: the link, the joint above it, and the step of the link above.
    order: Vec<(usize, Option<(usize, usize)>)>,
    /// The joints that move, in the robot's order: their coordinates.
    pub moving: Vec<usize>,
    articulated: Articulated,
}

/// The root where it is now, with its motion and the change of that.
#[derive(Clone, Debug)]
pub struct Base {
    /// Where it is.
    pub place: Rigid,
    /// How fast it turns, in rad/s.
    pub spin: V3,
    /// How fast its origin moves, in m/s.
    pub speed: V3,
    /// In rad/s².
    pub spin_rate: V3,
    /// In m/s².
    pub speed_rate: V3,
}

impl Default for Base {
    /// At the origin, at rest.
    fn default() -> Base {
        Base { place: Rigid::NONE, spin: [0.0; 3], speed: [0.0; 3], spin_rate: [0.0; 3], speed_rate: [0.0; 3] }
    }
}

/// A link where it is now.
struct Now {
    origin: V3,
    centre: V3,
    axis: V3,
    mass: f64,
    inertia: [V3; 3],
}

impl<'a> Tree<'a> {
    /// Of a robot that is one tree; `None` if it is not, or if a link has no mass.
    pub fn of(robot: &'a Robot) -> Option<Tree<'a>> {
        let number = |name: &str| robot.links.iter().position(|l| l.name == name);
        let mut order: Vec<(usize, Option<(usize, usize)>)> = Vec::new();
        let root = (0..robot.links.len()).find(|i| robot.joints.iter().all(|j| j.child != robot.links[*i].name))?;
        order.push((root, None));
        let mut at = 0;
        while at < order.len() {
            let name = &robot.links[order[at].0].name;
            for (k, j) in robot.joints.iter().enumerate().filter(|(_, j)| j.parent == *name) {
                order.push((number(&j.child)?, Some((k, at))));
                if order.len() > robot.links.len() {
                    return None;
                }
            }
            at += 1;
        }
        if order.len() != robot.links.len() || robot.links.iter().any(|l| l.inertia.is_none() && !l.is_frame()) {
            return None;
        }
        let moves = |k: &usize| {
            robot.joints[*k].mimic.is_none()
                && matches!(robot.joints[*k].kind, JointKind::Revolute | JointKind::Continuous | JointKind::Prismatic)
        };
        let moving: Vec<usize> = (0..robot.joints.len()).filter(moves).collect();
        let articulated = Articulated::new(robot, &order, &moving);
        Some(Tree { robot, order, moving, articulated })
    }

    /// The same with what does not change worked out.
    pub(crate) fn articulated(&self) -> &Articulated {
        &self.articulated
    }

    /// Accelerations of the root's turning and of its origin, and of the joints, with the root free; what presses on links is
    /// told as for [`Tree::flow`]. `None` where the masses do not allow any.
    pub fn free(
        &self,
        base: &Base,
        q: &[f64],
        speed: &[f64],
        torque: &[f64],
        gravity: f64,
        pressed: &[(V3, V3)],
    ) -> Option<(V3, V3, Vec<f64>)> {
        let now = self.articulated.moving(base, q, speed);
        self.articulated.accelerations(&now, false, speed, torque, gravity, pressed)
    }

    /// All joints' values from those that move.
    fn values(&self, q: &[f64]) -> Vec<f64> {
        let mut out = vec![0.0; self.robot.joints.len()];
        self.moving.iter().zip(q).for_each(|(k, x)| out[*k] = *x);
        out
    }

    /// The place of every link, in the robot's order, with the root as `base` says.
    pub fn places(&self, base: &Base, q: &[f64]) -> Vec<Rigid> {
        places(self.robot, &self.values(q)).iter().map(|p| base.place.after(p)).collect()
    }

    fn now(&self, base: &Base, q: &[f64]) -> Vec<Now> {
        let at = self.places(base, q);
        self.order
            .iter()
            .map(|(link, above)| {
                let place: &Rigid = &at[*link];
                let i = self.robot.links[*link].inertia.unwrap_or_default();
                let [xx, xy, xz, yy, yz, zz] = i.moments;
                let local = [[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]];
                let r = place.rotation;
                // R I Rᵀ.
                let turned: [V3; 3] = std::array::from_fn(|a| {
                    std::array::from_fn(|b| {
                        (0..3)
                            .flat_map(|k| (0..3).map(move |l| (k, l)))
                            .map(|(k, l)| r[a][k] * local[k][l] * r[b][l])
                            .sum()
                    })
                });
                let axis = above.map_or([0.0; 3], |(k, _)| place.turn(self.robot.joints[k].axis));
                Now { origin: place.shift, centre: place.place(i.at.xyz), axis, mass: i.mass, inertia: turned }
            })
            .collect()
    }

    fn coordinate(&self, joint: usize) -> Option<usize> {
        self.moving.iter().position(|k| *k == joint)
    }

    /// The torques (N·m) and forces (N) that joints must give for these accelerations with the root held; `gravity` along −z.
    pub fn inverse(&self, q: &[f64], speed: &[f64], acceleration: &[f64], gravity: f64) -> Vec<f64> {
        self.flow(&Base::default(), q, speed, acceleration, gravity, &[]).2
    }

    /// What has to act for a motion: the force on the root and its moment about the root's origin, and what joints give.
    /// `pressed` acts on the links besides, in the robot's order: a force, and its moment about the origin of all.
    pub fn flow(
        &self,
        base: &Base,
        q: &[f64],
        speed: &[f64],
        acceleration: &[f64],
        gravity: f64,
        pressed: &[(V3, V3)],
    ) -> (V3, V3, Vec<f64>) {
        let now = self.now(base, q);
        let n = now.len();
        // Turning speed and acceleration of each link, and the acceleration of its origin; weight as if the root rose.
        let rises = add(base.speed_rate, [0.0, 0.0, gravity]);
        let (mut w, mut dw, mut a) = (vec![base.spin; n], vec![base.spin_rate; n], vec![rises; n]);
        for (i, (_, above)) in self.order.iter().enumerate() {
            let Some((k, p)) = above else { continue };
            let arm = sub(now[i].origin, now[*p].origin);
            let carried = add(a[*p], add(cross(dw[*p], arm), cross(w[*p], cross(w[*p], arm))));
            let (s, c) = (now[i].axis, self.coordinate(*k));
            let (v, dv) = c.map_or((0.0, 0.0), |c| (speed[c], acceleration[c]));
            match self.robot.joints[*k].kind {
                JointKind::Prismatic => {
                    (w[i], dw[i]) = (w[*p], dw[*p]);
                    a[i] = add(carried, add(scale(s, dv), scale(cross(w[*p], s), 2.0 * v)));
                }
                _ => {
                    w[i] = add(w[*p], scale(s, v));
                    dw[i] = add(dw[*p], add(scale(s, dv), cross(w[*p], scale(s, v))));
                    a[i] = carried;
                }
            }
        }
        let times = |m: &[V3; 3], v: V3| [dot(m[0], v), dot(m[1], v), dot(m[2], v)];
        let (mut force, mut moment) = (vec![[0.0; 3]; n], vec![[0.0; 3]; n]);
        let mut out = vec![0.0; self.moving.len()];
        for i in (0..n).rev() {
            let arm = sub(now[i].centre, now[i].origin);
            let of_centre = add(a[i], add(cross(dw[i], arm), cross(w[i], cross(w[i], arm))));
            let f = scale(of_centre, now[i].mass);
            let spin = times(&now[i].inertia, w[i]);
            let m = add(add(times(&now[i].inertia, dw[i]), cross(w[i], spin)), cross(arm, f));
            (force[i], moment[i]) = (add(force[i], f), add(moment[i], m));
            if let Some((push, about)) = pressed.get(self.order[i].0) {
                force[i] = sub(force[i], *push);
                moment[i] = sub(moment[i], sub(*about, cross(now[i].origin, *push)));
            }
            let Some((k, p)) = self.order[i].1 else { continue };
            if let Some(c) = self.coordinate(k) {
                out[c] = match self.robot.joints[k].kind {
                    JointKind::Prismatic => dot(now[i].axis, force[i]),
                    _ => dot(now[i].axis, moment[i]),
                };
            }
            let lever = sub(now[i].origin, now[p].origin);
            moment[p] = add(moment[p], add(moment[i], cross(lever, force[i])));
            force[p] = add(force[p], force[i]);
        }
        (force[0], moment[0], out)
    }

    /// The mass matrix at a place.
    pub fn masses(&self, q: &[f64]) -> DMatrix<f64> {
        let n = self.moving.len();
        let still = vec![0.0; n];
        let mut out = DMatrix::zeros(n, n);
        for c in 0..n {
            let mut one = still.clone();
            one[c] = 1.0;
            out.set_column(c, &DVector::from_vec(self.inverse(q, &still, &one, 0.0)));
        }
        out
    }

    /// The accelerations under torques and forces; `None` where the masses do not allow any.
    pub fn forward(&self, q: &[f64], speed: &[f64], torque: &[f64], gravity: f64) -> Option<Vec<f64>> {
        let now = self.articulated.moving(&Base::default(), q, speed);
        self.articulated.accelerations(&now, true, speed, torque, gravity, &[]).map(|found| found.2)
    }

    /// Kinetic and potential energy in J.
    pub fn energy(&self, q: &[f64], speed: &[f64], gravity: f64) -> f64 {
        let v = DVector::from_column_slice(speed);
        let moving = 0.5 * (v.transpose() * self.masses(q) * &v)[(0, 0)];
        let height: f64 = self.now(&Base::default(), q).iter().map(|n| n.mass * n.centre[2]).sum();
        moving + gravity * height
    }
}

/// A moment of a trial.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Moment {
    /// In s.
    pub time: f64,
    /// Of the joints that move, in rad or m.
    pub values: Vec<f64>,
    /// In J, against the beginning.
    pub energy: f64,
}

/// A trial: joints let go at zero, damped and rubbed as they say.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Trial {
    /// The joints that move.
    pub joints: Vec<String>,
    /// Fifty a second.
    pub moments: Vec<Moment>,
    /// The largest change of energy, in J; without damping and friction it is the error of the sums.
    pub energy_change: f64,
    /// Joints that passed a limit, with when first.
    pub passed: Vec<(String, f64)>,
}

impl Trial {
    /// The moments as CSV: time in s, each joint's value in rad or m, energy in J.
    pub fn csv(&self) -> String {
        let mut text = format!("time_s,{},energy_J\n", self.joints.join(","));
        for m in &self.moments {
            let values: Vec<String> = m.values.iter().map(f64::to_string).collect();
            text += &format!("{},{},{}\n", m.time, values.join(","), m.energy);
        }
        text
    }
}

/// Steps each second.
const STEPS: f64 = 1000.0;
/// Seconds of a trial at most.
pub const LONGEST: f64 = 60.0;

/// Lets a robot go at zero for some seconds (classical Runge–Kutta of order four).
///
/// # Errors
/// A sentence.
pub fn let_go(robot: &Robot, seconds: f64) -> Result<Trial, String> {
    if !(seconds > 0.0 && seconds <= LONGEST) {
        return Err(format!("A trial lasts from 0 to {LONGEST} seconds."));
    }
    let tree = Tree::of(robot).ok_or("The robot is no tree whose links all have a mass.")?;
    let n = tree.moving.len();
    if n == 0 {
        return Err("No joint moves: there is nothing to let go.".into());
    }
    let rubbed = |v: &[f64]| -> Vec<f64> {
        let of = |(k, v): (&usize, &f64)| {
            let [damping, friction] = robot.joints[*k].dynamics.unwrap_or([0.0; 2]);
            // Friction is smoothed about rest, so that it does not chatter.
            -damping * v - friction * (v / 1e-3).tanh()
        };
        tree.moving.iter().zip(v).map(of).collect()
    };
    let slope = |q: &[f64], v: &[f64]| {
        tree.forward(q, v, &rubbed(v), GRAVITY).ok_or("The masses do not allow a motion.".to_string())
    };
    let moved = |x: &[f64], by: &[f64], h: f64| -> Vec<f64> { x.iter().zip(by).map(|(x, d)| x + h * d).collect() };
    let (mut q, mut v) = (vec![0.0; n], vec![0.0; n]);
    let first = tree.energy(&q, &v, GRAVITY);
    let joints: Vec<String> = tree.moving.iter().map(|k| robot.joints[*k].name.clone()).collect();
    let mut out = Trial { joints, moments: Vec::new(), energy_change: 0.0, passed: Vec::new() };
    let h = 1.0 / STEPS;
    for step in 0..=(seconds * STEPS).round() as usize {
        if step % 20 == 0 {
            let energy = tree.energy(&q, &v, GRAVITY) - first;
            out.energy_change = out.energy_change.max(energy.abs());
            out.moments.push(Moment { time: step as f64 * h, values: q.clone(), energy });
        }
        for (c, k) in tree.moving.iter().enumerate() {
            let j = &robot.joints[*k];
            let beyond = j.limits.is_some_and(|[a, b]| q[c] < a - 1e-9 || q[c] > b + 1e-9);
            if beyond && !out.passed.iter().any(|p| p.0 == j.name) {
                out.passed.push((j.name.clone(), step as f64 * h));
            }
        }
        let a1 = slope(&q, &v)?;
        let (q2, v2) = (moved(&q, &v, h / 2.0), moved(&v, &a1, h / 2.0));
        let a2 = slope(&q2, &v2)?;
        let (q3, v3) = (moved(&q, &v2, h / 2.0), moved(&v, &a2, h / 2.0));
        let a3 = slope(&q3, &v3)?;
        let (q4, v4) = (moved(&q, &v3, h), moved(&v, &a3, h));
        let a4 = slope(&q4, &v4)?;
        for c in 0..n {
            q[c] += h / 6.0 * (v[c] + 2.0 * v2[c] + 2.0 * v3[c] + v4[c]);
            v[c] += h / 6.0 * (a1[c] + 2.0 * a2[c] + 2.0 * a3[c] + a4[c]);
        }
        if q.iter().chain(&v).any(|x| !x.is_finite()) {
            return Err("The motion runs away: are the masses and the axes possible?".into());
        }
    }
    Ok(out)
}
