//! Trials of a state: asked for as a job, kept with what they found, and given out as ways for the view, CSV and a drawing.

use crate::answer::Asked;
use crate::error::{PageError, PageResult};
use crate::pages::attachment;
use actix_web::{HttpResponse, get, post, web};
use hull_store::bodies::BodyRow;
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::work::{FlowTrial, Kind, Outcome, State, Tried, Work};
use hull_store::{Store, StoreError};
use hull_trials::flow::{Flow, How};
use hull_workshop::trial;
use serde::Deserialize;

/// The last trial of a body, if it is of the state given, with its job.
pub fn last_of(store: &Store, body: BodyId, state: RevisionId) -> hull_store::Result<Option<(JobId, Tried)>> {
    let last = store.last_done(body, Kind::Trial)?;
    Ok(last.and_then(|job| match job.state {
        State::Done(Outcome::Tried(tried)) if tried.on == state => Some((job.id, *tried)),
        _ => None,
    }))
}

#[derive(Deserialize)]
pub struct TrialForm {
    on: RevisionId,
    how: How,
    cells: String,
}

/// Asks for a trial of a state.
#[post("/bodies/{body}/trials")]
pub async fn try_flow(asked: Asked, form: web::Form<TrialForm>) -> PageResult {
    let form = form.into_inner();
    let typed = form.cells.replace(['\u{2009}', ' '], "");
    let cells = typed.parse().ok().filter(|c| trial::CELLS.contains(c));
    let Some(cells) = cells else {
        let [least, most] = [trial::CELLS.start(), trial::CELLS.end()];
        return asked.answer(Some(format!("Cells: a whole number from {least} to {most}; “{typed}” is not."))).await;
    };
    let work = move |store: &Store, body: &BodyRow, _| {
        if store.revision(form.on)?.body_id != body.id {
            return Err(StoreError::Refused("That state is another body's.".into()));
        }
        Ok(Work::Trial(FlowTrial { on: form.on, how: form.how, cells }))
    };
    let done = asked.queue(work).await?;
    asked.answer(done.refused).await
}

/// All that a trial found, with the unit of its lengths and the name of its body.
fn whole(store: &Store, id: JobId) -> hull_store::Result<(Flow, &'static str, String)> {
    let State::Done(Outcome::Tried(tried)) = store.job(id)?.state else {
        return Err(StoreError::Missing(format!("A trial of job {id}")));
    };
    let revision = store.revision(tried.on)?;
    let name = store.body(revision.body_id)?.name;
    let flow = serde_json::from_slice(&store.blob(&tried.whole)?)?;
    Ok((flow, revision.facts.length_unit().symbol(), name))
}

/// The ways of a trial, for the view.
#[get("/jobs/{job}/ways")]
pub async fn ways(store: web::Data<Store>, id: web::Path<JobId>) -> PageResult {
    let (flow, ..) = web::block(move || whole(&store, *id)).await??;
    Ok(HttpResponse::Ok().json(flow.streamlines))
}

/// Shares and the main way of a trial as CSV or SVG.
#[get("/jobs/{job}/trial.{form}")]
pub async fn taken_along(store: web::Data<Store>, path: web::Path<(JobId, String)>) -> PageResult {
    let (id, form) = path.into_inner();
    let (flow, unit, name) = web::block(move || whole(&store, id)).await??;
    let stem = hull_workshop::handover::file_stem(&name);
    let (kind, text) = match form.as_str() {
        "csv" => ("text/csv; charset=utf-8", trial::csv(&flow, unit)),
        "svg" => ("image/svg+xml", trial::plot(&flow, unit)),
        other => return Err(StoreError::Missing(format!("A trial as “{other}”")).into()),
    };
    let name = format!("{stem}-flow.{form}");
    Ok(HttpResponse::Ok().content_type(kind).insert_header(attachment(&name)).body(text))
}

/// What is asked of a frame's drawing.
#[derive(Deserialize)]
pub struct AskedOfFrame {
    what: String,
    #[serde(default)]
    case: String,
}

/// A frame's deflected shape, a force along its members, or a free movement, for the view.
#[get("/revisions/{revision}/frame/drawing")]
pub async fn frame_drawing(
    store: web::Data<Store>,
    id: web::Path<RevisionId>,
    asked: web::Query<AskedOfFrame>,
) -> PageResult {
    let drawn = web::block(move || -> PageResult<_> {
        let what = trial::shapes::What::all().into_iter().find(|w| w.0 == asked.what);
        let unknown = || PageError::refused(format!("“{}” is nothing that can be drawn of a frame.", asked.what));
        let (.., what) = what.ok_or_else(unknown)?;
        let body = store.load(&store.revision(*id)?)?;
        let frame = body.frame().ok_or_else(|| PageError::refused("This body has no members."))?;
        let case = Some(asked.case.as_str()).filter(|c| !c.is_empty());
        trial::shapes::drawing(frame, what, case).map_err(PageError::refused)
    })
    .await??;
    Ok(HttpResponse::Ok().json(drawn))
}
