//! From a plan and its bodies to a robot: frames in the joints, metres, masses by exact integrals, shapes to touch.

use crate::collision::{Cost, Kind, Made, angles, cost, declared, hull, shapes};
use crate::model::{Geometry, Inertia, Joint, JointKind, Link, Pose, Robot, Shape};
use crate::plan::{Collision, Plan, PlannedJoint, PlannedLink};
use hull_fitting::align::Rigid;
use hull_geometry::reduce::reduced;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, Point, Watch, measure};
use serde::Serialize;

/// Millimetres to metres.
const METRES: f64 = 1e-3;

/// A link in figures.
#[derive(Clone, Debug, Serialize)]
pub struct LinkFigures {
    /// Its name.
    pub name: String,
    /// In kg.
    pub mass: f64,
    /// In m³.
    pub volume: f64,
    /// In the link's frame, in m.
    pub centre: Point,
    /// Principal moments in kg·m², the least first.
    pub principal: [f64; 3],
    /// Facets that are seen.
    pub facets: usize,
    /// What is touched.
    pub collision: Cost,
    /// Whether its mass properties are those that its file declares.
    pub declared: bool,
    /// What was done where its surface is open.
    pub note: Option<String>,
}

/// A robot with the meshes that its files hold.
pub struct Built {
    /// The description.
    pub robot: Robot,
    /// Names of files with their meshes, in metres and the link's frame, with the colour of what is seen.
    pub files: Vec<(String, Mesh, Option<[u8; 3]>)>,
    /// Each link's meshes as they are seen, in its frame, in the order of links.
    pub seen: Vec<Mesh>,
    /// Each link in figures.
    pub links: Vec<LinkFigures>,
}

/// Why a robot cannot be built.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BuildError {
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// A sentence that says what to do.
    #[error("{0}")]
    Refused(String),
}

fn refused<T>(sentence: impl Into<String>) -> Result<T, BuildError> {
    Err(BuildError::Refused(sentence.into()))
}

/// Builds a robot; `meshes` are the bodies of each link as one mesh, in mm, in one space.
///
/// # Errors
/// [`BuildError`]: no tree, an axis of no length, a link without a surface.
pub fn build(plan: &Plan, meshes: &[Mesh], watch: &Watch) -> Result<Built, BuildError> {
    if plan.links.is_empty() {
        return refused("A robot needs at least one link.");
    }
    let parents = tree(plan)?;
    let origin = |i: usize| parents[i].map_or([0.0; 3], |j: usize| plan.joints[j].at);
    let mut out = Built {
        robot: Robot { name: legal(&plan.name), ..Robot::default() },
        files: Vec::new(),
        seen: Vec::new(),
        links: Vec::new(),
    };
    for (i, planned) in plan.links.iter().enumerate() {
        watch.report(0.9 * i as f64 / plan.links.len() as f64, "building links")?;
        let Some(mesh) = meshes.get(i).filter(|m| !m.triangles.is_empty()) else {
            return refused(format!("Link “{}” has no surface: give it a body with facets.", planned.name));
        };
        let mut mesh = mesh.clone();
        if let Some(mirrored) = planned.mirrored {
            mirrored.mesh(&mut mesh);
        }
        let own = local(&mesh, origin(i));
        add_link(&mut out, planned, &own, origin(i), watch)?;
    }
    for (j, planned) in plan.joints.iter().enumerate() {
        let parent = plan.links.iter().position(|l| l.name == planned.parent).unwrap_or(0);
        out.robot
            .joints
            .push(joint(planned, origin(parent)).map_err(|e| BuildError::Refused(format!("Joint {}: {e}", j + 1)))?);
    }
    set_mimics(plan, &mut out.robot)?;
    frames(plan, &mut out, origin)?;
    Ok(out)
}

