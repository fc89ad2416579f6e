//! Bodies and their revisions.

use crate::blobs::Blob;
use crate::ids::{BodyId, JobId, ProjectId, RevisionId};
use crate::jobs::{TOO_LATE, finish, queue, still_at};
use crate::neighbours::ask_to_measure_again;
use crate::schema::{bodies, projects, revisions};
use crate::work::{ArrivalSummary, On, Outcome, State, Work};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::expression::SqlLiteral;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Bool};
use hull_geometry::Mesh;
use hull_workshop::body::{Columns, Facts};

use hull_workshop::pieces::{Encoded, Piece};
use hull_workshop::routine::Routine;
use hull_workshop::sentence::LengthUnit;
use hull_workshop::survey::Lines;
use hull_workshop::{Body, Change, Step, Survey, picture, view};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::sync::Arc;

/// A body's row.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = bodies)]
pub struct BodyRow {
    /// Its number.
    pub id: BodyId,
    /// The project it is of.
    pub project_id: ProjectId,
    /// As people call it.
    pub name: String,
    /// What it is bound for.
    pub destination: String,
    /// The version that its sheet is made with.
    pub destination_version: i32,
    /// The state that people are at.
    pub head: Option<RevisionId>,
    /// The end of its line.
    pub tip: Option<RevisionId>,
    /// The group that it stands in; empty for none.
    pub grouped: String,
    /// Whether it is listed only when asked for.
    pub hidden: bool,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = revisions)]
struct RevisionRow {
    id: RevisionId,
    body_id: BodyId,
    parent: Option<RevisionId>,
    step: Option<Value>,
    change: Value,
    facts: Value,
    survey: Value,
    blobs: Value,
    preview: bool,
    created_at: DateTime<Utc>,
}

/// One state of a body, without its arrays.
#[derive(Clone, Debug)]
pub struct Revision {
    /// Its number.
    pub id: RevisionId,
    /// The body it is of.
    pub body_id: BodyId,
    /// The state it was made from.
    pub parent: Option<RevisionId>,
    /// `None`: as received.
    pub step: Option<Step>,
    /// What the step did.
    pub change: Change,
    /// What is known besides arrays.
    pub facts: Facts,
    /// What is true of it.
    pub survey: Survey,
    /// Where its arrays are.
    pub blobs: Blobs,
    /// Whether it is only a preview.
    pub preview: bool,
    /// When it was stored.
    pub created_at: DateTime<Utc>,
}

/// A state as the logbook lists it.
#[derive(Clone, Debug)]
pub struct LogEntry {
    /// The state.
    pub id: RevisionId,
    /// The state before it.
    pub parent: Option<RevisionId>,
    /// `None`: as received.
    pub step: Option<Step>,
    /// What it changed.
    pub change: Change,
    /// What lengths were said in then.
    pub unit: LengthUnit,
    /// Open edges then.
    pub open_edges: usize,
    /// Facets then.
    pub triangles: usize,
}

/// The states of a line, from as received to one of them.
///
/// # Errors
/// If a state of the line is not there.
pub fn line_of(log: &[LogEntry], to: RevisionId) -> Result<Vec<LogEntry>> {
    let mut line = Vec::new();
    let mut at = Some(to);
    while let Some(id) = at {
        let entry = log.iter().find(|r| r.id == id);
        let entry = entry.ok_or_else(|| StoreError::Missing(format!("State {id}")))?;
        line.push(entry.clone());
        at = entry.parent;
    }
    line.reverse();
    Ok(line)
}

/// A figure of a stored survey: by probe, or among all figures as surveys were stored before.
fn figure(probe: &str, key: &str) -> SqlLiteral<BigInt> {
    sql::<BigInt>(&format!("COALESCE((survey->'{probe}'->>'{key}')::bigint, (survey->'figures'->>'{key}')::bigint, 0)"))
}

