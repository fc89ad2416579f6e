//! A project's robot: its links and joints on one page, a picture with its joints moved, and the package.

use crate::error::{PageError, PageResult};
use crate::form::{Fields, text};
use crate::pages::html;
use crate::show::{count, counted, fixed, short};
use actix_web::http::header::{CACHE_CONTROL, CONTENT_DISPOSITION, LOCATION};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use askama::Template;
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::JointKind;
use hull_robots::build::legal;
use hull_robots::cameras::PlannedCamera;
use hull_robots::contact::{Joints, Setting, Stood, set_down};
use hull_robots::motion::places;
use hull_robots::plan::{Collision, Mimic, Mirrored, Plan, PlannedFrame, PlannedJoint, PlannedLink};
use hull_store::Store;
use hull_store::ids::{ProjectId, RevisionId};
use hull_store::projects::Project;
use hull_workshop::body::{Boundary, Columns};
use hull_workshop::robot::{Checked, checked, packed};
use hull_workshop::scene::{self, Around};
use hull_workshop::{Body, StepError, handover, picture};

/// A body of the project, as a link may have it.
struct Part {
    name: String,
    /// Whether its unit is set.
    sized: bool,
    /// Its datums that have a direction, with place and direction.
    datums: Vec<(String, Point, Point)>,
}

#[derive(Template)]
#[template(path = "robot.html")]
struct RobotPage {
    project: Project,
    plan: Plan,
    parts: Vec<Part>,
    /// Bodies that the robot can stand among, with what they are.
    beside: Vec<(String, String)>,
    /// What was built, or why not.
    made: Result<Checked, String>,
    notice: Option<String>,
    tree: Vec<Row>,
}

/// A link in the drawing of the tree.
struct Row {
    name: String,
    depth: usize,
    /// The row of the link above.
    above: Option<usize>,
    joint: String,
}

impl RobotPage {
    /// Bodies that wait for their unit.
    fn unsized_parts(&self) -> String {
        self.parts.iter().filter(|p| !p.sized).map(|p| p.name.clone()).collect::<Vec<_>>().join(", ")
    }

    fn has(&self, link: &PlannedLink, part: &Part) -> bool {
        link.parts.contains(&part.name)
    }

    fn hex(&self, link: &PlannedLink) -> String {
        let [r, g, b] = link.colour;
        format!("#{r:02x}{g:02x}{b:02x}")
    }

    fn unit(&self, joint: &PlannedJoint) -> &'static str {
        if joint.kind == JointKind::Prismatic { "mm" } else { "°" }
    }

    fn limit(&self, joint: &PlannedJoint, k: usize) -> String {
        joint.limits.map_or(String::new(), |l| l[k].to_string())
    }

    /// The plane of a link that is mirrored, as the form keeps it.
    fn mirror(&self, link: &PlannedLink) -> Option<String> {
        link.mirrored.map(|m| format!("{}@{}", ["x", "y", "z"][m.axis.min(2)], m.at))
    }

    /// The same in words.
    fn mirror_said(&self, link: &PlannedLink) -> String {
        self.mirror(link).map_or(String::new(), |m| m.replace('@', " = "))
    }

    /// Names of joints that another can follow.
    fn leaders(&self, joint: &PlannedJoint) -> Vec<&str> {
        let named = self.plan.joints.iter().map(|j| j.name.as_str());
        named.filter(|n| !n.is_empty() && *n != joint.name).collect()
    }

    fn follows(&self, joint: &PlannedJoint, leader: &str) -> bool {
        joint.mimic.as_ref().is_some_and(|m| m.joint == leader)
    }

    /// Factor and offset of a joint that follows.
    fn following(&self, joint: &PlannedJoint) -> (f64, f64) {
        joint.mimic.as_ref().map_or((1.0, 0.0), |m| (m.factor, m.offset))
    }

    /// The range of a slider: from, to; nothing for one that follows another.
    fn range(&self, joint: &PlannedJoint) -> Option<[f64; 2]> {
        match joint.kind {
            _ if joint.mimic.is_some() => None,
            JointKind::Continuous => Some([-180.0, 180.0]),
            JointKind::Revolute | JointKind::Prismatic => joint.limits,
            _ => None,
        }
    }

    fn mass(&self, link: &PlannedLink) -> String {
        link.mass.map_or(String::new(), |m| m.to_string())
    }
}

