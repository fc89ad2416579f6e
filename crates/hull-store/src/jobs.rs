//! The job queue: claimed with `SKIP LOCKED` under a lease, so that a dead worker's job runs again.

use crate::ids::{BodyId, JobId, ProjectId, RevisionId};
use crate::schema::{bodies, jobs};
use crate::work::{Kind, On, Outcome, State, Work};
use crate::{Result, Store, StoreError};
use diesel::dsl::{now, sql};
use diesel::pg::PgConnection;
use diesel::prelude::*;
use diesel::sql_types::Timestamptz;
use serde_json::Value;
use std::collections::HashMap;

/// Seconds after which a worker that has not been heard of loses its job.
pub const LEASE: i32 = 15;
/// A job that has killed this many workers is not tried again.
const ATTEMPTS: i32 = 3;

#[derive(Queryable, Selectable)]
#[diesel(table_name = jobs)]
struct Row {
    id: JobId,
    kind: String,
    payload: Value,
    project_id: ProjectId,
    body_id: Option<BodyId>,
    state: String,
    fraction: f64,
    phrase: String,
    attempts: i32,
    result: Option<Value>,
    error: Option<String>,
}

/// A job.
#[derive(Clone, Debug)]
pub struct Job {
    /// Its number.
    pub id: JobId,
    /// What it is to do.
    pub work: Work,
    /// Where it stands.
    pub state: State,
    /// The project it is for.
    pub project_id: ProjectId,
    /// The body it is for, where there is one yet.
    pub body_id: Option<BodyId>,
    /// How far it has come, 0 to 1.
    pub fraction: f64,
    /// What it does now.
    pub phrase: String,
    /// How often a worker began it.
    pub attempts: i32,
}

impl Row {
    fn read(self) -> Result<Job> {
        let work = Work::of(&self.kind, self.payload)?;
        Ok(Job {
            id: self.id,
            state: State::of(&self.state, work.kind(), self.result, self.error)?,
            work,
            project_id: self.project_id,
            body_id: self.body_id,
            fraction: self.fraction,
            phrase: self.phrase,
            attempts: self.attempts,
        })
    }
}

impl Job {
    /// Whether it has ended, one way or another.
    pub fn is_over(&self) -> bool {
        self.state.is_over()
    }

    /// Why it was refused or failed.
    pub fn sentence(&self) -> Option<String> {
        self.state.sentence().map(str::to_string)
    }

    /// What came of it.
    pub fn outcome(&self) -> Option<&Outcome> {
        if let State::Done(outcome) = &self.state { Some(outcome) } else { None }
    }
}

/// What is at work on a body.
#[derive(Clone, Debug, Default)]
pub struct OnBody {
    /// The job that is queued or running, surveys aside.
    pub open: Option<Job>,
    /// The states that are being surveyed.
    pub surveys: Vec<RevisionId>,
    /// A job that was refused or failed and was not put aside: the last one, if that was on the state the body is in; else
    /// the last of those that came too late, because the body had gone elsewhere while they were at work.
    pub failed: Option<Job>,
}

/// How a worker left the job that it had; a job that was cancelled is cancelled, whichever it is.
#[derive(Clone, Copy, Debug)]
pub enum Left<'a> {
    /// The job has come to this end.
    Ended(&'a State),
    /// Something ended the worker: the job is begun again, a few times at most.
    Killed,
    /// The worker had to go for a reason of its own: the job goes back as if it had not been begun.
    Innocent,
}

/// What is told of a step whose body went elsewhere while it was at work.
pub(crate) const TOO_LATE: &str = "The body was changed while this was at work, so nothing of it was kept. Look at the body as it is now, and repeat the step if it is still wanted.";

/// States of jobs that have not ended.
const OPEN: [&str; 2] = ["queued", "running"];
/// States of jobs that ended with a sentence.
const TOLD: [&str; 2] = ["refused", "failed"];

fn lease() -> diesel::expression::SqlLiteral<Timestamptz> {
    sql::<Timestamptz>(&format!("now() + interval '{LEASE} seconds'"))
}

impl Store {
    /// Queues a job; gives its number.
    pub fn enqueue(&self, work: &Work, project: ProjectId, body: Option<BodyId>) -> Result<JobId> {
        queue(&mut *self.connection()?, work, project, body)
    }

