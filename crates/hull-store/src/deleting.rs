//! Names changed; things deleted, had back, and gone for good after a day.

use crate::ids::{BodyId, HandoverId, JobId, ProjectId};
use crate::schema::{bodies, handovers, jobs, projects};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::connection::SimpleConnection;
use diesel::dsl::sql;
use diesel::expression::SqlLiteral;
use diesel::prelude::*;
use diesel::result::DatabaseErrorKind::UniqueViolation;
use diesel::result::Error::DatabaseError;
use diesel::sql_types::{BigInt, Integer, Nullable, Timestamptz};
use hull_formats::naming::checked;

/// Characters of a project's name.
const LONGEST_PROJECT: usize = 120;
/// Characters of a body's name.
const LONGEST_BODY: usize = 80;
/// The key of the lock under which one server at a time tidies up.
const COLLECTING: i64 = 0x4855_4c4d;

/// What can be deleted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Thing {
    /// With all its bodies.
    Project(ProjectId),
    /// With its states and handovers.
    Body(BodyId),
    /// With its files.
    Handover(HandoverId),
}

impl Thing {
    /// In an address: the word of its kind and its number.
    pub fn address(self) -> (&'static str, i32) {
        match self {
            Thing::Project(id) => ("projects", id.0),
            Thing::Body(id) => ("bodies", id.0),
            Thing::Handover(id) => ("handovers", id.0),
        }
    }

    /// The thing of an address.
    pub fn at(word: &str, id: i32) -> Option<Thing> {
        let all = [Thing::Project(ProjectId(id)), Thing::Body(BodyId(id)), Thing::Handover(HandoverId(id))];
        all.into_iter().find(|t| t.address().0 == word)
    }

    fn missing(self) -> StoreError {
        StoreError::Missing(match self {
            Thing::Project(id) => format!("Project {id}"),
            Thing::Body(id) => format!("Body {id}"),
            Thing::Handover(id) => format!("Handover {id}"),
        })
    }
}

/// Something that was deleted and can be had back.
#[derive(Clone, Debug)]
pub struct Deleted {
    /// What it is.
    pub thing: Thing,
    /// As people call it.
    pub name: String,
    /// When it was deleted.
    pub at: DateTime<Utc>,
}

impl Deleted {
    fn of<Id>(thing: impl Fn(Id) -> Thing) -> impl Fn((Id, String, Option<DateTime<Utc>>)) -> Option<Deleted> {
        move |(id, name, at)| Some(Deleted { thing: thing(id), name, at: at? })
    }
}

/// What tidying up took away.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Collected {
    /// Projects, bodies and handovers that were deleted long enough ago.
    pub things: usize,
    /// Previews that nobody kept, and jobs that ended long ago.
    pub leftovers: usize,
    /// Chunks that nothing names.
    pub chunks: usize,
}

impl Store {
    /// Gives a project another name.
    ///
    /// # Errors
    /// If the name cannot be one, or is taken.
    pub fn rename_project(&self, id: ProjectId, name: &str) -> Result<()> {
        let name = project_name(name)?;
        let changed = diesel::update(projects::table.find(id).filter(projects::deleted_at.is_null()))
            .set(projects::name.eq(&name))
            .execute(&mut self.connection()?)
            .map_err(|e| taken(e, &name))?;
        if changed == 1 { Ok(()) } else { Err(Thing::Project(id).missing()) }
    }

    /// Gives a body another name.
    ///
    /// # Errors
    /// If the name cannot be one.
    pub fn rename_body(&self, id: BodyId, name: &str) -> Result<()> {
        let name = checked("A body", name, LONGEST_BODY).map_err(StoreError::Refused)?;
        self.change_body(id, &BodyChange { name: Some(name), ..BodyChange::default() })
    }

    fn change_body(&self, id: BodyId, change: &BodyChange) -> Result<()> {
        let changed = diesel::update(bodies::table.find(id).filter(bodies::deleted_at.is_null()))
            .set(change)
            .execute(&mut self.connection()?)?;
        if changed == 1 { Ok(()) } else { Err(Thing::Body(id).missing()) }
    }

    /// Puts a body into a group of its project, or with an empty name into none.
    ///
    /// # Errors
    /// If the name cannot be one.
    pub fn group_body(&self, id: BodyId, name: &str) -> Result<()> {
        let name = if name.trim().is_empty() { String::new() } else { group_name(name)? };
        self.change_body(id, &BodyChange { grouped: Some(name), ..BodyChange::default() })
    }

    /// Lists a body only when asked for, or always again.
    pub fn hide_body(&self, id: BodyId, hidden: bool) -> Result<()> {
        self.change_body(id, &BodyChange { hidden: Some(hidden), ..BodyChange::default() })
    }