const COLLISIONS: [(&str, &str, Collision); 8] = Collision::ALL;
const KINDS: [(&str, JointKind); 6] = JointKind::ALL;

/// The bodies of a project as they are, each under its name.
fn bodies(store: &Store, project: ProjectId) -> hull_store::Result<Vec<(Part, RevisionId)>> {
    let mut out = Vec::new();
    for (row, head) in store.heads(project)? {
        let Some(Ok(revision)) = head else { continue };
        // Points and lines have neither mass nor a side to touch.
        if revision.survey.size.triangles == 0 {
            continue;
        }
        let (head, facts) = (revision.id, revision.facts);
        let datum =
            |d: &hull_workshop::datums::Datum| Some((d.name.clone(), d.fit.shape.at(), d.fit.shape.direction()?));
        let datums = facts.datums.iter().filter_map(datum).collect();
        out.push((Part { name: row.name, sized: facts.scale.is_some(), datums }, head));
    }
    Ok(out)
}

/// Every body of a project with a unit, points and captures among them: its name, what it is, its state.
fn beside(store: &Store, project: ProjectId) -> hull_store::Result<Vec<(String, String, RevisionId)>> {
    let mut out = Vec::new();
    for (row, head) in store.heads(project)? {
        let Some(Ok(revision)) = head else { continue };
        let points = &revision.survey.points;
        let what = match (revision.survey.size.triangles, points.points) {
            (0, 0) => continue,
            (0, n) if points.splats.is_some() => counted(n, "splat"),
            (0, n) => counted(n, "point"),
            (n, _) => counted(n, "facet"),
        };
        if revision.facts.scale.is_some() {
            out.push((row.name, what, revision.id));
        }
    }
    Ok(out)
}

/// What the plan says the robot stands among.
fn around(store: &Store, project: ProjectId, plan: &Plan) -> Result<Vec<Around>, PageError> {
    let all = beside(store, project)?;
    let mut out = Vec::new();
    for name in &plan.around {
        let Some((_, _, head)) = all.iter().find(|b| b.0 == *name) else {
            return Err(PageError::refused(format!("There is no body “{name}” with a unit in this project any more.")));
        };
        out.push(Around::of(name, &store.load(&store.revision(*head)?)?));
    }
    Ok(out)
}

/// The bodies of each link as one mesh.
fn meshes(store: &Store, plan: &Plan, bodies: &[(Part, RevisionId)]) -> Result<Vec<Mesh>, PageError> {
    let mut out = Vec::new();
    for link in &plan.links {
        let mut all = Mesh::default();
        for name in &link.parts {
            let found = bodies.iter().find(|b| b.0.name == *name);
            let (part, head) = found.ok_or_else(|| {
                PageError::refused(format!("Link “{}”: there is no body “{name}” in this project any more.", link.name))
            })?;
            if !part.sized {
                return Err(PageError::refused(format!(
                    "“{name}” has no unit yet: set it first, a robot is in metres."
                )));
            }
            all.append(&store.load(&store.revision(*head)?)?.mesh);
        }
        out.push(all);
    }
    Ok(out)
}

fn built(store: &Store, plan: &Plan, bodies: &[(Part, RevisionId)]) -> Result<Checked, PageError> {
    let meshes = meshes(store, plan, bodies)?;
    checked(plan, &meshes, &Watch::default()).map_err(|e| match e {
        StepError::Refused(s) => PageError::refused(s),
        StepError::Cancelled(c) => PageError::refused(c.to_string()),
    })
}

