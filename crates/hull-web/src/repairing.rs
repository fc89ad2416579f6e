//! Proposing a repair, and running it.

use crate::answer::{answer, settled};
use crate::context::Place;
use crate::error::PageResult;
use crate::form::{Fields, text};
use crate::plan;
use actix_web::{HttpRequest, post, web};
use hull_store::bodies::BodyRow;
use hull_store::work::Work;
use hull_store::{Store, StoreError};

/// Queues what `work` makes of the body as it is, and answers once it is done.
async fn queue(
    store: &web::Data<Store>,
    request: &HttpRequest,
    id: i32,
    place: Place,
    work: impl FnOnce(&Store, &BodyRow, i32) -> hull_store::Result<Work> + Send + 'static,
) -> PageResult {
    let queue = store.clone();
    let job = web::block(move || {
        if queue.open_job_of_body(id)?.is_some() {
            return Err(StoreError::Refused("A step is at work on this body; wait for it or cancel it.".into()));
        }
        let body = queue.body(id)?;
        let on = body.head.ok_or_else(|| StoreError::Refused("The body has not been read yet.".into()))?;
        queue.enqueue(&work(&queue, &body, on)?, body.project_id, Some(id))
    })
    .await?;
    let notice = match job {
        Ok(job) => settled(store, job).await?.and_then(|j| j.sentence()),
        Err(StoreError::Refused(sentence)) => Some(sentence),
        Err(other) => return Err(other.into()),
    };
    answer(store.clone(), request, id, place, notice).await
}

/// Composes a repair for the state a body is at.
#[post("/bodies/{body}/repairs")]
pub async fn propose(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    fields: web::Form<Fields>,
) -> PageResult {
    let wrap = !text(&fields, "wrap").is_empty();
    queue(&store, &request, *id, place.into_inner(), move |_, _, on| Ok(Work::Propose { on, wrap })).await
}

/// Runs the repair that was proposed.
#[post("/bodies/{body}/repairs/run")]
pub async fn run(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
) -> PageResult {
    let work = |store: &Store, body: &BodyRow, on| {
        let proposed = plan::proposed(store, body)?;
        let changed = || StoreError::Refused("The body has changed since; propose a repair again.".into());
        Ok(Work::Repair { on, steps: proposed.ok_or_else(changed)?.steps })
    };
    queue(&store, &request, *id, place.into_inner(), work).await
}
