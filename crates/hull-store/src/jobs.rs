//! The job queue: claimed with `SKIP LOCKED` under a lease, so that a dead worker's job runs again.

use crate::schema::{bodies, jobs};
use crate::{Result, Store, StoreError};
use diesel::dsl::{now, sql};
use diesel::pg::PgConnection;
use diesel::prelude::*;
use diesel::sql_types::Timestamptz;
use serde_json::{Value, json};

/// Seconds after which a worker that has not been heard of loses its job.
pub const LEASE: i32 = 15;
/// The kind of the jobs that survey what has arrived.
pub const SURVEY: &str = "survey";
/// A job that has killed this many workers is not tried again.
const ATTEMPTS: i32 = 3;

#[derive(Clone, Debug, Queryable, Selectable)]
pub struct Job {
    pub id: i32,
    pub kind: String,
    pub payload: Value,
    pub project_id: i32,
    pub body_id: Option<i32>,
    pub state: String,
    pub fraction: f64,
    pub phrase: String,
    pub attempts: i32,
    pub result: Option<Value>,
    pub error: Option<String>,
}

impl Job {
    pub fn is_over(&self) -> bool {
        matches!(self.state.as_str(), "done" | "failed" | "cancelled")
    }
}

fn lease() -> diesel::expression::SqlLiteral<Timestamptz> {
    sql::<Timestamptz>(&format!("now() + interval '{LEASE} seconds'"))
}

impl Store {
    pub fn enqueue(&self, kind: &str, payload: Value, project: i32, body: Option<i32>) -> Result<i32> {
        let connection = &mut self.connection()?;
        queue(connection, kind, payload, project, body)
    }