    /// A job.
    pub fn job(&self, id: JobId) -> Result<Job> {
        let found = jobs::table.find(id).select(Row::as_select()).first(&mut self.connection()?).optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("Job {id}")))?.read()
    }

    /// Jobs of a project, newest first, without cancelled ones and failures that were put aside.
    pub fn jobs_of_project(&self, project: ProjectId, kind: Kind) -> Result<Vec<Job>> {
        let rows: Vec<Row> = jobs::table
            .filter(jobs::project_id.eq(project))
            .filter(jobs::kind.eq(kind.word()))
            .filter(jobs::state.ne("cancelled").and(jobs::state.ne_all(TOLD).or(jobs::cancel.eq(false))))
            .order(jobs::id.desc())
            .limit(30)
            .select(Row::as_select())
            .load(&mut self.connection()?)?;
        // What an older version did in ways that nobody knows now is not listed.
        Ok(rows.into_iter().filter_map(|row| row.read().ok()).collect())
    }

    /// The job of a body that is queued or running, surveys aside.
    pub fn open_job_of_body(&self, body: BodyId) -> Result<Option<Job>> {
        let row: Option<Row> = jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.ne(Kind::Survey.word())))
            .filter(jobs::state.eq_any(OPEN))
            .order(jobs::id.asc())
            .select(Row::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        row.map(Row::read).transpose()
    }

    /// The job of a body that is to be told as refused or failed: see [`OnBody::failed`].
    pub fn failed_job_of_body(&self, body: BodyId) -> Result<Option<Job>> {
        Ok(told(&mut *self.connection()?, Of::Body(body))?.remove(&body))
    }

    /// What is at work on each body of a project, by two statements.
    pub fn jobs_by_body(&self, project: ProjectId) -> Result<HashMap<BodyId, OnBody>> {
        let c = &mut self.connection()?;
        let open: Vec<Row> = jobs::table
            .filter(jobs::project_id.eq(project).and(jobs::body_id.is_not_null()).and(jobs::state.eq_any(OPEN)))
            .order(jobs::id.desc())
            .select(Row::as_select())
            .load(c)?;
        let failed = told(c, Of::Project(project))?;
        let mut out: HashMap<BodyId, OnBody> = HashMap::new();
        for job in open.into_iter().map(Row::read) {
            let job = job?;
            let Some(body) = job.body_id else { continue };
            let on = out.entry(body).or_default();
            match (job.work.kind(), job.work.on()) {
                (Kind::Survey, state) => on.surveys.extend(state),
                // The oldest comes last.
                _ => on.open = Some(job),
            }
        }
        for (body, job) in failed {
            out.entry(body).or_default().failed = Some(job);
        }
        Ok(out)
    }

    /// Puts the failure of a job aside: it need not be told any more.
    pub fn put_aside(&self, id: JobId) -> Result<()> {
        let failed = jobs::table.find(id).filter(jobs::state.eq_any(TOLD));
        diesel::update(failed).set(jobs::cancel.eq(true)).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Puts aside what came of jobs of a kind for a body, as a proposal: it is not shown any more.
    pub fn dismiss(&self, body: BodyId, kind: Kind) -> Result<()> {
        let done = jobs::table.filter(jobs::body_id.eq(body).and(jobs::kind.eq(kind.word())));
        diesel::update(done.filter(jobs::state.eq("done")))
            .set(jobs::cancel.eq(true))
            .execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Asks for the rest of the survey of a state, unless that is under way.
    pub fn ask_for_survey(&self, project: ProjectId, body: BodyId, revision: RevisionId) -> Result<()> {
        if self.open_survey(body, revision)?.is_none() {
            self.enqueue(&Work::Survey(On { on: revision }), project, Some(body))?;
        }
        Ok(())
    }

    /// The survey of a state that is queued or running.
    pub fn open_survey(&self, body: BodyId, revision: RevisionId) -> Result<Option<Job>> {
        let rows: Vec<Row> = jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.eq(Kind::Survey.word())))
            .filter(jobs::state.eq_any(OPEN))
            .select(Row::as_select())
            .load(&mut self.connection()?)?;
        let open = rows.into_iter().map(Row::read).collect::<Result<Vec<_>>>()?;
        Ok(open.into_iter().find(|j| j.work.on() == Some(revision)))
    }

    /// The job of a kind that was done last for a body.
    pub fn last_done(&self, body: BodyId, kind: Kind) -> Result<Option<Job>> {
        let row: Option<Row> = jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.eq(kind.word())).and(jobs::state.eq("done")))
            .filter(jobs::cancel.eq(false))
            .order(jobs::id.desc())
            .select(Row::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        row.map(Row::read).transpose()
    }

    /// Takes the oldest job that is queued or whose worker has gone silent; surveys wait for what people wait for.
    pub fn claim(&self, worker: &str) -> Result<Option<Job>> {
        let connection = &mut self.connection()?;
        connection.transaction(|c| {
            let waiting = jobs::state.eq("queued").or(jobs::state.eq("running").and(jobs::lease_until.lt(now)));
            // A worker that went silent in a job that was cancelled has ended it.
            let silent = jobs::state.eq("running").and(jobs::lease_until.lt(now)).and(jobs::cancel.eq(true));
            diesel::update(jobs::table.filter(silent)).set(jobs::state.eq("cancelled")).execute(c)?;
            let found: Option<(JobId, i32)> = jobs::table
                .filter(waiting)
                .order((jobs::kind.eq(Kind::Survey.word()).asc(), jobs::id.asc()))
                .select((jobs::id, jobs::attempts))
                .for_update()
                .skip_locked()
                .first(c)
                .optional()?;
            let Some((id, attempts)) = found else { return Ok(None) };
            if attempts >= ATTEMPTS {
                let reason = format!("given up after {ATTEMPTS} workers stopped in the middle of it");
                diesel::update(jobs::table.find(id))
                    .set((jobs::state.eq("failed"), jobs::error.eq(reason)))
                    .execute(c)?;
                return Ok(None);
            }
            let job: Row = diesel::update(jobs::table.find(id))
                .set((
                    jobs::state.eq("running"),
                    jobs::worker.eq(worker),
                    jobs::lease_until.eq(lease().nullable()),
                    jobs::attempts.eq(attempts + 1),
                    jobs::begun_at.eq(sql("now()")),
                ))
                .returning(Row::as_returning())
                .get_result(c)?;
            match job.read() {
                Ok(job) => Ok(Some(job)),
                // Nobody here knows how: it must not come back again and again.
                Err(e) => {
                    diesel::update(jobs::table.find(id))
                        .set((jobs::state.eq("failed"), jobs::error.eq(e.to_string())))
                        .execute(c)?;
                    Ok(None)
                }
            }
        })
    }

    /// Renews the lease and reports progress. Returns whether the worker should stop: somebody cancelled
    /// the job, or it is no longer this worker's.
    pub fn heartbeat(&self, id: JobId, worker: &str, fraction: f64, phrase: &str) -> Result<bool> {
        let cancel: Option<bool> = diesel::update(jobs::table.find(id))
            .filter(jobs::worker.eq(worker).and(jobs::state.eq("running")))
            .set((jobs::fraction.eq(fraction), jobs::phrase.eq(phrase), jobs::lease_until.eq(lease().nullable())))
            .returning(jobs::cancel)
            .get_result(&mut self.connection()?)
            .optional()?;
        Ok(cancel.unwrap_or(true))
    }

    /// Asks for a job to be stopped; one that has not begun ends at once.
    pub fn cancel_job(&self, id: JobId) -> Result<()> {
        let connection = &mut self.connection()?;
        diesel::update(jobs::table.find(id)).set(jobs::cancel.eq(true)).execute(connection)?;
        diesel::update(jobs::table.find(id))
            .filter(jobs::state.eq("queued"))
            .set(jobs::state.eq("cancelled"))
            .execute(connection)?;
        Ok(())
    }

    /// Settles the job that a worker had when it ended; gives its number, if it had one.
    pub fn worker_is_gone(&self, worker: &str, left: Left) -> Result<Option<JobId>> {
        self.connection()?.transaction(|c| {
            let held: Option<(JobId, bool, i32)> = jobs::table
                .filter(jobs::worker.eq(worker).and(jobs::state.eq("running")))
                .select((jobs::id, jobs::cancel, jobs::attempts))
                .for_update()
                .first(c)
                .optional()?;
            let Some((id, cancelled, attempts)) = held else { return Ok(None) };
            let attempts = match left {
                _ if cancelled => return finish(c, id, worker, &State::Cancelled).map(|()| Some(id)),
                Left::Ended(end) => return finish(c, id, worker, end).map(|()| Some(id)),
                Left::Killed => attempts,
                Left::Innocent => attempts - 1,
            };
            let none = None::<chrono::DateTime<chrono::Utc>>;
            let waiting = (jobs::lease_until.eq(none), jobs::begun_at.eq(none));
            let back = (jobs::state.eq("queued"), waiting, jobs::attempts.eq(attempts));
            diesel::update(jobs::table.find(id)).set(back).execute(c)?;
            Ok(Some(id))
        })
    }

    /// Ends a job that changed nothing.
    pub fn end_job(&self, id: JobId, worker: &str, end: &State) -> Result<()> {
        finish(&mut *self.connection()?, id, worker, end)
    }
}

