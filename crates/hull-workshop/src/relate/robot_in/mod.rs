//! A robot's description with its meshes, brought in: a body for each link, put together as it stands with all joints at
//! nought, and the plan that makes the robot of them again. What shows and what weighs is kept, and what is touched where it
//! is of simple shapes. [`stage`] does the same with a USD stage.

mod stage;

pub use stage::brought_stage;

use hull_fitting::align::Rigid;
use hull_geometry::vector::scale;
use hull_geometry::{Mesh, Point, Watch, shapes};
use hull_robots::checks::{impossible, tree_findings};
use hull_robots::collision::{angles, surface};
use hull_robots::motion::{places, rigid};
use hull_robots::plan::{Collision, Mimic, Plan, PlannedFrame, PlannedJoint, PlannedLink};
use hull_robots::{Geometry, Inertia, Joint, JointKind, Link, Pose, Robot, Shape, urdf};
use std::collections::BTreeMap;

/// Metres to millimetres.
const MILLIMETRES: f64 = 1000.0;
/// Radius of the ball that stands for a link without any geometry between moving joints, in m.
const STAND_IN: f64 = 0.005;

/// A robot as bodies and a plan.
#[derive(Clone, Debug, Default)]
pub struct Brought {
    /// What makes the robot of the bodies. Links name them as they are called here.
    pub plan: Plan,
    /// Names of bodies with their meshes in mm, in one space, Z up.
    pub bodies: Vec<(String, Mesh)>,
    /// What is not as the description has it, each as a sentence.
    pub notes: Vec<String>,
}

/// Brings a description in. `files` are what came beside it, by their paths.
///
/// # Errors
/// A sentence: the description cannot be read, has no single root, or no link that can be seen.
pub fn brought(description: &[u8], files: &[(String, Vec<u8>)], watch: &Watch) -> Result<Brought, String> {
    let read = urdf::read(description)?;
    let mut robot = read.robot;
    if let Some(why) = tree_findings(&robot).first() {
        return Err(format!("It is no tree of links: {why}."));
    }
    let mut out = Brought::default();
    for (what, n) in &read.skipped {
        out.notes.push(format!("“{what}” ({n} ×) is not taken over."));
    }
    out.plan.name = robot.name.clone();
    let at = places(&robot, &[]);
    let place: BTreeMap<String, Rigid> = robot.links.iter().zip(at).map(|(l, at)| (l.name.clone(), at)).collect();
    let mut meshes: BTreeMap<String, Mesh> = BTreeMap::new();
    for link in &robot.links {
        let mut all = Mesh::default();
        // What is touched stands for what is seen where nothing is, or where none of it came.
        for shown in [&link.visual, &link.collision] {
            if !all.triangles.is_empty() {
                break;
            }
            for shape in shown {
                match mesh_of(shape, files, watch) {
                    Ok(mut mesh) => {
                        let whole = place[&link.name].after(&rigid(&shape.at));
                        mesh.points.iter_mut().for_each(|p| *p = scale(whole.place(*p), MILLIMETRES));
                        all.append(&mesh);
                    }
                    Err(why) => out.notes.push(format!("Link “{}”: {why}.", link.name)),
                }
            }
        }
        meshes.insert(link.name.clone(), all);
    }
    let missing = robot.meshes().iter().filter(|m| found(m, files).is_none()).count();
    if missing > 0 && meshes.values().all(|m| m.triangles.is_empty()) {
        return Err(format!(
            "None of its {} meshes came with it. Send a zip of the folder that holds the description and its meshes.",
            missing
        ));
    }
    out.plan.joints = robot.joints.iter().map(|j| planned_joint(j, &place)).collect();
    let mut own: BTreeMap<String, Own> =
        robot.links.iter().map(|l| (l.name.clone(), Own::of(l, &place[&l.name]))).collect();
    contract(&mut robot, &meshes, &place, &mut own, &mut out.plan);
    for link in &robot.links {
        let mut mesh = meshes.remove(&link.name).unwrap_or_default();
        if mesh.triangles.is_empty() {
            mesh = stand_in(place[&link.name].shift);
            out.notes.push(format!(
                "Link “{}” has nothing to see between joints that move: a ball of {} mm stands for it.",
                link.name,
                STAND_IN * MILLIMETRES
            ));
        }
        let mut made = planned(link, own.remove(&link.name).unwrap_or_default(), &mut out.notes);
        let above = out.plan.joints.iter().find(|j| j.child == link.name);
        made.massless = made.mass.is_none() && above.is_some_and(|j| j.kind == JointKind::Fixed);
        if made.mass.is_none() && !made.massless {
            out.notes
                .push(format!("Link “{}” has no mass in its file: it gets that of its volume in steel.", link.name));
        }
        out.plan.links.push(made);
        out.bodies.push((link.name.clone(), mesh));
    }
    if out.bodies.is_empty() {
        return Err("None of its links has a shape to see or to touch.".into());
    }
    Ok(out)
}

