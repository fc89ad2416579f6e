//! The pages around the workspace: projects, manifest, destination, handover; and plain data.

use crate::by_name::{Group, groups};
use crate::error::{PageError, PageResult};
use crate::show::{count, counted, short, two};
use actix_web::http::StatusCode;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_DISPOSITION, LOCATION};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use askama::Template;
use hull_formats::FORMATS;
use hull_formats::format::{dotted, listed};
use hull_geometry::regions::Regions;
use hull_geometry::vector::norm;
use hull_store::Store;
use hull_store::bodies::Revision;
use hull_store::destinations::Listed;
use hull_store::handovers::HandoverRecord;
use hull_store::jobs::Job;
use hull_store::projects::Project;
use hull_store::work::{Kind, Outcome, Work};
use hull_workshop::handover::file_stem;
use hull_workshop::selection::Selection;
use hull_workshop::{Destination, Sheet};
use serde::Deserialize;
use std::sync::Arc;

/// As many as the view has fills for.
const REGION_TINTS: u8 = 12;

fn html(page: &impl Template) -> PageResult {
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Everything else.
pub async fn missing() -> PageResult {
    Err(PageError { status: StatusCode::NOT_FOUND, sentence: "There is no such page.".into() })
}

struct ProjectCard {
    project: Project,
    bodies: usize,
    picture: Option<i32>,
}

#[derive(Template)]
#[template(path = "projects.html")]
struct ProjectsPage {
    cards: Vec<ProjectCard>,
}

#[get("/")]
pub async fn projects_page(store: web::Data<Store>) -> PageResult {
    let cards = web::block(move || -> hull_store::Result<_> {
        store
            .projects()?
            .into_iter()
            .map(|project| {
                let bodies = store.bodies(project.id)?;
                Ok(ProjectCard { project, bodies: bodies.len(), picture: bodies.iter().find_map(|b| b.head) })
            })
            .collect::<hull_store::Result<Vec<_>>>()
    })
    .await??;
    html(&ProjectsPage { cards })
}

#[derive(Deserialize)]
pub struct NewProject {
    name: String,
}

#[post("/projects")]
pub async fn create_project(store: web::Data<Store>, form: web::Form<NewProject>) -> PageResult {
    let project = web::block(move || store.create_project(&form.name)).await??;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{}", project.id))).finish())
}

/// A body's line on the manifest page.
struct Line {
    id: i32,
    name: String,
    revision: Revision,
    sheet: Sheet,
    destination: Arc<Destination>,
    /// Whether its survey is still under way.
    surveyed_now: bool,
    /// A step that is at work on it.
    work: Option<Job>,
    /// The last step, if it failed.
    failed: Option<Job>,
}

impl Line {
    fn groups(&self) -> Vec<Group> {
        groups(&self.revision.facts)
    }

    fn places(&self) -> usize {
        self.revision.facts.exact.as_ref().map_or(0, |e| e.figures.bodies.len())
    }

    fn unit(&self) -> &'static str {
        if self.revision.facts.scale.is_some() { "mm" } else { "file units" }
    }
}

#[derive(Template)]
#[template(path = "project.html")]
struct ProjectPage {
    project: Project,
    lines: Vec<Line>,
    /// Bodies of which what is stored cannot be read: number, name, why.
    unreadable: Vec<(i32, String, String)>,
    jobs: Vec<Job>,
    destinations: Vec<Listed>,
}

impl ProjectPage {
    /// What can be dropped, in words.
    fn formats(&self) -> String {
        listed(&FORMATS.iter().map(|f| f.title.to_string()).collect::<Vec<_>>(), "or")
    }

    /// The same for the browser's choice of files.
    fn endings(&self) -> String {
        dotted(|_| true).join(",")
    }

    fn is_busy(&self) -> bool {
        self.jobs.iter().any(|j| !j.is_over())
    }
}

fn job_name(job: &Job) -> &str {
    if let Work::Receive(arrival) = &job.work { arrival.name() } else { "file" }
}

/// The summary of a file that was read.
fn arrival(job: &Job) -> Option<String> {
    let Some(Outcome::Received(r)) = job.outcome() else { return None };
    let skipped: Vec<String> = r.skipped.iter().map(|s| format!("{} × {}", s.count, s.what)).collect();
    let curves = match r.curves.unwrap_or(0) {
        0 => String::new(),
        many => format!(", {} in space", counted(many, "line")),
    };
    let skipped = if skipped.is_empty() { "nothing skipped".into() } else { format!("skipped {}", skipped.join(", ")) };
    Some(format!(
        "{}: {} faces ({} facets){curves}, {} points, {} shells, {} named regions, {} {}, {skipped}",
        r.format,
        count(r.faces),
        count(r.facets),
        count(r.points),
        count(r.shells),
        count(r.named),
        r.size.map(short).join(" × "),
        r.unit,
    ))
}

