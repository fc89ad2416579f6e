//! Forms of a body's page: what is asked is queued, waited for a moment, and the page rendered again.

use crate::context::Place;
use crate::error::{PageError, PageResult};
use crate::workspace::render;
use actix_web::dev::Payload;
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::{FromRequest, HttpRequest, HttpResponse, rt, web};
use hull_store::bodies::BodyRow;
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::jobs::Job;
use hull_store::work::{Applied, Work};
use hull_store::{Store, StoreError};
use hull_workshop::Step;
use hull_workshop::sentence::{LengthUnit, Sentence};
use std::future::{Ready, ready};
use std::time::Duration;

/// How long an answer waits for its job before it shows progress instead. Whoever makes the application may set another
/// (tests do, so that what an answer says does not depend on how busy the machine is).
#[derive(Clone, Copy)]
pub struct Patience(pub Duration);

impl Default for Patience {
    fn default() -> Patience {
        Patience(Duration::from_millis(400))
    }
}

/// What became of work that was asked for.
pub struct Queued {
    /// Why it was refused or failed, if it was so at once.
    pub refused: Option<String>,
    /// The job, if it has ended.
    pub ended: Option<Job>,
    /// The job, if it is still at work.
    pub at_work: Option<JobId>,
}

/// What a form of a body's page asks: of which body, and from which place of its page.
pub struct Asked {
    pub store: web::Data<Store>,
    /// The body.
    pub id: BodyId,
    pub place: Place,
    /// Whether htmx asks, which swaps parts of the page.
    htmx: bool,
    patience: Patience,
}

impl FromRequest for Asked {
    type Error = PageError;
    type Future = Ready<Result<Asked, PageError>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        ready(Asked::of(request))
    }
}

impl Asked {
    fn of(request: &HttpRequest) -> Result<Asked, PageError> {
        let missing = |sentence: &str| PageError { status: StatusCode::NOT_FOUND, sentence: sentence.into() };
        let store = request.app_data::<web::Data<Store>>().cloned();
        let id = request.match_info().get("body").and_then(|id| id.parse().ok());
        let place = web::Query::<Place>::from_query(request.query_string());
        Ok(Asked {
            store: store.ok_or_else(|| missing("There is no database."))?,
            id: id.ok_or_else(|| missing("There is no such body."))?,
            place: place.map_err(|_| PageError::refused("The address cannot be read."))?.into_inner(),
            htmx: request.headers().contains_key("HX-Request"),
            patience: request.app_data::<Patience>().copied().unwrap_or_default(),
        })
    }

    /// Does something with the store and the body on a thread that may wait.
    ///
    /// # Errors
    /// What `what` gives.
    pub async fn with<T: Send + 'static, E: Send + 'static + Into<PageError>>(
        &self,
        what: impl FnOnce(&Store, BodyId) -> Result<T, E> + Send + 'static,
    ) -> Result<T, PageError> {
        let (store, id) = (self.store.clone(), self.id);
        web::block(move || what(&store, id)).await?.map_err(Into::into)
    }

    /// Answers: htmx gets the page to swap parts of, a plain browser is sent to it.
    ///
    /// # Errors
    /// If the page cannot be drawn.
    pub async fn answer(self, notice: Option<String>) -> PageResult {
        let Asked { store, id, place, htmx, .. } = self;
        let url = address(id, &place);
        if notice.is_none() && !htmx {
            return Ok(HttpResponse::SeeOther().insert_header((LOCATION, url)).finish());
        }
        let page = web::block(move || render(&store, id, &place, notice)).await??;
        Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").insert_header(("HX-Push-Url", url)).body(page))
    }

    /// The same at another row of the sheet.
    ///
    /// # Errors
    /// If the page cannot be drawn.
    pub async fn answer_at(self, row: Option<String>) -> PageResult {
        Asked { place: Place { row, ..self.place }, ..self }.answer(None).await
    }

    /// The same, going on by itself when a job has ended.
    ///
    /// # Errors
    /// If the page cannot be drawn.
    pub async fn answer_and_follow(self, done: Queued) -> PageResult {
        let place = Place { after: done.at_work, ..self.place };
        Asked { place, ..self }.answer(done.refused).await
    }

    /// Queues what `work` makes of the body as it is, and waits a moment. Nothing is queued while a step is at work on the
    /// body.
    ///
    /// # Errors
    /// If the database cannot be asked.
    pub async fn queue(
        &self,
        work: impl FnOnce(&Store, &BodyRow, RevisionId) -> hull_store::Result<Work> + Send + 'static,
    ) -> PageResult<Queued> {
        let (store, id, on) = (self.store.clone(), self.id, self.place.on);
        let job = web::block(move || {
            if store.open_job_of_body(id)?.is_some() {
                return Err(StoreError::Refused("A step is at work on this body; wait for it or cancel it.".into()));
            }
            let body = unmoved(&store, id, on)?;
            let head = body.head.ok_or_else(|| StoreError::Refused("The body has not been read yet.".into()))?;
            store.enqueue(&work(&store, &body, head)?, body.project_id, Some(id))
        })
        .await?;
        match job {
            Ok(job) => {
                let ended = settled(&self.store, job, self.patience).await?;
                let at_work = if ended.is_none() { Some(job) } else { None };
                Ok(Queued { refused: ended.as_ref().and_then(Job::sentence), ended, at_work })
            }
            Err(StoreError::Refused(sentence)) => Ok(Queued { refused: Some(sentence), ended: None, at_work: None }),
            Err(other) => Err(other.into()),
        }
    }

    /// Queues a step.
    ///
    /// # Errors
    /// If the database cannot be asked.
    pub async fn run(&self, kind: fn(Applied) -> Work, step: &Step) -> PageResult<Queued> {
        let step = step.clone();
        self.queue(move |_, _, on| Ok(kind(Applied { on, step }))).await
    }

    /// A refusal, said in the unit of the body as it is now.
    ///
    /// # Errors
    /// If the database cannot be asked.
    pub async fn in_its_unit(&self, why: Sentence) -> PageResult<String> {
        let facts = self.with(|store, id| store.body(id)?.head.map(|head| store.revision(head)).transpose()).await?;
        Ok(why.text(facts.map_or(LengthUnit::FileUnits, |r| r.facts.length_unit())))
    }
}

/// The address of a place on a body's page.
pub fn address(id: BodyId, place: &Place) -> String {
    let part = |text: &Option<String>| text.clone().unwrap_or_default();
    let after = place.after.map_or(String::new(), |job| format!("&after={job}"));
    format!("/bodies/{id}?row={}&tab={}{after}", part(&place.row), part(&place.tab))
}

/// Waits a moment for a job; `None` if it is still at work.
async fn settled(store: &web::Data<Store>, job: JobId, patience: Patience) -> PageResult<Option<Job>> {
    let begun = std::time::Instant::now();
    loop {
        let store = store.clone();
        let found = web::block(move || store.job(job)).await??;
        if found.is_over() {
            return Ok(Some(found));
        }
        if begun.elapsed() > patience.0 {
            return Ok(None);
        }
        rt::time::sleep(Duration::from_millis(20)).await;
    }
}

/// A body, unless it is at another state than the one that a form was drawn for.
fn unmoved(store: &Store, id: BodyId, on: Option<RevisionId>) -> hull_store::Result<BodyRow> {
    let body = store.body(id)?;
    if on.is_some() && on != body.head {
        return Err(StoreError::Refused(
            "The body has moved on since this page was drawn, here or elsewhere, so nothing was done. \
             It is shown now as it is; ask again if it is still wanted."
                .into(),
        ));
    }
    Ok(body)
}
