//! Handovers that were made.

use crate::blobs::Blob;
use crate::ids::{BodyId, HandoverId, JobId, ProjectId, RevisionId};
use crate::jobs::finish;
use crate::schema::{bodies, handovers};
use crate::work::{Outcome, State};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use hull_workshop::handover::Manifest;
use serde_json::Value;

#[derive(Queryable, Selectable)]
#[diesel(table_name = handovers)]
struct Row {
    id: HandoverId,
    body_id: BodyId,
    revision_id: RevisionId,
    name: String,
    manifest: Value,
    zip: Value,
    created_at: DateTime<Utc>,
}

/// What was handed over.
#[derive(Clone, Debug)]
pub struct HandoverRecord {
    /// Its number.
    pub id: HandoverId,
    /// The body it is of.
    pub body_id: BodyId,
    /// The state that was handed over.
    pub revision_id: RevisionId,
    /// Name of the zip.
    pub name: String,
    /// What is in it.
    pub manifest: Manifest,
    /// The files, packed.
    pub zip: Blob,
    /// When it was made.
    pub created_at: DateTime<Utc>,
}

impl Row {
    fn read(self) -> Result<HandoverRecord> {
        Ok(HandoverRecord {
            id: self.id,
            body_id: self.body_id,
            revision_id: self.revision_id,
            name: self.name,
            manifest: serde_json::from_value(self.manifest)?,
            zip: serde_json::from_value(self.zip)?,
            created_at: self.created_at,
        })
    }
}

impl Store {
    /// Keeps a handover and ends the job that made it, in one transaction.
    pub fn add_handover(
        &self,
        job: (JobId, &str),
        body: BodyId,
        revision: RevisionId,
        name: &str,
        manifest: &Manifest,
        zip: &[u8],
    ) -> Result<HandoverId> {
        let zip = serde_json::to_value(self.put_blob(zip)?)?;
        self.connection()?.transaction(|c| {
            let id: HandoverId = diesel::insert_into(handovers::table)
                .values((
                    handovers::body_id.eq(body),
                    handovers::revision_id.eq(revision),
                    handovers::name.eq(name),
                    handovers::manifest.eq(serde_json::to_value(manifest)?),
                    handovers::zip.eq(zip),
                ))
                .returning(handovers::id)
                .get_result(c)?;
            finish(c, job.0, job.1, &State::Done(Outcome::HandedOver(id)))?;
            Ok(id)
        })
    }

    /// A handover.
    pub fn handover(&self, id: HandoverId) -> Result<HandoverRecord> {
        let row = handovers::table
            .find(id)
            .filter(handovers::deleted_at.is_null())
            .select(Row::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        row.ok_or_else(|| StoreError::Missing(format!("Handover {id}")))?.read()
    }

    /// The handovers of a project's bodies, newest first.
    pub fn handovers_of(&self, project: ProjectId) -> Result<Vec<HandoverRecord>> {
        let rows: Vec<Row> = handovers::table
            .inner_join(bodies::table.on(handovers::body_id.eq(bodies::id)))
            .filter(bodies::project_id.eq(project).and(bodies::deleted_at.is_null()))
            .filter(handovers::deleted_at.is_null())
            .order(handovers::id.desc())
            .select(Row::as_select())
            .load(&mut self.connection()?)?;
        rows.into_iter().map(Row::read).collect()
    }

    /// The handovers of a body, newest first.
    pub fn handovers(&self, body: BodyId) -> Result<Vec<HandoverRecord>> {
        let rows: Vec<Row> = handovers::table
            .filter(handovers::body_id.eq(body).and(handovers::deleted_at.is_null()))
            .order(handovers::id.desc())
            .select(Row::as_select())
            .load(&mut self.connection()?)?;
        rows.into_iter().map(Row::read).collect()
    }
}
