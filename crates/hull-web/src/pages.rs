//! The pages around the workspace: projects, manifest, destination, handover; and plain data.

use crate::error::{PageError, PageResult};
use crate::show::{count, four_digits, two};
use actix_web::http::StatusCode;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_DISPOSITION, LOCATION};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use askama::Template;
use hull_geometry::regions::Regions;
use hull_geometry::vector::norm;
use hull_store::Store;
use hull_store::deleting::Deleted;
use hull_store::handovers::HandoverRecord;
use hull_store::ids::{BodyId, HandoverId, JobId, ProjectId, RevisionId};
use hull_store::projects::Project;
use hull_workshop::handover::changes::{Change, changes};
use hull_workshop::handover::file_stem;
use hull_workshop::selection::Selection;
use serde::Deserialize;

/// As many as the view has fills for.
const REGION_TINTS: u8 = 12;

pub(crate) fn html(page: &impl Template) -> PageResult {
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Everything else.
pub async fn missing() -> PageResult {
    Err(PageError { status: StatusCode::NOT_FOUND, sentence: "There is no such page.".into() })
}

struct ProjectCard {
    project: Project,
    bodies: usize,
    picture: Option<RevisionId>,
}

#[derive(Template)]
#[template(path = "projects.html")]
struct ProjectsPage {
    cards: Vec<ProjectCard>,
    /// What can be had back.
    deleted: Vec<Deleted>,
}

#[get("/")]
pub async fn projects_page(store: web::Data<Store>) -> PageResult {
    let (cards, deleted) = web::block(move || -> hull_store::Result<_> {
        let fronts = store.fronts()?;
        let card = |project: Project| {
            let (bodies, front) = fronts.get(&project.id).copied().unwrap_or_default();
            ProjectCard { project, bodies, picture: front }
        };
        Ok((store.projects()?.into_iter().map(card).collect(), store.deleted_projects()?))
    })
    .await??;
    html(&ProjectsPage { cards, deleted })
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

#[get("/pictures/{revision}.png")]
pub async fn picture(store: web::Data<Store>, id: web::Path<RevisionId>) -> PageResult {
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
pub async fn geometry_bytes(store: web::Data<Store>, path: web::Path<(RevisionId, String)>) -> PageResult {
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
pub async fn put_aside(store: web::Data<Store>, request: HttpRequest, id: web::Path<JobId>) -> PageResult {
    let project = web::block(move || -> hull_store::Result<ProjectId> {
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
pub async fn cancel(store: web::Data<Store>, id: web::Path<JobId>) -> PageResult {
    web::block(move || store.cancel_job(*id)).await??;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Template)]
#[template(path = "handover.html")]
struct HandoverPage {
    record: HandoverRecord,
    project: Project,
    /// Other handovers of the body, newest first.
    others: Vec<HandoverRecord>,
    /// The one that this is held against, and what differs.
    with: Option<(HandoverId, Vec<Change>)>,
}

impl HandoverPage {
    fn is_with(&self, id: &HandoverId) -> bool {
        self.with.as_ref().is_some_and(|w| w.0 == *id)
    }
}

/// What changed before what stayed.
fn first_changed(rows: &[Change]) -> Vec<&Change> {
    let mut rows: Vec<&Change> = rows.iter().collect();
    rows.sort_by_key(|c| c.same);
    rows
}

#[get("/handovers/{id}")]
pub async fn handover_page(
    store: web::Data<Store>,
    id: web::Path<HandoverId>,
    against: web::Query<Against>,
) -> PageResult {
    let page = web::block(move || -> hull_store::Result<_> {
        let record = store.handover(*id)?;
        let project = store.project(store.body(record.body_id)?.project_id)?;
        let others: Vec<_> = store.handovers(record.body_id)?.into_iter().filter(|h| h.id != record.id).collect();
        // The one before, where none is asked for.
        let with = match against.with {
            Some(with) => others.iter().find(|h| h.id == with),
            None => others.iter().find(|h| h.id.0 < record.id.0),
        };
        let with = with.map(|h| (h.id, changes(&h.manifest, &record.manifest)));
        Ok(HandoverPage { record, project, others, with })
    })
    .await??;
    html(&page)
}

/// Which other handover the page compares with.
#[derive(Deserialize)]
pub struct Against {
    with: Option<HandoverId>,
}

pub(crate) fn attachment(name: &str) -> (actix_web::http::header::HeaderName, String) {
    (CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))
}

#[get("/handovers/{id}/zip")]
pub async fn handover_zip(store: web::Data<Store>, id: web::Path<HandoverId>) -> PageResult {
    let (name, bytes) = web::block(move || -> hull_store::Result<_> {
        let record = store.handover(*id)?;
        Ok((record.name, store.blob(&record.zip)?))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("application/zip").insert_header(attachment(&name)).body(bytes))
}

/// The facets that a selection means on a state: u32 little-endian numbers, with their area in a header.
#[post("/revisions/{revision}/selection")]
pub async fn selected(
    store: web::Data<Store>,
    id: web::Path<RevisionId>,
    selection: web::Json<Selection>,
) -> PageResult {
    let (facets, area) = web::block(move || -> hull_store::Result<_> {
        let body = store.load(&store.revision(*id)?)?;
        let facets = selection.facets(&body);
        let area: f64 = facets.iter().map(|&f| norm(body.mesh.area_vector(f)) / 2.0).sum();
        Ok((facets.iter().flat_map(|f| f.0.to_le_bytes()).collect::<Vec<u8>>(), area))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header(("X-Area", area.to_string()))
        .body(facets))
}

/// Where somebody clicked, with the angle of regions.
#[derive(Deserialize)]
pub struct Clicked {
    x: f64,
    y: f64,
    z: f64,
    angle: f64,
}

/// Rules that would catch a click: each with what it says and the pick it means.
#[get("/revisions/{revision}/rules")]
pub async fn rules_at(store: web::Data<Store>, id: web::Path<RevisionId>, at: web::Query<Clicked>) -> PageResult {
    let found = web::block(move || -> hull_store::Result<_> {
        let revision = store.revision(*id)?;
        let body = store.load(&revision)?;
        Ok(hull_workshop::alike::proposals(&body, [at.x, at.y, at.z], at.angle))
    })
    .await??;
    Ok(HttpResponse::Ok().json(found))
}

#[derive(Deserialize)]
pub struct UpTo {
    /// Degrees between neighbouring facets.
    angle: f64,
}

/// The regions of a state up to an angle: one byte a facet, a tint that tells touching regions apart, with
/// the number of regions in a header.
#[get("/revisions/{revision}/regions")]
pub async fn regions(store: web::Data<Store>, id: web::Path<RevisionId>, up_to: web::Query<UpTo>) -> PageResult {
    let (tints, regions) = web::block(move || -> hull_store::Result<_> {
        let body = store.load(&store.revision(*id)?)?;
        Ok(Regions::new(&body.mesh).tints(up_to.angle, REGION_TINTS))
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header(("X-Regions", regions.to_string()))
        .body(tints.raw))
}

/// The logbook of a body up to where it is now, as a routine.
#[get("/bodies/{body}/routine.toml")]
pub async fn routine_toml(store: web::Data<Store>, id: web::Path<BodyId>) -> PageResult {
    let (name, text) = web::block(move || -> PageResult<_> {
        let routine = store.routine(*id)?;
        Ok((format!("{}.toml", file_stem(&routine.name)), routine.to_toml().map_err(PageError::refused)?))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("application/toml").insert_header(attachment(&name)).body(text))
}
