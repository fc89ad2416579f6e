//! A file that comes again under its name: the steps of the body that it was before are taken on it, with a word for each; the earlier
//! body stays until the new one is accepted.

use crate::answer::Asked;
use crate::context::Ctx;
use crate::error::{PageError, PageResult};
use crate::form::{Fields, text};
use crate::worker::{self, Line, body_of, revisions, surveyed};
use actix_web::{post, web};
use hull_geometry::Watch;
use hull_store::bodies::{BodyRow, Revision};
use hull_store::deleting::Thing;
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::jobs::Job;
use hull_store::work::{Kind, Outcome, State, TakenIn, TakenStep, Work};
use hull_store::{Store, StoreError};
use hull_workshop::neighbours;
use hull_workshop::rules::Fate;
use hull_workshop::{Step, StepError, Survey, apply};

/// The body that a file was before it came again.
pub struct Earlier {
    pub id: BodyId,
    pub name: String,
    /// How many steps it has.
    pub steps: usize,
    /// Whether the file holds the very same geometry.
    pub same: bool,
}

/// What a body's page says of the body that its file was before.
#[derive(Default)]
pub struct Again {
    /// It can be taken in: nothing was done to the new body yet.
    pub earlier: Option<Earlier>,
    /// It was taken in; the earlier body is there still.
    pub taken: Option<Taken>,
}

/// What there is to say of a file that came before.
pub fn again(cx: &Ctx) -> PageResult<Again> {
    if cx.is_preview() {
        return Ok(Again::default());
    }
    if cx.line.len() > 1 {
        return Ok(Again { earlier: None, taken: taken(cx)? });
    }
    let file = &cx.now.facts.source.file;
    let is_before = |s: &&crate::context::Sibling| s.id < cx.body.id && s.file == *file && !file.is_empty();
    let Some(before) = cx.siblings.iter().filter(is_before).max_by_key(|s| s.id) else { return Ok(Again::default()) };
    let steps = cx.store.routine(before.id)?.steps.len();
    let log = cx.store.log(before.id)?;
    let received = log.first().map(|r| cx.store.revision(r.id)).transpose()?;
    // Arrays are stored by the hash of what is in them.
    let alike = |r: &Revision| r.blobs.points == cx.now.blobs.points && r.blobs.triangles == cx.now.blobs.triangles;
    let same = received.is_some_and(|r| r.blobs.points.size > 0 && alike(&r));
    let earlier = Earlier { id: before.id, name: before.name.clone(), steps, same };
    Ok(Again { earlier: Some(earlier), taken: None })
}

/// What taking in did, and the earlier body, if it is there still.
type Taken = (TakenIn, Option<(BodyId, String)>);

/// What taking in did, as long as the earlier body is there.
fn taken(cx: &Ctx) -> PageResult<Option<Taken>> {
    let Some(State::Done(Outcome::TakenIn(told))) = cx.store.last_done(cx.body.id, Kind::TakeIn)?.map(|j| j.state)
    else {
        return Ok(None);
    };
    let earlier = cx.siblings.iter().find(|s| s.state == told.before && s.id != cx.body.id);
    Ok(Some((told, earlier.map(|s| (s.id, s.name.clone())))))
}

fn other(fields: &Fields) -> Result<BodyId, PageError> {
    text(fields, "before").parse().map_err(|_| PageError::refused("Say which body the file was before."))
}

/// Takes the steps of the earlier body.
#[post("/bodies/{body}/take-in")]
pub async fn take_in(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let before = other(&fields)?;
    let work = move |store: &Store, body: &BodyRow, on| {
        let earlier = store.body(before)?;
        let head = earlier.head.filter(|_| earlier.project_id == body.project_id && earlier.id != body.id);
        let head = head.ok_or_else(|| StoreError::Refused("Choose another body of this project.".into()))?;
        Ok(Work::TakeIn { on, before: head, steps: store.routine(before)?.steps })
    };
    let done = asked.queue(work).await?;
    asked.answer_and_follow(done).await
}

