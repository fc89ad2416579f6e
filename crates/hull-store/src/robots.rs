//! A project's robot.

use crate::ids::ProjectId;
use crate::schema::robots;
use crate::{Result, Store};
use diesel::prelude::*;
use hull_robots::plan::Plan;

impl Store {
    /// The robot of a project as it is composed; an empty one where nobody has begun.
    ///
    /// # Errors
    /// If the database cannot be asked or holds what cannot be read.
    pub fn robot(&self, project: ProjectId) -> Result<Plan> {
        let found: Option<serde_json::Value> =
            robots::table.find(project).select(robots::plan).first(&mut self.connection()?).optional()?;
        Ok(found.map(serde_json::from_value).transpose()?.unwrap_or_default())
    }

    /// Keeps it.
    ///
    /// # Errors
    /// If the database cannot be asked.
    pub fn keep_robot(&self, project: ProjectId, plan: &Plan) -> Result<()> {
        let plan = serde_json::to_value(plan)?;
        diesel::insert_into(robots::table)
            .values((robots::project_id.eq(project), robots::plan.eq(&plan)))
            .on_conflict(robots::project_id)
            .do_update()
            .set(robots::plan.eq(&plan))
            .execute(&mut self.connection()?)?;
        Ok(())
    }
}