/// Joints that follow others: those must be there, and not follow in a circle.
fn set_mimics(plan: &Plan, robot: &mut Robot) -> Result<(), BuildError> {
    for (k, planned) in plan.joints.iter().enumerate() {
        let Some(mimic) = &planned.mimic else { continue };
        let is_leader = |j: &PlannedJoint| j.name == mimic.joint || legal(&name_of(j)) == legal(&mimic.joint);
        let Some(leader) = plan.joints.iter().position(is_leader).filter(|l| *l != k) else {
            return refused(format!("Joint {} follows “{}”, which is no other joint.", k + 1, mimic.joint));
        };
        let turns = matches!(planned.kind, JointKind::Revolute | JointKind::Continuous);
        let offset = if turns { mimic.offset.to_radians() } else { mimic.offset * METRES };
        robot.joints[k].mimic = Some((robot.joints[leader].name.clone(), mimic.factor, offset));
    }
    let follows = |k: usize| {
        let (leader, ..) = robot.joints[k].mimic.as_ref()?;
        robot.joints.iter().position(|j| j.name == *leader)
    };
    for start in 0..robot.joints.len() {
        let mut at = Some(start);
        for _ in 0..=robot.joints.len() {
            at = at.and_then(follows);
        }
        if at.is_some() {
            return refused(format!("Joint {} follows itself by way of others.", start + 1));
        }
    }
    Ok(())
}

/// Frames as links without anything, fixed where they are.
fn frames(plan: &Plan, out: &mut Built, origin: impl Fn(usize) -> Point) -> Result<(), BuildError> {
    for frame in &plan.frames {
        let name = legal(&frame.name);
        if out.robot.links.iter().any(|l| l.name == name) {
            return refused(format!("“{}” is a link or a frame already: give the frame another name.", frame.name));
        }
        let Some(link) = plan.links.iter().position(|l| l.name == frame.link) else {
            return refused(format!("Frame “{}” stands on “{}”, which is no link.", frame.name, frame.link));
        };
        let Some(z) = unit(frame.axis) else {
            return refused(format!("Frame “{}”: its axis has no length.", frame.name));
        };
        let x = crate::usd::across(z)[0];
        let axes = [x, hull_geometry::vector::cross(z, x), z];
        let xyz = scale(sub(frame.at, origin(link)), METRES);
        out.robot.joints.push(Joint {
            name: format!("{name}_frame"),
            kind: JointKind::Fixed,
            parent: out.robot.links[link].name.clone(),
            child: name.clone(),
            at: Pose { xyz, rpy: angles(&axes) },
            axis: [1.0, 0.0, 0.0],
            ..Joint::default()
        });
        out.robot.links.push(Link { name, ..Link::default() });
        out.seen.push(Mesh::default());
    }
    Ok(())
}

/// The joint above each link; none of the root.
fn tree(plan: &Plan) -> Result<Vec<Option<usize>>, BuildError> {
    let number = |name: &str| plan.links.iter().position(|l| l.name == name);
    let mut above: Vec<Option<usize>> = vec![None; plan.links.len()];
    for (i, l) in plan.links.iter().enumerate() {
        if plan.links[..i].iter().any(|k| legal(&k.name) == legal(&l.name)) {
            return refused(format!("Two links are called “{}”.", l.name));
        }
    }
    for (j, joint) in plan.joints.iter().enumerate() {
        let (Some(parent), Some(child)) = (number(&joint.parent), number(&joint.child)) else {
            return refused(format!(
                "Joint {} joins “{}” and “{}”: both must be links.",
                j + 1,
                joint.parent,
                joint.child
            ));
        };
        if parent == child {
            return refused(format!("Joint {} joins “{}” to itself.", j + 1, joint.parent));
        }
        if above[child].is_some() {
            return refused(format!("“{}” hangs on two joints: a tree has one above each link.", joint.child));
        }
        above[child] = Some(j);
    }
    for start in 0..plan.links.len() {
        let mut at = start;
        for _ in 0..plan.links.len() {
            match above[at] {
                Some(j) => at = number(&plan.joints[j].parent).unwrap_or(at),
                None => break,
            }
        }
        if above[at].is_some() {
            return refused(format!("The joints above “{}” run in a circle.", plan.links[start].name));
        }
    }
    let roots: Vec<&str> =
        (0..plan.links.len()).filter(|i| above[*i].is_none()).map(|i| plan.links[i].name.as_str()).collect();
    if roots.len() > 1 {
        return refused(format!(
            "There are {} roots, {}: join all links but one to another.",
            roots.len(),
            roots.join(", ")
        ));
    }
    Ok(above)
}