/// Where a revision's arrays are.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Blobs {
    /// Of the surface.
    pub points: Blob,
    /// Corners of facets.
    pub triangles: Blob,
    /// Cell numbers.
    pub cells: Blob,
    /// Label numbers.
    pub labels: Blob,
    /// Boundary numbers.
    pub boundaries: Blob,
    /// Exact faces.
    #[serde(default)]
    pub faces: Blob,
    /// The exact geometry, where there is some.
    #[serde(default)]
    pub exact: Option<Blob>,
    /// Pieces besides the surface, each with its kind and its arrays by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pieces: Vec<(String, Vec<(String, Blob)>)>,
    /// What the view draws at rest and while it moves.
    pub view: Blob,
    /// What is drawn while the camera moves.
    pub moving: Blob,
}

impl RevisionRow {
    fn read(self) -> Result<Revision> {
        Ok(Revision {
            id: self.id,
            body_id: self.body_id,
            parent: self.parent,
            step: self.step.map(serde_json::from_value).transpose()?,
            change: serde_json::from_value(self.change)?,
            facts: serde_json::from_value(self.facts)?,
            survey: serde_json::from_value(self.survey)?,
            blobs: serde_json::from_value(self.blobs)?,
            preview: self.preview,
            created_at: self.created_at,
        })
    }
}

/// A computed state, ready to be written.
pub struct NewRevision<'a> {
    /// What it was made by; `None` as received.
    pub step: Option<&'a Step>,
    /// What the step did.
    pub change: &'a Change,
    /// The body.
    pub body: &'a Body,
    /// What is true of it.
    pub survey: &'a Survey,
    /// What is drawn over it.
    pub lines: &'a Lines,
}

impl Store {
    /// The bodies of a project, in the order of their names.
    pub fn bodies(&self, project: ProjectId) -> Result<Vec<BodyRow>> {
        Ok(bodies::table
            .filter(bodies::project_id.eq(project).and(bodies::deleted_at.is_null()))
            .order(bodies::id.asc())
            .select(BodyRow::as_select())
            .load(&mut self.connection()?)?)
    }

