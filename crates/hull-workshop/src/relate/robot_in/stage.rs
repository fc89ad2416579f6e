//! The robot of a USD stage: its rigid bodies as links, its joints as they stand in the stage.

use super::{Brought, MILLIMETRES, said_speed, stand_in};
use hull_formats::usd::physics::{RigidBody, RigidStage, Solid, StageJoint, StageSolid, rigid};
use hull_geometry::vector::{V3, scale};
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::checks::impossible;
use hull_robots::collision::{angles, declared};
use hull_robots::plan::{Collision, Plan, PlannedJoint, PlannedLink};
use hull_robots::{Geometry, Inertia, JointKind, Pose, Shape};

/// Brings a stage in.
///
/// # Errors
/// A sentence: the layer cannot be read, or has no rigid bodies.
pub fn brought_stage(name: &str, bytes: &[u8], watch: &Watch) -> Result<Brought, String> {
    let stage = rigid(name, bytes, watch).map_err(|e| e.to_string())?;
    let mut out = Brought { plan: Plan { name: stage.name.clone(), ..Plan::default() }, ..Brought::default() };
    for (what, n) in &stage.skipped {
        out.notes.push(format!("{what} ({n} ×): not taken over."));
    }
    let names = single_names(&stage);
    for (body, name) in stage.bodies.iter().zip(&names) {
        link(body, name, &mut out);
    }
    let mut held = vec![false; names.len()];
    for joint in &stage.joints {
        let [Some(parent), Some(child)] = joint.bodies else {
            let own = joint.bodies.into_iter().flatten().next().map_or("nothing", |b| names[b].as_str());
            out.notes.push(format!("Joint “{}” holds “{own}” to the world: a robot's root needs none.", joint.name));
            continue;
        };
        if parent == child || std::mem::replace(&mut held[child], true) {
            let why = "which another joint holds already, and a robot is a tree";
            out.notes.push(format!("Joint “{}” leads to “{}”, {why}: left out.", joint.name, names[child]));
            continue;
        }
        out.plan.joints.push(planned(joint, &names[parent], &names[child], &mut out.notes));
    }
    Ok(out)
}

/// Names of bodies, those that come again numbered.
fn single_names(stage: &RigidStage) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for body in &stage.bodies {
        let again = |k: usize| if k == 1 { body.name.clone() } else { format!("{}_{k}", body.name) };
        let free = (1..).map(again).find(|n| !out.contains(n));
        out.push(free.unwrap_or_default());
    }
    out
}

fn link(body: &RigidBody, name: &str, out: &mut Brought) {
    let is_any_seen = body.solids.iter().any(|s| s.seen);
    // What is touched stands for what is seen where nothing is.
    let shown = body.solids.iter().filter(|s| s.seen || (!is_any_seen && s.touched));
    let mut mesh = Mesh::default();
    for solid in shown {
        match &solid.geometry {
            Solid::Mesh(own) => mesh.append(own),
            simple => declared(&simple_shapes(simple)).iter().for_each(|m| mesh.append(&m.mesh)),
        }
    }
    mesh.points.iter_mut().for_each(|p| *p = scale(*p, MILLIMETRES));
    if mesh.triangles.is_empty() {
        mesh = stand_in(body.frame.origin);
        out.notes.push(format!("Body “{name}” has nothing to see: a ball stands for it."));
    }
    let touched: Vec<&StageSolid> = body.solids.iter().filter(|s| s.touched).collect();
    let is_simple = touched.iter().all(|s| !matches!(s.geometry, Solid::Mesh(_)));
    let mut link = PlannedLink { mass: body.mass, ..PlannedLink::of(name, name) };
    link.density = body.density.unwrap_or(link.density);
    link.collision = match touched.len() {
        0 => Collision::None,
        _ if is_simple => Collision::Declared,
        1 => Collision::Hull,
        _ => Collision::Pieces,
    };
    if link.collision == Collision::Declared {
        link.touched = touched.iter().flat_map(|s| simple_shapes(&s.geometry)).collect();
    }
    if let Some(colour) = body.solids.iter().filter(|s| s.seen).find_map(|s| s.colour) {
        link.colour = colour;
    }
    if let (Some(mass), Some(centre), Some((moments, axes))) = (body.mass, body.centre, body.moments) {
        let inertia = Inertia { at: Pose { xyz: centre, rpy: [0.0; 3] }, mass, moments: tensor(moments, &axes) };
        match impossible(&inertia) {
            None => link.inertia = Some(inertia),
            Some(why) => {
                out.notes.push(format!("Body “{name}” {why}: its mass is kept, its moments follow from its geometry."))
            }
        }
    }
    out.plan.links.push(link);
    out.bodies.push((name.to_string(), mesh));
}