/// A mesh in the frame of its link, in metres.
fn local(mesh: &Mesh, origin: Point) -> Mesh {
    let mut own = mesh.clone();
    own.points.iter_mut().for_each(|p| *p = scale(sub(*p, origin), METRES));
    own.drop_unused_points();
    own
}

/// Mass properties of a link in its frame, its volume in m³, and what was done where its surface is open.
fn weighed(
    planned: &PlannedLink,
    own: &Mesh,
    origin: Point,
    watch: &Watch,
) -> Result<(Option<Inertia>, f64, Option<String>), BuildError> {
    let told = |e: String| BuildError::Refused(format!("Link “{}”: {e}.", planned.name));
    let topology = Topology::of(own, watch)?;
    let closed = topology.is_closed() && topology.misdirected.is_empty();
    // What is declared asks nothing of the surface; a flat one has no volume then.
    let volume = || {
        let solid = if closed { own.clone() } else { hull(own).unwrap_or_default() };
        measure::mass(&solid, &solid.bounds()).volume.abs()
    };
    if planned.massless {
        return Ok((None, volume(), None));
    }
    if let Some(declared) = planned.inertia {
        let declared = planned.mirrored.map_or(declared, |plane| declared.mirrored(plane));
        let mut inertia = declared.weighing(planned.mass.unwrap_or(declared.mass));
        inertia.at.xyz = sub(inertia.at.xyz, scale(origin, METRES));
        if let Some(why) = crate::checks::impossible(&inertia) {
            return Err(told(format!("what its file declares {why}")));
        }
        return positive(inertia, planned).map(|i| (Some(i), volume(), None));
    }
    let (solid, note) = if closed {
        (own.clone(), None)
    } else {
        (hull(own).map_err(told)?, Some("open: its mass is that of its convex hull".to_string()))
    };
    let figures = measure::mass(&solid, &solid.bounds());
    if figures.volume <= 0.0 {
        return Err(told("its facets face inward: turn them outward first".into()));
    }
    let density = planned.mass.map_or(planned.density, |m| m / figures.volume);
    // xx, yy, zz, xy, yz, zx there; xx, xy, xz, yy, yz, zz here.
    let [xx, yy, zz, xy, yz, zx] = figures.inertia.map(|x| x * density);
    let at = Pose { xyz: figures.centroid, rpy: [0.0; 3] };
    let inertia = Inertia { at, mass: figures.volume * density, moments: [xx, xy, zx, yy, yz, zz] };
    positive(inertia, planned).map(|i| (Some(i), figures.volume, note))
}

fn positive(inertia: Inertia, planned: &PlannedLink) -> Result<Inertia, BuildError> {
    match inertia.mass > 0.0 && inertia.mass.is_finite() {
        true => Ok(inertia),
        false => refused(format!("Link “{}”: mass and density must be above zero.", planned.name)),
    }
}

/// The shapes to touch of a link in its frame.
fn touched(planned: &PlannedLink, own: &Mesh, origin: Point, watch: &Watch) -> Result<Vec<Made>, String> {
    if planned.collision != Collision::Declared {
        return shapes(own, planned.collision, watch);
    }
    let local = |shape: &Shape| {
        let mut shape = planned.mirrored.map_or_else(|| shape.clone(), |plane| plane.shape(shape));
        shape.at.xyz = sub(shape.at.xyz, scale(origin, METRES));
        shape
    };
    Ok(declared(&planned.touched.iter().map(local).collect::<Vec<_>>()))
}

