//! What a body's page asks for: steps, previews, going back and forward, handovers.

use crate::answer::Asked;
use crate::context::Place;
use crate::error::PageResult;
use crate::form::Fields;
use crate::remedies;
use crate::workspace::render;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, get, post, web};
use hull_store::Store;
use hull_store::ids::{BodyId, RevisionId};
use hull_store::jobs::Job;
use hull_store::work::{Outcome, Work};
use hull_workshop::{Row, Sheet, Verdict};
use serde::Deserialize;

fn html(body: String) -> HttpResponse {
    HttpResponse::Ok().content_type("text/html; charset=utf-8").body(body)
}

/// After a step: stays at the row while it is short, then goes on to the next one that is.
fn next_row(store: &Store, id: BodyId, place: &Place) -> PageResult<Option<String>> {
    let body = store.body(id)?;
    let Some(head) = body.head else { return Ok(place.row.clone()) };
    let now = store.revision(head)?;
    let destination = store.destination(&body.destination, body.destination_version)?;
    let sheet = Sheet::of(&now.facts, &now.survey, &destination);
    let at = sheet.rows.iter().position(|r| Some(&r.id) == place.row.as_ref()).unwrap_or(0);
    let still = |r: &&Row| r.verdict == Verdict::NotMet || (r.verdict == Verdict::Pending);
    let next = sheet.rows[at..].iter().find(still).or_else(|| sheet.outstanding().next());
    Ok(Some(next.map_or("none".into(), |r| r.id.clone())))
}

#[get("/bodies/{body}")]
pub async fn show(store: web::Data<Store>, id: web::Path<BodyId>, place: web::Query<Place>) -> PageResult {
    let page = web::block(move || render(&store, *id, &place, None)).await??;
    Ok(html(page))
}

#[post("/bodies/{body}/steps")]
pub async fn apply_step(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let step = match remedies::step(&fields) {
        Ok(step) => step,
        Err(why) => {
            let notice = asked.in_its_unit(why).await?;
            return asked.answer(Some(notice)).await;
        }
    };
    let previewed = step.clone();
    let kept = asked.with(move |store, id| store.keep_preview(id, &previewed)).await?;
    if kept.is_none()
        && let Some(notice) = asked.run(Work::Step, &step).await?
    {
        return asked.answer(Some(notice)).await;
    }
    let place = asked.place.clone();
    let row = asked.with(move |store, id| next_row(store, id, &place)).await?;
    asked.answer_at(row).await
}

#[post("/bodies/{body}/previews")]
pub async fn preview_step(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let notice = match remedies::step(&fields) {
        Ok(step) => asked.run(Work::Preview, &step).await?,
        Err(why) => Some(asked.in_its_unit(why).await?),
    };
    asked.answer(notice).await
}

#[post("/bodies/{body}/previews/drop")]
pub async fn drop_preview(asked: Asked) -> PageResult {
    asked.with(Store::drop_preview).await?;
    asked.answer(None).await
}

/// Asks for the rest of a survey that was cancelled.
#[post("/bodies/{body}/survey")]
pub async fn survey_rest(asked: Asked) -> PageResult {
    let ask = |store: &Store, id: BodyId| {
        let body = store.body(id)?;
        body.head.map_or(Ok(()), |head| store.ask_for_survey(body.project_id, id, head))
    };
    asked.with(ask).await?;
    asked.answer(None).await
}

#[post("/bodies/{body}/goto/{revision}")]
pub async fn go_to(asked: Asked, path: web::Path<(BodyId, RevisionId)>) -> PageResult {
    let revision = path.into_inner().1;
    asked.with(move |store, id| store.go_to(id, revision)).await?;
    asked.answer_at(None).await
}

#[derive(Deserialize)]
pub struct HandoverForm {
    form: hull_workshop::handover::Form,
}

#[post("/bodies/{body}/handovers")]
pub async fn hand_over(asked: Asked, form: web::Form<HandoverForm>) -> PageResult {
    let form = form.into_inner().form;
    let (notice, ended) = asked.queue(move |_, _, _| Ok(Work::Handover { form })).await?;
    if let Some(Outcome::HandedOver(made)) = ended.as_ref().and_then(Job::outcome) {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/handovers/{made}"))).finish());
    }
    asked.answer(notice).await
}
