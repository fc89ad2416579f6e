//! Design files of a state: written as a job, read back, compared, and kept to be fetched.

use crate::answer::Asked;
use crate::error::{PageError, PageResult};
use crate::pages::attachment;
use actix_web::{HttpResponse, get, post, web};
use hull_store::bodies::BodyRow;
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::work::{Kind, Order, Outcome, State, Work, Written};
use hull_store::{Store, StoreError};
use hull_workshop::export::DesignForm;

/// The last file of a body, if it is of the state given, with the job that wrote it.
pub fn last_of(store: &Store, body: BodyId, state: RevisionId) -> hull_store::Result<Option<(JobId, Written)>> {
    let last = store.last_done(body, Kind::Write)?;
    Ok(last.and_then(|job| match job.state {
        State::Done(Outcome::Written(written)) if written.on == state => Some((job.id, *written)),
        _ => None,
    }))
}

/// Asks for a design file of a state.
#[post("/bodies/{body}/designs")]
pub async fn write(asked: Asked, order: web::Form<Order>) -> PageResult {
    let order = order.into_inner();
    form_of(&order)?;
    let work = move |store: &Store, body: &BodyRow, _| {
        if store.revision(order.on)?.body_id != body.id {
            return Err(StoreError::Refused("That state is another body's.".into()));
        }
        Ok(Work::Write(order))
    };
    let done = asked.queue(work).await?;
    asked.answer(done.refused).await
}

fn form_of(order: &Order) -> PageResult<DesignForm> {
    DesignForm::named(&order.form).ok_or_else(|| {
        PageError::refused(format!("“{}” is not a form of design geometry; choose one of those offered.", order.form))
    })
}

/// The file that a job wrote.
#[get("/jobs/{job}/file")]
pub async fn file(store: web::Data<Store>, id: web::Path<JobId>) -> PageResult {
    let id = id.into_inner();
    let (name, bytes) = web::block(move || -> hull_store::Result<_> {
        match store.job(id)?.state {
            State::Done(Outcome::Written(written)) => Ok((written.name.clone(), store.blob(&written.blob)?)),
            _ => Err(hull_store::StoreError::Missing(format!("A file of job {id}"))),
        }
    })
    .await??;
    let kind = if name.ends_with(".igs") { "model/iges" } else { "model/step" };
    Ok(HttpResponse::Ok().content_type(kind).insert_header(attachment(&name)).body(bytes))
}
