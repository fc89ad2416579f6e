//! `hull check` of a robot's description.

use anyhow::{Context, Result, anyhow};
use hull_robots::checks::findings;
use hull_robots::urdf;
use hull_workshop::numbers::{count, counted, four_digits};
use serde_json::json;
use std::path::Path;

/// Tells what a description holds and what keeps it from being ready; gives whether nothing does.
///
/// # Errors
/// If it cannot be read, with the line.
pub fn check(path: &Path, as_json: bool) -> Result<bool> {
    let bytes = std::fs::read(path).with_context(|| format!("cannot read {}", path.display()))?;
    let read = urdf::read(&bytes).map_err(|e| anyhow!("{}: {e}", path.display()))?;
    let robot = &read.robot;
    let found = findings(robot, |mesh| is_there(path, mesh));
    let movable = robot.joints.iter().filter(|j| j.kind != hull_robots::JointKind::Fixed).count();
    if as_json {
        let skipped = read.skipped.iter().map(|(what, n)| json!({ "what": what, "count": n }));
        let object = json!({
            "file": path.to_string_lossy(), "format": "URDF", "name": robot.name,
            "links": robot.links.len(), "joints": robot.joints.len(), "movable_joints": movable,
            "mass": robot.mass(), "root": robot.roots().first(), "meshes": robot.meshes(),
            "findings": found, "skipped": skipped.collect::<Vec<_>>(),
        });
        println!("{object}");
    } else {
        println!("{} (URDF)", path.display());
        let of = [
            counted(robot.links.len(), "link"),
            counted(robot.joints.len(), "joint"),
            format!("{} movable", count(movable)),
        ];
        println!("  {}, mass {} kg", of.join(", "), four_digits(robot.mass()));
        match found.as_slice() {
            [] => println!("  ready: one tree, possible masses, limits, every mesh there"),
            all => all.iter().for_each(|f| println!("  not met: {f}")),
        }
    }
    Ok(found.is_empty())
}

/// Whether a mesh is beside the description: where its path leads from there, or, for paths of packages, from a folder above.
fn is_there(description: &Path, mesh: &str) -> bool {
    let plain = mesh.strip_prefix("file://").or_else(|| mesh.strip_prefix("package://")).unwrap_or(mesh);
    let below = plain.split_once('/').map_or(plain, |(_, rest)| rest);
    description.ancestors().skip(1).take(4).any(|folder| folder.join(plain).is_file() || folder.join(below).is_file())
}
