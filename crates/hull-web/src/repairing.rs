//! Proposing a repair, and running it.

use crate::error::PageResult;
use crate::form::{Fields, text};
use crate::workspace::{Place, answer, settled};
use actix_web::{HttpRequest, post, web};
use hull_store::bodies::BodyRow;
use hull_store::{Store, StoreError};
use hull_workshop::repair::{Defects, Planned};
use serde_json::json;

/// A proposed repair, ready to draw.
pub struct Plan {
    pub lines: Vec<PlanLine>,
    /// What would be left; empty if the surface would be clean.
    pub left: Vec<String>,
    pub clean_before: bool,
}

pub struct PlanLine {
    pub title: String,
    pub sentence: String,
    /// “open edges 35 → 0”.
    pub effects: Vec<String>,
    pub moved: Option<f64>,
}

/// The repair that was proposed for the state a body is at, and what stopped the last one that was run.
pub fn plan(store: &Store, body: &BodyRow) -> hull_store::Result<(Option<Plan>, Option<String>)> {
    let stopped = store
        .last_done(body.id, "repair")?
        .and_then(|j| j.result)
        .and_then(|r| r["stopped"].as_str().map(str::to_string));
    let Some(result) = store.last_done(body.id, "propose")?.and_then(|j| j.result) else { return Ok((None, stopped)) };
    if result["on"].as_i64() != body.head.map(i64::from) {
        return Ok((None, stopped));
    }
    let steps: Vec<Planned> = serde_json::from_value(result["steps"].clone())?;
    let [before, after]: [Defects; 2] =
        [serde_json::from_value(result["before"].clone())?, serde_json::from_value(result["after"].clone())?];
    let left = after.named().iter().filter(|n| n.1 > 0).map(|(what, n)| format!("{n} {what}")).collect();
    let facts = body.head.map(|head| store.revision(head)).transpose()?.map(|r| r.facts).unwrap_or_default();
    let lines = steps
        .into_iter()
        .map(|p| PlanLine {
            title: p.step.title().text(facts.length_unit()),
            effects: p.after.change_from(&p.before),
            moved: p.change.moved.as_ref().map(|m| m.largest()),
            sentence: p.change.sentence,
        })
        .collect();
    Ok((Some(Plan { lines, left, clean_before: before.is_clean() }), None))
}

async fn queue(
    store: &web::Data<Store>,
    request: &HttpRequest,
    id: i32,
    place: Place,
    kind: &'static str,
    fields: Fields,
) -> PageResult {
    let queue = store.clone();
    let job = web::block(move || {
        if queue.open_job_of_body(id)?.is_some() {
            return Err(StoreError::Refused("A step is at work on this body; wait for it or cancel it.".into()));
        }
        let body = queue.body(id)?;
        let payload = if kind == "propose" {
            json!({ "on": body.head, "wrap": !text(&fields, "wrap").is_empty() })
        } else {
            let result = queue.last_done(id, "propose")?.and_then(|j| j.result).unwrap_or_default();
            if result["on"].as_i64() != body.head.map(i64::from) {
                return Err(StoreError::Refused("The body has changed since; propose a repair again.".into()));
            }
            json!({ "on": body.head, "steps": result["steps"] })
        };
        queue.enqueue(kind, payload, body.project_id, Some(id))
    })
    .await?;
    let notice = match job {
        Ok(job) => settled(store, job).await?.and_then(|j| j.error),
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
    queue(&store, &request, *id, place.into_inner(), "propose", fields.into_inner()).await
}

/// Runs the repair that was proposed.
#[post("/bodies/{body}/repairs/run")]
pub async fn run(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    fields: web::Form<Fields>,
) -> PageResult {
    queue(&store, &request, *id, place.into_inner(), "repair", fields.into_inner()).await
}