/// Links that have nothing to see go into the neighbour that they are fixed to; at the end of a branch they become frames.
fn contract(
    robot: &mut Robot,
    meshes: &BTreeMap<String, Mesh>,
    place: &BTreeMap<String, Rigid>,
    own: &mut BTreeMap<String, Own>,
    plan: &mut Plan,
) {
    let empty = |name: &str| meshes.get(name).is_none_or(|m| m.triangles.is_empty());
    let fixed = |j: &PlannedJoint| j.kind == JointKind::Fixed && (empty(&j.child) || empty(&j.parent));
    while let Some(k) = plan.joints.iter().position(fixed) {
        let joint = plan.joints.remove(k);
        // The one that goes is empty, the lower one first.
        let (gone, kept) = if empty(&joint.child) { (joint.child, joint.parent) } else { (joint.parent, joint.child) };
        let is_leaf = plan.joints.iter().all(|j| j.parent != gone && j.child != gone);
        if is_leaf && place.contains_key(&gone) {
            let at = place[&gone];
            let (at, axis) = (scale(at.shift, MILLIMETRES), at.turn([0.0, 0.0, 1.0]));
            plan.frames.push(PlannedFrame { name: gone.clone(), link: kept.clone(), at, axis });
        }
        // What the one that goes weighs, its neighbour weighs too.
        let weight = own.remove(&gone).and_then(|o| o.inertia);
        if let (Some(weight), Some(kept)) = (weight, own.get_mut(&kept)) {
            kept.inertia = Some(kept.inertia.map_or(weight, |i| i.together(&weight)));
        }
        let all = plan.joints.iter_mut().flat_map(|j| [&mut j.parent, &mut j.child]);
        all.chain(plan.frames.iter_mut().map(|f| &mut f.link))
            .filter(|l| **l == gone)
            .for_each(|l| l.clone_from(&kept));
        robot.links.retain(|l| l.name != gone);
    }
}

/// The ball at a place in m, in mm.
fn stand_in(centre: Point) -> Mesh {
    let mut mesh = shapes::sphere(STAND_IN * MILLIMETRES, 12, 8);
    hull_geometry::transform::translate(&mut mesh, scale(centre, MILLIMETRES));
    mesh
}

/// A shape as a mesh in m, in its own frame.
fn mesh_of(shape: &Shape, files: &[(String, Vec<u8>)], watch: &Watch) -> Result<Mesh, String> {
    match &shape.geometry {
        Geometry::Mesh { file, scale: factors } => {
            let (name, bytes) = found(file, files).ok_or_else(|| format!("mesh “{file}” did not come with it"))?;
            let read = hull_formats::read(name, bytes, watch).map_err(|e| format!("mesh “{file}”: {e}"))?;
            let mut mesh = read.mesh;
            // Meshes of a description are in metres, but for COLLADA, whose own unit counts; their axes are the
            // description's, whatever up a file declares (*common practice, no source*).
            let is_collada = read.format == hull_formats::Format::Collada;
            let unit = read.declared.unit.filter(|_| is_collada).map_or(1.0, |u| u.millimetres / MILLIMETRES);
            mesh.points.iter_mut().for_each(|p| *p = [0, 1, 2].map(|k| p[k] * factors[k] * unit));
            if factors.iter().product::<f64>() < 0.0 {
                mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
            }
            Ok(mesh)
        }
        simple => surface(simple).ok_or_else(|| "it has no surface".into()),
    }
}