fn page(store: &Store, project: ProjectId, notice: Option<String>) -> PageResult<RobotPage> {
    let project = store.project(project)?;
    let plan = store.robot(project.id)?;
    let found = bodies(store, project.id)?;
    let made = match plan.links.is_empty() {
        true => Err(String::new()),
        false => built(store, &plan, &found).map_err(|e| e.sentence),
    };
    let tree = tree(&plan);
    // What is a link does not stand beside itself.
    let is_link = |name: &str| plan.links.iter().any(|l| l.parts.iter().any(|p| p == name));
    let all = beside(store, project.id)?.into_iter().map(|b| (b.0, b.1));
    let beside = all.filter(|b| !is_link(&b.0) || plan.around.contains(&b.0)).collect();
    Ok(RobotPage { project, plan, parts: found.into_iter().map(|b| b.0).collect(), beside, made, notice, tree })
}

/// Links in the order of the tree, each below the one it hangs on.
fn tree(plan: &Plan) -> Vec<Row> {
    let mut rows: Vec<Row> = Vec::new();
    let above = |name: &str| plan.joints.iter().find(|j| j.child == name);
    let mut waiting: Vec<(&str, usize, Option<usize>, String)> = plan
        .links
        .iter()
        .rev()
        .filter(|l| above(&l.name).is_none())
        .map(|l| (l.name.as_str(), 0, None, String::new()))
        .collect();
    while let Some((name, depth, above, joint)) = waiting.pop() {
        if rows.len() >= plan.links.len() {
            break;
        }
        rows.push(Row { name: name.into(), depth, above, joint });
        let own = rows.len() - 1;
        for j in plan.joints.iter().rev().filter(|j| j.parent == name) {
            waiting.push((j.child.as_str(), depth + 1, Some(own), j.kind.word().into()));
        }
    }
    rows
}

/// The robot's page.
#[get("/projects/{project}/robot")]
pub async fn show(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    html(&web::block(move || page(&store, *id, None)).await??)
}

/// Keeps what the form says, and does what its button says besides.
#[post("/projects/{project}/robot")]
pub async fn keep(store: web::Data<Store>, id: web::Path<ProjectId>, fields: web::Form<Fields>) -> PageResult {
    let project = id.into_inner();
    let done = web::block(move || -> PageResult<Result<(), Box<RobotPage>>> {
        store.project(project)?;
        let known = bodies(&store, project)?;
        match changed(&fields, &known) {
            Ok(plan) => {
                store.keep_robot(project, &plan)?;
                Ok(Ok(()))
            }
            Err(sentence) => Ok(Err(Box::new(page(&store, project, Some(sentence))?))),
        }
    })
    .await??;
    match done {
        Ok(()) => Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}/robot"))).finish()),
        Err(page) => html(&*page),
    }
}

