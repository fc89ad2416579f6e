//! Where links are when joints move, and how near they come to each other.

use crate::model::{Joint, JointKind, Robot};
use hull_fitting::align::Rigid;
use hull_geometry::vector::{add, cross, scale, unit};
use hull_geometry::{Cancelled, Mesh, Watch};
use parry3d_f64::math::{Pose, Rot3, Vec3};
use parry3d_f64::query::distance;
use parry3d_f64::shape::TriMesh;
use serde::Serialize;

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

/// The least clearance of every two links that no joint joins, at zero and along every joint's range, the others at zero.
///
/// # Errors
/// [`Cancelled`].
pub fn clearances(robot: &Robot, seen: &[Mesh], watch: &Watch) -> Result<Vec<Clearance>, Cancelled> {
    let shapes: Vec<Option<TriMesh>> = seen
        .iter()
        .map(|m| TriMesh::new(m.points.iter().map(|p| Vec3::new(p[0], p[1], p[2])).collect(), m.triangles.clone()).ok())
        .collect();
    let joined = |a: usize, b: usize| {
        let (a, b) = (&robot.links[a].name, &robot.links[b].name);
        robot.joints.iter().any(|j| (j.parent == *a && j.child == *b) || (j.parent == *b && j.child == *a))
    };
    let pairs: Vec<(usize, usize)> = (0..robot.links.len())
        .flat_map(|a| (a + 1..robot.links.len()).map(move |b| (a, b)))
        .filter(|(a, b)| !joined(*a, *b))
        .collect();
    let mut out: Vec<Clearance> = pairs
        .iter()
        .map(|(a, b)| Clearance {
            a: robot.links[*a].name.clone(),
            b: robot.links[*b].name.clone(),
            least: f64::INFINITY,
            at: None,
        })
        .collect();
    let mut look = |values: &[f64], told: Option<(String, f64)>| {
        let at = places(robot, values);
        for (c, (a, b)) in out.iter_mut().zip(&pairs) {
            let (Some(s), Some(t)) = (&shapes[*a], &shapes[*b]) else { continue };
            let found = distance(&pose(&at[*a]), s, &pose(&at[*b]), t);
            if let Ok(d) = found.map(|d| d.distance)
                && d < c.least - 1e-12
            {
                (c.least, c.at) = (d, told.clone());
            }
        }
    };
    look(&vec![0.0; robot.joints.len()], None);
    for (k, j) in robot.joints.iter().enumerate() {
        watch.report(k as f64 / robot.joints.len() as f64, "moving joints over their range")?;
        let (turns, [from, to]) = match (j.kind, j.limits) {
            _ if j.mimic.is_some() => continue,
            (JointKind::Revolute, Some(l)) => (true, l),
            (JointKind::Prismatic, Some(l)) => (false, l),
            (JointKind::Continuous, _) => (true, [0.0, std::f64::consts::TAU]),
            _ => continue,
        };
        for i in 0..=STEPS {
            watch.check()?;
            let value = from + (to - from) * i as f64 / STEPS as f64;
            let mut values = vec![0.0; robot.joints.len()];
            values[k] = value;
            look(&values, Some((j.name.clone(), if turns { value.to_degrees() } else { 1000.0 * value })));
        }
    }
    Ok(out)
}

fn pose(at: &Rigid) -> Pose {
    let [r, s, t] = at.rotation;
    // Columns are where x, y and z go.
    let m = parry3d_f64::math::Matrix::from_cols(
        Vec3::new(r[0], s[0], t[0]),
        Vec3::new(r[1], s[1], t[1]),
        Vec3::new(r[2], s[2], t[2]),
    );
    Pose { rotation: Rot3::from_mat3(&m), translation: Vec3::new(at.shift[0], at.shift[1], at.shift[2]) }
}
