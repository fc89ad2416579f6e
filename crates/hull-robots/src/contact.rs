//! A robot set down on a floor: does it stand, tip, sink or shake? Its root moves freely; corners of what is touched press on the floor
//! as springs that damp (K. Hunt and F. Crossley, 1975) and rub by Coulomb's law, smoothed about rest.
//!
//! Steps are semi-implicit: new speeds from the forces of now, new places from the new speeds. SI units, Z up.

use crate::articulated::Moving;
use crate::collision::hull;
use crate::dynamics::{Base, GRAVITY, Tree};
use crate::model::{JointKind, Robot};
use hull_fitting::align::Rigid;
use hull_geometry::Mesh;
use hull_geometry::vector::{V3, add, cross, norm, scale};
use serde::Serialize;

/// What joints do while it stands.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Joints {
    /// They do not move.
    Held,
    /// They move freely, damped and rubbed as they say.
    Released,
    /// They follow a sine about the middle of their range: amplitude as a share of it, and hertz.
    Driven(f64, f64),
}

/// How it is set down.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Setting {
    /// What the joints do.
    pub joints: Joints,
    /// For so long, in s.
    pub seconds: f64,
    /// From so high above the floor, in m.
    pub drop: f64,
    /// The friction of what is touched on the floor.
    pub friction: f64,
}

impl Default for Setting {
    /// Five seconds from a millimetre, joints held; friction 0.6: common practice for rubber and steel on concrete, no source.
    fn default() -> Setting {
        Setting { joints: Joints::Held, seconds: 5.0, drop: 1e-3, friction: 0.6 }
    }
}

/// What it did.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// It stands where it was set down.
    Stands,
    /// It leans over by more than [`TIPPED`] degrees.
    Tips,
    /// It is deeper in the floor than [`SUNK`] metres.
    Sinks,
    /// It moves still at the end.
    Shakes,
}

impl Verdict {
    /// As a word.
    pub fn word(self) -> &'static str {
        match self {
            Verdict::Stands => "stands",
            Verdict::Tips => "tips",
            Verdict::Sinks => "sinks",
            Verdict::Shakes => "shakes",
        }
    }
}

/// Degrees that count as tipped.
pub const TIPPED: f64 = 20.0;
/// Metres that count as sunk.
pub const SUNK: f64 = 5e-3;
/// Metres a second that count as shaking.
const STILL: f64 = 5e-3;
/// Corners of a link that can touch, at most.
const MOST_CORNERS: usize = 48;
/// The floor gives way by so much, in m, under the whole weight on one corner.
const GIVES: f64 = 5e-4;
/// How much of a bounce is lost: the factor of Hunt and Crossley, in s/m; chosen, so that a box comes to rest at once.
const LOSS: f64 = 67.0;
/// Speed below which friction is smoothed, in m/s.
const SMOOTH: f64 = 5e-3;
/// Steps each second.
const STEPS: f64 = 4000.0;

/// A moment of it.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Moment {
    /// In s.
    pub time: f64,
    /// How high the root's origin is, in m, against the beginning.
    pub height: f64,
    /// How far it leans, in degrees.
    pub lean: f64,
    /// What the floor carries, in N.
    pub carried: f64,
    /// How fast the root moves, in m/s.
    pub speed: f64,
    /// The joints that move, in rad or m.
    pub values: Vec<f64>,
}

/// A trial of standing.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Stood {
    /// In a word.
    pub verdict: Verdict,
    /// The weight, in N.
    pub weight: f64,
    /// The joints that move.
    pub joints: Vec<String>,
    /// Fifty a second.
    pub moments: Vec<Moment>,
}

impl Stood {
    /// As CSV.
    pub fn csv(&self) -> String {
        let names: String = self.joints.iter().map(|j| format!(",{j}")).collect();
        let mut text = format!("time_s,height_m,lean_deg,carried_N,speed_m_s{names}\n");
        for m in &self.moments {
            let values: String = m.values.iter().map(|v| format!(",{v}")).collect();
            text += &format!("{},{},{},{},{}{values}\n", m.time, m.height, m.lean, m.carried, m.speed);
        }
        text
    }
}