    /// A body's row.
    pub fn body(&self, id: BodyId) -> Result<BodyRow> {
        let found = bodies::table
            .inner_join(projects::table.on(bodies::project_id.eq(projects::id)))
            .filter(bodies::id.eq(id).and(bodies::deleted_at.is_null()).and(projects::deleted_at.is_null()))
            .select(BodyRow::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("Body {id}")))
    }

    /// A state without its arrays.
    pub fn revision(&self, id: RevisionId) -> Result<Revision> {
        let found =
            revisions::table.find(id).select(RevisionRow::as_select()).first(&mut self.connection()?).optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("State {id}")))?.read()
    }

    /// A state's picture as PNG.
    pub fn picture(&self, revision: RevisionId) -> Result<Vec<u8>> {
        let found =
            revisions::table.find(revision).select(revisions::picture).first(&mut self.connection()?).optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("State {revision}")))
    }

    /// The bodies of a project, each with the state it is at, by one query. One that cannot be read does not hide the others.
    pub fn heads(&self, project: ProjectId) -> Result<Vec<(BodyRow, Option<Result<Revision>>)>> {
        let rows: Vec<(BodyRow, Option<RevisionRow>)> = bodies::table
            .left_join(revisions::table.on(bodies::head.eq(revisions::id.nullable())))
            .filter(bodies::project_id.eq(project).and(bodies::deleted_at.is_null()))
            .order(bodies::id.asc())
            .select((BodyRow::as_select(), Option::<RevisionRow>::as_select()))
            .load(&mut self.connection()?)?;
        Ok(rows.into_iter().map(|(body, row)| (body, row.map(RevisionRow::read))).collect())
    }

    /// Every state of a body that is in its logbook, oldest first, as the logbook lists it.
    pub fn log(&self, body: BodyId) -> Result<Vec<LogEntry>> {
        log_of(&mut *self.connection()?, body)
    }

    /// Every state of a body that is in its logbook, oldest first.
    pub fn revisions(&self, body: BodyId) -> Result<Vec<Revision>> {
        let rows: Vec<RevisionRow> = revisions::table
            .filter(revisions::body_id.eq(body).and(revisions::preview.eq(false)))
            .order(revisions::id.asc())
            .select(RevisionRow::as_select())
            .load(&mut self.connection()?)?;
        rows.into_iter().map(RevisionRow::read).collect()
    }

    /// The logbook of a body up to where it is now, to be replayed.
    ///
    /// # Errors
    /// If there is no such body, or it has not been read yet.
    pub fn routine(&self, body: BodyId) -> Result<Routine> {
        let row = self.body(body)?;
        let head = row.head.ok_or_else(|| StoreError::Refused("The body has not been read yet.".into()))?;
        let line = line_of(&self.log(body)?, head)?;
        let received = line.first().map(|r| self.revision(r.id)).transpose()?;
        Ok(Routine {
            name: row.name,
            made_from: received.map(|r| r.facts.source.file),
            steps: line.into_iter().filter_map(|r| r.step).collect(),
        })
    }

    /// The states from as received to `to`, in order.
    pub fn line_to(&self, body: BodyId, to: RevisionId) -> Result<Vec<Revision>> {
        let all = self.revisions(body)?;
        let mut line = Vec::new();
        let mut at = Some(to);
        while let Some(id) = at {
            let revision = all.iter().find(|r| r.id == id);
            let revision = revision.ok_or_else(|| StoreError::Missing(format!("State {id}")))?;
            line.push(revision.clone());
            at = revision.parent;
        }
        line.reverse();
        Ok(line)
    }

    /// The preview of a body, if one was computed.
    pub fn preview(&self, body: BodyId) -> Result<Option<Revision>> {
        let row: Option<RevisionRow> = revisions::table
            .filter(revisions::body_id.eq(body).and(revisions::preview.eq(true)))
            .order(revisions::id.desc())
            .select(RevisionRow::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        row.map(RevisionRow::read).transpose()
    }

    /// The body with its arrays.
    pub fn load(&self, revision: &Revision) -> Result<Body> {
        let b = &revision.blobs;
        let mut body = Body {
            facts: revision.facts.clone(),
            mesh: Mesh::from_arrays(arrays_of_f64(&self.blob(&b.points)?), arrays_of_u32(&self.blob(&b.triangles)?)),
            columns: Columns {
                cell: numbers(&self.blob(&b.cells)?).into(),
                label: numbers(&self.blob(&b.labels)?).into(),
                boundary: numbers(&self.blob(&b.boundaries)?).into(),
                face: numbers(&self.blob(&b.faces)?).into(),
            },
            exact: match &b.exact {
                Some(blob) => Some(Arc::new(
                    postcard::from_bytes(&self.blob(blob)?).map_err(|e| StoreError::Damaged(e.to_string()))?,
                )),
                None => None,
            },
            pieces: b.pieces.iter().map(|p| self.piece(p)).collect::<Result<Vec<_>>>()?,
            beside: Vec::new(),
        };
        body.lines_to_pieces();
        let points = body.mesh.points.next_key();
        if body.columns.boundary.len() != body.mesh.triangles.len()
            || body.mesh.triangles.iter().flatten().any(|p| *p >= points)
        {
            return Err(StoreError::Damaged(format!("the arrays of state {} do not fit together", revision.id)));
        }
        Ok(body)
    }

    fn piece(&self, (kind, arrays): &(String, Vec<(String, Blob)>)) -> Result<Piece> {
        let read = |(name, blob): &(String, Blob)| Ok((name.clone(), self.blob(blob)?));
        let arrays = arrays.iter().map(read).collect::<Result<Vec<_>>>()?;
        Piece::decode(&Encoded { kind: kind.clone(), arrays }).map_err(StoreError::Damaged)
    }

    fn put_piece(&self, piece: &Piece) -> Result<(String, Vec<(String, Blob)>)> {
        let Encoded { kind, arrays } = piece.encode();
        let put = |(name, bytes): (String, Vec<u8>)| Ok((name, self.put_blob(&bytes)?));
        Ok((kind, arrays.into_iter().map(put).collect::<Result<Vec<_>>>()?))
    }

    /// Stores the arrays of a state and draws its picture, before anything is locked.
    pub fn made_ready(&self, new: &NewRevision) -> Result<Ready> {
        let facts = readable::<Facts>(serde_json::to_value(&new.body.facts)?)?;
        let survey = readable::<Survey>(serde_json::to_value(new.survey)?)?;
        Ok(Ready {
            step: new.step.map(serde_json::to_value).transpose()?,
            change: readable::<Change>(serde_json::to_value(new.change)?)?,
            facts,
            survey,
            blobs: serde_json::to_value(self.store_arrays(new)?)?,
            picture: picture::picture(new.body),
        })
    }

    fn store_arrays(&self, new: &NewRevision) -> Result<Blobs> {
        let bytes = |n: &[u32]| n.iter().flat_map(|x| x.to_le_bytes()).collect::<Vec<u8>>();
        let mesh = &new.body.mesh;
        let triangles: Vec<u8> = mesh.corner_numbers().flatten().flat_map(u32::to_le_bytes).collect();
        let points: Vec<u8> = mesh.points.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
        Ok(Blobs {
            points: self.put_blob(&points)?,
            triangles: self.put_blob(&triangles)?,
            cells: self.put_blob(&bytes(&new.body.columns.cell.raw))?,
            labels: self.put_blob(&bytes(&new.body.columns.label.raw))?,
            boundaries: self.put_blob(&bytes(&new.body.columns.boundary.raw))?,
            faces: self.put_blob(&bytes(&new.body.columns.face.raw))?,
            exact: match &new.body.exact {
                Some(exact) => {
                    let bytes = postcard::to_stdvec(exact.as_ref()).map_err(|e| StoreError::Damaged(e.to_string()))?;
                    Some(self.put_blob(&bytes)?)
                }
                None => None,
            },
            pieces: new.body.pieces.iter().map(|p| self.put_piece(p)).collect::<Result<Vec<_>>>()?,
            view: self.put_blob(&view::full(new.body, new.lines))?,
            moving: self.put_blob(&view::moving(new.body))?,
        })
    }

    /// Writes what is known of a state so far, while the job that surveys it goes on.
    pub fn keep_survey(&self, job: (JobId, &str), revision: RevisionId, survey: &Survey) -> Result<()> {
        self.connection()?.transaction(|c| {
            still_at(c, job.0, job.1)?;
            diesel::update(revisions::table.find(revision))
                .set(revisions::survey.eq(readable::<Survey>(serde_json::to_value(survey)?)?))
                .execute(c)?;
            Ok(())
        })
    }

    /// Writes new bodies, each with its name, asks for the rest of their surveys and ends the job that made them, in
    /// one transaction. Returns their numbers; the first also stands in the job's summary.
    pub fn add_bodies(
        &self,
        job: (JobId, &str),
        project: ProjectId,
        (destination, grouped): (&str, &str),
        new: &[(String, NewRevision)],
        summary: ArrivalSummary,
    ) -> Result<Vec<BodyId>> {
        let made = new.iter().map(|(_, n)| self.made_ready(n)).collect::<Result<Vec<_>>>()?;
        let version = self.newest(destination)?;
        self.connection()?.transaction(|c| {
            let mut bodies_made = Vec::new();
            for ((name, new), ready) in new.iter().zip(made) {
                let body: BodyId = diesel::insert_into(bodies::table)
                    .values((
                        bodies::project_id.eq(project),
                        bodies::name.eq(name),
                        bodies::grouped.eq(grouped),
                        bodies::destination.eq(destination),
                        bodies::destination_version.eq(version),
                    ))
                    .returning(bodies::id)
                    .get_result(c)?;
                let id = insert(c, body, None, ready, false)?;
                diesel::update(bodies::table.find(body)).set((bodies::head.eq(id), bodies::tip.eq(id))).execute(c)?;
                if !new.survey.awaited.is_empty() {
                    queue(c, &Work::Survey(On { on: id }), project, Some(body))?;
                }
                bodies_made.push(body);
            }
            let summary = ArrivalSummary { body: bodies_made.first().copied(), ..summary };
            finish(c, job.0, job.1, &State::Done(Outcome::Received(Box::new(summary))))?;
            Ok(bodies_made)
        })
    }

    /// Writes the states after several steps, one on the other, and ends the job that computed them with what it says,
    /// in one transaction.
    pub fn add_line(&self, job: (JobId, &str), parent: &Revision, new: &[NewRevision], said: Outcome) -> Result<()> {
        let made = new.iter().map(|n| self.made_ready(n)).collect::<Result<Vec<_>>>()?;
        self.connection()?.transaction(|c| {
            lock(c, parent.body_id)?;
            let mut at = parent.id;
            for ready in made {
                let id = insert(c, parent.body_id, Some(at), ready, false)?;
                advance(c, parent.body_id, at, id)?;
                at = id;
            }
            finish(c, job.0, job.1, &State::Done(said))
        })
    }

    /// Writes the state after a step and ends the job that computed it, in one transaction. A preview takes
    /// the place of the last one and moves nothing; otherwise the body goes to the new state, if it is
    /// still at the state the step was applied to.
    pub fn add_revision(
        &self,
        job: (JobId, &str),
        parent: &Revision,
        new: &NewRevision,
        preview: bool,
    ) -> Result<RevisionId> {
        self.add_ready(job, parent, self.made_ready(new)?, preview)
    }

    /// The same with a state that was made ready before.
    pub fn add_ready(&self, job: (JobId, &str), parent: &Revision, ready: Ready, preview: bool) -> Result<RevisionId> {
        self.connection()?.transaction(|c| {
            lock(c, parent.body_id)?;
            forget_previews(c, parent.body_id)?;
            let id = insert(c, parent.body_id, Some(parent.id), ready, preview)?;
            if !preview {
                advance(c, parent.body_id, parent.id, id)?;
            }
            finish(c, job.0, job.1, &State::Done(Outcome::Revision(id)))?;
            Ok(id)
        })
    }

    /// Makes the preview part of the logbook, if it is the given step on the state the body is at.
    pub fn keep_preview(&self, body: BodyId, step: &Step) -> Result<Option<RevisionId>> {
        self.connection()?.transaction(|c| {
            let head = lock(c, body)?.0;
            let row: Option<RevisionRow> = revisions::table
                .filter(revisions::body_id.eq(body).and(revisions::preview.eq(true)))
                .order(revisions::id.desc())
                .select(RevisionRow::as_select())
                .first(c)
                .optional()?;
            let Some(found) = row.map(RevisionRow::read).transpose()? else { return Ok(None) };
            let (Some(parent), true) = (found.parent, found.step.as_ref() == Some(step)) else { return Ok(None) };
            if head != Some(parent) {
                return Ok(None);
            }
            let kept = diesel::update(revisions::table.find(found.id)).set(revisions::preview.eq(false)).execute(c)?;
            if kept != 1 {
                return Ok(None);
            }
            advance(c, body, parent, found.id)?;
            Ok(Some(found.id))
        })
    }

    /// Forgets the preview of a body.
    pub fn drop_preview(&self, body: BodyId) -> Result<()> {
        self.connection()?.transaction(|c| {
            lock(c, body)?;
            forget_previews(c, body)
        })
    }

    /// Goes to a state of the logbook. Going to one that is not on the present line makes its line the
    /// present one.
    pub fn go_to(&self, body: BodyId, revision: RevisionId) -> Result<()> {
        self.connection()?.transaction(|c| {
            let (_, tip) = lock(c, body)?;
            let log = log_of(c, body)?;
            let on_line = match tip {
                Some(tip) => line_of(&log, tip)?.iter().any(|r| r.id == revision),
                None => false,
            };
            line_of(&log, revision)?;
            let target = diesel::update(bodies::table.find(body));
            if on_line {
                target.set(bodies::head.eq(revision)).execute(c)?;
            } else {
                target.set((bodies::head.eq(revision), bodies::tip.eq(revision))).execute(c)?;
            }
            ask_to_measure_again(c, body)
        })
    }
}

