//! Destinations, by name and version. A version never changes, so it is read once.

use crate::ids::BodyId;
use crate::schema::{bodies, destinations};
use crate::{Result, Store, StoreError};
use diesel::prelude::*;
use hull_workshop::Destination;
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A destination in its newest version.
#[derive(Clone, Debug)]
pub struct Listed {
    /// What it asks.
    pub destination: Arc<Destination>,
    /// Whether it ships with the program; then it cannot be edited, only copied.
    pub shipped: bool,
    /// Bodies that are bound for it, in whichever version.
    pub bodies: i64,
}

impl Store {
    /// Adds what ships with the program, where it is not there yet.
    pub(crate) fn add_shipped(&self) -> Result<()> {
        for d in Destination::shipped() {
            diesel::insert_into(destinations::table)
                .values((
                    destinations::name.eq(&d.name),
                    destinations::version.eq(d.version),
                    destinations::shipped.eq(true),
                    destinations::content.eq(serde_json::to_value(d)?),
                ))
                .on_conflict_do_nothing()
                .execute(&mut self.connection()?)?;
        }
        Ok(())
    }

    /// The destination of a name in a version.
    ///
    /// # Errors
    /// If there is none.
    pub fn destination(&self, name: &str, version: i32) -> Result<Arc<Destination>> {
        let key = (name.to_string(), version);
        if let Some(known) = self.destinations.lock().unwrap_or_else(|e| e.into_inner()).get(&key) {
            return Ok(known.clone());
        }
        let content: Option<Value> = match can_be(name) {
            true => destinations::table
                .find((name, version))
                .select(destinations::content)
                .first(&mut self.connection()?)
                .optional()?,
            false => None,
        };
        let missing = || StoreError::Missing(format!("Version {version} of the destination “{name}”"));
        let read: Arc<Destination> = Arc::new(serde_json::from_value(content.ok_or_else(missing)?)?);
        self.destinations.lock().unwrap_or_else(|e| e.into_inner()).insert(key, read.clone());
        Ok(read)
    }

    /// The newest version of a destination.
    ///
    /// # Errors
    /// If there is none of that name.
    pub fn newest(&self, name: &str) -> Result<i32> {
        let newest: Option<i32> = match can_be(name) {
            true => destinations::table
                .filter(destinations::name.eq(name))
                .select(diesel::dsl::max(destinations::version))
                .first(&mut self.connection()?)?,
            false => None,
        };
        newest.ok_or_else(|| StoreError::Missing(format!("The destination “{name}”")))
    }

    /// Every destination in its newest version: those that ship in their order, then those that people made, by title.
    pub fn destinations(&self) -> Result<Vec<Listed>> {
        let connection = &mut self.connection()?;
        let rows: Vec<(String, i32, bool)> = destinations::table
            .distinct_on(destinations::name)
            .order((destinations::name.asc(), destinations::version.desc()))
            .select((destinations::name, destinations::version, destinations::shipped))
            .load(connection)?;
        let bound: Vec<(String, i64)> = bodies::table
            .group_by(bodies::destination)
            .select((bodies::destination, diesel::dsl::count_star()))
            .load(connection)?;
        let bound: BTreeMap<String, i64> = bound.into_iter().collect();
        let mut list = Vec::new();
        for (name, version, shipped) in rows {
            let bodies = bound.get(&name).copied().unwrap_or(0);
            list.push(Listed { destination: self.destination(&name, version)?, shipped, bodies });
        }
        let place = |l: &Listed| Destination::shipped().iter().position(|s| s.name == l.destination.name);
        list.sort_by_key(|l| (place(l).unwrap_or(usize::MAX), l.destination.title.clone()));
        Ok(list)
    }

    /// Keeps a destination as the next version of its name; gives that.
    ///
    /// # Errors
    /// If it cannot be used, or its name is one that ships with the program.
    pub fn keep_destination(&self, destination: &Destination) -> Result<i32> {
        destination.check().map_err(StoreError::Refused)?;
        if Destination::shipped().iter().any(|s| s.name == destination.name) {
            return Err(StoreError::Refused(format!(
                "“{}” ships with Ready Hull and stays as it is; copy it under another name and edit the copy.",
                destination.name
            )));
        }
        self.connection()?.transaction(|c| {
            let newest: Option<i32> = destinations::table
                .filter(destinations::name.eq(&destination.name))
                .select(diesel::dsl::max(destinations::version))
                .first(c)?;
            let kept = Destination { version: newest.unwrap_or(0) + 1, ..destination.clone() };
            diesel::insert_into(destinations::table)
                .values((
                    destinations::name.eq(&kept.name),
                    destinations::version.eq(kept.version),
                    destinations::content.eq(serde_json::to_value(&kept)?),
                ))
                .execute(c)?;
            Ok(kept.version)
        })
    }

    /// Binds a body for a destination in its newest version, and has looked at what only that one asks for.
    ///
    /// # Errors
    /// If there is no such destination.
    pub fn bind_and_survey(&self, body: BodyId, name: &str) -> Result<()> {
        self.bind(body, name)?;
        let row = self.body(body)?;
        let destination = self.destination(&row.destination, row.destination_version)?;
        match row.head {
            Some(head) if self.revision(head)?.survey.is_unfinished(&destination) => {
                self.ask_for_survey(row.project_id, body, head)
            }
            _ => Ok(()),
        }
    }

    /// Binds a body for a destination in its newest version.
    ///
    /// # Errors
    /// If there is no such destination.
    pub fn bind(&self, body: BodyId, name: &str) -> Result<()> {
        let version = self.newest(name)?;
        diesel::update(bodies::table.find(body))
            .set((bodies::destination.eq(name), bodies::destination_version.eq(version)))
            .execute(&mut self.connection()?)?;
        Ok(())
    }
}

/// Whether a text can stand in a table: one with a null character cannot even be asked for.
fn can_be(name: &str) -> bool {
    !name.contains('\0')
}