/// Corners of each link that can touch the floor, in its frame: those of the hull of what is seen.
fn corners(seen: &[Mesh]) -> Vec<Vec<V3>> {
    let of = |mesh: &Mesh| {
        let all = hull(mesh).map_or_else(|_| mesh.points.clone(), |h| h.points);
        let every = all.len().div_ceil(MOST_CORNERS).max(1);
        all.into_iter().step_by(every).collect()
    };
    seen.iter().map(of).collect()
}

/// Sets a robot down; `seen` are its links' meshes in their frames.
///
/// # Errors
/// A sentence.
pub fn set_down(robot: &Robot, seen: &[Mesh], how: &Setting) -> Result<Stood, String> {
    if !(how.seconds > 0.0 && how.seconds <= crate::dynamics::LONGEST) {
        return Err(format!("A trial lasts from 0 to {} seconds.", crate::dynamics::LONGEST));
    }
    let mut robot = robot.clone();
    if how.joints == Joints::Held {
        robot.joints.iter_mut().for_each(|j| j.kind = JointKind::Fixed);
    }
    let tree = Tree::of(&robot).ok_or("The robot is no tree whose links all have a mass.")?;
    let n = tree.moving.len();
    let corners = corners(seen);
    let weight = robot.mass() * GRAVITY;
    let run = Run { tree: &tree, corners, stiffness: weight / GIVES, friction: how.friction };
    let (mut q, mut v) = (start(&robot, &tree, how), vec![0.0; n]);
    let drives = run.drives(&q);
    let mut base = Base::default();
    base.place.shift[2] = how.drop - run.lowest(&base, &q);
    let begun = base.place.shift[2];
    let mut out = Stood {
        verdict: Verdict::Stands,
        weight,
        joints: tree.moving.iter().map(|k| robot.joints[*k].name.clone()).collect(),
        moments: Vec::new(),
    };
    let h = 1.0 / STEPS;
    let middle = q.clone();
    for step in 0..=(how.seconds * STEPS).round() as usize {
        let time = step as f64 * h;
        let now = run.now(&base, &q, &v);
        let pressed = run.pressed(&now);
        if step % (STEPS / 50.0) as usize == 0 {
            let [_, _, up] = [0, 1, 2].map(|k| base.place.rotation[k][2]);
            out.moments.push(Moment {
                time,
                height: base.place.shift[2] - begun,
                lean: up.clamp(-1.0, 1.0).acos().to_degrees(),
                carried: pressed.iter().map(|p| p.0[2]).sum(),
                speed: norm(base.speed),
                values: q.clone(),
            });
        }
        let torque = run.torques(how, &robot, &drives, &middle, (&q, &v), time);
        let found = tree.articulated().accelerations(&now, false, &v, &torque, GRAVITY, &pressed);
        let (spin, speed, joints) = found.ok_or("The masses do not allow a motion.")?;
        base.spin = add(base.spin, scale(spin, h));
        base.speed = add(base.speed, scale(speed, h));
        for c in 0..n {
            v[c] += h * joints[c];
            q[c] += h * v[c];
        }
        let turned = Rigid::turned_by(scale(base.spin, h.to_degrees()));
        let shift = add(base.place.shift, scale(base.speed, h));
        base.place = Rigid {
            shift,
            ..Rigid { rotation: turned.rotation, ..Rigid::NONE }.after(&Rigid { shift: [0.0; 3], ..base.place })
        };
        if base.place.shift.iter().chain(&q).any(|x| !x.is_finite()) {
            return Err("The motion runs away: are the masses and the axes possible?".into());
        }
    }
    out.verdict = verdict(&out.moments, &run, &base, &q, how);
    Ok(out)
}

/// Joints begin at nought, driven ones in the middle of their range.
fn start(robot: &Robot, tree: &Tree, how: &Setting) -> Vec<f64> {
    let middle = |k: &usize| match (how.joints, robot.joints[*k].limits) {
        (Joints::Driven(..), Some([a, b])) => 0.5 * (a + b),
        _ => 0.0,
    };
    tree.moving.iter().map(middle).collect()
}

