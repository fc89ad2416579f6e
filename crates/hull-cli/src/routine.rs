//! `hull routine export`: the one command that reads the database.

use crate::End;
use anyhow::{Context, Result, anyhow};
use hull_store::Store;
use std::path::Path;

pub fn export(project: &str, body: Option<&str>, database: Option<String>, output: Option<&Path>) -> Result<End> {
    let url = database
        .or_else(|| std::env::var("HULL_DATABASE_URL").ok())
        .or_else(|| Some(std::fs::read_to_string(".data/database-url").ok()?.trim().to_string()));
    let url = url.ok_or_else(|| anyhow!("no database given: use --database or HULL_DATABASE_URL"))?;
    let store = Store::open(&url, std::env::temp_dir().join("ready-hull-cache"))?;
    let projects = store.projects()?;
    let found = projects.iter().find(|p| p.name == project || p.id.to_string() == project);
    let found = found.ok_or_else(|| anyhow!("there is no project “{project}”"))?;
    let bodies = store.bodies(found.id)?;
    let chosen = match body {
        Some(wanted) => bodies.iter().find(|b| b.name == wanted || b.id.to_string() == wanted),
        None if bodies.len() == 1 => bodies.first(),
        None => None,
    };
    let names = bodies.iter().map(|b| b.name.as_str()).collect::<Vec<_>>().join(", ");
    let chosen = chosen.ok_or_else(|| anyhow!("name a body with --body; the project holds: {names}"))?;
    let text = store.routine(chosen.id)?.to_toml().map_err(|e| anyhow!(e))?;
    match output {
        Some(path) => std::fs::write(path, text).with_context(|| format!("cannot write {}", path.display()))?,
        None => print!("{text}"),
    }
    Ok(End::Ready)
}
