//! A project's robot: its links and joints on one page, pictures with its joints moved, trials, and the package; and
//! descriptions that come in.

mod form;
mod kept;
mod pictures;
mod reading;
mod trials;

pub use pictures::{drawn, seen};
pub use reading::take_in;
pub use trials::{motion, stands, stands_csv};

use form::changed;
use kept::{Made, built, cancel, soon};

use crate::error::{PageError, PageResult};
use crate::form::Fields;
use crate::pages::html;
use crate::show::{count, counted, fixed, four_digits};
use actix_web::http::header::{CONTENT_DISPOSITION, LOCATION};
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::JointKind;
use hull_robots::motion::Clearance;
use hull_robots::plan::{Collision, Plan, PlannedJoint, PlannedLink};
use hull_store::Store;
use hull_store::ids::{ProjectId, RevisionId};
use hull_store::projects::Project;
use hull_workshop::body::Placed;
use hull_workshop::robot::{Checked, packed};
use hull_workshop::scene::Around;
use hull_workshop::{StepError, handover};

/// A body of the project, as a link may have it.
struct BodyChoice {
    name: String,
    /// Whether its unit is set.
    sized: bool,
    /// How it was moved since.
    placed: Option<Placed>,
    /// Its datums that have a direction, with place and direction.
    datums: Vec<(String, Point, Point)>,
}

#[derive(Template)]
#[template(path = "robot.html")]
struct RobotPage {
    project: Project,
    plan: Plan,
    parts: Vec<BodyChoice>,
    /// Bodies that the robot can stand among, with what they are.
    beside: Vec<(String, String)>,
    /// What was built, or why not.
    made: Made,
    notice: Option<String>,
    tree: Vec<Row>,
}

/// How far a robot is that is being built.
#[derive(Template)]
#[template(path = "robot_building.html")]
struct BuildingPart<'a> {
    project: ProjectId,
    made: &'a Made,
}

/// With more bodies than this, those that are not of a link are folded away.
const FEW_PARTS: usize = 8;

/// So many pairs of links are listed with their clearance.
const MOST_CLEARANCES: usize = 40;

/// How far the sliders of planar and floating joints reach, in mm.
const FREE_REACH: f64 = 1000.0;

/// What moves a joint in the picture.
struct Slider {
    /// As the picture's address has it.
    key: String,
    name: String,
    from: f64,
    to: f64,
    unit: &'static str,
}

/// A link in the drawing of the tree.
struct Row {
    /// Its number among the links.
    link: usize,
    name: String,
    depth: usize,
    /// The row of the link above.
    above: Option<usize>,
    joint: String,
}

impl RobotPage {
    /// What was built, if it is.
    fn built(&self) -> Option<&Checked> {
        match &self.made {
            Made::Built(checked) => Some(checked),
            Made::Not(_) | Made::Working(..) => None,
        }
    }