fn log_of(c: &mut diesel::PgConnection, body: BodyId) -> Result<Vec<LogEntry>> {
    type Row = (RevisionId, Option<RevisionId>, Option<Value>, Value, bool, i64, i64);
    let rows: Vec<Row> = revisions::table
        .filter(revisions::body_id.eq(body).and(revisions::preview.eq(false)))
        .order(revisions::id.asc())
        .select((
            revisions::id,
            revisions::parent,
            revisions::step,
            revisions::change,
            sql::<Bool>("COALESCE(jsonb_typeof(facts->'scale') <> 'null', false)"),
            figure("topology", "open_edges"),
            figure("size", "triangles"),
        ))
        .load(c)?;
    let read = |(id, parent, step, change, in_mm, open_edges, triangles): Row| {
        Ok(LogEntry {
            id,
            parent,
            step: step.map(serde_json::from_value).transpose()?,
            change: serde_json::from_value(change)?,
            unit: if in_mm { LengthUnit::Millimetres } else { LengthUnit::FileUnits },
            open_edges: open_edges as usize,
            triangles: triangles as usize,
        })
    };
    rows.into_iter().map(read).collect()
}

/// Locks a body's row until the transaction ends, so that nothing else changes its line meanwhile; gives its head and tip.
fn lock(c: &mut diesel::PgConnection, body: BodyId) -> Result<(Option<RevisionId>, Option<RevisionId>)> {
    let found = bodies::table.find(body).select((bodies::head, bodies::tip)).for_update().first(c).optional()?;
    found.ok_or_else(|| StoreError::Missing(format!("Body {body}")))
}

