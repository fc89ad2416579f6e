//! `hull robot`: a robot of bodies, from a plan.

use crate::{End, input};
use anyhow::{Context, Result, anyhow};
use hull_exact::parameter_loops::Reader;
use hull_geometry::{Mesh, Unit, Watch, transform};
use hull_robots::contact::{Setting, set_down};
use hull_robots::dynamics::let_go;
use hull_robots::plan::Plan;
use hull_workshop::Destination;
use hull_workshop::apply;
use hull_workshop::numbers::{counted, four_digits};
use hull_workshop::robot::{checked, packed};
use hull_workshop::scene::Around;
use hull_workshop::steps::set_unit::SetUnit;
use serde_json::json;
use std::path::PathBuf;

/// A plan or a description, and where the robot is written.
#[derive(clap::Args)]
pub struct Compose {
    /// A description that is there already, URDF with its meshes beside it or a USD stage; or a plan, a TOML file: name, links (name, parts as files beside it, density or mass, colour, collision) and joints (kind, parent, child,
    /// at and axis in the files' unit, limits in degrees or that unit); if wished cameras (name, link, at, towards, width, height, view in
    /// degrees) and around, files of what the robot stands among: meshes, points, splats.
    plan: PathBuf,
    /// The folder to write; left out, the robot is only checked.
    #[arg(long)]
    out: Option<PathBuf>,
    /// The unit of the files.
    #[arg(long, default_value = "mm")]
    unit: Unit,
    /// Let the joints go at zero for so many seconds, under weight, with their damping and friction; the root is held.
    #[arg(long)]
    let_go: Option<f64>,
    /// Write the motion of --let-go as CSV.
    #[arg(long, requires = "let_go")]
    motion: Option<PathBuf>,
    /// Set it down on a floor for so many seconds, joints held: does it stand, tip, sink or shake?
    #[arg(long)]
    set_down: Option<f64>,
    /// One JSON object.
    #[arg(long)]
    json: bool,
}

pub fn run(c: &Compose) -> Result<End> {
    let watch = Watch::default();
    let (plan, meshes, notes) = match crate::robot::described(&c.plan, &watch)? {
        Some(found) => (found.plan, found.bodies.into_iter().map(|b| b.1).collect(), found.notes),
        None => planned(c).map(|(plan, meshes)| (plan, meshes, Vec::new()))?,
    };
    let folder = c.plan.parent().map(PathBuf::from).unwrap_or_default();
    let made = checked(&plan, &meshes, &watch).map_err(|e| anyhow!("{e}"))?;
    let robot = &made.built.robot;
    let standing = |seconds| set_down(robot, &made.built.seen, &Setting { seconds, ..Setting::default() });
    let stood = c.set_down.map(standing).transpose().map_err(|e| anyhow!(e))?;
    let trial = c.let_go.map(|seconds| let_go(robot, seconds)).transpose().map_err(|e| anyhow!(e))?;
    if let (Some(trial), Some(path)) = (&trial, &c.motion) {
        std::fs::write(path, trial.csv()).with_context(|| format!("cannot write {}", path.display()))?;
    }
    if c.json {
        println!(
            "{}",
            json!({ "name": robot.name, "links": made.built.links, "joints": robot.joints.len(), "mass": robot.mass(),
                "clearances": made.clearances, "findings": made.findings, "notes": notes,
                "set_down": stood.as_ref().map(|s| json!({ "verdict": s.verdict, "weight": s.weight, "end": s.moments.last() })),
                "let_go": trial.as_ref().map(|t| json!({ "energy_change": t.energy_change, "passed": t.passed, "end": t.moments.last() })) })
        );
    } else {
        println!(
            "{}: {}, {}, mass {} kg",
            robot.name,
            counted(robot.links.len(), "link"),
            counted(robot.joints.len(), "joint"),
            four_digits(robot.mass())
        );
        for l in &made.built.links {
            println!(
                "  {}: {} kg, {} facets seen, {} to touch with {} facets, volume {} % off, sticks out {} mm",
                l.name,
                four_digits(l.mass),
                l.facets,
                counted(l.collision.shapes, "shape"),
                l.collision.facets,
                four_digits(100.0 * l.collision.volume_error),
                four_digits(1000.0 * l.collision.sticks_out)
            );
        }
        if let Some(t) = &trial {
            println!("  let go: energy changed by {} J at most", four_digits(t.energy_change));
            t.passed
                .iter()
                .for_each(|(joint, time)| println!("  let go: {joint} passes a limit after {} s", four_digits(*time)));
        }
        if let Some(s) = &stood {
            let leans = s.moments.iter().map(|m| m.lean).fold(0.0, f64::max);
            println!("  set down: it {}, leaning {}° at most", s.verdict.word(), four_digits(leans));
        }
        notes.iter().for_each(|n| println!("  {n}"));
        if made.met_on_the_way() > 0 {
            println!("  {} of links meet on the way of a joint over its range", counted(made.met_on_the_way(), "pair"));
        }
        made.findings.iter().for_each(|f| println!("  not met: {f}"));
    }
    if let Some(out) = &c.out {
        let mut around = Vec::new();
        for name in &plan.around {
            let mut body = input::any_body(&folder.join(name), Reader::Trusting)?;
            if body.facts.scale.is_none() {
                let step = SetUnit { unit: c.unit }.into();
                body = apply(&body, &step, &Destination::asking_nothing(), &watch)?.0;
            }
            around.push(Around::of(name.rsplit_once('.').map_or(name, |n| n.0), &body));
        }
        let (files, _) = packed(&plan, &made, &around, &watch).map_err(|e| anyhow!("{e}"))?;
        for (name, bytes) in files {
            let path = out.join(name);
            if let Some(folder) = path.parent() {
                std::fs::create_dir_all(folder).with_context(|| format!("cannot make {}", folder.display()))?;
            }
            std::fs::write(&path, bytes).with_context(|| format!("cannot write {}", path.display()))?;
        }
        if !c.json {
            println!("wrote {}", out.display());
        }
    }
    Ok(if made.findings.is_empty() { End::Ready } else { End::NotReady })
}

/// A plan with the meshes of its links, in mm.
fn planned(c: &Compose) -> Result<(Plan, Vec<Mesh>)> {
    let text = input::text(&c.plan)?;
    let mut plan: Plan = toml::from_str(&text).with_context(|| format!("{}", c.plan.display()))?;
    let folder = c.plan.parent().map(PathBuf::from).unwrap_or_default();
    let mm = c.unit.millimetres();
    let mut meshes = Vec::new();
    for link in &plan.links {
        let mut all = Mesh::default();
        for part in &link.parts {
            let mut body = input::body(&folder.join(part), Reader::Trusting)?;
            if body.facts.scale.is_none() {
                transform::enlarge(&mut body.mesh, mm);
            }
            all.append(&body.mesh);
        }
        meshes.push(all);
    }
    for j in &mut plan.joints {
        j.at = j.at.map(|x| x * mm);
    }
    for f in &mut plan.frames {
        f.at = f.at.map(|x| x * mm);
    }
    for c in &mut plan.cameras {
        (c.at, c.towards) = (c.at.map(|x| x * mm), c.towards.map(|x| x * mm));
    }
    Ok((plan, meshes))
}
