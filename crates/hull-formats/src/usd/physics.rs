//! Rigid bodies and joints of a stage (the physics schema of USD, `UsdPhysics`, *from memory*): what a robot is made of. All
//! in metres and kilograms with Z up, whatever the stage's own units are.

use super::{MOST_PRIMS, Scene, layer};
use crate::ReadError;
use crate::affine::Affine;
use crate::assembled::Assembled;
use hull_geometry::vector::{V3, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Mesh, Point, Watch};
use openusd::sdf::{Path, Value};
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// The bodies and joints of a stage.
#[derive(Clone, Debug, Default)]
pub struct RigidStage {
    /// The name of its default prim; empty where it has none.
    pub name: String,
    /// In the order of the layer.
    pub bodies: Vec<RigidBody>,
    /// In the order of the layer.
    pub joints: Vec<StageJoint>,
    /// What was passed over, and how often.
    pub skipped: BTreeMap<String, usize>,
}

/// A rigid body.
#[derive(Clone, Debug)]
pub struct RigidBody {
    /// The last part of its path.
    pub name: String,
    /// Its frame: axes of length one.
    pub frame: Affine,
    /// In kg, where it is told.
    pub mass: Option<f64>,
    /// In kg/m³, where it is told.
    pub density: Option<f64>,
    /// The centre of mass, in the space of all.
    pub centre: Option<Point>,
    /// Principal moments in kg·m² with their axes in the space of all.
    pub moments: Option<([f64; 3], [V3; 3])>,
    /// What it is made of, in the space of all.
    pub solids: Vec<StageSolid>,
}

/// A piece of geometry.
#[derive(Clone, Debug)]
pub struct StageSolid {
    /// What it is.
    pub geometry: Solid,
    /// Whether it is shown.
    pub seen: bool,
    /// Whether it is touched.
    pub touched: bool,
    /// Red, green, blue where it has one.
    pub colour: Option<[u8; 3]>,
}

/// The kinds of geometry; simple ones with their middle and axes of length one.
#[derive(Clone, Debug)]
pub enum Solid {
    /// A mesh.
    Mesh(Mesh),
    /// Sides along its axes.
    Box(Point, [V3; 3], [f64; 3]),
    /// Middle and radius.
    Sphere(Point, f64),
    /// Radius and length along the last axis.
    Cylinder(Point, [V3; 3], f64, f64),
    /// The same between two balls of that radius.
    Capsule(Point, [V3; 3], f64, f64),
}

/// A joint.
#[derive(Clone, Debug)]
pub struct StageJoint {
    /// The last part of its path.
    pub name: String,
    /// The type of its prim without `Physics` and `Joint`: `Revolute`, `Prismatic`, `Fixed`, `Spherical`, or nothing. Of a
    /// general joint, what its locks leave free: also `Planar`.
    pub kind: String,
    /// The bodies that it joins, by their number; `None` is the world.
    pub bodies: [Option<usize>; 2],
    /// Its place at the first body; in the space of all.
    pub at: Point,
    /// Its axis there, of length one.
    pub axis: V3,
    /// Its value where the bodies stand as they do, in rad or m.
    pub value: f64,
    /// From and to, in rad or m; an infinite one is none.
    pub limits: [f64; 2],
    /// The largest force or torque of its drive, where it is told and finite.
    pub effort: Option<f64>,
}

/// Motions of a general joint, as their limits call them.
const SLIDES: [&str; 3] = ["transX", "transY", "transZ"];
const TURNS: [&str; 3] = ["rotX", "rotY", "rotZ"];

/// Whether a layer has joints: a robot or another mechanism.
pub fn has_joints(name: &str, bytes: &[u8]) -> bool {
    let Ok(data) = layer(name, bytes) else { return false };
    let all = || {
        let scene = Scene { data: data.as_ref(), skipped: BTreeMap::new() };
        scene.prims().iter().any(|p| is_joint(&scene.word(p, "typeName")))
    };
    catch_unwind(AssertUnwindSafe(all)).unwrap_or(false)
}

fn is_joint(type_name: &str) -> bool {
    type_name.starts_with("Physics") && type_name.ends_with("Joint")
}

/// Reads the bodies and joints of a stage.
///
/// # Errors
/// As reading its geometry: the layer cannot be read, or its numbers make no sense; or it has no rigid bodies.
pub fn rigid(name: &str, bytes: &[u8], watch: &Watch) -> Result<RigidStage, ReadError> {
    let data = layer(name, bytes)?;
    let all = AssertUnwindSafe(|| Scene { data: data.as_ref(), skipped: BTreeMap::new() }.rigid(name, watch));
    catch_unwind(all).unwrap_or_else(|_| Err(ReadError::whole(name, "the layer's values make no sense")))
}