/// xx, xy, xz, yy, yz, zz of principal moments along axes.
fn tensor(moments: [f64; 3], axes: &[V3; 3]) -> [f64; 6] {
    let along = |i: usize, j: usize| (0..3).map(|k| moments[k] * axes[k][i] * axes[k][j]).sum();
    [along(0, 0), along(0, 1), along(0, 2), along(1, 1), along(1, 2), along(2, 2)]
}

/// A simple solid as shapes; a capsule is a cylinder and two balls.
fn simple_shapes(solid: &Solid) -> Vec<Shape> {
    let shape = |at: Point, axes: &[V3; 3], geometry: Geometry| Shape {
        at: Pose { xyz: at, rpy: angles(axes) },
        geometry,
        colour: None,
    };
    let ball = |at: Point, radius: f64| Shape {
        at: Pose { xyz: at, rpy: [0.0; 3] },
        geometry: Geometry::Sphere(radius),
        colour: None,
    };
    match solid {
        Solid::Mesh(_) => Vec::new(),
        Solid::Box(at, axes, size) => vec![shape(*at, axes, Geometry::Box(*size))],
        Solid::Sphere(at, radius) => vec![ball(*at, *radius)],
        Solid::Cylinder(at, axes, radius, length) => vec![shape(*at, axes, Geometry::Cylinder(*radius, *length))],
        Solid::Capsule(at, axes, radius, length) => {
            let end = |by: f64| hull_geometry::vector::add(*at, scale(axes[2], by * length));
            let middle = shape(*at, axes, Geometry::Cylinder(*radius, *length));
            vec![middle, ball(end(-0.5), *radius), ball(end(0.5), *radius)]
        }
    }
}

fn planned(joint: &StageJoint, parent: &str, child: &str, notes: &mut Vec<String>) -> PlannedJoint {
    let [from, to] = joint.limits;
    let is_limited = from.is_finite() && to.is_finite();
    let kind = match joint.kind.as_str() {
        "Fixed" => JointKind::Fixed,
        "Revolute" if is_limited => JointKind::Revolute,
        "Revolute" => JointKind::Continuous,
        "Prismatic" => JointKind::Prismatic,
        "Planar" => JointKind::Planar,
        other => {
            let what = if other.is_empty() { "general" } else { other };
            notes.push(format!("Joint “{}” is a {} one: it moves freely here.", joint.name, what.to_lowercase()));
            JointKind::Floating
        }
    };
    let turns = matches!(kind, JointKind::Revolute | JointKind::Continuous);
    let said = |x: f64| if turns { x.to_degrees() } else { x * MILLIMETRES };
    if kind == JointKind::Prismatic && !is_limited {
        notes.push(format!("Joint “{}” slides without limits: give it some.", joint.name));
    }
    PlannedJoint {
        name: joint.name.clone(),
        kind,
        at: scale(joint.at, MILLIMETRES),
        axis: joint.axis,
        limits: (kind.has_limits() && is_limited).then(|| joint.limits.map(said)),
        effort: joint.effort.unwrap_or(100.0),
        speed: said(said_speed(turns)),
        zero: match kind {
            JointKind::Revolute | JointKind::Continuous | JointKind::Prismatic => rounded(said(joint.value)),
            _ => 0.0,
        },
        ..PlannedJoint::fixed(parent, child)
    }
}

/// To a millionth of a degree or mm: less is what single precision loses.
fn rounded(x: f64) -> f64 {
    let near = (x * 1e6).round() / 1e6;
    // Quaternions of single precision are good to about 1e-5 degrees.
    if near.abs() < 1e-4 { 0.0 } else { near }
}
