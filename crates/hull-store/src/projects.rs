//! Projects.

use crate::deleting::project_name;
use crate::ids::{ProjectId, RevisionId};
use crate::schema::{bodies, projects};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use std::collections::HashMap;

/// A project.
#[derive(Clone, Debug, Queryable, Selectable)]
pub struct Project {
    /// Its number.
    pub id: ProjectId,
    /// As people call it.
    pub name: String,
    /// When it was made.
    pub created_at: DateTime<Utc>,
    /// Whether it is the shelf, whose bodies can be put into every other project.
    pub shelf: bool,
}

/// What the shelf is called; the second if a project has the name already.
const SHELF: [&str; 2] = ["Shelf", "Shelf of kept bodies"];

impl Store {
    /// All projects, the newest first.
    pub fn projects(&self) -> Result<Vec<Project>> {
        Ok(projects::table
            .filter(projects::deleted_at.is_null())
            .order(projects::id.desc())
            .select(Project::as_select())
            .load(&mut self.connection()?)?)
    }

    /// The shelf, if anything was ever put there.
    pub fn shelf(&self) -> Result<Option<Project>> {
        Ok(projects::table
            .filter(projects::shelf.and(projects::deleted_at.is_null()))
            .order(projects::id.asc())
            .select(Project::as_select())
            .first(&mut self.connection()?)
            .optional()?)
    }

    /// The shelf, made if it is not there.
    ///
    /// # Errors
    /// If both its names are those of other projects.
    pub fn make_shelf(&self) -> Result<Project> {
        if let Some(shelf) = self.shelf()? {
            return Ok(shelf);
        }
        for name in SHELF {
            let added = diesel::insert_into(projects::table)
                .values((projects::name.eq(name), projects::shelf.eq(true)))
                .on_conflict_do_nothing()
                .returning(Project::as_returning())
                .get_result(&mut self.connection()?)
                .optional()?;
            if let Some(shelf) = added {
                return Ok(shelf);
            }
        }
        Err(StoreError::Refused(format!(
            "Rename the projects “{}” and “{}”: the shelf has one of these names.",
            SHELF[0], SHELF[1]
        )))
    }

    /// Of each project how many bodies it has, and the state to show of the first, by one statement.
    pub fn fronts(&self) -> Result<HashMap<ProjectId, (usize, Option<RevisionId>)>> {
        let rows: Vec<(ProjectId, Option<RevisionId>)> = bodies::table
            .filter(bodies::deleted_at.is_null())
            .order(bodies::id.asc())
            .select((bodies::project_id, bodies::head))
            .load(&mut self.connection()?)?;
        let mut out: HashMap<ProjectId, (usize, Option<RevisionId>)> = HashMap::new();
        for (project, head) in rows {
            let front = out.entry(project).or_default();
            *front = (front.0 + 1, front.1.or(head));
        }
        Ok(out)
    }

    /// A project.
    pub fn project(&self, id: ProjectId) -> Result<Project> {
        let found = projects::table
            .find(id)
            .filter(projects::deleted_at.is_null())
            .select(Project::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        found.ok_or_else(|| StoreError::Missing(format!("Project {id}")))
    }

    /// # Errors
    /// If the name is empty or taken.
    pub fn create_project(&self, name: &str) -> Result<Project> {
        let name = project_name(name)?;
        let added = diesel::insert_into(projects::table)
            .values(projects::name.eq(&name))
            .on_conflict_do_nothing()
            .returning(Project::as_returning())
            .get_result(&mut self.connection()?)
            .optional()?;
        added.ok_or_else(|| StoreError::Refused(format!("There is a project “{name}” already; choose another name.")))
    }
}
