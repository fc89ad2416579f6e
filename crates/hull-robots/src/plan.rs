//! A robot as it is composed: which bodies are which link, of what, and how links are joined. Bodies stand in one space, in
//! millimetres, as they are put together; everything else follows from that.

use crate::cameras::PlannedCamera;
use crate::model::{Inertia, JointKind, Shape};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// A robot.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// Its name in the files.
    pub name: String,
    /// Its links.
    #[serde(default)]
    pub links: Vec<PlannedLink>,
    /// What joins them.
    #[serde(default)]
    pub joints: Vec<PlannedJoint>,
    /// What its links carry to see with.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub cameras: Vec<PlannedCamera>,
    /// Places on its links that have a name: tools, feet, sensors.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub frames: Vec<PlannedFrame>,
    /// Bodies that it stands among: meshes, clouds of points, captures.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub around: Vec<String>,
}

impl Plan {
    /// Hangs a link on another by their numbers: its joint leads there then; a root gets a fixed joint.
    ///
    /// # Errors
    /// A sentence: there is no such link, it is the same, or the other one hangs below it.
    pub fn hang(&mut self, child: usize, parent: usize) -> Result<(), String> {
        let name = |i: usize| self.links.get(i).map(|l| l.name.clone()).ok_or("There is no such link any more.");
        let (below, above) = (name(child)?, name(parent)?);
        let parent_of = |link: &str| self.joints.iter().find(|j| j.child == link).map(|j| j.parent.clone());
        let mut at = Some(above.clone());
        for _ in 0..=self.links.len() {
            match at {
                Some(link) if link == below => {
                    return Err(format!("“{above}” hangs below “{below}”: hang it elsewhere first."));
                }
                Some(link) => at = parent_of(&link),
                None => break,
            }
        }
        match self.joints.iter_mut().find(|j| j.child == below) {
            Some(joint) => joint.parent = above,
            None => self.joints.push(PlannedJoint::fixed(&above, &below)),
        }
        Ok(())
    }
}

/// What is touched of a link.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Collision {
    /// Nothing.
    None,
    /// The smallest box.
    Box,
    /// The ball around it.
    Sphere,
    /// The least of three cylinders along the sides of the smallest box.
    Cylinder,
    /// Its convex hull.
    #[default]
    Hull,
    /// The least of three capsules along the sides of the smallest box.
    Capsule,
    /// Convex pieces.
    Pieces,
    /// Its surface with fewer facets.
    Mesh,
    /// The simple shapes that its file declares: [`PlannedLink::touched`].
    Declared,
}

impl Collision {
    /// All of them, with what they are called.
    pub const ALL: [(&'static str, &'static str, Collision); 9] = [
        ("hull", "convex hull", Collision::Hull),
        ("pieces", "convex pieces", Collision::Pieces),
        ("box", "smallest box", Collision::Box),
        ("cylinder", "cylinder", Collision::Cylinder),
        ("capsule", "capsule", Collision::Capsule),
        ("sphere", "ball", Collision::Sphere),
        ("mesh", "reduced mesh", Collision::Mesh),
        ("declared", "shapes of its file", Collision::Declared),
        ("none", "none", Collision::None),
    ];

    /// Its key.
    pub fn key(self) -> &'static str {
        Collision::ALL.iter().find(|c| c.2 == self).map_or("hull", |c| c.0)
    }
}

/// A plane across an axis, on whose other side something stands.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mirrored {
    /// 0 for x, 1 for y, 2 for z.
    pub axis: usize,
    /// Where on it, in mm.
    pub at: f64,
}

/// A place on a link that has a name: where a tool is held, a foot stands.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedFrame {
    /// Single among links and frames.
    pub name: String,
    /// The link that it goes with.
    pub link: String,
    /// In the space of the bodies, in mm.
    pub at: Point,
    /// Where its z points.
    #[serde(default = "up")]
    pub axis: Point,
}

/// A joint that moves as another does.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mimic {
    /// The other.
    pub joint: String,
    /// So many times as far.
    pub factor: f64,
    /// From here, in degrees or mm.
    #[serde(default)]
    pub offset: f64,
}

/// A link.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedLink {
    /// Single in the robot.
    pub name: String,
    /// The bodies that it is made of: names of a project, or files.
    pub parts: Vec<String>,
    /// In kg/m³.
    #[serde(default = "steel")]
    pub density: f64,
    /// In kg, where it is known: the density follows from it then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mass: Option<f64>,
    /// Red, green, blue.
    #[serde(default = "grey")]
    pub colour: [u8; 3],
    /// What is touched.
    #[serde(default)]
    pub collision: Collision,
    /// Facets that are seen, at most.
    #[serde(default = "budget")]
    pub facets: usize,
    /// Where it is the mirror image of its bodies: the plane.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mirrored: Option<Mirrored>,
    /// Mass properties that its file declares: the centre in m in the space of the bodies, moments along that space's axes.
    /// They take the place of the bodies' own integrals; another `mass` scales them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inertia: Option<Inertia>,
    /// Whether it weighs nothing: its file declares no mass, and it is fixed to a link that has one.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub massless: bool,
    /// Simple shapes to touch that its file declares, in m in the space of the bodies.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub touched: Vec<Shape>,
}

fn steel() -> f64 {
    7850.0
}

fn grey() -> [u8; 3] {
    [0x8a, 0x94, 0x9c]
}

fn budget() -> usize {
    20_000
}

impl PlannedLink {
    /// A link of steel of one body, with the hull as what is touched.
    pub fn of(name: &str, part: &str) -> PlannedLink {
        PlannedLink {
            name: name.into(),
            parts: vec![part.into()],
            density: steel(),
            mass: None,
            colour: grey(),
            collision: Collision::Hull,
            facets: budget(),
            mirrored: None,
            inertia: None,
            massless: false,
            touched: Vec::new(),
        }
    }
}

/// A joint.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedJoint {
    /// Single in the robot; made of both links' names where it is empty.
    #[serde(default)]
    pub name: String,
    /// How it moves.
    pub kind: JointKind,
    /// The link above.
    pub parent: String,
    /// The link below.
    pub child: String,
    /// A place on its axis, in the space of the bodies, in mm.
    pub at: Point,
    /// Along or about it.
    #[serde(default = "up")]
    pub axis: Point,
    /// From and to, in degrees or mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub limits: Option<[f64; 2]>,
    /// The largest torque in N·m or force in N.
    #[serde(default = "effort")]
    pub effort: f64,
    /// The largest speed in degrees or mm each second.
    #[serde(default = "speed")]
    pub speed: f64,
    /// In N·m·s/rad or N·s/m.
    #[serde(default)]
    pub damping: f64,
    /// In N·m or N.
    #[serde(default)]
    pub friction: f64,
    /// The value at which the bodies stand as they are, in degrees or mm.
    #[serde(default)]
    pub zero: f64,
    /// The joint that it follows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mimic: Option<Mimic>,
}

impl PlannedJoint {
    /// One that does not move, at the origin.
    pub fn fixed(parent: &str, child: &str) -> PlannedJoint {
        PlannedJoint {
            name: String::new(),
            kind: JointKind::Fixed,
            parent: parent.into(),
            child: child.into(),
            at: [0.0; 3],
            axis: up(),
            limits: None,
            effort: effort(),
            speed: speed(),
            damping: 0.0,
            friction: 0.0,
            zero: 0.0,
            mimic: None,
        }
    }
}

fn up() -> Point {
    [0.0, 0.0, 1.0]
}

fn effort() -> f64 {
    100.0
}

fn speed() -> f64 {
    90.0
}
