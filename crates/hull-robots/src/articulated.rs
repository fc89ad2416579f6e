//! Forward dynamics of a tree from link to link, without a mass matrix: articulated bodies (R. Featherstone, Rigid Body Dynamics
//! Algorithms, 2008, chapter 7). Its work grows with the number of links, and not with the cube of it.
//!
//! Everything stands in the axes of the world and about its origin, so that nothing is turned on its way: a motion is how
//! fast a body turns and how fast its place at the origin moves, a force its moment about the origin and itself.

use crate::dynamics::Base;
use crate::model::{JointKind, Robot};
use crate::motion::rigid;
use hull_fitting::align::Rigid;
use hull_geometry::vector::{V3, add, cross, scale, sub};
use nalgebra::{Matrix3, Matrix6, Vector3, Vector6};

/// A joint as the order of links needs it.
struct Above {
    /// The step of the link above.
    step: usize,
    kind: JointKind,
    axis: V3,
    /// Where it stands on the link above.
    at: Rigid,
    /// Its coordinate, if it moves by itself.
    coordinate: Option<usize>,
    /// Its value: a constant, and how it follows coordinates.
    value: (f64, Vec<(usize, f64)>),
}

struct Step {
    link: usize,
    above: Option<Above>,
    mass: f64,
    centre: V3,
    moments: Matrix3<f64>,
}

/// A tree with what does not change worked out once.
pub(crate) struct Articulated {
    steps: Vec<Step>,
    coordinates: usize,
}

/// A link where it is, and how it moves.
pub(crate) struct Moving {
    pub place: Rigid,
    /// How fast it turns.
    pub spin: V3,
    /// How fast its place at the world's origin moves.
    pub at_origin: V3,
    /// The direction in which its joint moves it.
    along: Vector6<f64>,
}

impl Moving {
    /// How fast a place of it moves.
    pub fn speed_at(&self, p: V3) -> V3 {
        add(self.at_origin, cross(self.spin, p))
    }
}

fn six(a: V3, b: V3) -> Vector6<f64> {
    Vector6::new(a[0], a[1], a[2], b[0], b[1], b[2])
}

fn halves(v: &Vector6<f64>) -> (V3, V3) {
    ([v[0], v[1], v[2]], [v[3], v[4], v[5]])
}

/// How a motion changes that is carried along by another.
fn carried(by: &Vector6<f64>, m: &Vector6<f64>) -> Vector6<f64> {
    let ((w, v), (a, b)) = (halves(by), halves(m));
    six(cross(w, a), add(cross(w, b), cross(v, a)))
}

/// How a force changes that is carried along by a motion.
fn force_carried(by: &Vector6<f64>, f: &Vector6<f64>) -> Vector6<f64> {
    let ((w, v), (n, f)) = (halves(by), halves(f));
    six(add(cross(w, n), cross(v, f)), cross(w, f))
}

/// The inertia of a body about the world's origin.
fn inertia(mass: f64, centre: V3, about_centre: &Matrix3<f64>) -> Matrix6<f64> {
    let c = Vector3::from(centre);
    let cx = c.cross_matrix() * mass;
    let turning = about_centre + (Matrix3::identity() * c.norm_squared() - c * c.transpose()) * mass;
    let mut out = Matrix6::zeros();
    out.fixed_view_mut::<3, 3>(0, 0).copy_from(&turning);
    out.fixed_view_mut::<3, 3>(0, 3).copy_from(&cx);
    out.fixed_view_mut::<3, 3>(3, 0).copy_from(&cx.transpose());
    out.fixed_view_mut::<3, 3>(3, 3).copy_from(&(Matrix3::identity() * mass));
    out
}

impl Articulated {
    /// Of links in an order in which each comes after the one above, with the joint and the step above each; `moving` are the
    /// joints that are coordinates.
    pub fn new(robot: &Robot, order: &[(usize, Option<(usize, usize)>)], moving: &[usize]) -> Articulated {
        // What a joint's value makes of the coordinates is found by trying each: those that follow others do so evenly.
        let tried = |c: Option<usize>| {
            let mut values = vec![0.0; robot.joints.len()];
            if let Some(c) = c {
                values[moving[c]] = 1.0;
            }
            robot.followed(&values)
        };
        let still = tried(None);
        let each: Vec<Vec<f64>> = (0..moving.len()).map(|c| tried(Some(c))).collect();
        let above = |(k, step): (usize, usize)| {
            let joint = &robot.joints[k];
            let follows = |c: usize| Some((c, each[c][k] - still[k])).filter(|f| f.1 != 0.0);
            Above {
                step,
                kind: joint.kind,
                axis: joint.axis,
                at: rigid(&joint.at),
                coordinate: moving.iter().position(|m| *m == k),
                value: (still[k], (0..moving.len()).filter_map(follows).collect()),
            }
        };
        let step = |(link, joint): &(usize, Option<(usize, usize)>)| {
            let i = robot.links[*link].inertia.unwrap_or_default();
            let [xx, xy, xz, yy, yz, zz] = i.moments;
            let moments = Matrix3::new(xx, xy, xz, xy, yy, yz, xz, yz, zz);
            Step { link: *link, above: joint.map(above), mass: i.mass, centre: i.at.xyz, moments }
        };
        Articulated { steps: order.iter().map(step).collect(), coordinates: moving.len() }
    }

