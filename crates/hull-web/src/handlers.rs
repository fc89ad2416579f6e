//! What a body's page asks for: steps, previews, going back and forward, handovers.

use crate::answer::{Asked, Queued, address};
use crate::context::Place;
use crate::error::{PageError, PageResult};
use crate::form::Fields;
use crate::remedies;
use crate::workspace::render;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use hull_geometry::Unit;
use hull_store::Store;
use hull_store::ids::{BodyId, HandoverId, RevisionId};
use hull_store::jobs::Job;
use hull_store::work::{Kind, Outcome, Work};
use hull_workshop::handover::{Form, PATTERN, Package};
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

/// Where the job leads that a page waits for, if it has ended: to a handover, or to another place of the page.
enum Led {
    Nowhere,
    Handover(HandoverId),
    To(Place),
}

/// Where a page goes on to when the job it waits for has ended.
fn led(store: &Store, id: BodyId, place: &Place) -> PageResult<Led> {
    let Some(job) = place.after else { return Ok(Led::Nowhere) };
    let here = Place { after: None, ..place.clone() };
    // One that is gone, or of another body, leads nowhere else.
    let Some(job) = store.job(job).ok().filter(|j| j.body_id == Some(id)) else { return Ok(Led::To(here)) };
    if !job.is_over() {
        return Ok(Led::Nowhere);
    }
    Ok(match job.outcome() {
        Some(Outcome::HandedOver(made)) => Led::Handover(*made),
        outcome if job.work.kind() != Kind::Preview && leads_on(outcome) => {
            Led::To(Place { row: next_row(store, id, &here)?, ..here })
        }
        _ => Led::To(here),
    })
}

#[get("/bodies/{body}")]
pub async fn show(
    store: web::Data<Store>,
    id: web::Path<BodyId>,
    place: web::Query<Place>,
    request: HttpRequest,
) -> PageResult {
    let body = *id;
    let is_asked_by_page = request.headers().contains_key("HX-Request");
    let (led, page) = web::block(move || -> PageResult<(Led, String)> {
        let led = led(&store, *id, &place)?;
        let page = match &led {
            Led::Nowhere => render(&store, *id, &place, None)?,
            Led::To(place) => render(&store, *id, place, None)?,
            Led::Handover(_) => String::new(),
        };
        Ok((led, page))
    })
    .await??;
    Ok(match led {
        Led::Nowhere => html(page),
        Led::To(place) => {
            let mut answer = HttpResponse::Ok();
            answer.content_type("text/html; charset=utf-8");
            answer.insert_header(("HX-Replace-Url", address(body, &place))).body(page)
        }
        Led::Handover(made) => {
            let to = format!("/handovers/{made}");
            if is_asked_by_page {
                HttpResponse::Ok().insert_header(("HX-Redirect", to)).finish()
            } else {
                HttpResponse::SeeOther().insert_header((LOCATION, to)).finish()
            }
        }
    })
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
    if kept.is_none() {
        let done = asked.run(Work::Step, &step).await?;
        return lead_on(asked, done).await;
    }
    next(asked).await
}

/// The page at the next row that is left to do.
async fn next(asked: Asked) -> PageResult {
    let place = asked.place.clone();
    let row = asked.with(move |store, id| next_row(store, id, &place)).await?;
    asked.answer_at(row).await
}

/// The page after a job that changes the body: at the next row if it has ended well; else it follows the job.
pub async fn lead_on(asked: Asked, done: Queued) -> PageResult {
    let ended_well = done.ended.as_ref().is_some_and(|job| leads_on(job.outcome()));
    if !ended_well || done.refused.is_some() {
        return asked.answer_and_follow(done).await;
    }
    next(asked).await
}

/// Whether the page goes on to the next row after this: not where a repair was stopped, which is told where it was asked for.
fn leads_on(outcome: Option<&Outcome>) -> bool {
    match outcome {
        Some(Outcome::Revision(_)) => true,
        Some(Outcome::Repaired(done)) => done.stopped.is_none(),
        _ => false,
    }
}

#[post("/bodies/{body}/previews")]
pub async fn preview_step(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let notice = match remedies::step(&fields) {
        Ok(step) => asked.run(Work::Preview, &step).await?.refused,
        Err(why) => Some(asked.in_its_unit(why).await?),
    };
    asked.answer(notice).await
}

/// Keeps what is previewed as a step.
#[post("/bodies/{body}/previews/keep")]
pub async fn keep_preview(asked: Asked) -> PageResult {
    let keep = |store: &Store, id: BodyId| -> hull_store::Result<Option<RevisionId>> {
        let step = store.preview(id)?.and_then(|p| p.step);
        step.map_or(Ok(None), |step| store.keep_preview(id, &step))
    };
    if asked.with(keep).await?.is_none() {
        let gone = "There is no preview of the body as it is now, so nothing was done. Preview the step again.";
        return asked.answer(Some(gone.into())).await;
    }
    next(asked).await
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
    form: String,
    unit: Option<String>,
    names: Option<String>,
}

impl HandoverForm {
    fn package(self) -> Result<Package, String> {
        let unit =
            self.unit.filter(|u| !u.is_empty()).map(|u| u.parse::<Unit>().map_err(|e| e.to_string())).transpose()?;
        Ok(Package { form: Form::named(&self.form)?, unit, names: self.names.filter(|n| n != PATTERN) })
    }
}

#[post("/bodies/{body}/handovers")]
pub async fn hand_over(asked: Asked, form: web::Form<HandoverForm>) -> PageResult {
    let package = form.into_inner().package().map_err(|why| PageError::refused(format!("{why}.")))?;
    let done = asked.queue(move |_, _, _| Ok(Work::Handover(package.clone()))).await?;
    if let Some(Outcome::HandedOver(made)) = done.ended.as_ref().and_then(Job::outcome) {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/handovers/{made}"))).finish());
    }
    asked.answer_and_follow(done).await
}