/// Forgets the previews of a body, whose row is locked.
fn forget_previews(c: &mut diesel::PgConnection, body: BodyId) -> Result<()> {
    diesel::delete(revisions::table.filter(revisions::body_id.eq(body).and(revisions::preview.eq(true)))).execute(c)?;
    Ok(())
}

fn advance(c: &mut diesel::PgConnection, body: BodyId, from: RevisionId, to: RevisionId) -> Result<()> {
    let moved = diesel::update(bodies::table.find(body).filter(bodies::head.eq(from)))
        .set((bodies::head.eq(to), bodies::tip.eq(to)))
        .execute(c)?;
    if moved == 1 {
        return ask_to_measure_again(c, body);
    }
    Err(StoreError::Refused(TOO_LATE.into()))
}

/// A state as it goes into its table, made before anything is locked.
#[derive(Clone)]
pub struct Ready {
    step: Option<serde_json::Value>,
    change: serde_json::Value,
    facts: serde_json::Value,
    survey: serde_json::Value,
    blobs: serde_json::Value,
    picture: Vec<u8>,
}

/// Refuses figures that would not be read again: JSON has no numbers beyond the finite ones.
fn readable<T: serde::de::DeserializeOwned>(value: serde_json::Value) -> Result<serde_json::Value> {
    match serde_json::from_value::<T>(value.clone()) {
        Ok(_) => Ok(value),
        Err(_) => Err(StoreError::Refused(
            "A figure of the body is beyond what numbers can hold: its coordinates are too large or too far apart. Nothing was stored; check the unit and the values."
                .into(),
        )),
    }
}

