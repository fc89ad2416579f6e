//! Proposing a repair, and running it.

use crate::answer::Asked;
use crate::error::PageResult;
use crate::form::{Fields, text};
use crate::plan;
use actix_web::{post, web};
use hull_store::bodies::BodyRow;
use hull_store::work::Work;
use hull_store::{Store, StoreError};

/// Composes a repair for the state a body is at.
#[post("/bodies/{body}/repairs")]
pub async fn propose(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let wrap = !text(&fields, "wrap").is_empty();
    let (notice, _) = asked.queue(move |_, _, on| Ok(Work::Propose { on, wrap })).await?;
    asked.answer(notice).await
}

/// Runs the repair that was proposed.
#[post("/bodies/{body}/repairs/run")]
pub async fn run(asked: Asked) -> PageResult {
    let work = |store: &Store, body: &BodyRow, on| {
        let proposed = plan::proposed(store, body)?;
        let changed = || StoreError::Refused("The body has changed since; propose a repair again.".into());
        Ok(Work::Repair { on, steps: proposed.ok_or_else(changed)?.steps })
    };
    let (notice, _) = asked.queue(work).await?;
    asked.answer(notice).await
}