    /// Deletes something; for a day it can be had back. Jobs that are at work on it are cancelled.
    pub fn delete(&self, thing: Thing) -> Result<()> {
        self.connection()?.transaction(|c| {
            let changed = match thing {
                Thing::Project(id) => {
                    cancel_jobs(c, Some(id), None)?;
                    diesel::update(projects::table.find(id).filter(projects::deleted_at.is_null()))
                        .set(projects::deleted_at.eq(at_once()))
                        .execute(c)?
                }
                Thing::Body(id) => {
                    cancel_jobs(c, None, Some(id))?;
                    diesel::update(bodies::table.find(id).filter(bodies::deleted_at.is_null()))
                        .set(bodies::deleted_at.eq(at_once()))
                        .execute(c)?
                }
                Thing::Handover(id) => {
                    diesel::update(handovers::table.find(id).filter(handovers::deleted_at.is_null()))
                        .set(handovers::deleted_at.eq(at_once()))
                        .execute(c)?
                }
            };
            if changed == 1 { Ok(()) } else { Err(thing.missing()) }
        })
    }

    /// Has something back that was deleted.
    ///
    /// # Errors
    /// If it is gone for good, or a project's name has been taken meanwhile.
    pub fn restore(&self, thing: Thing) -> Result<()> {
        let c = &mut self.connection()?;
        let none = None::<DateTime<Utc>>;
        let changed = match thing {
            Thing::Project(id) => {
                let name: Option<String> = projects::table.find(id).select(projects::name).first(c).optional()?;
                let name = name.unwrap_or_default();
                let target = projects::table.find(id).filter(projects::deleted_at.is_not_null());
                diesel::update(target).set(projects::deleted_at.eq(none)).execute(c).map_err(|e| taken(e, &name))?
            }
            Thing::Body(id) => diesel::update(bodies::table.find(id).filter(bodies::deleted_at.is_not_null()))
                .set(bodies::deleted_at.eq(none))
                .execute(c)?,
            Thing::Handover(id) => {
                diesel::update(handovers::table.find(id).filter(handovers::deleted_at.is_not_null()))
                    .set(handovers::deleted_at.eq(none))
                    .execute(c)?
            }
        };
        if changed == 1 { Ok(()) } else { Err(thing.missing()) }
    }

    /// Projects that can be had back, the last deleted first.
    pub fn deleted_projects(&self) -> Result<Vec<Deleted>> {
        let rows: Vec<(ProjectId, String, Option<DateTime<Utc>>)> = projects::table
            .filter(projects::deleted_at.is_not_null())
            .order(projects::deleted_at.desc())
            .select((projects::id, projects::name, projects::deleted_at))
            .load(&mut self.connection()?)?;
        Ok(rows.into_iter().filter_map(Deleted::of(Thing::Project)).collect())
    }

    /// Bodies and handovers of a project that can be had back, the last deleted first.
    pub fn deleted_of(&self, project: ProjectId) -> Result<Vec<Deleted>> {
        let c = &mut self.connection()?;
        let of_bodies: Vec<(BodyId, String, Option<DateTime<Utc>>)> = bodies::table
            .filter(bodies::project_id.eq(project).and(bodies::deleted_at.is_not_null()))
            .select((bodies::id, bodies::name, bodies::deleted_at))
            .load(c)?;
        let of_handovers: Vec<(HandoverId, String, Option<DateTime<Utc>>)> = handovers::table
            .inner_join(bodies::table.on(handovers::body_id.eq(bodies::id)))
            .filter(bodies::project_id.eq(project).and(bodies::deleted_at.is_null()))
            .filter(handovers::deleted_at.is_not_null())
            .select((handovers::id, handovers::name, handovers::deleted_at))
            .load(c)?;
        let handed = of_handovers.into_iter().filter_map(Deleted::of(Thing::Handover));
        let mut out: Vec<Deleted> = of_bodies.into_iter().filter_map(Deleted::of(Thing::Body)).chain(handed).collect();
        out.sort_by(|a, b| b.at.cmp(&a.at).then(a.thing.cmp(&b.thing)));
        Ok(out)
    }

