//! Where links are when joints move, and how near they come to each other.

use crate::model::{Joint, JointKind, Link, Robot};
use hull_fitting::align::Rigid;
use hull_geometry::clearance::{Placed, Surface, clearance};
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{add, cross, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, Watch};
use rayon::prelude::*;
use serde::Serialize;
use std::sync::atomic::AtomicUsize;
use std::sync::atomic::Ordering::Relaxed;

/// Places along each joint's range.
const STEPS: usize = 24;

/// A pose as a motion: turned about x, then y, then z of the frame above, then shifted.
pub fn rigid(pose: &crate::Pose) -> Rigid {
    let turned = |k: usize| {
        let mut about = [0.0; 3];
        about[k] = pose.rpy[k].to_degrees();
        Rigid::turned_by(about)
    };
    Rigid { rotation: turned(2).after(&turned(1)).after(&turned(0)).rotation, shift: pose.xyz }
}

/// How a joint of several values stands, in its own frame: a planar one along two directions across its axis and about it
/// (the last value), a floating one along x, y, z and about them, x first. In m and rad.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Free {
    /// Along.
    pub along: [f64; 3],
    /// About.
    pub about: [f64; 3],
}

impl Free {
    fn of(&self, joint: &Joint) -> Rigid {
        match joint.kind {
            JointKind::Planar => {
                let Some(axis) = unit(joint.axis) else { return Rigid::NONE };
                let x = crate::usd::across(axis)[0];
                let y = cross(axis, x);
                let turned = Rigid::turned_by(scale(axis, self.about[2].to_degrees()));
                Rigid { shift: add(scale(x, self.along[0]), scale(y, self.along[1])), ..turned }
            }
            JointKind::Floating => rigid(&crate::Pose { xyz: self.along, rpy: self.about }),
            _ => Rigid::NONE,
        }
    }
}

/// The place of every link in the root's frame, in the order of links, for values of the joints in theirs, in rad or m.
pub fn places(robot: &Robot, values: &[f64]) -> Vec<Rigid> {
    places_freely(robot, values, &[])
}

/// The same with joints of several values where `free` says, by their number.
pub fn places_freely(robot: &Robot, values: &[f64], free: &[(usize, Free)]) -> Vec<Rigid> {
    let values = robot.followed(values);
    let mut out: Vec<Option<Rigid>> = vec![None; robot.links.len()];
    let number = |name: &str| robot.links.iter().position(|l| l.name == name);
    for (i, l) in robot.links.iter().enumerate() {
        if robot.joints.iter().all(|j| j.child != l.name) {
            out[i] = Some(Rigid::NONE);
        }
    }
    // A tree is no deeper than it has links.
    for _ in 0..robot.links.len() {
        for (k, j) in robot.joints.iter().enumerate() {
            let (Some(parent), Some(child)) = (number(&j.parent), number(&j.child)) else { continue };
            let (Some(above), None) = (out[parent], out[child]) else { continue };
            let value = values.get(k).copied().unwrap_or(0.0);
            let moved = match j.kind {
                JointKind::Revolute | JointKind::Continuous => Rigid::turned_by(scale(j.axis, value.to_degrees())),
                JointKind::Prismatic => Rigid { shift: scale(j.axis, value), ..Rigid::NONE },
                JointKind::Planar | JointKind::Floating => {
                    free.iter().find(|f| f.0 == k).map_or(Rigid::NONE, |f| f.1.of(j))
                }
                JointKind::Fixed => Rigid::NONE,
            };
            let at = rigid(&j.at);
            out[child] = Some(above.after(&at).after(&moved));
        }
    }
    out.into_iter().map(|r| r.unwrap_or(Rigid::NONE)).collect()
}

/// How near two links come.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Clearance {
    /// One.
    pub a: String,
    /// The other.
    pub b: String,
    /// In m; zero where they meet.
    pub least: f64,
    /// The joint that was moved, and its value there in degrees or mm; none at zero.
    pub at: Option<(String, f64)>,
}

/// Links that come nearer than this, in m, meet.
const TOUCH: f64 = 1e-6;

impl Clearance {
    /// Whether both links meet.
    pub fn meet(&self) -> bool {
        self.least <= TOUCH
    }
}

/// A place of the robot on the way of one joint.
struct Moment {
    /// Where every link is.
    at: Vec<Rigid>,
    /// The joint and its value, in degrees or mm; none at zero.
    told: Option<(String, f64)>,
}

/// The way of one joint over its range, the others at zero.
struct Sweep {
    moments: Vec<Moment>,
    /// By link, the joints that move it: this one and those that follow it. Links that the same ones move keep their distance.
    moved_by: Vec<Vec<usize>>,
    /// How far any point of each link goes at most from one moment to the next, in m.
    stride: Vec<f64>,
}

