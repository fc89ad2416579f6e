//! Other bodies of a project, for steps that ask for them.

use crate::ids::BodyId;
use crate::{Result, Store, StoreError};
use hull_workshop::Body;
use hull_workshop::neighbours::{Neighbour, measured_from};
use std::sync::Arc;

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
