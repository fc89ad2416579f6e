//! Whether a body's inside is tight for cells of a size: asked for as a job, kept with what it found, and its way given out
//! for the view; and the findings of a state as a table to take along.

use crate::answer::Asked;
use crate::error::PageResult;
use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::{HttpResponse, get, post, web};
use hull_store::bodies::BodyRow;
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::work::{Kind, LeakSearch, Outcome, Searched, State, Work};
use hull_store::{Store, StoreError};
use serde::Deserialize;
use serde_json::json;

/// The last search of a body, if it is of the state given, with its job.
pub fn last_of(store: &Store, body: BodyId, state: RevisionId) -> hull_store::Result<Option<(JobId, Searched)>> {
    let last = store.last_done(body, Kind::Leaks)?;
    Ok(last.and_then(|job| match job.state {
        State::Done(Outcome::Searched(found)) if found.on == state => Some((job.id, *found)),
        _ => None,
    }))
}

#[derive(Deserialize)]
pub struct LeakForm {
    on: RevisionId,
    /// The size of cells, as typed.
    cell: String,
}

/// Asks whether a state is tight.
#[post("/bodies/{body}/leaks")]
pub async fn ask(asked: Asked, form: web::Form<LeakForm>) -> PageResult {
    let form = form.into_inner();
    let typed = form.cell.replace(['\u{2009}', ' '], "").replace(',', ".");
    let Some(cell) = typed.parse().ok().filter(|c: &f64| *c > 0.0 && c.is_finite()) else {
        return asked.answer(Some(format!("The cell size must be above 0; “{}” is not.", form.cell))).await;
    };
    let work = move |store: &Store, body: &BodyRow, _| {
        if store.revision(form.on)?.body_id != body.id {
            return Err(StoreError::Refused("That state is another body's.".into()));
        }
        Ok(Work::Leaks(LeakSearch { on: form.on, cell }))
    };
    let done = asked.queue(work).await?;
    asked.answer(done.refused).await
}

/// The way outside that a search found, for the view.
#[get("/jobs/{job}/leak")]
pub async fn way(store: web::Data<Store>, id: web::Path<JobId>) -> PageResult {
    let job = web::block(move || store.job(*id)).await??;
    let State::Done(Outcome::Searched(searched)) = job.state else {
        return Err(StoreError::Missing(format!("A search for leaks of job {}", job.id)).into());
    };
    let of = |points: Vec<hull_geometry::Point>| json!({ "speeds": vec![1.0; points.len()], "points": points });
    Ok(HttpResponse::Ok().json(searched.found.way.into_iter().map(|w| of(w.points)).collect::<Vec<_>>()))
}

/// The findings of a state as CSV: kind, place, size, what is wrong.
#[get("/revisions/{revision}/findings.csv")]
pub async fn findings(store: web::Data<Store>, id: web::Path<RevisionId>) -> PageResult {
    let text = web::block(move || -> hull_store::Result<String> {
        let revision = store.revision(*id)?;
        let unit = revision.facts.length_unit();
        let mut text = String::from("kind,x,y,z,radius,unit,text\n");
        for f in &revision.survey.findings {
            let said = f.text.replace('"', "\"\"");
            let [x, y, z] = f.at;
            text += &format!("{},{x},{y},{z},{},{},\"{said}\"\n", f.kind.id(), f.radius, unit.symbol());
        }
        Ok(text)
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"findings.csv\""))
        .body(text))
}