fn insert(
    c: &mut diesel::PgConnection,
    body: BodyId,
    parent: Option<RevisionId>,
    ready: Ready,
    preview: bool,
) -> Result<RevisionId> {
    Ok(diesel::insert_into(revisions::table)
        .values((
            revisions::body_id.eq(body),
            revisions::parent.eq(parent),
            revisions::step.eq(ready.step),
            revisions::change.eq(ready.change),
            revisions::facts.eq(ready.facts),
            revisions::survey.eq(ready.survey),
            revisions::blobs.eq(ready.blobs),
            revisions::picture.eq(ready.picture),
            revisions::preview.eq(preview),
        ))
        .returning(revisions::id)
        .get_result(c)?)
}

fn numbers(bytes: &[u8]) -> Vec<u32> {
    bytes.as_chunks::<4>().0.iter().map(|b| u32::from_le_bytes(*b)).collect()
}

fn arrays_of_u32(bytes: &[u8]) -> Vec<[u32; 3]> {
    numbers(bytes).as_chunks::<3>().0.to_vec()
}

fn arrays_of_f64(bytes: &[u8]) -> Vec<[f64; 3]> {
    let all: Vec<f64> = bytes.as_chunks::<8>().0.iter().map(|b| f64::from_le_bytes(*b)).collect();
    all.as_chunks::<3>().0.to_vec()
}
