//! What keeps a robot from being ready for a simulator, each as a sentence.

use crate::model::{Geometry, Inertia, Joint, Robot};
use std::collections::{BTreeMap, BTreeSet};

/// Everything that is wrong. `is_there` tells whether a mesh that the description names can be found.
pub fn findings(robot: &Robot, is_there: impl Fn(&str) -> bool) -> Vec<String> {
    let mut out = tree_findings(robot);
    joints(robot, &mut out);
    links(robot, &mut out);
    for mesh in robot.meshes() {
        let foreign =
            mesh.contains("://") || mesh.starts_with('/') || mesh.contains('\\') || mesh.split('/').any(|p| p == "..");
        match (foreign, is_there(mesh)) {
            (_, false) => out.push(format!("mesh “{mesh}” is not there")),
            (true, true) => out.push(format!("mesh “{mesh}” is named by a path that holds on this machine only")),
            _ => {}
        }
    }
    out
}

/// What keeps links and joints from being one tree, whatever else is wrong: doubles of names, loops, several roots, joints
/// that lead nowhere.
pub fn tree_findings(robot: &Robot) -> Vec<String> {
    let mut out = Vec::new();
    names(robot, &mut out);
    tree(robot, &mut out);
    out
}

fn names(robot: &Robot, out: &mut Vec<String>) {
    for (what, all) in [
        ("link", robot.links.iter().map(|l| l.name.as_str()).collect::<Vec<_>>()),
        ("joint", robot.joints.iter().map(|j| j.name.as_str()).collect()),
    ] {
        let mut seen = BTreeMap::new();
        all.iter().for_each(|n| *seen.entry(*n).or_insert(0) += 1);
        for (name, n) in seen {
            if name.trim().is_empty() {
                out.push(format!("{n} × {what} without a name"));
            } else if n > 1 {
                out.push(format!("{n} × {what} of the name “{name}”"));
            }
        }
    }
}

fn tree(robot: &Robot, out: &mut Vec<String>) {
    let links: BTreeSet<&str> = robot.links.iter().map(|l| l.name.as_str()).collect();
    let mut above: BTreeMap<&str, &str> = BTreeMap::new();
    for j in &robot.joints {
        for (word, link) in [("from", &j.parent), ("to", &j.child)] {
            if !links.contains(link.as_str()) {
                out.push(format!("joint “{}” leads {word} link “{link}”, which is not there", j.name));
            }
        }
        if above.insert(&j.child, &j.parent).is_some() {
            out.push(format!("two joints lead to link “{}”", j.child));
        }
    }
    match robot.roots().as_slice() {
        _ if robot.links.is_empty() => out.push("the robot has no links".into()),
        [_] => {}
        [] => out.push("no link is the root: the joints form a loop".into()),
        several => out.push(format!("{} links are roots: {}", several.len(), several.join(", "))),
    }
    let loops = |start: &&str| {
        let mut at = *start;
        for _ in 0..=above.len() {
            match above.get(at) {
                Some(next) => at = next,
                None => return false,
            }
        }
        true
    };
    if let Some(link) = links.iter().find(|l| loops(l)) {
        out.push(format!("link “{link}” stands in or below a loop of joints"));
    }
}

fn joints(robot: &Robot, out: &mut Vec<String>) {
    for j in robot.joints.iter().filter(|j| j.kind.has_axis()) {
        let length = j.axis.iter().map(|x| x * x).sum::<f64>().sqrt();
        if length == 0.0 {
            out.push(format!("joint “{}” has an axis of no length", j.name));
        } else if (length - 1.0).abs() > 1e-3 {
            out.push(format!("joint “{}” has an axis of length {length:.4}, not one", j.name));
        }
        match j.limits {
            None if j.kind.has_limits() => out.push(format!("joint “{}” has no limits", j.name)),
            Some([low, high]) if low > high => {
                out.push(format!("joint “{}” has limits from {low} to {high}: the wrong way round", j.name));
            }
            _ => {}
        }
        if let Some((leader, ..)) = &j.mimic
            && !robot.joints.iter().any(|k| k.name == *leader && k.name != j.name)
        {
            out.push(format!("joint “{}” follows “{leader}”, which is no other joint", j.name));
        } else if follows_itself(robot, j) {
            out.push(format!("joint “{}” follows itself by way of other joints", j.name));
        }
        if j.kind.has_limits() && j.effort_speed.is_none() {
            out.push(format!("joint “{}” has no largest effort and speed", j.name));
        }
    }
}

/// Whether the joints that a joint follows lead back to it.
fn follows_itself(robot: &Robot, joint: &Joint) -> bool {
    let leader = |j: &&Joint| {
        let (name, ..) = j.mimic.as_ref()?;
        robot.joints.iter().find(|k| k.name == *name)
    };
    let leaders = std::iter::successors(Some(joint), leader).skip(1);
    // A way that is longer than there are joints goes round beside this one.
    leaders.take(robot.joints.len()).any(|j| j.name == joint.name)
}

fn links(robot: &Robot, out: &mut Vec<String>) {
    let moving: BTreeSet<&str> =
        robot.joints.iter().filter(|j| j.kind != crate::JointKind::Fixed).map(|j| j.child.as_str()).collect();
    for link in &robot.links {
        let moves = moving.contains(link.name.as_str());
        match &link.inertia {
            None if moves => out.push(format!("link “{}” moves and has no mass", link.name)),
            Some(i) if i.mass <= 0.0 && moves => {
                out.push(format!("link “{}” moves and has a mass of {}", link.name, i.mass))
            }
            Some(i) if i.mass > 0.0 => {
                if let Some(why) = impossible(i) {
                    out.push(format!("link “{}” {why}", link.name));
                }
            }
            _ => {}
        }
        if moves && link.collision.is_empty() && !link.visual.is_empty() {
            out.push(format!("link “{}” moves and has no collision shape", link.name));
        }
        for shape in link.visual.iter().chain(&link.collision) {
            let empty = match &shape.geometry {
                Geometry::Mesh { scale, .. } => scale.contains(&0.0),
                Geometry::Box(size) => size.iter().any(|x| *x <= 0.0),
                Geometry::Cylinder(r, l) => *r <= 0.0 || *l <= 0.0,
                Geometry::Sphere(r) => *r <= 0.0,
            };
            if empty {
                out.push(format!("link “{}” has a shape of no size", link.name));
            }
        }
    }
}

/// Why no body of positive mass can turn like this: its principal moments are positive, and none is larger than the other two
/// together.
pub fn impossible(i: &Inertia) -> Option<String> {
    let principal = principal(&i.moments);
    let [a, b, c] = principal;
    let told = || principal.map(|x| format!("{x:.3e}")).join(", ");
    if a <= 0.0 {
        Some(format!("has a moment of inertia that is not positive: {} kg·m²", told()))
    } else if c > (a + b) * (1.0 + 1e-6) {
        Some(format!(
            "has moments of inertia that no body has: {} kg·m², one is larger than the others together",
            told()
        ))
    } else {
        None
    }
}

/// The principal moments of xx, xy, xz, yy, yz, zz, smallest first.
pub fn principal(m: &[f64; 6]) -> [f64; 3] {
    principal_axes(m).1
}

/// The axes of the principal moments, right-handed, with the moments, smallest first.
pub fn principal_axes(m: &[f64; 6]) -> ([[f64; 3]; 3], [f64; 3]) {
    let [xx, xy, xz, yy, yz, zz] = *m;
    hull_fitting::align::symmetric_axes([[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]])
}