/// Whose jobs.
#[derive(Clone, Copy)]
enum Of {
    Project(ProjectId),
    Body(BodyId),
}

/// The job to be told as refused or failed, by body; see [`OnBody::failed`].
fn told(c: &mut PgConnection, of: Of) -> Result<HashMap<BodyId, Job>> {
    let mut asked = jobs::table
        .inner_join(bodies::table.on(jobs::body_id.eq(bodies::id.nullable())))
        .filter(jobs::kind.ne(Kind::Survey.word()))
        .into_boxed();
    asked = match of {
        Of::Project(id) => asked.filter(jobs::project_id.eq(id)),
        Of::Body(id) => asked.filter(jobs::body_id.eq(id)),
    };
    // The last job of each body, whatever became of it, and those that came too late.
    let last = sql::<diesel::sql_types::Bool>(
        "jobs.id = (SELECT max(l.id) FROM jobs l WHERE l.body_id = jobs.body_id AND l.kind <> 'survey')",
    );
    let late = jobs::error.eq(TOO_LATE).and(jobs::cancel.eq(false));
    let rows: Vec<(Row, bool, Option<RevisionId>)> = asked
        .filter(last.or(late.assume_not_null()))
        .order(jobs::id.asc())
        .select((Row::as_select(), jobs::cancel, bodies::head))
        .load(c)?;
    let mut out = HashMap::new();
    for (row, aside, head) in rows.into_iter().filter(|(row, ..)| TOLD.contains(&row.state.as_str())) {
        let late = row.error.as_deref() == Some(TOO_LATE);
        let job = row.read()?;
        let here = job.work.on().is_none_or(|on| Some(on) == head);
        if let (false, true, Some(body)) = (aside, late || here, job.body_id) {
            out.insert(body, job);
        }
    }
    Ok(out)
}