impl Scene<'_> {
    fn rigid(mut self, file: &str, watch: &Watch) -> Result<RigidStage, ReadError> {
        let prims = self.prims();
        if prims.len() > MOST_PRIMS {
            return Err(ReadError::whole(file, format!("the layer has more than {MOST_PRIMS} prims")));
        }
        let world = self.world();
        let mut out = RigidStage { name: self.word(&Path::abs_root(), "defaultPrim"), ..RigidStage::default() };
        let paths: Vec<&Path> = prims.iter().filter(|p| self.applies(p, "PhysicsRigidBodyAPI")).collect();
        if paths.is_empty() {
            return Err(ReadError::whole(file, "the stage has no rigid bodies: it is geometry alone"));
        }
        let numbers: BTreeMap<&str, usize> = paths.iter().enumerate().map(|(i, p)| (p.as_str(), i)).collect();
        for path in &paths {
            let body = self.body(path, &world);
            out.bodies.push(body);
        }
        for (i, prim) in prims.iter().enumerate() {
            watch.report(i as f64 / prims.len() as f64, "reading prims")?;
            for what in ["references", "payload"] {
                if self.data.has_field(prim, what) {
                    *self.skipped.entry(format!("{what} to other layers")).or_default() += 1;
                }
            }
            let kind = self.word(prim, "typeName");
            if is_joint(&kind) {
                let kind = kind.trim_start_matches("Physics").trim_end_matches("Joint").to_string();
                let joint = self.joint(prim, kind, &world, &numbers);
                out.joints.push(joint);
            } else if let Some(body) = holder(prim.as_str(), &numbers) {
                let made = self.solid(file, prim, &kind, &world)?;
                out.bodies[body].solids.extend(made);
            }
        }
        let finite =
            |b: &RigidBody| b.frame.origin.iter().chain(b.frame.columns.iter().flatten()).all(|x| x.is_finite());
        if let Some(body) = out.bodies.iter().find(|b| !finite(b)) {
            return Err(ReadError::whole(file, format!("body “{}”: its place is not finite", body.name)));
        }
        out.skipped = self.skipped;
        Ok(out)
    }

    /// From the stage's units and axes to metres with Z up.
    fn world(&self) -> Affine {
        let declared = self.declared();
        let m = declared.unit.map_or(0.01, |u| u.millimetres / 1000.0);
        let columns = match declared.up.as_deref() {
            Some("+z") => [[m, 0.0, 0.0], [0.0, m, 0.0], [0.0, 0.0, m]],
            _ => [[m, 0.0, 0.0], [0.0, 0.0, m], [0.0, -m, 0.0]],
        };
        Affine { columns, origin: [0.0; 3] }
    }

    fn applies(&self, prim: &Path, schema: &str) -> bool {
        match self.data.try_field(prim, "apiSchemas").ok().flatten().as_deref() {
            Some(Value::TokenListOp(l)) => {
                let lists = [&l.explicit_items, &l.prepended_items, &l.appended_items, &l.added_items];
                lists.into_iter().flatten().any(|t| t.as_str() == schema)
            }
            Some(Value::TokenVec(all)) => all.iter().any(|t| t.as_str() == schema),
            _ => false,
        }
    }

    /// The first target of a relationship.
    fn target(&self, prim: &Path, relationship: &str) -> Option<String> {
        let path = prim.append_property(relationship).ok()?;
        match self.data.try_field(&path, "targetPaths").ok().flatten().as_deref() {
            Some(Value::PathListOp(l)) => {
                let lists = [&l.explicit_items, &l.prepended_items, &l.appended_items, &l.added_items];
                lists.into_iter().flatten().next().map(|p| p.as_str().to_string())
            }
            Some(Value::PathVec(all)) => all.first().map(|p| p.as_str().to_string()),
            _ => None,
        }
    }

    fn number(&self, prim: &Path, attribute: &str) -> Option<f64> {
        match self.value(prim, attribute)? {
            Value::Float(x) => Some(f64::from(x)),
            Value::Double(x) => Some(x),
            _ => None,
        }
    }

    fn three(&self, prim: &Path, attribute: &str) -> Option<V3> {
        match self.value(prim, attribute)? {
            Value::Vec3f(v) => Some([v.x, v.y, v.z].map(f64::from)),
            Value::Vec3d(v) => Some([v.x, v.y, v.z]),
            _ => None,
        }
    }

    /// A turn; none where it is not told.
    fn turn(&self, prim: &Path, attribute: &str) -> Affine {
        match self.value(prim, attribute) {
            Some(Value::Quatf(q)) => super::turned([q.w, q.x, q.y, q.z].map(f64::from)),
            Some(Value::Quatd(q)) => super::turned([q.w, q.x, q.y, q.z]),
            _ => Affine::NONE,
        }
    }

    fn kilograms(&self) -> f64 {
        match self.data.try_field(&Path::abs_root(), "kilogramsPerUnit").ok().flatten().as_deref() {
            Some(Value::Double(x)) if *x > 0.0 => *x,
            Some(Value::Float(x)) if *x > 0.0 => f64::from(*x),
            _ => 1.0,
        }
    }

    fn body(&mut self, prim: &Path, world: &Affine) -> RigidBody {
        let placed = world.after(&self.placed(prim));
        let kg = self.kilograms();
        let metre = norm(world.columns[0]);
        let above_zero = |x: &f64| *x > 0.0 && x.is_finite();
        let frame = straight(&placed);
        // A centre that is not told stands at minus infinity, moments at nought.
        let centre = self.three(prim, "physics:centerOfMass").filter(|c| c.iter().all(|x| x.is_finite()));
        let moments = self.three(prim, "physics:diagonalInertia").filter(|m| m.iter().all(above_zero));
        let axes = frame.after(&self.turn(prim, "physics:principalAxes")).columns;
        RigidBody {
            name: last(prim),
            frame,
            mass: self.number(prim, "physics:mass").map(|m| m * kg).filter(above_zero),
            density: self.number(prim, "physics:density").map(|d| d * kg / metre.powi(3)).filter(above_zero),
            centre: centre.map(|c| placed.point(c)),
            moments: moments.map(|m| (m.map(|x| x * kg * metre * metre), axes)),
            solids: Vec::new(),
        }
    }

    fn joint(&mut self, prim: &Path, kind: String, world: &Affine, bodies: &BTreeMap<&str, usize>) -> StageJoint {
        let targets = ["physics:body0", "physics:body1"].map(|r| self.target(prim, r));
        let told = match self.value_word(prim, "physics:axis").as_str() {
            "Y" => 1,
            "Z" => 2,
            _ => 0,
        };
        let left = if kind.is_empty() { self.left_free(prim) } else { None };
        let (kind, along) = left.map_or((kind, told), |(kind, along)| (kind.to_string(), along));
        let ends = match (left, kind.as_str()) {
            (Some(_), "Revolute") => ["low", "high"].map(|end| format!("limit:{}:physics:{end}", TURNS[along])),
            (Some(_), _) => ["low", "high"].map(|end| format!("limit:{}:physics:{end}", SLIDES[along])),
            _ => ["physics:lowerLimit".into(), "physics:upperLimit".into()],
        };
        // Its frame at either body, where that stands.
        let frames = [0, 1].map(|k| {
            let at = targets[k].as_ref().and_then(|t| openusd::sdf::path(t).ok());
            let body = at.map_or(*world, |p| world.after(&self.placed(&p)));
            let shift = self.three(prim, &format!("physics:localPos{k}")).unwrap_or_default();
            let turned = straight(&body).after(&self.turn(prim, &format!("physics:localRot{k}")));
            Affine { columns: turned.columns, origin: body.point(shift) }
        });
        let axis = frames[0].columns[along];
        let metre = norm(world.columns[0]);
        let turns = kind == "Revolute";
        // What is across the axis at the second body, turned against the same at the first.
        let across = (along + 1) % 3;
        let (a, b) = (frames[0].columns[across], frames[1].columns[across]);
        let value = match turns {
            true => dot(cross(a, b), axis).atan2(dot(a, b)),
            false => dot(sub(frames[1].origin, frames[0].origin), axis),
        };
        let limit = |name: &str, none: f64| {
            let told = self.number(prim, name).filter(|x| x.is_finite());
            told.map_or(none, |x| if turns { x.to_radians() } else { x * metre })
        };
        let drive = if turns { "drive:angular:physics:maxForce" } else { "drive:linear:physics:maxForce" };
        // Torques are mass times length squared each second squared; forces have one length less.
        let factor = self.kilograms() * if turns { metre * metre } else { metre };
        StageJoint {
            name: last(prim),
            bodies: targets.map(|t| t.and_then(|t| holder(&t, bodies))),
            at: frames[0].origin,
            axis,
            value: if matches!(kind.as_str(), "Revolute" | "Prismatic") { value } else { 0.0 },
            limits: [limit(&ends[0], f64::NEG_INFINITY), limit(&ends[1], f64::INFINITY)],
            effort: self.number(prim, drive).map(|x| x * factor).filter(|x| *x > 0.0 && x.is_finite()),
            kind,
        }
    }

    /// The kind of joint that the locks of a general one leave, and its axis: an axis is locked where its lower limit is above
    /// the upper one.
    fn left_free(&self, prim: &Path) -> Option<(&'static str, usize)> {
        let is_locked = |motion: &str| {
            let [low, high] = ["low", "high"].map(|end| self.number(prim, &format!("limit:{motion}:physics:{end}")));
            low.zip(high).is_some_and(|(low, high)| low > high)
        };
        let slides = SLIDES.map(|m| !is_locked(m));
        let turns = TURNS.map(|m| !is_locked(m));
        let only = |of: [bool; 3]| (0..3).find(|k| of == [0, 1, 2].map(|i| i == *k));
        match (only(slides), only(turns)) {
            _ if slides == [false; 3] && turns == [false; 3] => Some(("Fixed", 0)),
            _ if slides == [false; 3] && turns == [true; 3] => Some(("Spherical", 0)),
            (_, Some(k)) if slides == [0, 1, 2].map(|i| i != k) => Some(("Planar", k)),
            (None, Some(k)) if slides == [false; 3] => Some(("Revolute", k)),
            (Some(k), None) if turns == [false; 3] => Some(("Prismatic", k)),
            _ => None,
        }
    }

    /// The geometry of a prim; none of what is none.
    fn solid(&mut self, file: &str, prim: &Path, kind: &str, world: &Affine) -> Result<Option<StageSolid>, ReadError> {
        let size = |name: &str, otherwise: f64| self.number(prim, name).unwrap_or(otherwise);
        let along = match self.value_word(prim, "axis").as_str() {
            "X" => 0,
            "Y" => 1,
            _ => 2,
        };
        let numbers = match kind {
            "Mesh" => [0.0; 2],
            "Cube" => [size("size", 2.0); 2],
            "Sphere" => [size("radius", 1.0); 2],
            "Cylinder" => [size("radius", 1.0), size("height", 2.0)],
            "Capsule" => [size("radius", 0.5), size("height", 1.0)],
            "" | "Xform" | "Scope" => return Ok(None),
            other => {
                *self.skipped.entry(format!("prims of the type {other}")).or_default() += 1;
                return Ok(None);
            }
        };
        let placed = world.after(&self.placed(prim));
        let stretch = placed.columns.map(norm);
        let order = [(along + 1) % 3, (along + 2) % 3, along];
        let frame = straight(&placed).columns;
        let axes = order.map(|k| frame[k]);
        let wide = stretch[order[0]].max(stretch[order[1]]);
        let geometry = match kind {
            "Mesh" => {
                let mut all = Assembled::default();
                self.mesh(file, prim, &mut all)?;
                let mut mesh = all.mesh();
                mesh.points.iter_mut().for_each(|p| *p = world.point(*p));
                Solid::Mesh(mesh)
            }
            "Cube" => Solid::Box(placed.origin, frame, stretch.map(|s| s * numbers[0])),
            "Sphere" => Solid::Sphere(placed.origin, numbers[0] * stretch.iter().fold(0.0_f64, |m, s| m.max(*s))),
            "Cylinder" => Solid::Cylinder(placed.origin, axes, numbers[0] * wide, numbers[1] * stretch[along]),
            _ => Solid::Capsule(placed.origin, axes, numbers[0] * wide, numbers[1] * stretch[along]),
        };
        let purpose = self.value_word(prim, "purpose");
        let hidden = self.value_word(prim, "visibility") == "invisible";
        let colour = self.triples(prim, "primvars:displayColor").first().copied();
        Ok(Some(StageSolid {
            geometry,
            seen: !hidden && !matches!(purpose.as_str(), "guide" | "proxy"),
            touched: self.applies(prim, "PhysicsCollisionAPI"),
            colour: colour.map(|c| c.map(|x| (x * 255.0).round().clamp(0.0, 255.0) as u8)),
        }))
    }
}

/// The last part of a path.
fn last(prim: &Path) -> String {
    prim.as_str().rsplit('/').next().unwrap_or_default().to_string()
}

/// The body that a prim is or stands below, the nearest.
fn holder(prim: &str, bodies: &BTreeMap<&str, usize>) -> Option<usize> {
    let mut at = prim;
    loop {
        if let Some(found) = bodies.get(at) {
            return Some(*found);
        }
        at = at.rsplit_once('/')?.0;
    }
}

/// The frame of a map that may stretch: right-handed axes of length one.
fn straight(map: &Affine) -> Affine {
    let x = unit(map.columns[0]).unwrap_or([1.0, 0.0, 0.0]);
    let y = map.columns[1];
    let y = unit(sub(y, scale(x, dot(x, y)))).unwrap_or_else(|| hull_geometry::section::directions(x)[0]);
    Affine { columns: [x, y, cross(x, y)], origin: map.origin }
}
