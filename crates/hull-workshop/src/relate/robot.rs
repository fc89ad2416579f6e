//! A robot of bodies: built, checked, and packed with its meshes, read back before it is said to be ready.

use super::robot_glb;
use super::scene::{self, Around};
use crate::body::Placed;
use crate::comparison::Comparison;
use crate::numbers::four_digits;
use crate::steps::StepError;
use hull_exact::Frame;
use hull_fitting::align::Rigid;
use hull_formats::stl;
use hull_geometry::mesh::Bounds;
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::build::{BuildError, Built, LinkFigures, build, legal};
use hull_robots::cameras::stand;
use hull_robots::checks::findings;
use hull_robots::follow;
use hull_robots::motion::{Clearance, clearances, places};
use hull_robots::plan::{Collision, Plan};
use hull_robots::{urdf, usd};
use serde::Serialize;

/// A robot with what was found of it.
pub struct Checked {
    /// What was built.
    pub built: Built,
    /// What keeps it from being ready.
    pub findings: Vec<String>,
    /// How near links come that no joint joins.
    pub clearances: Vec<Clearance>,
}

impl Checked {
    /// Links that meet somewhere on the way of a joint, but not at zero.
    pub fn met_on_the_way(&self) -> usize {
        self.clearances.iter().filter(|c| c.meet() && c.at.is_some()).count()
    }

    /// Clearances, the least first.
    pub fn nearest(&self) -> Vec<&Clearance> {
        let mut all: Vec<&Clearance> = self.clearances.iter().collect();
        all.sort_by(|a, b| a.least.total_cmp(&b.least));
        all
    }
}

impl From<BuildError> for StepError {
    fn from(e: BuildError) -> StepError {
        match e {
            BuildError::Cancelled(c) => c.into(),
            BuildError::Refused(sentence) => StepError::Refused(sentence),
        }
    }
}

/// The plan with what files declare of its links where their bodies are now: `placed` says how a body was moved.
///
/// # Errors
/// Refused, where the bodies of a link went different ways, or one was stretched.
pub fn followed(plan: &Plan, placed: impl Fn(&str) -> Option<Placed>) -> Result<Plan, StepError> {
    let mut out = plan.clone();
    for link in out.links.iter_mut().filter(|l| l.uses_declared()) {
        let mut ways = link.parts.iter().map(|part| placed(part).unwrap_or(Placed::NONE));
        let Some(first) = ways.next() else { continue };
        let refused = |why: &str| {
            let what = "mass and shapes to touch as its file has them no longer hold; take off the ticks at “moments of its \
                        file” and choose other shapes to touch";
            Err(StepError::Refused(format!("Link “{}”: {why}, and {what}.", link.name)))
        };
        if ways.any(|other| !is_same_way(&first, &other)) {
            return refused("its bodies were moved apart");
        }
        if first.stretched {
            return refused("its body was stretched");
        }
        let Frame { origin, x, y, z } = first.by.frame;
        let rotation = [0, 1, 2].map(|i| [x[i], y[i], z[i]]);
        let by = Rigid { rotation, shift: origin };
        link.follow(&follow::Placed { grown: first.by.scale, by });
    }
    Ok(out)
}

/// Whether two bodies went the same way, up to rounding.
fn is_same_way(a: &Placed, b: &Placed) -> bool {
    let numbers = |p: &Placed| {
        let f = p.by.frame;
        [f.origin, f.x, f.y, f.z].concat().into_iter().chain([p.by.scale]).collect::<Vec<f64>>()
    };
    let near = |(x, y): (f64, f64)| (x - y).abs() <= 1e-9 * (1.0 + x.abs());
    a.stretched == b.stretched && numbers(a).into_iter().zip(numbers(b)).all(near)
}