/// Queues a job within a transaction.
pub(crate) fn queue(
    connection: &mut PgConnection,
    work: &Work,
    project: ProjectId,
    body: Option<BodyId>,
) -> Result<JobId> {
    let (kind, payload) = work.columns()?;
    Ok(diesel::insert_into(jobs::table)
        .values((jobs::kind.eq(kind), jobs::payload.eq(payload), jobs::project_id.eq(project), jobs::body_id.eq(body)))
        .returning(jobs::id)
        .get_result(connection)?)
}

/// Refused if the job is no longer this worker's.
pub(crate) fn still_at(connection: &mut PgConnection, id: JobId, worker: &str) -> Result<()> {
    let mine = jobs::table
        .find(id)
        .filter(jobs::worker.eq(worker).and(jobs::state.eq("running")))
        .select(jobs::id)
        .for_update()
        .first::<JobId>(connection)
        .optional()?;
    mine.map(|_| ()).ok_or_else(|| StoreError::Refused(format!("job {id} went to another worker")))
}

/// Ends a job within a transaction. Refused if the job is no longer this worker's: then another worker does
/// it, and what this one computed must not be kept.
pub(crate) fn finish(connection: &mut PgConnection, id: JobId, worker: &str, end: &State) -> Result<()> {
    if !end.is_over() {
        return Err(StoreError::Refused(format!("job {id} has not ended")));
    }
    let result = if let State::Done(outcome) = end { Some(outcome.column()?) } else { None };
    let (state, error) = (end.word(), end.sentence());
    let changed = diesel::update(jobs::table.find(id))
        .filter(jobs::worker.eq(worker).and(jobs::state.eq("running")))
        .set((
            jobs::state.eq(state),
            jobs::result.eq(result),
            jobs::error.eq(error),
            jobs::fraction.eq(1.0),
            jobs::lease_until.eq(None::<chrono::DateTime<chrono::Utc>>),
        ))
        .execute(connection)?;
    if changed == 1 { Ok(()) } else { Err(StoreError::Refused(format!("job {id} went to another worker"))) }
}