    /// Bytes in the database that a project's states, handovers and files take, each chunk counted once.
    pub fn usage(&self, project: ProjectId) -> Result<u64> {
        #[derive(QueryableByName)]
        struct Sum {
            #[diesel(sql_type = Nullable<BigInt>)]
            bytes: Option<i64>,
        }
        let sum: Sum = diesel::sql_query(
            "SELECT sum(octet_length(data))::bigint AS bytes FROM chunks WHERE hash IN (
               SELECT decode(named #>> '{}', 'hex') FROM (
                 SELECT jsonb_path_query(r.blobs, 'strict $.**.chunks[*]') AS named
                   FROM revisions r JOIN bodies b ON b.id = r.body_id WHERE b.project_id = $1
                 UNION SELECT jsonb_path_query(h.zip, '$.chunks[*]')
                   FROM handovers h JOIN bodies b ON b.id = h.body_id WHERE b.project_id = $1
                 UNION SELECT jsonb_path_query(j.payload, 'strict $.**.chunks[*]') FROM jobs j WHERE j.project_id = $1
               ) AS of_project)",
        )
        .bind::<Integer, _>(project)
        .get_result(&mut self.connection()?)?;
        Ok(sum.bytes.unwrap_or(0).unsigned_abs())
    }

    /// Takes away for good what was deleted `seconds` ago and before, previews and ended jobs that old, and chunks that
    /// nothing has named since. Nothing if another server is at it.
    pub fn collect(&self, seconds: u32) -> Result<Collected> {
        let old = || sql::<Timestamptz>(&format!("now() - interval '{seconds} seconds'"));
        self.connection()?.transaction(|c| {
            #[derive(QueryableByName)]
            struct Got {
                #[diesel(sql_type = diesel::sql_types::Bool)]
                got: bool,
            }
            let lock = format!("SELECT pg_try_advisory_xact_lock({COLLECTING}) AS got");
            if !diesel::sql_query(lock).get_result::<Got>(c)?.got {
                return Ok(Collected::default());
            }
            let things = diesel::delete(projects::table.filter(projects::deleted_at.le(old().nullable()))).execute(c)?
                + diesel::delete(bodies::table.filter(bodies::deleted_at.le(old().nullable()))).execute(c)?
                + diesel::delete(handovers::table.filter(handovers::deleted_at.le(old().nullable()))).execute(c)?;
            let leftovers = diesel::sql_query(format!(
                "DELETE FROM revisions WHERE preview AND created_at <= now() - interval '{seconds} seconds'"
            ))
            .execute(c)?
                // What arrived stays told, and of each body the file that was last written.
                + diesel::sql_query(format!(
                    "DELETE FROM jobs j WHERE created_at <= now() - interval '{seconds} seconds' AND (
                       state = 'cancelled' OR (state IN ('done', 'refused', 'failed') AND kind <> 'receive' AND EXISTS (
                         SELECT 1 FROM jobs n WHERE n.body_id = j.body_id AND n.kind = j.kind AND n.id > j.id)))"
                ))
                .execute(c)?;
            // Chunks that are stored while this runs are younger than what is taken away.
            c.batch_execute(
                "CREATE TEMPORARY TABLE named ON COMMIT DROP AS
                   SELECT DISTINCT decode(named #>> '{}', 'hex') AS hash FROM (
                     SELECT jsonb_path_query(blobs, 'strict $.**.chunks[*]') AS named FROM revisions
                     UNION ALL SELECT jsonb_path_query(zip, '$.chunks[*]') FROM handovers
                     UNION ALL SELECT jsonb_path_query(payload, 'strict $.**.chunks[*]') FROM jobs
                     UNION ALL SELECT jsonb_path_query(result, 'strict $.**.chunks[*]') FROM jobs WHERE result IS NOT NULL
                   ) AS every;
                 CREATE INDEX ON named (hash); ANALYZE named",
            )?;
            let chunks = diesel::sql_query(format!(
                "DELETE FROM chunks c WHERE used_at <= now() - interval '{seconds} seconds'
                   AND NOT EXISTS (SELECT 1 FROM named n WHERE n.hash = c.hash)"
            ))
            .execute(c)?;
            Ok(Collected { things, leftovers, chunks })
        })
    }
}

/// A project's name as it may be.
pub(crate) fn project_name(name: &str) -> Result<String> {
    checked("A project", name, LONGEST_PROJECT).map_err(StoreError::Refused)
}

fn taken(e: diesel::result::Error, name: &str) -> StoreError {
    match e {
        DatabaseError(UniqueViolation, _) => {
            StoreError::Refused(format!("There is a project “{name}” already; choose another name."))
        }
        other => other.into(),
    }
}

/// Cancels the jobs of a project, or of one body.
fn cancel_jobs(c: &mut diesel::PgConnection, project: Option<ProjectId>, body: Option<BodyId>) -> Result<()> {
    let mut open = jobs::table.filter(jobs::state.eq_any(["queued", "running"])).select(jobs::id).into_boxed();
    if let Some(id) = project {
        open = open.filter(jobs::project_id.eq(id));
    }
    if let Some(id) = body {
        open = open.filter(jobs::body_id.eq(id));
    }
    let ids: Vec<JobId> = open.load(c)?;
    diesel::update(jobs::table.filter(jobs::id.eq_any(&ids))).set(jobs::cancel.eq(true)).execute(c)?;
    let waiting = jobs::table.filter(jobs::id.eq_any(&ids).and(jobs::state.eq("queued")));
    diesel::update(waiting).set(jobs::state.eq("cancelled")).execute(c)?;
    Ok(())
}

fn at_once() -> SqlLiteral<Nullable<Timestamptz>> {
    sql("now()")
}

/// What is changed of a body; what is none stays.
#[derive(AsChangeset, Default)]
#[diesel(table_name = bodies)]
struct BodyChange {
    name: Option<String>,
    grouped: Option<String>,
    hidden: Option<bool>,
}

fn group_name(name: &str) -> Result<String> {
    checked("A group", name, LONGEST_BODY).map_err(StoreError::Refused)
}