    pub fn job(&self, id: i32) -> Result<Job> {
        let found = jobs::table.find(id).select(Job::as_select()).first(&mut self.connection()?).optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("Job {id}")))
    }

    /// Jobs of a project, newest first, without cancelled ones and failures that were put aside.
    pub fn jobs_of_project(&self, project: i32, kind: &str) -> Result<Vec<Job>> {
        Ok(jobs::table
            .filter(jobs::project_id.eq(project))
            .filter(jobs::kind.eq(kind))
            .filter(jobs::state.ne("cancelled").and(jobs::state.ne("failed").or(jobs::cancel.eq(false))))
            .order(jobs::id.desc())
            .limit(30)
            .select(Job::as_select())
            .load(&mut self.connection()?)?)
    }

    /// The job of a body that is queued or running, surveys aside.
    pub fn open_job_of_body(&self, body: i32) -> Result<Option<Job>> {
        Ok(jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.ne(SURVEY)))
            .filter(jobs::state.eq_any(["queued", "running"]))
            .order(jobs::id.asc())
            .select(Job::as_select())
            .first(&mut self.connection()?)
            .optional()?)
    }

    /// The last job of a body, surveys aside, if it failed on the state the body is in and that has not been put aside.
    pub fn failed_job_of_body(&self, body: i32) -> Result<Option<Job>> {
        let connection = &mut self.connection()?;
        let last: Option<(Job, bool)> = jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.ne(SURVEY)))
            .order(jobs::id.desc())
            .select((Job::as_select(), jobs::cancel))
            .first(connection)
            .optional()?;
        let head = bodies::table.find(body).select(bodies::head).first::<Option<i32>>(connection)?;
        let told = |(job, aside): &(Job, bool)| {
            job.state == "failed"
                && !aside
                && job.payload["on"].as_i64().is_none_or(|on| Some(on) == head.map(i64::from))
        };
        Ok(last.filter(told).map(|(job, _)| job))
    }

    /// Puts the failure of a job aside: it need not be told any more.
    pub fn put_aside(&self, id: i32) -> Result<()> {
        let failed = jobs::table.find(id).filter(jobs::state.eq("failed"));
        diesel::update(failed).set(jobs::cancel.eq(true)).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Asks for the rest of the survey of a state, unless that is under way.
    pub fn ask_for_survey(&self, project: i32, body: i32, revision: i32) -> Result<()> {
        if self.open_survey(body, revision)?.is_none() {
            self.enqueue(SURVEY, json!({ "on": revision }), project, Some(body))?;
        }
        Ok(())
    }

    /// The survey of a state that is queued or running.
    pub fn open_survey(&self, body: i32, revision: i32) -> Result<Option<Job>> {
        let open: Vec<Job> = jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.eq(SURVEY)))
            .filter(jobs::state.eq_any(["queued", "running"]))
            .select(Job::as_select())
            .load(&mut self.connection()?)?;
        Ok(open.into_iter().find(|j| j.payload["on"] == revision))
    }

    /// The job of a kind that was done last for a body.
    pub fn last_done(&self, body: i32, kind: &str) -> Result<Option<Job>> {
        Ok(jobs::table
            .filter(jobs::body_id.eq(body).and(jobs::kind.eq(kind)).and(jobs::state.eq("done")))
            .order(jobs::id.desc())
            .select(Job::as_select())
            .first(&mut self.connection()?)
            .optional()?)
    }

    /// Takes the oldest job that is queued or whose worker has gone silent; surveys wait for what people wait for.
    pub fn claim(&self, worker: &str) -> Result<Option<Job>> {
        let connection = &mut self.connection()?;
        connection.transaction(|c| {
            let waiting = jobs::state.eq("queued").or(jobs::state.eq("running").and(jobs::lease_until.lt(now)));
            let found: Option<(i32, i32)> = jobs::table
                .filter(waiting)
                .order((jobs::kind.eq(SURVEY).asc(), jobs::id.asc()))
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
            let job = diesel::update(jobs::table.find(id))
                .set((
                    jobs::state.eq("running"),
                    jobs::worker.eq(worker),
                    jobs::lease_until.eq(lease().nullable()),
                    jobs::attempts.eq(attempts + 1),
                ))
                .returning(Job::as_returning())
                .get_result(c)?;
            Ok(Some(job))
        })
    }

    /// Renews the lease and reports progress. Returns whether the worker should stop: somebody cancelled
    /// the job, or it is no longer this worker's.
    pub fn heartbeat(&self, id: i32, worker: &str, fraction: f64, phrase: &str) -> Result<bool> {
        let cancel: Option<bool> = diesel::update(jobs::table.find(id))
            .filter(jobs::worker.eq(worker).and(jobs::state.eq("running")))
            .set((jobs::fraction.eq(fraction), jobs::phrase.eq(phrase), jobs::lease_until.eq(lease().nullable())))
            .returning(jobs::cancel)
            .get_result(&mut self.connection()?)
            .optional()?;
        Ok(cancel.unwrap_or(true))
    }

    /// Asks for a job to be stopped; one that has not begun ends at once.
    pub fn cancel_job(&self, id: i32) -> Result<()> {
        let connection = &mut self.connection()?;
        diesel::update(jobs::table.find(id)).set(jobs::cancel.eq(true)).execute(connection)?;
        diesel::update(jobs::table.find(id))
            .filter(jobs::state.eq("queued"))
            .set(jobs::state.eq("cancelled"))
            .execute(connection)?;
        Ok(())
    }

    /// Ends a job that changed nothing.
    pub fn end_job(&self, id: i32, worker: &str, end: JobEnd) -> Result<()> {
        let connection = &mut self.connection()?;
        finish(connection, id, worker, end)
    }
}

/// How a job ended.
pub enum JobEnd {
    Done(Value),
    Failed(String),
    Cancelled,
}

/// Queues a job within a transaction.
pub(crate) fn queue(
    connection: &mut PgConnection,
    kind: &str,
    payload: Value,
    project: i32,
    body: Option<i32>,
) -> Result<i32> {
    Ok(diesel::insert_into(jobs::table)
        .values((jobs::kind.eq(kind), jobs::payload.eq(payload), jobs::project_id.eq(project), jobs::body_id.eq(body)))
        .returning(jobs::id)
        .get_result(connection)?)
}

/// Refused if the job is no longer this worker's.
pub(crate) fn still_at(connection: &mut PgConnection, id: i32, worker: &str) -> Result<()> {
    let mine = jobs::table
        .find(id)
        .filter(jobs::worker.eq(worker).and(jobs::state.eq("running")))
        .select(jobs::id)
        .for_update()
        .first::<i32>(connection)
        .optional()?;
    mine.map(|_| ()).ok_or_else(|| StoreError::Refused(format!("job {id} went to another worker")))
}

/// Ends a job within a transaction. Refused if the job is no longer this worker's: then another worker does
/// it, and what this one computed must not be kept.
pub(crate) fn finish(connection: &mut PgConnection, id: i32, worker: &str, end: JobEnd) -> Result<()> {
    let (state, result, error) = match end {
        JobEnd::Done(result) => ("done", Some(result), None),
        JobEnd::Failed(error) => ("failed", None, Some(error)),
        JobEnd::Cancelled => ("cancelled", None, None),
    };
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