/// The plan that the form says.
fn changed(fields: &Fields, known: &[(Part, RevisionId)]) -> Result<Plan, String> {
    let typed = |key: String| text(fields, &key).to_string();
    let number = |key: String, what: &str, otherwise: f64| -> Result<f64, String> {
        let word = typed(key).replace(',', ".").replace('−', "-");
        if word.is_empty() {
            return Ok(otherwise);
        }
        let found = word.parse().ok().filter(|x: &f64| x.is_finite() && x.abs() < 1e12);
        found.ok_or_else(|| format!("{what} must be a number; “{word}” is not."))
    };
    let three = |key: String, what: &str| -> Result<Point, String> {
        let part = |axis: &str| number(format!("{key}{axis}"), what, 0.0);
        Ok([part("x")?, part("y")?, part("z")?])
    };
    let many = |key: &str| typed(key.into()).parse::<usize>().unwrap_or(0).min(500);
    let mut plan = Plan { name: typed("name".into()), ..Plan::default() };
    for i in 0..many("links") {
        let own = |key: &str| format!("l{i}_{key}");
        let name = typed(own("name"));
        if name.is_empty() || name.chars().count() > 60 {
            return Err("A link needs a name of 1 to 60 characters.".into());
        }
        let mass = typed(own("mass"));
        let mass = if mass.is_empty() { None } else { Some(number(own("mass"), "The mass", 0.0)?) };
        let colour = typed(own("colour"));
        let byte =
            |k: usize| colour.get(1 + 2 * k..3 + 2 * k).and_then(|h| u8::from_str_radix(h, 16).ok()).unwrap_or(0x90);
        let kind = typed(own("collision"));
        plan.links.push(PlannedLink {
            parts: fields.iter().filter(|f| f.0 == own("part")).map(|f| f.1.clone()).collect(),
            density: number(own("density"), "The density", 7850.0)?,
            mass,
            colour: [byte(0), byte(1), byte(2)],
            collision: COLLISIONS.iter().find(|c| c.0 == kind).map_or(Collision::Hull, |c| c.2),
            facets: number(own("facets"), "The budget of facets", 20_000.0)?.max(4.0) as usize,
            mirrored: mirror_of(&typed(own("mirror"))),
            ..PlannedLink::of(&name, "")
        });
    }
    for j in 0..many("joints") {
        let own = |key: &str| format!("j{j}_{key}");
        let kind = typed(own("kind"));
        let (from, to) = (typed(own("from")), typed(own("to")));
        let limits = match from.is_empty() && to.is_empty() {
            true => None,
            false => Some([number(own("from"), "The lower limit", 0.0)?, number(own("to"), "The upper limit", 0.0)?]),
        };
        let mut joint = PlannedJoint {
            name: typed(own("name")),
            kind: KINDS.iter().find(|k| k.0 == kind).map_or(JointKind::Fixed, |k| k.1),
            parent: typed(own("parent")),
            child: typed(own("child")),
            at: three(own("a"), "The joint's place")?,
            axis: three(own("d"), "The joint's axis")?,
            limits,
            effort: number(own("effort"), "The effort", 100.0)?,
            speed: number(own("speed"), "The speed", 90.0)?,
            damping: number(own("damping"), "The damping", 0.0)?,
            friction: number(own("friction"), "The friction", 0.0)?,
            zero: number(own("zero"), "The value where the bodies stand", 0.0)?,
            mimic: match typed(own("mimic")).as_str() {
                "" => None,
                leader => Some(Mimic {
                    joint: leader.into(),
                    factor: number(own("factor"), "The factor of a joint that follows", 1.0)?,
                    offset: number(own("offset"), "The offset of a joint that follows", 0.0)?,
                }),
            },
        };
        if let Some((at, direction)) = datum_of(known, &typed(own("datum"))) {
            (joint.at, joint.axis) = (at, direction);
        }
        plan.joints.push(joint);
    }
    for k in 0..many("cameras") {
        let own = |key: &str| format!("c{k}_{key}");
        let camera = PlannedCamera {
            name: typed(own("name")),
            link: typed(own("link")),
            at: three(own("a"), "The camera's place")?,
            towards: three(own("t"), "What the camera looks at")?,
            width: number(own("width"), "The camera's width", 640.0)?.clamp(0.0, 1e5) as usize,
            height: number(own("height"), "The camera's height", 480.0)?.clamp(0.0, 1e5) as usize,
            view: number(own("view"), "The angle of view", 60.0)?,
        };
        if camera.name.is_empty() || plan.cameras.iter().any(|c| legal(&c.name) == legal(&camera.name)) {
            return Err("Each camera needs a name of its own.".into());
        }
        camera.intrinsics()?;
        plan.cameras.push(camera);
    }
    for k in 0..many("frames") {
        let own = |key: &str| format!("f{k}_{key}");
        let name = typed(own("name"));
        if name.is_empty() || name.chars().count() > 60 {
            return Err("A frame needs a name of 1 to 60 characters.".into());
        }
        let (at, axis) = (three(own("a"), "The frame's place")?, three(own("d"), "The frame's axis")?);
        let mut frame = PlannedFrame { name, link: typed(own("link")), at, axis };
        if let Some((at, direction)) = datum_of(known, &typed(own("datum"))) {
            (frame.at, frame.axis) = (at, direction);
        }
        plan.frames.push(frame);
    }
    plan.around = fields.iter().filter(|f| f.0 == "around").map(|f| f.1.clone()).collect();
    act(&mut plan, text(fields, "do"), known);
    Ok(plan)
}

