//! Projects.

use crate::schema::projects;
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;

/// A project.
#[derive(Clone, Debug, Queryable, Selectable)]
pub struct Project {
    /// Its number.
    pub id: i32,
    /// As people call it.
    pub name: String,
    /// When it was made.
    pub created_at: DateTime<Utc>,
}

impl Store {
    /// All projects, the newest first.
    pub fn projects(&self) -> Result<Vec<Project>> {
        Ok(projects::table.order(projects::id.desc()).select(Project::as_select()).load(&mut self.connection()?)?)
    }

    /// A project.
    pub fn project(&self, id: i32) -> Result<Project> {
        let found = projects::table.find(id).select(Project::as_select()).first(&mut self.connection()?).optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("Project {id}")))
    }

    /// # Errors
    /// If the name is empty or taken.
    pub fn create_project(&self, name: &str) -> Result<Project> {
        let name = name.trim();
        if name.is_empty() || name.len() > 120 {
            return Err(StoreError::Refused("A project needs a name of one to 120 characters.".into()));
        }
        let added = diesel::insert_into(projects::table)
            .values(projects::name.eq(name))
            .on_conflict_do_nothing()
            .returning(Project::as_returning())
            .get_result(&mut self.connection()?)
            .optional()?;
        added.ok_or_else(|| StoreError::Refused(format!("There is a project “{name}” already; choose another name.")))
    }
}
