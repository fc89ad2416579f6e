//! What goes on in a project, for pages that follow it: what changes a page, and how far jobs have come, by two statements.

use crate::blobs::hex;
use crate::ids::{BodyId, JobId, ProjectId};
use crate::jobs::Job;
use crate::{Result, Store};
use chrono::Utc;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Bool, Double, Integer, Nullable, Text};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicI64, Ordering::Relaxed};

/// A project at one moment.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Pulse {
    /// When it was looked at, in milliseconds since 1970: what was drawn later has seen more.
    pub at: i64,
    /// Changes with anything that the project's page shows, but for how far jobs have come.
    pub project: String,
    /// The same for the page of each body.
    pub bodies: BTreeMap<BodyId, BodyPulse>,
    /// Jobs that are queued or running, oldest first.
    pub jobs: Vec<Moving>,
}

/// What tells whether a body's page is still as it was drawn.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct BodyPulse {
    /// Changes with the body's state, name, destination, preview and jobs.
    pub key: String,
    /// Changes as its survey fills in the sheet.
    pub surveyed: String,
}

/// A job under way.
#[derive(Clone, Debug, PartialEq, QueryableByName)]
pub struct Moving {
    /// Its number.
    #[diesel(sql_type = Integer)]
    pub id: JobId,
    /// Whether a worker is at it.
    #[diesel(sql_type = Bool)]
    pub running: bool,
    /// How far it has come, 0 to 1.
    #[diesel(sql_type = Double)]
    pub fraction: f64,
    /// What it is at.
    #[diesel(sql_type = Text)]
    pub phrase: String,
    /// Seconds since a worker took it.
    #[diesel(sql_type = Double)]
    pub elapsed: f64,
    /// How many jobs will be taken before it, of any project.
    #[diesel(sql_type = BigInt)]
    pub ahead: i64,
}

impl Moving {
    /// Seconds that are left if it goes on as it went, once it has come far enough to tell.
    pub fn left(&self) -> Option<f64> {
        let far = self.running && self.fraction >= 0.05 && self.elapsed >= 2.0;
        far.then(|| self.elapsed * (1.0 - self.fraction.min(1.0)) / self.fraction)
    }

    /// Elapsed and left, or the place in the queue.
    pub fn time(&self) -> String {
        let clock = |s: f64| format!("{}:{:02}", s as u64 / 60, s as u64 % 60);
        match (self.running, self.left()) {
            (true, Some(left)) => format!("{} elapsed, about {} left", clock(self.elapsed), clock(left)),
            (true, None) => format!("{} elapsed", clock(self.elapsed)),
            (false, _) if self.ahead <= 0 => "next in the queue".into(),
            (false, _) if self.ahead == 1 => "one job is before it in the queue".into(),
            (false, _) => format!("{} jobs are before it in the queue", self.ahead),
        }
    }
}

#[derive(QueryableByName)]
struct Key {
    #[diesel(sql_type = Nullable<Integer>)]
    id: Option<BodyId>,
    #[diesel(sql_type = Text)]
    key: String,
    #[diesel(sql_type = Text)]
    surveyed: String,
}

/// One line a body, and one without number for the project. A job that was put aside has `cancel` set.
const KEYS: &str = "
    SELECT b.id,
      md5(concat_ws(' ', b.name, b.head, b.tip, b.destination, b.destination_version, b.deleted_at,
        (SELECT max(r.id) FROM revisions r WHERE r.body_id = b.id AND r.preview),
        (SELECT string_agg(concat_ws(' ', j.id, j.state, j.cancel), ',' ORDER BY j.id) FROM jobs j
           WHERE j.body_id = b.id AND j.kind <> 'survey' AND j.state IN ('queued', 'running')),
        (SELECT concat_ws(' ', max(j.id), count(*) FILTER (WHERE j.cancel)) FROM jobs j
           WHERE j.body_id = b.id AND j.kind <> 'survey'))) AS key,
      coalesce((SELECT string_agg(concat_ws(' ', j.id, j.state, j.phrase), ',' ORDER BY j.id) FROM jobs j
         WHERE j.body_id = b.id AND j.kind = 'survey' AND j.state IN ('queued', 'running')), '') AS surveyed
      FROM bodies b WHERE b.project_id = $1
    UNION ALL
    SELECT NULL, md5(concat_ws(' ', (SELECT concat_ws(' ', p.name, p.deleted_at) FROM projects p WHERE p.id = $1),
        (SELECT string_agg(concat_ws(' ', j.id, j.state), ',' ORDER BY j.id) FROM jobs j
           WHERE j.project_id = $1 AND j.state IN ('queued', 'running')),
        (SELECT concat_ws(' ', max(j.id), count(*) FILTER (WHERE j.cancel)) FROM jobs j WHERE j.project_id = $1))), ''
    ORDER BY 1";

/// Surveys wait for what people wait for, as when jobs are claimed.
const MOVING: &str = "
    SELECT o.id, o.state = 'running' AS running, o.fraction, o.phrase,
      coalesce(extract(epoch FROM now() - o.begun_at), 0)::float8 AS elapsed, o.ahead
      FROM (SELECT j.*, row_number() OVER (ORDER BY j.state = 'queued', j.kind = 'survey', j.id)
              - count(*) FILTER (WHERE j.state = 'running') OVER () - 1 AS ahead
              FROM jobs j WHERE j.state IN ('queued', 'running')) o
      WHERE o.project_id = $1 ORDER BY o.id";

impl Pulse {
    /// Elapsed and left of a job, or its place in the queue; empty for one that is over.
    pub fn time(&self, job: &Job) -> String {
        self.jobs.iter().find(|m| m.id == job.id).map(Moving::time).unwrap_or_default()
    }
}

/// Milliseconds since 1970, never less than was said before: a clock that is put back must not make news look old.
fn now() -> i64 {
    static LATEST: AtomicI64 = AtomicI64::new(0);
    let now = Utc::now().timestamp_millis();
    LATEST.fetch_max(now, Relaxed).max(now)
}

impl Store {
    /// What goes on in a project now.
    ///
    /// # Errors
    /// If the database cannot be asked.
    pub fn pulse(&self, project: ProjectId) -> Result<Pulse> {
        let at = now();
        let connection = &mut self.connection()?;
        let keys: Vec<Key> = diesel::sql_query(KEYS).bind::<Integer, _>(project).load(connection)?;
        let jobs = diesel::sql_query(MOVING).bind::<Integer, _>(project).load(connection)?;
        let mut out = Pulse { at, jobs, ..Pulse::default() };
        let mut whole = String::new();
        for line in keys {
            whole.push_str(&line.key);
            whole.push_str(&line.surveyed);
            if let Some(body) = line.id {
                out.bodies.insert(body, BodyPulse { key: line.key, surveyed: line.surveyed });
            }
        }
        out.project = hex(&Sha256::digest(whole)[..8]);
        Ok(out)
    }
}