/// The least clearance of every two links with surfaces that are neither one rigid piece nor of two that a joint joins, at zero and along every joint's range, the others at zero.
///
/// Two links are looked at on the way of a joint only where one of them moves, and only where they can come nearer than
/// they came before: what neither can have moved since stands between them still.
///
/// # Errors
/// [`Cancelled`].
pub fn clearances(robot: &Robot, seen: &[Mesh], watch: &Watch) -> Result<Vec<Clearance>, Cancelled> {
    let trees: Vec<FacetTree> = seen.par_iter().map(FacetTree::of).collect();
    let piece = rigid_pieces(robot);
    let number = |name: &str| robot.links.iter().position(|l| l.name == name).map(|l| piece[l]);
    let joints: Vec<(Option<usize>, Option<usize>)> =
        robot.joints.iter().map(|j| (number(&j.parent), number(&j.child))).collect();
    let joined = |a: usize, b: usize| {
        let (a, b) = (Some(piece[a]), Some(piece[b]));
        a == b || joints.iter().any(|j| *j == (a, b) || *j == (b, a))
    };
    let pairs: Vec<(usize, usize)> = (0..robot.links.len())
        .flat_map(|a| (a + 1..robot.links.len()).map(move |b| (a, b)))
        .filter(|(a, b)| !joined(*a, *b))
        // A link without a surface, as a hook's frame, is nowhere near or far.
        .filter(|(a, b)| [a, b].into_iter().all(|k| !seen[*k].triangles.is_empty()))
        .collect();
    let zero = Moment { at: places(robot, &[]), told: None };
    let sweeps: Vec<Sweep> = (0..robot.joints.len()).filter_map(|k| sweep(robot, k, seen)).collect();
    watch.report(0.0, "moving joints over their range")?;
    let done = AtomicUsize::new(0);
    pairs
        .par_iter()
        .map(|(a, b)| {
            let mut found = Clearance {
                a: robot.links[*a].name.clone(),
                b: robot.links[*b].name.clone(),
                least: f64::INFINITY,
                at: None,
            };
            let [s, t] = [*a, *b].map(|k| Surface { mesh: &seen[k], tree: &trees[k] });
            // How far they are apart, if that is less than another distance.
            let apart = |m: &Moment, within: f64| {
                let to = m.at[*a].inverse().after(&m.at[*b]);
                clearance(s, t, &Placed { rotation: to.rotation, shift: to.shift }, within).map(|c| c.distance)
            };
            found.least = apart(&zero, f64::INFINITY).unwrap_or(f64::INFINITY);
            for sweep in sweeps.iter().filter(|s| s.moved_by[*a] != s.moved_by[*b]) {
                // The least that the distance can be at this moment.
                let mut bound = f64::NEG_INFINITY;
                for moment in &sweep.moments {
                    bound -= sweep.stride[*a] + sweep.stride[*b];
                    if bound >= found.least || found.least <= 0.0 || found.least.is_infinite() {
                        continue;
                    }
                    watch.check()?;
                    // Less than rounding is no nearer.
                    match apart(moment, found.least - 1e-12) {
                        Some(nearer) => (found.least, found.at, bound) = (nearer, moment.told.clone(), nearer),
                        None => bound = found.least,
                    }
                }
            }
            watch.report(done.fetch_add(1, Relaxed) as f64 / pairs.len() as f64, "moving joints over their range")?;
            Ok(found)
        })
        .collect()
}

/// By link, the number of the rigid piece that it is part of: what fixed joints hold together is one.
fn rigid_pieces(robot: &Robot) -> Vec<usize> {
    let mut piece: Vec<usize> = (0..robot.links.len()).collect();
    let number = |name: &str| robot.links.iter().position(|l| l.name == name);
    for j in robot.joints.iter().filter(|j| j.kind == JointKind::Fixed) {
        if let (Some(a), Some(b)) = (number(&j.parent), number(&j.child)) {
            let (from, to) = (piece[b], piece[a]);
            piece.iter_mut().filter(|p| **p == from).for_each(|p| *p = to);
        }
    }
    piece
}

/// The way of a joint; `None` if it has none of its own.
fn sweep(robot: &Robot, k: usize, seen: &[Mesh]) -> Option<Sweep> {
    let joint = &robot.joints[k];
    let (turns, [from, to]) = match (joint.kind, joint.limits) {
        _ if joint.mimic.is_some() => return None,
        (JointKind::Revolute, Some(l)) => (true, l),
        (JointKind::Prismatic, Some(l)) => (false, l),
        (JointKind::Continuous, _) => (true, [0.0, std::f64::consts::TAU]),
        _ => return None,
    };
    let values = |value: f64| {
        let mut values = vec![0.0; robot.joints.len()];
        values[k] = value;
        values
    };
    let moment = |i: usize| {
        let value = from + (to - from) * i as f64 / STEPS as f64;
        let told = Some((joint.name.clone(), if turns { value.to_degrees() } else { 1000.0 * value }));
        Moment { at: places(robot, &values(value)), told }
    };
    let moments: Vec<Moment> = (0..=STEPS).map(moment).collect();
    let [first, last] = [from, to].map(|value| robot.followed(&values(value)));
    let moving: Vec<usize> = (0..robot.joints.len()).filter(|j| first[*j] != last[*j]).collect();
    let moved_by = joints_above(robot, &moving);
    // Of what is moved as a whole, corners of its box go farthest.
    let stride = |l: usize| {
        let bounds = seen[l].bounds();
        let corner = |c: usize| [0, 1, 2].map(|x| if c >> x & 1 == 0 { bounds.min[x] } else { bounds.max[x] });
        let far = |w: &[Moment]| {
            let gone = (0..8).map(|c| norm(sub(w[1].at[l].place(corner(c)), w[0].at[l].place(corner(c)))));
            gone.fold(0.0, f64::max)
        };
        if !moved_by[l].is_empty() && !seen[l].points.is_empty() {
            moments.windows(2).map(far).fold(0.0, f64::max)
        } else {
            0.0
        }
    };
    let stride = (0..robot.links.len()).map(stride).collect();
    Some(Sweep { moments, moved_by, stride })
}

/// By link, those of some joints that stand between it and the root.
fn joints_above(robot: &Robot, some: &[usize]) -> Vec<Vec<usize>> {
    let above = |name: &str| robot.joints.iter().position(|j| j.child == name);
    let of_link = |link: &Link| {
        let way = std::iter::successors(above(&link.name), |k| above(&robot.joints[*k].parent));
        // A tree is no deeper than it has links.
        way.take(robot.links.len()).filter(|k| some.contains(k)).collect()
    };
    robot.links.iter().map(of_link).collect()
}
