//! Other bodies of a project, for steps that ask for them.

use crate::ids::{BodyId, ProjectId, RevisionId};
use crate::jobs::queue;
use crate::work::{On, Work};
use crate::{Result, Store, StoreError};
use diesel::sql_types::{Integer, Jsonb, Text};
use diesel::{PgConnection, QueryableByName, RunQueryDsl};
use hull_workshop::Body;
use hull_workshop::measures::NamedMeasure;
use hull_workshop::neighbours::{Neighbour, measured_from};
use std::sync::Arc;

/// A body whose state keeps clearances.
#[derive(QueryableByName)]
struct Keeper {
    #[diesel(sql_type = Integer)]
    body: BodyId,
    #[diesel(sql_type = Integer)]
    head: RevisionId,
    #[diesel(sql_type = Integer)]
    project: ProjectId,
    #[diesel(sql_type = Text)]
    changed: String,
    #[diesel(sql_type = Jsonb)]
    measures: serde_json::Value,
}

/// The bodies beside one that keep a clearance to some body.
const KEEPERS: &str = "
    SELECT b.id AS body, b.head, b.project_id AS project, c.name AS changed, r.facts->'measures' AS measures
      FROM bodies c JOIN bodies b ON b.project_id = c.project_id AND b.id <> c.id AND b.deleted_at IS NULL
      JOIN revisions r ON r.id = b.head
      WHERE c.id = $1 AND r.facts->'measures' @> '[{\"what\": \"clearance\"}]'";

/// Asks for what is measured to a body to be measured again, now that it has changed.
pub(crate) fn ask_to_measure_again(c: &mut PgConnection, changed: BodyId) -> Result<()> {
    let keepers: Vec<Keeper> = diesel::sql_query(KEEPERS).bind::<Integer, _>(changed).load(c)?;
    for k in keepers {
        let kept: Vec<NamedMeasure> = serde_json::from_value(k.measures)?;
        if kept.iter().filter_map(|m| m.to.as_ref()).any(|to| Neighbour::is_meant(&k.changed, to)) {
            queue(c, &Work::Survey(On { on: k.head }), k.project, Some(k.body))?;
        }
    }
    Ok(())
}

impl Store {
    /// Puts beside a body what a survey measures from it: other bodies of its project, as they are now, if they are there
    /// and have a unit like its own.
    ///
    /// # Errors
    /// If the database cannot be asked.
    pub fn put_measured_beside(&self, body: &mut Body, id: BodyId) -> Result<()> {
        let asked = measured_from(body);
        match self.put_beside(body, id, &asked) {
            Err(StoreError::Refused(_)) => Ok(()),
            other => other,
        }
    }

    /// Puts beside a body what is asked for by name of the other bodies of its project, as they are now.
    ///
    /// # Errors
    /// Refused with a sentence if one that is asked for is in another unit: then the others are beside it all the same. Or if
    /// the database cannot be asked.
    pub fn put_beside(&self, body: &mut Body, id: BodyId, asked: &[String]) -> Result<()> {
        body.beside.clear();
        if asked.is_empty() {
            return Ok(());
        }
        let mut refused = Ok(());
        let project = self.body(id)?.project_id;
        for (row, head) in self.heads(project)? {
            let is_meant = asked.iter().any(|pattern| Neighbour::is_meant(&row.name, pattern));
            let Some(Ok(head)) = head.filter(|_| row.id != id && is_meant) else { continue };
            if head.facts.scale.is_some() != body.facts.scale.is_some() {
                let (with, without) = if head.facts.scale.is_some() {
                    (row.name.as_str(), "this body")
                } else {
                    ("This body", row.name.as_str())
                };
                refused = Err(StoreError::Refused(format!(
                    "“{}” lies beside this body, but {with} has a unit and {without} has none, so nobody knows how far apart \
                     they are. Set the unit of both first.",
                    row.name
                )));
                continue;
            }
            body.beside.push(Neighbour { name: row.name, mesh: Arc::new(self.load(&head)?.mesh) });
        }
        refused
    }
}