fn verdict(moments: &[Moment], run: &Run, base: &Base, q: &[f64], how: &Setting) -> Verdict {
    let deepest = (-run.lowest(base, q)).max(0.0);
    let last = &moments[moments.len().saturating_sub(25)..];
    let leans = moments.iter().map(|m| m.lean).fold(0.0, f64::max);
    let moves = last.iter().map(|m| m.speed).fold(0.0, f64::max);
    if leans > TIPPED {
        Verdict::Tips
    } else if deepest > SUNK {
        Verdict::Sinks
    } else if moves > STILL && !matches!(how.joints, Joints::Driven(..)) {
        Verdict::Shakes
    } else {
        Verdict::Stands
    }
}

/// What stays the same while it runs.
struct Run<'a> {
    tree: &'a Tree<'a>,
    corners: Vec<Vec<V3>>,
    stiffness: f64,
    friction: f64,
}

impl Run<'_> {
    /// Every link as it is and moves.
    fn now(&self, base: &Base, q: &[f64], v: &[f64]) -> Vec<Moving> {
        self.tree.articulated().moving(base, q, v)
    }

    /// The corners that can touch, where they are, each with its link and that as it moves.
    fn corners_of<'n>(&self, now: &'n [Moving]) -> impl Iterator<Item = (V3, usize, &'n Moving)> {
        let links = self.tree.articulated().links().zip(now);
        links.flat_map(|(link, m)| self.corners[link].iter().map(move |c| (m.place.place(*c), link, m)))
    }

    /// How low the lowest corner is.
    fn lowest(&self, base: &Base, q: &[f64]) -> f64 {
        let now = self.now(base, q, &vec![0.0; q.len()]);
        self.corners_of(&now).map(|c| c.0[2]).fold(f64::INFINITY, f64::min)
    }

    /// What the floor does to each link, in the robot's order: a force, and its moment about the origin of all.
    fn pressed(&self, now: &[Moving]) -> Vec<(V3, V3)> {
        let mut out = vec![([0.0; 3], [0.0; 3]); self.corners.len()];
        for (p, link, moving) in self.corners_of(now).filter(|c| c.0[2] < 0.0) {
            let moves = moving.speed_at(p);
            let (depth, sinking) = (-p[2], -moves[2]);
            let up = (self.stiffness * depth * (1.0 + LOSS * sinking)).max(0.0);
            let along = [moves[0], moves[1], 0.0];
            let slides = norm(along);
            let drag = if slides > 0.0 { -self.friction * up * (slides / SMOOTH).tanh() / slides } else { 0.0 };
            let force = [along[0] * drag, along[1] * drag, up];
            out[link].0 = add(out[link].0, force);
            out[link].1 = add(out[link].1, cross(p, force));
        }
        out
    }

    /// The stiffness that drives each joint: ten hertz against what it moves at the beginning.
    fn drives(&self, q: &[f64]) -> Vec<f64> {
        let masses = self.tree.masses(q);
        (0..q.len()).map(|c| masses[(c, c)] * (10.0 * std::f64::consts::TAU).powi(2)).collect()
    }

    fn torques(
        &self,
        how: &Setting,
        robot: &Robot,
        drives: &[f64],
        middle: &[f64],
        (q, v): (&[f64], &[f64]),
        time: f64,
    ) -> Vec<f64> {
        let of = |(c, k): (usize, &usize)| {
            let joint = &robot.joints[*k];
            let [damping, friction] = joint.dynamics.unwrap_or([0.0; 2]);
            let own = -damping * v[c] - friction * (v[c] / 1e-3).tanh();
            let Joints::Driven(part, hertz) = how.joints else { return own };
            let range = joint.limits.map_or(1.0, |[a, b]| b - a);
            let wanted = middle[c] + 0.5 * part * range * (std::f64::consts::TAU * hertz * time).sin();
            let damped = 2.0 * drives[c] / (10.0 * std::f64::consts::TAU);
            let push = drives[c] * (wanted - q[c]) - damped * v[c];
            let most = joint.effort_speed.map_or(f64::INFINITY, |e| e[0]);
            own + push.clamp(-most, most)
        };
        self.tree.moving.iter().enumerate().map(of).collect()
    }
}