/// Accepts what was taken in: the body has the name, the group and the destination of the earlier one, which is deleted; it can be had
/// back for a day.
#[post("/bodies/{body}/accept")]
pub async fn accept(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let before = other(&fields)?;
    let done = asked
        .with(move |store, id| {
            let (own, earlier) = (store.body(id)?, store.body(before)?);
            if own.project_id != earlier.project_id || own.id == earlier.id {
                return Err(StoreError::Refused("Choose another body of this project.".into()));
            }
            store.delete(Thing::Body(before))?;
            store.rename_body(id, &earlier.name)?;
            store.group_body(id, &earlier.grouped)?;
            store.bind_and_survey(id, &earlier.destination)?;
            store.dismiss(id, Kind::TakeIn)
        })
        .await;
    match done {
        Err(why) if why.status == actix_web::http::StatusCode::UNPROCESSABLE_ENTITY => {
            asked.answer(Some(why.sentence)).await
        }
        Err(other) => Err(other),
        Ok(()) => asked.answer(None).await,
    }
}

/// The steps of an earlier body on what its file is now; those that are refused are left out and told.
pub(crate) fn run(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    (on, before, steps): (RevisionId, RevisionId, &[Step]),
    watch: &Watch,
) -> worker::Result<()> {
    let parent = store.revision(on)?;
    let (_, destination) = body_of(store, job)?;
    watch.report(0.0, "fetching the body")?;
    let mut body = store.load(&parent)?;
    let (mut states, mut told) = (Line::new(), Vec::new());
    for (k, step) in steps.iter().enumerate() {
        watch.report(0.9 * k as f64 / steps.len().max(1) as f64, "taking the steps of before")?;
        let title = step.title().text(body.facts.length_unit());
        let asked = neighbours::asked(step, &body);
        match store.put_beside(&mut body, parent.body_id, &asked) {
            Err(StoreError::Refused(said)) => {
                told.push(TakenStep { title, held: false, said });
                continue;
            }
            other => other?,
        }
        match apply(&body, step, &destination, watch) {
            Ok((mut after, change)) => {
                store.put_measured_beside(&mut after, parent.body_id)?;
                told.push(TakenStep { title, held: true, said: change.sentence.clone() });
                states.push((step.clone(), change, after.clone()));
                body = after;
            }
            Err(StepError::Cancelled(c)) => return Err(c.into()),
            Err(StepError::Refused(said)) => told.push(TakenStep { title, held: false, said }),
        }
    }
    let surveys = surveyed(&states, &destination, watch)?;
    let earlier = store.revision(before)?;
    let now = surveys.last().map_or(&parent.survey, |s| &s.0);
    let boundaries = fates(&earlier.survey, now);
    let new = revisions(&states, &surveys);
    watch.report(0.95, "keeping the results")?;
    Ok(store.add_line(at, &parent, &new, Outcome::TakenIn(TakenIn { before, steps: told, boundaries }))?)
}

/// How named boundaries fared from one survey to another: those of before in their order, then new ones.
fn fates(before: &Survey, now: &Survey) -> Vec<(String, String, Option<f64>, f64)> {
    let areas = |survey: &Survey| -> Vec<(String, f64)> {
        let named = survey.names.boundaries.iter().filter_map(|b| Some((b.name.clone()?, b.area)));
        named.collect()
    };
    let (was, is) = (areas(before), areas(now));
    let of = |all: &[(String, f64)], name: &str| all.iter().find(|a| a.0 == name).map(|a| a.1);
    let mut names: Vec<String> = was.iter().map(|w| w.0.clone()).collect();
    names.extend(is.iter().map(|i| i.0.clone()).filter(|n| of(&was, n).is_none()));
    let fate = |name: String| {
        let (b, a) = (of(&was, &name), of(&is, &name).unwrap_or(0.0));
        (name, Fate::of(b, a).word().to_string(), b, a)
    };
    names.into_iter().map(fate).collect()
}