/// The file that a description means: the one whose path shares the longest end with what it says.
fn found<'a>(file: &str, files: &'a [(String, Vec<u8>)]) -> Option<(&'a str, &'a [u8])> {
    let parts = |path: &str| path.split('/').rev().map(str::to_ascii_lowercase).collect::<Vec<_>>();
    let wanted = parts(file.split_once("://").map_or(file, |(_, rest)| rest));
    let shared = |path: &str| parts(path).iter().zip(&wanted).take_while(|(a, b)| a == b).count();
    let best = files.iter().map(|f| (shared(&f.0), f)).filter(|(n, _)| *n > 0).max_by_key(|(n, _)| *n)?;
    Some((best.1.0.as_str(), best.1.1.as_slice()))
}

/// What a link weighs and how it is touched, in the space of all, in m.
#[derive(Clone, Debug, Default)]
struct Own {
    inertia: Option<Inertia>,
    touched: Vec<Shape>,
}

impl Own {
    /// Shapes count only where all of them are simple.
    fn of(link: &Link, place: &Rigid) -> Own {
        let is_simple = |s: &Shape| !matches!(s.geometry, Geometry::Mesh { .. });
        let moved = |s: &Shape| {
            let whole = place.after(&rigid(&s.at));
            let columns = [0, 1, 2].map(|k| whole.rotation.map(|row| row[k]));
            Shape { at: Pose { xyz: whole.shift, rpy: angles(&columns) }, geometry: s.geometry.clone(), colour: None }
        };
        let simple = link.collision.iter().all(is_simple);
        Own {
            inertia: link.inertia.map(|i| i.seen_from(place)),
            touched: if simple { link.collision.iter().map(moved).collect() } else { Vec::new() },
        }
    }
}

fn planned(link: &Link, own: Own, notes: &mut Vec<String>) -> PlannedLink {
    let touched = match link.collision.as_slice() {
        [] => Collision::None,
        _ if !own.touched.is_empty() => Collision::Declared,
        [_] => Collision::Hull,
        _ => Collision::Pieces,
    };
    let byte = |x: f64| (x * 255.0).round().clamp(0.0, 255.0) as u8;
    let mut out = PlannedLink { collision: touched, ..PlannedLink::of(&link.name, &link.name) };
    out.touched = own.touched;
    if let Some(inertia) = own.inertia.filter(|i| i.mass > 0.0) {
        out.mass = Some(inertia.mass);
        match impossible(&inertia) {
            None => out.inertia = Some(inertia),
            Some(why) => {
                notes.push(format!("Link “{}” {why}: its mass is kept, its moments follow from its body.", link.name))
            }
        }
    }
    if let Some([r, g, b, _]) = link.visual.iter().find_map(|v| v.colour) {
        out.colour = [r, g, b].map(byte);
    }
    out
}

fn planned_joint(joint: &Joint, place: &BTreeMap<String, Rigid>) -> PlannedJoint {
    // A joint's frame is that of its child at nought.
    let at = place.get(&joint.child).copied().unwrap_or(Rigid::NONE);
    let turns = matches!(joint.kind, JointKind::Revolute | JointKind::Continuous);
    let said = |x: f64| if turns { x.to_degrees() } else { x * MILLIMETRES };
    let [effort, speed] = joint.effort_speed.unwrap_or([100.0, said_speed(turns)]);
    let [damping, friction] = joint.dynamics.unwrap_or_default();
    PlannedJoint {
        name: joint.name.clone(),
        kind: joint.kind,
        parent: joint.parent.clone(),
        child: joint.child.clone(),
        at: scale(at.shift, MILLIMETRES),
        axis: at.turn(joint.axis),
        limits: joint.limits.map(|l| l.map(said)),
        effort,
        speed: said(speed),
        damping,
        friction,
        zero: 0.0,
        mimic: joint.mimic.as_ref().map(|(leader, factor, offset)| Mimic {
            joint: leader.clone(),
            factor: *factor,
            offset: said(*offset),
        }),
    }
}

/// A speed in rad/s or m/s where none is told.
fn said_speed(turns: bool) -> f64 {
    if turns { 90_f64.to_radians() } else { 0.1 }
}
