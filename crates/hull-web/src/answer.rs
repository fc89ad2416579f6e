//! Answers to forms: a step is queued, waited for a moment, and the page rendered again.

use crate::context::Place;
use crate::error::PageResult;
use crate::workspace::render;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, rt, web};
use hull_store::bodies::BodyRow;
use hull_store::jobs::Job;
use hull_store::work::{Applied, Work};
use hull_store::{Store, StoreError};
use hull_workshop::Step;
use hull_workshop::sentence::{LengthUnit, Sentence};
use std::time::Duration;

/// How long an answer waits for its job before it shows progress instead.
const PATIENCE: Duration = Duration::from_millis(1500);

/// Answers a form: htmx gets the page to swap parts of, a plain browser is sent to it.
pub(crate) async fn answer(
    store: web::Data<Store>,
    request: &HttpRequest,
    id: i32,
    place: Place,
    notice: Option<String>,
) -> PageResult {
    let url = format!(
        "/bodies/{id}?row={}&tab={}",
        place.row.as_deref().unwrap_or_default(),
        place.tab.as_deref().unwrap_or_default()
    );
    if notice.is_none() && !request.headers().contains_key("HX-Request") {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, url)).finish());
    }
    let page = web::block(move || render(&store, id, &place, notice)).await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").insert_header(("HX-Push-Url", url)).body(page))
}

/// Waits a moment for a job; `None` if it is still at work.
pub(crate) async fn settled(store: &web::Data<Store>, job: i32) -> PageResult<Option<Job>> {
    let begun = std::time::Instant::now();
    loop {
        let store = store.clone();
        let found = web::block(move || store.job(job)).await??;
        if found.is_over() {
            return Ok(Some(found));
        }
        if begun.elapsed() > PATIENCE {
            return Ok(None);
        }
        rt::time::sleep(Duration::from_millis(20)).await;
    }
}

/// A refusal, said in the unit of the body as it is now.
pub(crate) async fn in_unit_of(store: &web::Data<Store>, id: i32, why: Sentence) -> PageResult<String> {
    let store = store.clone();
    let facts = web::block(move || store.body(id)?.head.map(|head| store.revision(head)).transpose()).await??;
    Ok(why.text(facts.map_or(LengthUnit::FileUnits, |r| r.facts.length_unit())))
}

/// A body, unless it is at another state than the one that a form was drawn for.
pub(crate) fn unmoved(store: &Store, id: i32, on: Option<i32>) -> hull_store::Result<BodyRow> {
    let body = store.body(id)?;
    if on.is_some() && on != body.head {
        return Err(StoreError::Refused(
            "The body has moved on since this page was drawn, here or elsewhere, so nothing was done. \
             It is shown now as it is; ask again if it is still wanted."
                .into(),
        ));
    }
    Ok(body)
}

/// Queues a step for the state `on`, or whichever the body is at; returns why it failed, if it did so at once.
pub async fn run(
    store: &web::Data<Store>,
    kind: fn(Applied) -> Work,
    id: i32,
    step: &Step,
    on: Option<i32>,
) -> PageResult<Option<String>> {
    let (queue, step) = (store.clone(), step.clone());
    let job = web::block(move || {
        if queue.open_job_of_body(id)?.is_some() {
            return Err(StoreError::Refused("A step is at work on this body; wait for it or cancel it.".into()));
        }
        let body = unmoved(&queue, id, on)?;
        let on = body.head.ok_or_else(|| StoreError::Refused("The body has not been read yet.".into()))?;
        queue.enqueue(&kind(Applied { on, step }), body.project_id, Some(id))
    })
    .await?;
    match job {
        Ok(job) => Ok(settled(store, job).await?.and_then(|j| j.sentence())),
        Err(StoreError::Refused(sentence)) => Ok(Some(sentence)),
        Err(other) => Err(other.into()),
    }
}