fn add_link(
    out: &mut Built,
    planned: &PlannedLink,
    own: &Mesh,
    origin: Point,
    watch: &Watch,
) -> Result<(), BuildError> {
    let name = legal(&planned.name);
    let told = |e: String| BuildError::Refused(format!("Link “{}”: {e}.", planned.name));
    let (inertia, volume, note) = weighed(planned, own, origin, watch)?;
    let seen = if own.triangles.len() > planned.facets { reduced(own, planned.facets).mesh } else { own.clone() };
    let mesh_shape = |file: &str, colour| Shape {
        at: Pose::default(),
        geometry: Geometry::Mesh { file: file.into(), scale: [1.0; 3] },
        colour,
    };
    let file = format!("meshes/{name}.stl");
    let [r, g, b] = planned.colour.map(|c| f64::from(c) / 255.0);
    let visual = vec![mesh_shape(&file, Some([r, g, b, 1.0]))];
    out.files.push((file, seen.clone(), Some(planned.colour)));
    let made = touched(planned, own, origin, watch).map_err(told)?;
    let cost = cost(own, &made, watch)?;
    let mut collision = Vec::new();
    for (k, m) in made.into_iter().enumerate() {
        match m.kind {
            Kind::Simple(shape) => collision.push(shape),
            Kind::File => {
                let file = format!("meshes/{name}-touched-{}.stl", k + 1);
                collision.push(mesh_shape(&file, None));
                out.files.push((file, m.mesh, None));
            }
        }
    }
    out.links.push(LinkFigures {
        name: name.clone(),
        mass: inertia.map_or(0.0, |i| i.mass),
        volume,
        centre: inertia.map_or([0.0; 3], |i| i.at.xyz),
        principal: inertia.map_or([0.0; 3], |i| crate::checks::principal(&i.moments)),
        facets: seen.triangles.len(),
        collision: cost,
        declared: planned.inertia.is_some() || planned.massless,
        note,
    });
    out.seen.push(seen);
    out.robot.links.push(Link { name, inertia, visual, collision });
    Ok(())
}

fn joint(planned: &PlannedJoint, parent_origin: Point) -> Result<Joint, String> {
    let axis = unit(planned.axis);
    let axis = match planned.kind.has_axis() {
        true => axis.ok_or("its axis has no length: give a direction, or a datum that has one")?,
        // What moves about no axis has none to tell: the description's own when nothing is said.
        false => [1.0, 0.0, 0.0],
    };
    let turns = matches!(planned.kind, JointKind::Revolute | JointKind::Continuous);
    let real = |x: f64| if turns { x.to_radians() } else { x * METRES };
    let limits = match (planned.kind.has_limits(), planned.limits) {
        (true, None) => return Err("it needs limits: from and to".into()),
        (true, Some([a, b])) if b < a => return Err("its limits run backwards: from must not be above to".into()),
        (true, Some(l)) => Some(l.map(real)),
        (false, _) => None,
    };
    let moves = planned.kind != JointKind::Fixed;
    // Where the bodies stand the joint has this value: at nought it is back by as much.
    let zero = if planned.kind.has_limits() || turns { real(planned.zero) } else { 0.0 };
    let mut at = Pose { xyz: scale(sub(planned.at, parent_origin), METRES), rpy: [0.0; 3] };
    if turns && zero != 0.0 {
        let back = Rigid::turned_by(scale(axis, -planned.zero)).rotation;
        at.rpy = angles(&[0, 1, 2].map(|k| back.map(|row| row[k])));
    } else if zero != 0.0 {
        at.xyz = sub(at.xyz, scale(axis, zero));
    }
    Ok(Joint {
        name: legal(&name_of(planned)),
        kind: planned.kind,
        parent: legal(&planned.parent),
        child: legal(&planned.child),
        at,
        axis,
        limits,
        effort_speed: moves.then(|| [planned.effort, real(planned.speed)]),
        dynamics: (moves && (planned.damping != 0.0 || planned.friction != 0.0))
            .then_some([planned.damping, planned.friction]),
        mimic: None,
    })
}

/// A joint's name: what it is called, or after the links that it joins.
fn name_of(planned: &PlannedJoint) -> String {
    match planned.name.trim() {
        "" => format!("{}_to_{}", planned.parent, planned.child),
        given => given.to_string(),
    }
}

/// A name of letters, digits and `_`, not beginning with a digit.
pub fn legal(name: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '_' };
    let out: String = name.trim().chars().map(plain).collect();
    let out = out.trim_matches('_');
    match out.chars().next() {
        None => "link".into(),
        Some(c) if c.is_ascii_digit() => format!("_{out}"),
        Some(_) => out.into(),
    }
}
