//! What a robot is made of.

use serde::{Deserialize, Serialize};

/// A place with a turn: about x, then y, then z of the frame above, in rad.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Pose {
    /// In m.
    pub xyz: [f64; 3],
    /// Roll, pitch and yaw.
    pub rpy: [f64; 3],
}

/// What a shape is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Geometry {
    /// A file, and how it is scaled.
    Mesh {
        /// As the description names it.
        file: String,
        /// Along x, y, z.
        scale: [f64; 3],
    },
    /// Sides.
    Box([f64; 3]),
    /// Radius and length, along z.
    Cylinder(f64, f64),
    /// Radius.
    Sphere(f64),
}

/// A shape in its place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Shape {
    /// In the link's frame.
    pub at: Pose,
    /// What it is.
    pub geometry: Geometry,
    /// Red, green, blue and how opaque, 0 to 1, where it is told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub colour: Option<[f64; 4]>,
}

/// Mass and how it resists turning.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Inertia {
    /// Its centre and axes in the link's frame.
    pub at: Pose,
    /// In kg.
    pub mass: f64,
    /// About the centre: xx, xy, xz, yy, yz, zz, in kg·m².
    pub moments: [f64; 6],
}

/// A rigid piece.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Link {
    /// Single in the robot.
    pub name: String,
    /// Where it has some.
    pub inertia: Option<Inertia>,
    /// What is seen.
    pub visual: Vec<Shape>,
    /// What is touched.
    pub collision: Vec<Shape>,
}

impl Link {
    /// Whether it is a frame alone: nothing to see, to touch or to weigh.
    pub fn is_frame(&self) -> bool {
        self.inertia.is_none() && self.visual.is_empty() && self.collision.is_empty()
    }
}

/// How a joint moves.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JointKind {
    /// Not at all.
    #[default]
    Fixed,
    /// About its axis, between limits.
    Revolute,
    /// About its axis, without limits.
    Continuous,
    /// Along its axis, between limits.
    Prismatic,
    /// In the plane across its axis.
    Planar,
    /// Freely.
    Floating,
}

impl JointKind {
    /// All of them.
    pub const ALL: [(&'static str, JointKind); 6] = [
        ("fixed", JointKind::Fixed),
        ("revolute", JointKind::Revolute),
        ("continuous", JointKind::Continuous),
        ("prismatic", JointKind::Prismatic),
        ("planar", JointKind::Planar),
        ("floating", JointKind::Floating),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        JointKind::ALL.iter().find(|k| k.1 == self).map_or("fixed", |k| k.0)
    }

    /// Whether it needs an axis.
    pub fn has_axis(self) -> bool {
        !matches!(self, JointKind::Fixed | JointKind::Floating)
    }

    /// Whether it needs limits.
    pub fn has_limits(self) -> bool {
        matches!(self, JointKind::Revolute | JointKind::Prismatic)
    }
}

/// Between two links.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Joint {
    /// Single in the robot.
    pub name: String,
    /// How it moves.
    pub kind: JointKind,
    /// The link above.
    pub parent: String,
    /// The link below.
    pub child: String,
    /// Of the link below in the frame of the one above.
    pub at: Pose,
    /// Along or about it, in the joint's frame.
    pub axis: [f64; 3],
    /// From and to, in rad or m.
    pub limits: Option<[f64; 2]>,
    /// The largest force or torque, and speed.
    pub effort_speed: Option<[f64; 2]>,
    /// Damping and friction.
    pub dynamics: Option<[f64; 2]>,
    /// The joint that it follows, by what factor, and from where in rad or m.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mimic: Option<(String, f64, f64)>,
}

/// A tree of links.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Robot {
    /// As the file names it.
    pub name: String,
    /// In the file's order.
    pub links: Vec<Link>,
    /// In the file's order.
    pub joints: Vec<Joint>,
}

impl Robot {
    /// Links that no joint leads to.
    pub fn roots(&self) -> Vec<&str> {
        let below = |l: &&Link| self.joints.iter().all(|j| j.child != l.name);
        self.links.iter().filter(below).map(|l| l.name.as_str()).collect()
    }

    /// All joints' values where those that follow others do, from values of which theirs are passed over.
    pub fn followed(&self, values: &[f64]) -> Vec<f64> {
        let mut out: Vec<f64> = (0..self.joints.len()).map(|k| values.get(k).copied().unwrap_or(0.0)).collect();
        // A chain of those that follow is no longer than there are joints.
        for _ in 0..self.joints.iter().filter(|j| j.mimic.is_some()).count() {
            for k in 0..self.joints.len() {
                if let Some((leader, factor, offset)) = &self.joints[k].mimic
                    && let Some(l) = self.joints.iter().position(|j| j.name == *leader)
                {
                    out[k] = factor * out[l] + offset;
                }
            }
        }
        out
    }

    /// Of all links together, in kg.
    pub fn mass(&self) -> f64 {
        self.links.iter().filter_map(|l| l.inertia).fold(0.0, |all, i| all + i.mass)
    }

    /// The files that meshes are in, each once, in order.
    pub fn meshes(&self) -> Vec<&str> {
        let mut out: Vec<&str> = Vec::new();
        for shape in self.links.iter().flat_map(|l| l.visual.iter().chain(&l.collision)) {
            if let Geometry::Mesh { file, .. } = &shape.geometry
                && !out.contains(&file.as_str())
            {
                out.push(file);
            }
        }
        out
    }
}
