//! Proposing a repair, running it, and bringing a body onto another.

use crate::answer::Asked;
use crate::error::{PageError, PageResult};
use crate::form::{Fields, number, text};
use crate::handlers::lead_on;
use crate::plan;
use actix_web::{post, web};
use hull_store::bodies::BodyRow;
use hull_store::ids::BodyId;
use hull_store::work::{Kind, Work};
use hull_store::{Store, StoreError};
use hull_workshop::best_fit::Options;
use hull_workshop::repair::Planned;
use hull_workshop::sentence::Sentence;
use hull_workshop::steps;

/// Composes a repair for the state a body is at.
#[post("/bodies/{body}/repairs")]
pub async fn propose(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let wrap = !text(&fields, "wrap").is_empty();
    let done = asked.queue(move |_, _, on| Ok(Work::Propose { on, wrap })).await?;
    asked.answer(done.refused).await
}

/// A step of the proposal with the values that were typed for it, as `PLACE.FIELD`.
fn as_typed(planned: Planned, place: usize, fields: &Fields) -> Result<Planned, Sentence> {
    let prefix = format!("{place}.");
    let of = |(name, value): &(String, String)| Some((name.strip_prefix(&prefix)?.to_string(), value.clone()));
    let typed: Fields = fields.iter().filter_map(of).collect();
    let step = steps::read(planned.step.about().id, &typed, Some(&planned.step))?;
    Ok(Planned { changed: step != planned.step, step, ..planned })
}

/// The steps of a proposal that are kept, as they were typed. What one leaves is as expected while nothing before it is
/// left out or changed.
fn chosen(all: Vec<Planned>, kept: &[usize], fields: &Fields) -> Result<Vec<Planned>, Sentence> {
    let mut changed = false;
    let mut out = Vec::new();
    for (place, planned) in all.into_iter().enumerate() {
        if !kept.contains(&place) {
            changed = true;
            continue;
        }
        let planned = as_typed(planned, place, fields)?;
        changed |= planned.changed;
        out.push(Planned { changed, ..planned });
    }
    Ok(out)
}

fn has_changed() -> StoreError {
    StoreError::Refused("The body has changed since; propose a repair again.".into())
}

/// Previews one step of the repair that was proposed, as if it were the next one.
#[post("/bodies/{body}/repairs/preview/{place}")]
pub async fn preview(asked: Asked, path: web::Path<(BodyId, usize)>, fields: web::Form<Fields>) -> PageResult {
    let place = path.into_inner().1;
    let find = move |store: &Store, id: BodyId| {
        let all = plan::proposed(store, &store.body(id)?)?.map(|p| p.steps);
        all.and_then(|steps| steps.into_iter().nth(place)).ok_or_else(has_changed)
    };
    let notice = match as_typed(asked.with(find).await?, place, &fields) {
        Ok(planned) => asked.run(Work::Preview, &planned.step).await?.refused,
        Err(why) => Some(asked.in_its_unit(why).await?),
    };
    asked.answer(notice).await
}

/// Runs the ticked steps of the repair that was proposed, with the values that stand beside them: those whose places in it
/// are named by `keep`.
#[post("/bodies/{body}/repairs/run")]
pub async fn run(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let kept: Vec<usize> = fields.iter().filter(|f| f.0 == "keep").filter_map(|f| f.1.parse().ok()).collect();
    if kept.is_empty() {
        return asked.answer(Some("Tick at least one step of the repair.".into())).await;
    }
    let work = move |store: &Store, body: &BodyRow, on| {
        let proposed = plan::proposed(store, body)?;
        let unit = store.revision(on)?.facts.length_unit();
        let steps = chosen(proposed.ok_or_else(has_changed)?.steps, &kept, &fields)
            .map_err(|why| StoreError::Refused(why.text(unit)))?;
        Ok(Work::Repair { on, steps, compose: false })
    };
    let done = asked.queue(work).await?;
    lead_on(asked, done).await
}

/// Puts the repair that was proposed aside.
#[post("/bodies/{body}/repairs/dismiss")]
pub async fn dismiss(asked: Asked) -> PageResult {
    asked.with(|store, id| store.dismiss(id, Kind::Propose)).await?;
    asked.answer(None).await
}

/// Brings the body onto another body of its project.
#[post("/bodies/{body}/fit")]
pub async fn fit(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let to: BodyId =
        text(&fields, "to").parse().map_err(|_| PageError::refused("Choose the body to bring this one to."))?;
    let overlap = number(&fields, "overlap", "The overlap")?;
    if !(5.0..=100.0).contains(&overlap) {
        return Err(PageError::refused("The overlap goes from 5 % to 100 %."));
    }
    let how = Options { overlap: overlap / 100.0, from_scratch: !text(&fields, "from_scratch").is_empty() };
    let work = move |store: &Store, body: &BodyRow, on| {
        let other = store.body(to)?;
        let head = other.head.filter(|_| other.project_id == body.project_id && other.id != body.id);
        let to = head.ok_or_else(|| StoreError::Refused("Choose another body of this project.".into()))?;
        Ok(Work::Fit { on, to, how })
    };
    let done = asked.queue(work).await?;
    asked.answer(done.refused).await
}
