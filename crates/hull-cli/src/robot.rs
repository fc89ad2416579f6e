//! A robot's description in the shell: `hull check` of it, and the files that lie beside it.

use anyhow::{Context, Result, anyhow};
use hull_formats::usd;
use hull_geometry::Watch;
use hull_robots::checks::findings;
use hull_robots::urdf;
use hull_workshop::numbers::{count, counted, four_digits};
use hull_workshop::robot_in::{Brought, brought, brought_stage};
use serde_json::json;
use std::path::{Path, PathBuf};

/// Tells what a description holds and what keeps it from being ready; gives whether nothing does.
///
/// # Errors
/// If it cannot be read, with the line.
pub fn check(path: &Path, as_json: bool) -> Result<bool> {
    let bytes = std::fs::read(path).with_context(|| format!("cannot read {}", path.display()))?;
    let read = urdf::read(&bytes).map_err(|e| anyhow!("{}: {e}", path.display()))?;
    let robot = &read.robot;
    let found = findings(robot, |mesh| file_of(path, mesh).is_some());
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

/// What a stage says of a robot besides its geometry: `links`, `joints`, `mass`. `None` of one without joints, or of any
/// other file.
pub fn stage_figures(path: &Path) -> Option<serde_json::Value> {
    let name = path.to_string_lossy();
    if hull_formats::FileFormat::of_name(&name).is_ok_and(|f| f.id != usd::FORMAT.id) {
        return None;
    }
    let stage = usd::physics::rigid(&name, &std::fs::read(path).ok()?, &Watch::default()).ok()?;
    let mass: f64 = stage.bodies.iter().filter_map(|b| b.mass).sum();
    let told = json!({ "links": stage.bodies.len(), "joints": stage.joints.len(), "mass": mass });
    (!stage.joints.is_empty()).then_some(told)
}

/// The file of a mesh beside the description: where its path leads from there, or, for paths of packages, from a folder above.
fn file_of(description: &Path, mesh: &str) -> Option<PathBuf> {
    let plain = mesh.strip_prefix("file://").or_else(|| mesh.strip_prefix("package://")).unwrap_or(mesh);
    let below = plain.split_once('/').map_or(plain, |(_, rest)| rest);
    let folders = description.ancestors().skip(1).take(4);
    folders.flat_map(|f| [f.join(plain), f.join(below)]).find(|p| p.is_file())
}

/// A description as bodies and a plan: of URDF with the meshes beside it, or of a USD stage. `None` of any other file.
///
/// # Errors
/// If it cannot be read, or is no tree of links.
pub fn described(path: &Path, watch: &Watch) -> Result<Option<Brought>> {
    let ends = |endings: &[&str]| path.extension().is_some_and(|e| endings.iter().any(|x| e.eq_ignore_ascii_case(x)));
    let name = path.to_string_lossy();
    let bytes = || std::fs::read(path).with_context(|| format!("cannot read {name}"));
    let told = |e: String| anyhow!("{name}: {e}");
    if ends(usd::FORMAT.endings) {
        return brought_stage(&name, &bytes()?, watch).map(Some).map_err(told);
    }
    if !ends(&["urdf"]) {
        return Ok(None);
    }
    let bytes = bytes()?;
    let robot = urdf::read(&bytes).map_err(told)?.robot;
    let mut files = Vec::new();
    for mesh in robot.meshes() {
        if let Some(found) = file_of(path, mesh) {
            let own = std::fs::read(&found).with_context(|| format!("cannot read {}", found.display()))?;
            files.push((mesh.to_string(), own));
        }
    }
    brought(&bytes, &files, watch).map(Some).map_err(told)
}