    /// The pairs of links that come nearest.
    fn nearest<'a>(&self, c: &'a Checked) -> Vec<&'a Clearance> {
        let mut all = c.nearest();
        all.truncate(MOST_CLEARANCES);
        all
    }

    /// How far it is while it is at work.
    fn building(&self) -> String {
        let part = BuildingPart { project: self.project.id, made: &self.made };
        part.render().unwrap_or_default()
    }

    /// Bodies that wait for their unit.
    fn unsized_parts(&self) -> String {
        self.parts.iter().filter(|p| !p.sized).map(|p| p.name.clone()).collect::<Vec<_>>().join(", ")
    }

    fn has(&self, link: &PlannedLink, part: &BodyChoice) -> bool {
        link.parts.contains(&part.name)
    }

    /// Whether a body stands in sight beside a link: one of its own, or any with a unit where there are few.
    fn is_near(&self, link: &PlannedLink, part: &BodyChoice) -> bool {
        self.has(link, part) || (part.sized && self.parts.len() <= FEW_PARTS)
    }

    fn hex(&self, link: &PlannedLink) -> String {
        let [r, g, b] = link.colour;
        format!("#{r:02x}{g:02x}{b:02x}")
    }

    fn unit(&self, joint: &PlannedJoint) -> &'static str {
        if joint.kind == JointKind::Prismatic { "mm" } else { "°" }
    }

    /// What stands behind a value of a joint, by its name in the robot that was built.
    fn moved_in(&self, c: &Checked, name: &str) -> &'static str {
        let slides = c.built.robot.joints.iter().any(|j| j.name == name && j.kind == JointKind::Prismatic);
        if slides { " mm" } else { "°" }
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

    /// The sliders of every joint that moves by itself.
    fn sliders(&self) -> Vec<Slider> {
        let of = |(k, joint): (usize, &PlannedJoint)| {
            let name = if joint.name.is_empty() { &joint.child } else { &joint.name };
            let one = |[from, to]: [f64; 2]| Slider {
                key: format!("j{k}"),
                name: name.clone(),
                from,
                to,
                unit: self.unit(joint),
            };
            let several = |(part, turns): (&'static str, bool)| {
                let to = if turns { 180.0 } else { FREE_REACH };
                let (key, name) = (format!("j{k}.{part}"), format!("{name} {part}"));
                Slider { key, name, from: -to, to, unit: if turns { "°" } else { "mm" } }
            };
            match joint.kind {
                _ if joint.mimic.is_some() => Vec::new(),
                JointKind::Continuous => vec![one([-180.0, 180.0])],
                JointKind::Revolute | JointKind::Prismatic => joint.limits.map(one).into_iter().collect(),
                kind => pictures::sliders(kind).into_iter().map(several).collect(),
            }
        };
        self.plan.joints.iter().enumerate().flat_map(of).collect()
    }

    /// The kinds of shapes that a link can be touched as: those of its file only where it has some.
    fn collisions(&self, link: &PlannedLink) -> Vec<(&'static str, &'static str, Collision)> {
        COLLISIONS.into_iter().filter(|c| c.2 != Collision::Declared || !link.touched.is_empty()).collect()
    }

    fn mass(&self, link: &PlannedLink) -> String {
        link.mass.map_or(String::new(), |m| m.to_string())
    }
}

const COLLISIONS: [(&str, &str, Collision); 9] = Collision::ALL;
const KINDS: [(&str, JointKind); 6] = JointKind::ALL;

/// The bodies of a project as they are, each under its name.
fn bodies(store: &Store, project: ProjectId) -> hull_store::Result<Vec<(BodyChoice, RevisionId)>> {
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
        out.push((BodyChoice { name: row.name, sized: facts.scale.is_some(), placed: facts.placed, datums }, head));
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
fn meshes(store: &Store, plan: &Plan, bodies: &[(BodyChoice, RevisionId)]) -> Result<Vec<Mesh>, PageError> {
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

fn page(store: &Store, project: ProjectId, notice: Option<String>) -> PageResult<RobotPage> {
    let project = store.project(project)?;
    let plan = store.robot(project.id)?;
    let found = bodies(store, project.id)?;
    let made = match plan.links.is_empty() {
        true => Made::Not(String::new()),
        false => soon(store, project.id),
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
        let link = plan.links.iter().position(|l| l.name == name).unwrap_or(0);
        rows.push(Row { link, name: name.into(), depth, above, joint });
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
        match changed(&fields, &store.robot(project)?, &known) {
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

/// How far the robot is, as a part of its page.
#[get("/projects/{project}/robot-built")]
pub async fn building(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let project = id.into_inner();
    let made = web::block(move || store.project(project).map(|_| soon(&store, project))).await??;
    html(&BuildingPart { project, made: &made })
}

/// Stops building the robot, and says so.
#[post("/projects/{project}/robot-cancel")]
pub async fn stop(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let project = id.into_inner();
    cancel(project);
    let made = web::block(move || store.project(project).map(|_| soon(&store, project))).await??;
    html(&BuildingPart { project, made: &made })
}

/// The package: description, stage, meshes, manifest.
#[get("/projects/{project}/robot.zip")]
pub async fn package(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let (name, zip) = web::block(move || -> PageResult<_> {
        let (plan, made) = built(&store, *id)?;
        let told = |e: StepError| PageError::refused(e.to_string());
        let around = around(&store, *id, &plan)?;
        let (files, _) = packed(&plan, &made, &around, &Watch::default()).map_err(told)?;
        let zip = handover::pack(&files).map_err(|e| PageError::refused(e.to_string()))?;
        Ok((made.built.robot.name.clone(), zip))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("application/zip")
        .insert_header((CONTENT_DISPOSITION, format!("attachment; filename=\"{name}.zip\"")))
        .body(zip))
}