/// Builds a robot of the bodies of each link, given as one mesh in mm, and tells what keeps it from being ready.
///
/// # Errors
/// Refused with a sentence, or cancelled.
pub fn checked(plan: &Plan, meshes: &[Mesh], watch: &Watch) -> Result<Checked, StepError> {
    let built = build(plan, meshes, watch)?;
    let clearances = clearances(&built.robot, &built.seen, watch)?;
    let mut found = findings(&built.robot, |f| built.files.iter().any(|x| x.0 == f));
    for (link, figures) in plan.links.iter().zip(&built.links) {
        let moves = plan.joints.iter().any(|j| j.child == link.name && j.kind != hull_robots::JointKind::Fixed);
        if moves && link.collision == Collision::None {
            found.push(format!("link “{}” moves and has nothing to touch", figures.name));
        }
        if let Some(note) = &figures.note {
            found.push(format!("link “{}” is {note}", figures.name));
        }
    }
    for c in clearances.iter().filter(|c| c.meet() && c.at.is_none()) {
        found.push(format!("links “{}” and “{}” meet at zero", c.a, c.b));
    }
    Ok(Checked { built, findings: found, clearances })
}

/// Files with their names, and what was sent against what was read back.
pub type Packed = (Vec<(String, Vec<u8>)>, Vec<Comparison>);

/// What the manifest of a robot says.
#[derive(Serialize)]
struct Manifest<'a> {
    made_by: String,
    robot: &'a str,
    unit: &'a str,
    up: &'a str,
    mass: f64,
    links: &'a [LinkFigures],
    joints: usize,
    clearances: &'a [Clearance],
    findings: &'a [String],
    comparison: &'a [Comparison],
    files: Vec<&'a str>,
}

/// What is seen of a robot as one file of nodes, and how far its box is from that of the links where they stand.
fn shown(checked: &Checked, watch: &Watch) -> Result<(Vec<u8>, Comparison), StepError> {
    let Built { robot, files, seen, .. } = &checked.built;
    let bytes = robot_glb::write(robot, |name| files.iter().find(|f| f.0 == name).map(|f| &f.1));
    let back = hull_formats::read("robot.glb", &bytes, watch).map_err(|e| StepError::Refused(e.to_string()))?.mesh;
    let stand = places(robot, &[]);
    // Z up in the robot, Y up in the file.
    let up = |p: Point| [p[0], p[2], -p[1]];
    let sent = seen.iter().zip(&stand).flat_map(|(m, at)| m.points.iter().map(|p| up(at.place(*p))));
    let (sent, read) = (Bounds::of(sent), back.bounds());
    let off =
        (0..3).map(|k| (sent.min[k] - read.min[k]).abs().max((sent.max[k] - read.max[k]).abs())).fold(0.0, f64::max);
    let facets: usize = seen.iter().map(|m| m.triangles.len()).sum();
    // Coordinates keep single precision, in each link's own frame.
    let same = facets == back.triangles.len() && off <= 1e-6 * sent.diagonal().max(f64::MIN_POSITIVE);
    let told = |facets: usize, b: &Bounds| format!("{facets} facets, {} m across", four_digits(b.diagonal()));
    let row =
        Comparison::told("nodes with their surfaces", told(facets, &sent), told(back.triangles.len(), &read), same);
    Ok((bytes, row))
}