#[get("/projects/{project}")]
pub async fn manifest(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let page = web::block(move || -> PageResult<ProjectPage> {
        let project = store.project(*id)?;
        // Before the bodies: a job that ends in between is still shown, and the page asks again.
        let jobs = store.jobs_of_project(project.id, Kind::Receive)?;
        let (mut lines, mut unreadable) = (Vec::new(), Vec::new());
        for (body, head) in store.heads(project.id)? {
            let revision = match head {
                Some(Ok(revision)) => revision,
                Some(Err(why)) => {
                    unreadable.push((body.id, body.name, why.to_string()));
                    continue;
                }
                None => continue,
            };
            let work = store.open_job_of_body(body.id)?;
            let surveyed_now = store.open_survey(body.id, revision.id)?.is_some();
            let failed = store.failed_job_of_body(body.id)?;
            let destination = store.destination(&body.destination, body.destination_version)?;
            let sheet = Sheet::of(&revision.facts, &revision.survey, &destination);
            lines.push(Line { id: body.id, name: body.name, revision, sheet, destination, surveyed_now, work, failed });
        }
        Ok(ProjectPage { project, lines, unreadable, jobs, destinations: store.destinations()? })
    })
    .await??;
    html(&page)
}

/// Deletes a body, and goes back to the manifest.
#[post("/bodies/{body}/delete")]
pub async fn delete_body(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let project = web::block(move || -> hull_store::Result<i32> {
        let project = store.body(*id)?.project_id;
        store.delete_body(*id)?;
        Ok(project)
    })
    .await??;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}"))).finish())
}

#[get("/pictures/{revision}.png")]
pub async fn picture(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let png = web::block(move || store.picture(*id)).await??;
    Ok(immutable().content_type("image/png").body(png))
}

/// States never change, so what is made from one may be kept for ever.
fn immutable() -> actix_web::HttpResponseBuilder {
    let mut response = HttpResponse::Ok();
    response.insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"));
    response
}

#[get("/geometry/{revision}/{which}")]
pub async fn geometry_bytes(store: web::Data<Store>, path: web::Path<(i32, String)>) -> PageResult {
    let (id, which) = path.into_inner();
    let bytes = web::block(move || -> hull_store::Result<_> {
        let blobs = store.revision(id)?.blobs;
        store.blob(if which == "moving" { &blobs.moving } else { &blobs.view })
    })
    .await??;
    Ok(immutable().content_type("application/octet-stream").body(bytes))
}

/// Puts a failure aside, and goes back to the page that told it.
#[post("/jobs/{job}/aside")]
pub async fn put_aside(store: web::Data<Store>, request: HttpRequest, id: web::Path<i32>) -> PageResult {
    let project = web::block(move || -> hull_store::Result<i32> {
        store.put_aside(*id)?;
        Ok(store.job(*id)?.project_id)
    })
    .await??;
    if request.headers().contains_key("HX-Request") {
        // What told it is taken away by the page.
        return Ok(HttpResponse::Ok().finish());
    }
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}"))).finish())
}

#[post("/jobs/{job}/cancel")]
pub async fn cancel(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    web::block(move || store.cancel_job(*id)).await??;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Template)]
#[template(path = "handover.html")]
struct HandoverPage {
    record: HandoverRecord,
    project: Project,
}

#[get("/handovers/{id}")]
pub async fn handover_page(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let (record, project) = web::block(move || -> hull_store::Result<_> {
        let record = store.handover(*id)?;
        let project = store.project(store.body(record.body_id)?.project_id)?;
        Ok((record, project))
    })
    .await??;
    html(&HandoverPage { record, project })
}

pub(crate) fn attachment(name: &str) -> (actix_web::http::header::HeaderName, String) {
    (CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))
}

#[get("/handovers/{id}/zip")]
pub async fn handover_zip(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let (name, bytes) = web::block(move || -> hull_store::Result<_> {
        let record = store.handover(*id)?;
        Ok((record.name, store.blob(&record.zip)?))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("application/zip").insert_header(attachment(&name)).body(bytes))
}

/// The facets that a selection means on a state: u32 little-endian numbers, with their area in a header.
#[post("/revisions/{revision}/selection")]
pub async fn selected(store: web::Data<Store>, id: web::Path<i32>, selection: web::Json<Selection>) -> PageResult {
    let (facets, area) = web::block(move || -> hull_store::Result<_> {
        let body = store.load(&store.revision(*id)?)?;
        let facets = selection.facets(&body);
        let area: f64 = facets.iter().map(|&f| norm(body.mesh.area_vector(f)) / 2.0).sum();
        Ok((facets.iter().flat_map(|f| f.to_le_bytes()).collect::<Vec<u8>>(), area))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header(("X-Area", area.to_string()))
        .body(facets))
}

#[derive(Deserialize)]
pub struct UpTo {
    /// Degrees between neighbouring facets.
    angle: f64,
}

/// The regions of a state up to an angle: one byte a facet, a tint that tells touching regions apart, with
/// the number of regions in a header.
#[get("/revisions/{revision}/regions")]
pub async fn regions(store: web::Data<Store>, id: web::Path<i32>, up_to: web::Query<UpTo>) -> PageResult {
    let (tints, regions) = web::block(move || -> hull_store::Result<_> {
        let body = store.load(&store.revision(*id)?)?;
        Ok(Regions::new(&body.mesh).tints(up_to.angle, REGION_TINTS))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header(("X-Regions", regions.to_string()))
        .body(tints))
}

/// The logbook of a body up to where it is now, as a routine.
#[get("/bodies/{body}/routine.toml")]
pub async fn routine_toml(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let (name, text) = web::block(move || -> PageResult<_> {
        let routine = store.routine(*id)?;
        Ok((format!("{}.toml", file_stem(&routine.name)), routine.to_toml().map_err(PageError::refused)?))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("application/toml").insert_header(attachment(&name)).body(text))
}
