//! What a body's page asks for: steps, previews, going back and forward, handovers.

use crate::answer::{answer, in_unit_of, run, settled, unmoved};
use crate::context::Place;
use crate::error::PageResult;
use crate::form::{self, Fields};
use crate::workspace::render;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use hull_store::Store;
use hull_store::jobs::Job;
use hull_store::work::{Outcome, Work};
use hull_workshop::{Row, Sheet, Verdict};
use serde::Deserialize;

fn html(body: String) -> HttpResponse {
    HttpResponse::Ok().content_type("text/html; charset=utf-8").body(body)
}

/// After a step: stays at the row while it is short, then goes on to the next one that is.
fn next_row(store: &Store, id: i32, place: &Place) -> PageResult<Place> {
    let body = store.body(id)?;
    let Some(head) = body.head else { return Ok(place.clone()) };
    let now = store.revision(head)?;
    let destination = store.destination(&body.destination, body.destination_version)?;
    let sheet = Sheet::of(&now.facts, &now.survey, &destination);
    let at = sheet.rows.iter().position(|r| Some(&r.id) == place.row.as_ref()).unwrap_or(0);
    let still = |r: &&Row| r.verdict == Verdict::Short || (r.verdict == Verdict::NotYet);
    let next = sheet.rows[at..].iter().find(still).or_else(|| sheet.short().next());
    Ok(Place { row: Some(next.map_or("none".into(), |r| r.id.clone())), ..place.clone() })
}

#[get("/bodies/{body}")]
pub async fn show(store: web::Data<Store>, id: web::Path<i32>, place: web::Query<Place>) -> PageResult {
    let page = web::block(move || render(&store, *id, &place, None)).await??;
    Ok(html(page))
}

#[post("/bodies/{body}/steps")]
pub async fn apply_step(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    fields: web::Form<Fields>,
) -> PageResult {
    let (id, place) = (id.into_inner(), place.into_inner());
    let step = match form::step(&fields) {
        Ok(step) => step,
        Err(why) => {
            let notice = in_unit_of(&store, id, why).await?;
            return answer(store, &request, id, place, Some(notice)).await;
        }
    };
    let kept = {
        let (store, step) = (store.clone(), step.clone());
        web::block(move || store.keep_preview(id, &step)).await??
    };
    if kept.is_none()
        && let Some(notice) = run(&store, Work::Step, id, &step, place.on).await?
    {
        return answer(store, &request, id, place, Some(notice)).await;
    }
    let place = {
        let store = store.clone();
        web::block(move || next_row(&store, id, &place)).await??
    };
    answer(store, &request, id, place, None).await
}

#[post("/bodies/{body}/previews")]
pub async fn preview_step(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    fields: web::Form<Fields>,
) -> PageResult {
    let (id, place) = (id.into_inner(), place.into_inner());
    let notice = match form::step(&fields) {
        Ok(step) => run(&store, Work::Preview, id, &step, place.on).await?,
        Err(why) => Some(in_unit_of(&store, id, why).await?),
    };
    answer(store, &request, id, place, notice).await
}

#[post("/bodies/{body}/previews/drop")]
pub async fn drop_preview(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
) -> PageResult {
    let id = id.into_inner();
    let dropped = store.clone();
    web::block(move || dropped.drop_preview(id)).await??;
    answer(store, &request, id, place.into_inner(), None).await
}

/// Asks for the rest of a survey that was cancelled.
#[post("/bodies/{body}/survey")]
pub async fn survey_rest(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
) -> PageResult {
    let id = id.into_inner();
    let asked = store.clone();
    web::block(move || {
        let body = asked.body(id)?;
        body.head.map_or(Ok(()), |head| asked.ask_for_survey(body.project_id, id, head))
    })
    .await??;
    answer(store, &request, id, place.into_inner(), None).await
}

#[post("/bodies/{body}/goto/{revision}")]
pub async fn go_to(
    store: web::Data<Store>,
    request: HttpRequest,
    path: web::Path<(i32, i32)>,
    place: web::Query<Place>,
) -> PageResult {
    let (id, revision) = path.into_inner();
    let moved = store.clone();
    web::block(move || moved.go_to(id, revision)).await??;
    answer(store, &request, id, Place { row: None, ..place.into_inner() }, None).await
}

#[derive(Deserialize)]
pub struct HandoverForm {
    form: hull_workshop::handover::Form,
}

#[post("/bodies/{body}/handovers")]
pub async fn hand_over(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    form: web::Form<HandoverForm>,
) -> PageResult {
    let (id, place) = (id.into_inner(), place.into_inner());
    let (queue, on) = (store.clone(), place.on);
    let job = web::block(move || {
        let body = unmoved(&queue, id, on)?;
        queue.enqueue(&Work::Handover { form: form.form }, body.project_id, Some(id))
    })
    .await?;
    let job = match job {
        Ok(job) => job,
        Err(hull_store::StoreError::Refused(sentence)) => {
            return answer(store, &request, id, place, Some(sentence)).await;
        }
        Err(other) => return Err(other.into()),
    };
    let done = settled(&store, job).await?;
    if let Some(Outcome::HandedOver(made)) = done.as_ref().and_then(Job::outcome) {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/handovers/{made}"))).finish());
    }
    answer(store, &request, id, place, done.and_then(|j| j.sentence())).await
}