/// The files of a robot: URDF, USD as text and as USDZ with what is around it, one glTF of nodes, meshes as binary STL, what its cameras see, a manifest; all read
/// back and compared.
///
/// # Errors
/// Refused, if what was written does not read back as it was sent.
pub fn packed(plan: &Plan, checked: &Checked, around: &[Around], watch: &Watch) -> Result<Packed, StepError> {
    let Built { robot, files: meshes, links, .. } = &checked.built;
    let description = urdf::write(robot);
    let mut mounted = Vec::new();
    for camera in &plan.cameras {
        let lens = camera.intrinsics().map_err(StepError::Refused)?;
        let (_, own) = stand(robot, camera, &[]).map_err(StepError::Refused)?;
        mounted.push((legal(&camera.link), legal(&camera.name), lens, own));
    }
    let cameras: Vec<usd::Mounted> =
        mounted.iter().map(|(l, n, lens, own)| (l.as_str(), n.as_str(), *lens, *own)).collect();
    let stage = usd::write(robot, &cameras, |f| meshes.iter().find(|x| x.0 == f).map(|x| (x.1.clone(), x.2)));
    let mut files = vec![(format!("{}.urdf", robot.name), description.clone().into_bytes())];
    let (layers, layer_rows) = scene::layers(&robot.name, &stage, around, watch)?;
    let staged = hull_formats::usd::physics::rigid("robot.usda", stage.as_bytes(), watch);
    let staged = staged.map_err(|e| StepError::Refused(e.to_string()))?;
    files.push((format!("{}.usda", robot.name), stage.into_bytes()));
    files.extend(layers);
    files.extend(scene::pictures(plan, &checked.built, around, watch)?);
    let (shown, shown_row) = shown(checked, watch)?;
    files.push((format!("{}.glb", robot.name), shown));
    let back = urdf::read(description.as_bytes()).map_err(StepError::Refused)?.robot;
    let mut rows = vec![
        Comparison::number("links", robot.links.len(), back.links.len()),
        Comparison::number("joints", robot.joints.len(), back.joints.len()),
        Comparison::told("mass in kg", robot.mass().to_string(), back.mass().to_string(), robot.mass() == back.mass()),
        Comparison::told("every link and joint", "as sent".into(), "as read".into(), *robot == back),
    ];
    let frames: Vec<&str> = robot.links.iter().filter(|l| l.is_frame()).map(|l| l.name.as_str()).collect();
    let moved = robot.joints.iter().filter(|j| !frames.contains(&j.child.as_str())).count();
    rows.push(Comparison::number("bodies of the stage", robot.links.len() - frames.len(), staged.bodies.len()));
    rows.push(Comparison::number("joints of the stage", moved, staged.joints.len()));
    let weight: f64 = staged.bodies.iter().filter_map(|b| b.mass).sum();
    // Masses keep single precision there, and nothing weighs nothing.
    let massless = robot.links.iter().filter(|l| l.inertia.is_none() && !l.is_frame()).count();
    let expected = robot.mass() + massless as f64 * usd::ALMOST_NOTHING.mass;
    let same = (weight - expected).abs() <= 1e-6 * expected;
    rows.push(Comparison::told("mass of the stage in kg", robot.mass().to_string(), weight.to_string(), same));
    rows.extend(layer_rows);
    rows.push(shown_row);
    for (i, (name, mesh, _)) in meshes.iter().enumerate() {
        watch.report(i as f64 / meshes.len() as f64, "writing meshes")?;
        let bytes = stl::write_whole(mesh);
        let read = hull_formats::read(name, &bytes, watch).map_err(|e| StepError::Refused(e.to_string()))?;
        rows.push(Comparison::number(&format!("facets of {name}"), mesh.triangles.len(), read.mesh.triangles.len()));
        files.push((name.clone(), bytes));
    }
    if let Some(wrong) = rows.iter().find(|r| !r.same) {
        return Err(StepError::Refused(format!(
            "{}: sent {}, read back {}",
            wrong.figure, wrong.sent, wrong.read_back
        )));
    }
    let manifest = Manifest {
        made_by: format!("Ready Hull {}", env!("CARGO_PKG_VERSION")),
        robot: &robot.name,
        unit: "m",
        up: "+z",
        mass: robot.mass(),
        links,
        joints: robot.joints.len(),
        clearances: &checked.clearances,
        findings: &checked.findings,
        comparison: &rows,
        files: files.iter().map(|f| f.0.as_str()).collect(),
    };
    let json = serde_json::to_vec_pretty(&manifest).map_err(|e| StepError::Refused(e.to_string()))?;
    files.push(("manifest.json".into(), json));
    Ok((files, rows))
}
