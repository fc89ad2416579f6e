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

/// Composes a repair for the state a body is at.
#[post("/bodies/{body}/repairs")]
pub async fn propose(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let wrap = !text(&fields, "wrap").is_empty();
    let done = asked.queue(move |_, _, on| Ok(Work::Propose { on, wrap })).await?;
    asked.answer(done.refused).await
}

/// Runs the ticked steps of the repair that was proposed: those whose places in it are named by `keep`.
#[post("/bodies/{body}/repairs/run")]
pub async fn run(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let kept: Vec<usize> = fields.iter().filter(|f| f.0 == "keep").filter_map(|f| f.1.parse().ok()).collect();
    if kept.is_empty() {
        return asked.answer(Some("Tick at least one step of the repair.".into())).await;
    }
    let work = move |store: &Store, body: &BodyRow, on| {
        let proposed = plan::proposed(store, body)?;
        let changed = || StoreError::Refused("The body has changed since; propose a repair again.".into());
        let all = proposed.ok_or_else(changed)?.steps.into_iter().enumerate();
        let steps = all.filter(|(k, _)| kept.contains(k)).map(|(_, step)| step).collect();
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