/// The place and direction of a datum by its body's and its own name.
fn datum_of(known: &[(Part, RevisionId)], name: &str) -> Option<(Point, Point)> {
    let all = known.iter().flat_map(|(p, _)| p.datums.iter().map(move |d| (format!("{}: {}", p.name, d.0), d)));
    all.into_iter().find(|(n, _)| n == name).map(|(_, d)| (d.1, d.2))
}

/// A plane as the form keeps it: “y@0”.
fn mirror_of(typed: &str) -> Option<Mirrored> {
    let (axis, at) = typed.split_once('@')?;
    Some(Mirrored { axis: ["x", "y", "z"].iter().position(|a| *a == axis)?, at: at.parse().ok()? })
}

/// What the button says besides keeping.
fn act(plan: &mut Plan, deed: &str, known: &[(Part, RevisionId)]) {
    let number = |prefix: &str| deed.strip_prefix(prefix).and_then(|n| n.parse::<usize>().ok());
    if deed == "bodies" {
        for (part, _) in known.iter().filter(|(p, _)| p.sized) {
            if !plan.links.iter().any(|l| l.parts.contains(&part.name)) {
                plan.links.push(PlannedLink::of(&part.name, &part.name));
            }
        }
    } else if deed == "link" {
        plan.links
            .push(PlannedLink { parts: Vec::new(), ..PlannedLink::of(&format!("link {}", plan.links.len() + 1), "") });
    } else if deed == "joint" {
        let free = plan.links.iter().skip(1).find(|l| plan.joints.iter().all(|j| j.child != l.name));
        let name = |l: Option<&PlannedLink>| l.map_or(String::new(), |l| l.name.clone());
        plan.joints.push(PlannedJoint {
            name: String::new(),
            kind: JointKind::Fixed,
            parent: name(plan.links.first()),
            child: name(free),
            at: [0.0; 3],
            axis: [0.0, 0.0, 1.0],
            limits: None,
            effort: 100.0,
            speed: 90.0,
            damping: 0.0,
            friction: 0.0,
            zero: 0.0,
            mimic: None,
        });
    } else if let Some(i) = number("mirror-link-") {
        // Left and right are on either side of y = 0, with x forward.
        plan.mirror(i, Mirrored { axis: 1, at: 0.0 });
    } else if deed == "frame" {
        let link = plan.links.last().map_or(String::new(), |l| l.name.clone());
        let at = plan.joints.last().map_or([0.0; 3], |j| j.at);
        plan.frames.push(PlannedFrame {
            name: format!("frame {}", plan.frames.len() + 1),
            link,
            at,
            axis: [0.0, 0.0, 1.0],
        });
    } else if let Some(i) = number("drop-frame-").filter(|i| *i < plan.frames.len()) {
        plan.frames.remove(i);
    } else if deed == "camera" {
        // It stands a metre off and looks at the first joint, or at the origin.
        let towards = plan.joints.first().map_or([0.0; 3], |j| j.at);
        plan.cameras.push(PlannedCamera {
            name: format!("camera {}", plan.cameras.len() + 1),
            link: plan.links.first().map_or(String::new(), |l| l.name.clone()),
            at: [towards[0] - 1000.0, towards[1] - 1000.0, towards[2] + 600.0],
            towards,
            width: 640,
            height: 480,
            view: 60.0,
        });
    } else if let Some(i) = number("drop-camera-").filter(|i| *i < plan.cameras.len()) {
        plan.cameras.remove(i);
    } else if let Some(i) = number("drop-link-").filter(|i| *i < plan.links.len()) {
        plan.links.remove(i);
    } else if let Some(i) = number("drop-joint-").filter(|i| *i < plan.joints.len()) {
        plan.joints.remove(i);
    }
}

