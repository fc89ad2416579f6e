//! Design files of a state: written as a job, read back, compared, and kept to be fetched.

use crate::error::{PageError, PageResult};
use crate::pages::attachment;
use crate::workspace::{Place, answer, settled};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use anyhow::Result;
use hull_geometry::{Cancelled, Unit, Watch};
use hull_store::Store;
use hull_store::blobs::Blob;
use hull_store::jobs::{Job, JobEnd};
use hull_workshop::export::{DesignForm, export};
use hull_workshop::handover::{Comparison, HandoverError, file_stem};
use serde::{Deserialize, Serialize};
use serde_json::json;

/// The kind of these jobs.
pub const WRITE: &str = "write";

/// What is to be written.
#[derive(Clone, Deserialize, Serialize)]
pub struct Order {
    /// The state.
    on: i32,
    /// The form's key.
    #[serde(rename = "as")]
    form: String,
    unit: Unit,
}

/// A file that stands ready.
#[derive(Deserialize, Serialize)]
pub struct Written {
    on: i32,
    pub name: String,
    /// “STEP AP214 in millimetre, exact geometry”.
    pub what: String,
    pub comparison: Vec<Comparison>,
    /// What the form does not carry: how many, and what.
    pub left_out: Vec<(usize, String)>,
    blob: Blob,
}

/// The last file of a body, if it is of the state given, with the job that wrote it.
pub fn last_of(store: &Store, body: i32, state: i32) -> hull_store::Result<Option<(i32, Written)>> {
    let Some(job) = store.last_done(body, WRITE)? else { return Ok(None) };
    let written: Written = serde_json::from_value(job.result.unwrap_or_default())?;
    Ok((written.on == state).then_some((job.id, written)))
}

/// Asks for a design file of a state.
#[post("/bodies/{body}/designs")]
pub async fn write(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    order: web::Form<Order>,
) -> PageResult {
    let (id, order) = (id.into_inner(), order.into_inner());
    form_of(&order)?;
    let queue = store.clone();
    let job = web::block(move || -> hull_store::Result<_> {
        let body = queue.body(id)?;
        if queue.revision(order.on)?.body_id != id {
            return Err(hull_store::StoreError::Refused("That state is another body's.".into()));
        }
        queue.enqueue(WRITE, json!(order), body.project_id, Some(id))
    })
    .await??;
    let failed = settled(&store, job).await?.and_then(|j| j.error);
    answer(store, &request, id, place.into_inner(), failed).await
}

fn form_of(order: &Order) -> PageResult<DesignForm> {
    DesignForm::named(&order.form).ok_or_else(|| {
        PageError::refused(format!("“{}” is not a form of design geometry; choose one of those offered.", order.form))
    })
}

/// The file that a job wrote.
#[get("/jobs/{job}/file")]
pub async fn file(store: web::Data<Store>, id: web::Path<i32>) -> PageResult {
    let id = id.into_inner();
    let (name, bytes) = web::block(move || -> hull_store::Result<_> {
        let job = store.job(id)?;
        let missing = || hull_store::StoreError::Missing(format!("A file of job {id}"));
        let result = job.result.filter(|_| job.kind == WRITE).ok_or_else(missing)?;
        let written: Written = serde_json::from_value(result)?;
        Ok((written.name, store.blob(&written.blob)?))
    })
    .await??;
    let kind = if name.ends_with(".igs") { "model/iges" } else { "model/step" };
    Ok(HttpResponse::Ok().content_type(kind).insert_header(attachment(&name)).body(bytes))
}

/// Does a job of the kind [`WRITE`].
///
/// # Errors
/// If the state cannot be written as was asked, or was cancelled.
pub fn write_file(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let order: Order = serde_json::from_value(job.payload.clone())?;
    let form = form_of(&order).map_err(|e| anyhow::anyhow!("{e}"))?;
    watch.report(0.0, "fetching the body")?;
    let revision = store.revision(order.on)?;
    let body = store.load(&revision)?;
    let stem = file_stem(&store.body(revision.body_id)?.name);
    watch.report(0.1, "writing the file")?;
    let made = export(&stem, &body, order.unit, form, watch).map_err(|e| stopped(e, watch))?;
    let geometry = if made.exact { "exact geometry" } else { "facets" };
    watch.report(0.9, "keeping the file")?;
    let written = Written {
        on: order.on,
        name: made.name,
        what: format!("{} in {}, {geometry}", form.title(), order.unit.name()),
        comparison: made.comparison,
        left_out: made.left_out.into_iter().map(|s| (s.count, s.what)).collect(),
        blob: store.put_blob(&made.bytes)?,
    };
    Ok(store.end_job(at.0, at.1, JobEnd::Done(json!(written)))?)
}

/// What ended a handover or a design file: somebody's wish, or a failure.
pub fn stopped(error: HandoverError, watch: &Watch) -> anyhow::Error {
    if watch.check().is_err() { Cancelled.into() } else { error.into() }
}
