//! The other side of a robot: links mirrored with the joints that hold them, left for right.

use crate::collision::angles;
use crate::plan::{Mirrored, Plan, PlannedJoint, PlannedLink};
use crate::{JointKind, Pose, Shape};
use hull_geometry::{Mesh, Point};

/// Words of names that change sides; the longer before those that they begin with.
const SIDES: [(&str, &str); 4] = [("left", "right"), ("port", "starboard"), ("front", "rear"), ("l", "r")];

/// The name of what is on the other side: “left arm” becomes “right arm”, “arm_l” becomes “arm_r”, “arm” “arm mirrored”.
pub fn other_side(name: &str) -> String {
    let is_word = |c: char| c.is_alphanumeric();
    let mut out = String::new();
    let mut changed = false;
    let mut rest = name;
    while let Some(first) = rest.chars().next() {
        let end = rest.find(|c| is_word(c) != is_word(first)).unwrap_or(rest.len());
        let word = &rest[..end];
        let swapped = SIDES.iter().find_map(|(a, b)| {
            let lower = word.to_lowercase();
            if lower == *a { Some(*b) } else { (lower == *b).then_some(*a) }
        });
        match swapped {
            Some(other) if word.chars().all(char::is_uppercase) => out += &other.to_uppercase(),
            Some(other) if word.starts_with(char::is_uppercase) => {
                out += &other[..1].to_uppercase();
                out += &other[1..];
            }
            Some(other) => out += other,
            None => out += word,
        }
        changed |= swapped.is_some();
        rest = &rest[end..];
    }
    if changed { out } else { format!("{name} mirrored") }
}

impl Mirrored {
    /// A place on the other side.
    pub fn place(self, mut p: Point) -> Point {
        p[self.axis] = 2.0 * self.at - p[self.axis];
        p
    }

    /// A direction on the other side; `turns` if something turns about it: then the turn is what is mirrored.
    pub fn direction(self, mut d: Point, turns: bool) -> Point {
        d[self.axis] = -d[self.axis];
        if turns { d.map(|x| -x) } else { d }
    }

    /// A box, cylinder or ball on the other side, in m: each is its own image, so that only its place is mirrored.
    pub fn shape(self, shape: &Shape) -> Shape {
        let turn = crate::motion::rigid(&shape.at).rotation;
        // The image of the frame, with its own axis turned back, is right-handed again.
        let sign = |k: usize| if k == self.axis { -1.0 } else { 1.0 };
        let columns = [0, 1, 2].map(|j| [0, 1, 2].map(|i| sign(i) * sign(j) * turn[i][j]));
        let mut xyz = shape.at.xyz;
        xyz[self.axis] = 2e-3 * self.at - xyz[self.axis];
        Shape { at: Pose { xyz, rpy: angles(&columns) }, ..shape.clone() }
    }

    /// A mesh on the other side, its facets facing outward still.
    pub fn mesh(self, mesh: &mut Mesh) {
        mesh.points.iter_mut().for_each(|p| *p = self.place(*p));
        mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    }
}

impl Plan {
    /// Adds the mirror image of a link, and of the joints that lead to it; what hangs on it is mirrored too. A link above that has
    /// its own other side already is taken from there.
    pub fn mirror(&mut self, link: usize, plane: Mirrored) {
        let Some(first) = self.links.get(link).map(|l| l.name.clone()) else { return };
        let mut names = vec![first];
        let mut at = 0;
        while at < names.len() {
            let below = self.joints.iter().filter(|j| j.parent == names[at]).map(|j| j.child.clone());
            let below: Vec<String> = below.filter(|c| !names.contains(c)).collect();
            names.extend(below);
            at += 1;
        }
        let there: Vec<String> = self.links.iter().map(|l| l.name.clone()).collect();
        let other = |name: &str| {
            let wanted = other_side(name);
            if names.iter().any(|n| n == name) || there.contains(&wanted) { wanted } else { name.to_string() }
        };
        for name in names.iter().filter(|n| !there.contains(&other_side(n))) {
            let Some(own) = self.links.iter().find(|l| l.name == *name).cloned() else { continue };
            // The image of an image is the thing itself, in the same plane; in another one it is none that a plan can say.
            let mirrored = match own.mirrored {
                None => Some(plane),
                Some(p) if p == plane => None,
                Some(_) => continue,
            };
            self.links.push(PlannedLink { name: other_side(name), mirrored, ..own });
            let joints = self.joints.iter().filter(|j| j.child == *name).cloned().collect::<Vec<_>>();
            for j in joints {
                let turns = matches!(j.kind, JointKind::Revolute | JointKind::Continuous);
                self.joints.push(PlannedJoint {
                    name: if j.name.is_empty() { String::new() } else { other_side(&j.name) },
                    parent: other(&j.parent),
                    child: other_side(&j.child),
                    at: plane.place(j.at),
                    axis: plane.direction(j.axis, turns),
                    mimic: j.mimic.clone().map(|m| crate::plan::Mimic { joint: other_side(&m.joint), ..m }),
                    ..j
                });
            }
        }
    }
}