/// The robot as a picture, its joints at the values that the query gives, in degrees or mm: `?j0=30`.
#[get("/projects/{project}/robot.png")]
pub async fn drawn(store: web::Data<Store>, id: web::Path<ProjectId>, request: HttpRequest) -> PageResult {
    let query = web::Query::<Vec<(String, f64)>>::from_query(request.query_string());
    let values = query.map_or(Vec::new(), web::Query::into_inner);
    let png = web::block(move || -> PageResult<Vec<u8>> {
        let plan = store.robot(*id)?;
        let light = without_shapes(&plan);
        let meshes = meshes(&store, &light, &bodies(&store, *id)?)?;
        let made = hull_robots::build::build(&light, &meshes, &Watch::default());
        let made = made.map_err(|e| PageError::refused(e.to_string()))?;
        let at = joint_values(&plan, |key| values.iter().find(|v| v.0 == key).map_or(0.0, |v| v.1));
        let mut body = Body::default();
        for (k, (mesh, place)) in made.seen.iter().zip(places(&made.robot, &at)).enumerate() {
            let mut own = mesh.clone();
            own.points.iter_mut().for_each(|p| *p = place.place(*p));
            body.columns.boundary.resize(body.columns.boundary.len() + own.triangles.len(), k as u32);
            body.facts.boundaries.push(Boundary::new(made.robot.links[k].name.clone(), None, "link"));
            body.mesh.append(&own);
        }
        body.columns = Columns { boundary: body.columns.boundary, ..Columns::default() };
        Ok(picture::picture(&body))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("image/png").insert_header((CACHE_CONTROL, "no-store")).body(png))
}

/// What a camera sees, as a picture for eyes, its joints at the values that the query gives: `?camera=0&kind=depth&j0=30`.
#[get("/projects/{project}/robot-camera.png")]
pub async fn seen(store: web::Data<Store>, id: web::Path<ProjectId>, request: HttpRequest) -> PageResult {
    let query = web::Query::<Vec<(String, String)>>::from_query(request.query_string());
    let values = query.map_or(Vec::new(), web::Query::into_inner);
    let png = web::block(move || -> PageResult<Vec<u8>> {
        let plan = store.robot(*id)?;
        let typed = |key: &str| values.iter().find(|v| v.0 == key).map_or("", |v| v.1.as_str());
        let light = without_shapes(&plan);
        let meshes = meshes(&store, &light, &bodies(&store, *id)?)?;
        let made = hull_robots::build::build(&light, &meshes, &Watch::default());
        let made = made.map_err(|e| PageError::refused(e.to_string()))?;
        let joints = joint_values(&plan, |key| typed(key).parse().unwrap_or(0.0));
        let things = scene::things(&made, &joints, &around(&store, *id, &plan)?);
        let number = typed("camera").parse().unwrap_or(0);
        let shot = scene::shot(&plan, &made, number, &joints, &things, &Watch::default());
        let (lens, _, shot) = shot.map_err(|e| PageError::refused(e.to_string()))?;
        Ok(scene::shown(&shot, &lens, typed("kind")))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("image/png").insert_header((CACHE_CONTROL, "no-store")).body(png))
}

/// A plan of which a picture is taken: it needs no shapes to touch.
fn without_shapes(plan: &Plan) -> Plan {
    let links = plan.links.iter().map(|l| PlannedLink { collision: Collision::None, ..l.clone() }).collect();
    Plan { links, ..plan.clone() }
}

/// The values of a plan's joints in rad or m, from those of the sliders in degrees or mm.
fn joint_values(plan: &Plan, slider: impl Fn(&str) -> f64) -> Vec<f64> {
    let value = |(k, j): (usize, &PlannedJoint)| {
        let typed = slider(&format!("j{k}"));
        if j.kind == JointKind::Prismatic { typed / 1000.0 } else { typed.to_radians() }
    };
    plan.joints.iter().enumerate().map(value).collect()
}

/// The package: description, stage, meshes, manifest.
#[get("/projects/{project}/robot.zip")]
pub async fn package(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let (name, zip) = web::block(move || -> PageResult<_> {
        let plan = store.robot(*id)?;
        let made = built(&store, &plan, &bodies(&store, *id)?)?;
        let told = |e: StepError| PageError::refused(e.to_string());
        let around = around(&store, *id, &plan)?;
        let (files, _) = packed(&plan, &made, &around, &Watch::default()).map_err(told)?;
        let zip = handover::pack(&files).map_err(|e| PageError::refused(e.to_string()))?;
        Ok((made.built.robot.name, zip))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("application/zip")
        .insert_header((CONTENT_DISPOSITION, format!("attachment; filename=\"{name}.zip\"")))
        .body(zip))
}

/// The motion of the robot when its joints are let go at zero for five seconds, as CSV.
#[get("/projects/{project}/robot-let-go.csv")]
pub async fn motion(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let text = web::block(move || -> PageResult<String> {
        let plan = store.robot(*id)?;
        let meshes = meshes(&store, &plan, &bodies(&store, *id)?)?;
        let made = hull_robots::build::build(&plan, &meshes, &Watch::default());
        let made = made.map_err(|e| PageError::refused(e.to_string()))?;
        Ok(hull_robots::dynamics::let_go(&made.robot, 5.0).map_err(PageError::refused)?.csv())
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"let-go.csv\""))
        .body(text))
}

/// A robot set down on a floor for some seconds: `joints` held, released or driven.
fn stood(store: &Store, id: ProjectId, joints: Joints) -> PageResult<Stood> {
    let plan = store.robot(id)?;
    let meshes = meshes(store, &plan, &bodies(store, id)?)?;
    let made = hull_robots::build::build(&without_shapes(&plan), &meshes, &Watch::default());
    let made = made.map_err(|e| PageError::refused(e.to_string()))?;
    let how = Setting { joints, ..Setting::default() };
    set_down(&made.robot, &made.seen, &how).map_err(PageError::refused)
}

/// What joints do, as the address says.
#[derive(serde::Deserialize)]
struct Standing {
    #[serde(default)]
    joints: String,
}

impl Standing {
    fn joints(&self) -> Joints {
        match self.joints.as_str() {
            "released" => Joints::Released,
            "driven" => Joints::Driven(0.5, 0.5),
            _ => Joints::Held,
        }
    }
}

#[derive(Template)]
#[template(path = "stood.html")]
struct StoodPart {
    project: ProjectId,
    joints: String,
    stood: Stood,
    end: hull_robots::contact::Moment,
    leans: f64,
    plot: String,
}

/// How a robot stands on a floor, as a part of its page.
#[get("/projects/{project}/robot-stands")]
pub async fn stands(store: web::Data<Store>, id: web::Path<ProjectId>, how: web::Query<Standing>) -> PageResult {
    let project = id.into_inner();
    let joints = how.joints();
    let found = web::block(move || stood(&store, project, joints)).await??;
    let leans = found.moments.iter().map(|m| m.lean).fold(0.0, f64::max);
    let Some(end) = found.moments.last().cloned() else { return Err(PageError::refused("The trial had no moment.")) };
    let carried: Vec<[f64; 2]> = found.moments.iter().map(|m| [m.time, m.carried]).collect();
    let plot = hull_workshop::svg::curve(&carried, "s", "the floor carries, N");
    html(&StoodPart { project, joints: how.joints.clone(), stood: found, end, leans, plot })
}

/// The same as CSV.
#[get("/projects/{project}/robot-stands.csv")]
pub async fn stands_csv(store: web::Data<Store>, id: web::Path<ProjectId>, how: web::Query<Standing>) -> PageResult {
    let (project, joints) = (id.into_inner(), how.joints());
    let text = web::block(move || stood(&store, project, joints)).await??.csv();
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"stands.csv\""))
        .body(text))
}