    /// Every link, by steps of the order, where it is and how it moves.
    pub fn moving(&self, base: &Base, q: &[f64], v: &[f64]) -> Vec<Moving> {
        let mut out: Vec<Moving> = Vec::with_capacity(self.steps.len());
        for step in &self.steps {
            let Some(j) = &step.above else {
                let at_origin = sub(base.speed, cross(base.spin, base.place.shift));
                out.push(Moving { place: base.place, spin: base.spin, at_origin, along: Vector6::zeros() });
                continue;
            };
            let value = j.value.0 + j.value.1.iter().map(|(c, f)| f * q[*c]).sum::<f64>();
            let moved = match j.kind {
                JointKind::Revolute | JointKind::Continuous => Rigid::turned_by(scale(j.axis, value.to_degrees())),
                JointKind::Prismatic => Rigid { shift: scale(j.axis, value), ..Rigid::NONE },
                JointKind::Planar | JointKind::Floating | JointKind::Fixed => Rigid::NONE,
            };
            let parent = &out[j.step];
            let place = parent.place.after(&j.at).after(&moved);
            let (mut spin, mut at_origin, mut along) = (parent.spin, parent.at_origin, Vector6::zeros());
            if let Some(c) = j.coordinate {
                let s = place.turn(j.axis);
                let (turns, shifts) = match j.kind {
                    JointKind::Prismatic => ([0.0; 3], s),
                    _ => (s, cross(place.shift, s)),
                };
                along = six(turns, shifts);
                spin = add(spin, scale(turns, v[c]));
                at_origin = add(at_origin, scale(shifts, v[c]));
            }
            out.push(Moving { place, spin, at_origin, along });
        }
        out
    }

    /// The link of each step.
    pub fn links(&self) -> impl Iterator<Item = usize> + '_ {
        self.steps.iter().map(|s| s.link)
    }

    /// Accelerations of the root's turning and of its origin, and of the coordinates, under torques and forces of joints,
    /// weight along −z, and what presses on links (in the robot's order: a force, and its moment about the world's origin).
    /// With `held` the root does not accelerate. `None` where the masses do not allow any.
    pub fn accelerations(
        &self,
        now: &[Moving],
        held: bool,
        v: &[f64],
        torque: &[f64],
        gravity: f64,
        pressed: &[(V3, V3)],
    ) -> Option<(V3, V3, Vec<f64>)> {
        let n = self.steps.len();
        let motions: Vec<Vector6<f64>> = now.iter().map(|m| six(m.spin, m.at_origin)).collect();
        let (mut bodies, mut bias) = (Vec::with_capacity(n), Vec::with_capacity(n));
        for (i, step) in self.steps.iter().enumerate() {
            let r = Matrix3::from_fn(|a, b| now[i].place.rotation[a][b]);
            let centre = now[i].place.place(step.centre);
            let body = inertia(step.mass, centre, &(r * step.moments * r.transpose()));
            let weight = [0.0, 0.0, -gravity * step.mass];
            let mut outside = six(cross(centre, weight), weight);
            if let Some((force, moment)) = pressed.get(step.link) {
                outside += six(*moment, *force);
            }
            bias.push(force_carried(&motions[i], &(body * motions[i])) - outside);
            bodies.push(body);
        }
        // From the tips to the root: what each link with all that hangs on it is to the one above.
        let mut joints = vec![None; n];
        let mut turns_along = vec![Vector6::zeros(); n];
        for (i, step) in self.steps.iter().enumerate().rev() {
            let Some(j) = &step.above else { continue };
            let (mut body, mut push) = (bodies[i], bias[i]);
            if let Some(c) = j.coordinate {
                let along = &now[i].along;
                let change = carried(&motions[i], along) * v[c];
                let u = body * along;
                let d = along.dot(&u);
                if d.is_nan() || d <= 0.0 {
                    return None;
                }
                let left = torque[c] - along.dot(&push);
                body -= u * u.transpose() / d;
                push += body * change + u * (left / d);
                joints[i] = Some((u, d, left, c));
                turns_along[i] = change;
            }
            bodies[j.step] += body;
            bias[j.step] += push;
        }
        let mut rates = vec![Vector6::zeros(); n];
        if !held {
            rates[0] = -(bodies[0].cholesky()?.solve(&bias[0]));
        }
        let mut out = vec![0.0; self.coordinates];
        for (i, step) in self.steps.iter().enumerate() {
            let Some(j) = &step.above else { continue };
            let mut rate = rates[j.step] + turns_along[i];
            if let Some((u, d, left, c)) = &joints[i] {
                out[*c] = (left - u.dot(&rate)) / d;
                rate += now[i].along * out[*c];
            }
            rates[i] = rate;
        }
        let (spin_rate, at_origin) = halves(&rates[0]);
        let root = &now[0];
        let shift = root.place.shift;
        // The origin of the root is carried on by its own motion.
        let speed = root.speed_at(shift);
        let speed_rate = add(at_origin, add(cross(spin_rate, shift), cross(root.spin, speed)));
        Some((spin_rate, speed_rate, out)).filter(|(a, b, c)| a.iter().chain(b).chain(c).all(|x| x.is_finite()))
    }
}
