//! A project's page: its bodies, what arrives, what was deleted.

use crate::by_name::{Group, groups};
use crate::error::PageResult;
use crate::pages::html;
use crate::show::{count, counted, four_digits, has};
use actix_web::{get, web};
use askama::Template;
use hull_formats::FORMATS;
use hull_formats::format::{dotted, listed};
use hull_store::Store;
use hull_store::bodies::{BodyRow, Revision};
use hull_store::deleting::Deleted;
use hull_store::destinations::Listed;
use hull_store::handovers::HandoverRecord;
use hull_store::ids::{BodyId, ProjectId};
use hull_store::jobs::Job;
use hull_store::projects::Project;
use hull_store::pulse::Pulse;
use hull_store::work::{ArrivalSummary, Kind, Outcome, Work};
use hull_workshop::{Destination, Role, Sheet};
use std::sync::Arc;

/// A body's line on the manifest page.
struct Line {
    id: BodyId,
    name: String,
    revision: Revision,
    sheet: Sheet,
    destination: Arc<Destination>,
    /// The group that it stands in; empty for none.
    group: String,
    hidden: bool,
    /// Whether its survey is still under way.
    surveyed_now: bool,
    /// A step that is at work on it.
    work: Option<Job>,
    /// The last step, if it failed.
    failed: Option<Job>,
}

impl Line {
    fn groups(&self) -> Vec<Group> {
        groups(&self.revision.facts)
    }

    fn places(&self) -> usize {
        self.revision.facts.exact.as_ref().map_or(0, |e| e.figures.bodies.len())
    }

    /// Its faces, or its solids, where there is exact geometry; a figure to sort by.
    fn exact(&self, faces: bool) -> usize {
        let figures = self.revision.facts.exact.as_ref().map(|e| &e.figures);
        figures.map_or(0, |f| if faces { f.faces } else { f.solids })
    }

    /// How many rows of its sheet are not met or pending.
    fn left(&self) -> usize {
        self.sheet.outstanding().count()
    }

    fn unit(&self) -> &'static str {
        if self.revision.facts.scale.is_some() { "mm" } else { "file units" }
    }
}

#[derive(Template)]
#[template(path = "project.html")]
pub struct ProjectPage {
    project: Project,
    lines: Vec<Line>,
    /// Bodies of which what is stored cannot be read: number, name, why.
    unreadable: Vec<(BodyId, String, String)>,
    jobs: Vec<Job>,
    destinations: Vec<Listed>,
    /// What can be had back.
    deleted: Vec<Deleted>,
    /// Of all its bodies, the newest first.
    handovers: Vec<HandoverRecord>,
    /// What was just done, in a sentence.
    said: Option<String>,
    /// What went on when it was drawn.
    pulse: Pulse,
}

impl ProjectPage {
    /// What can be dropped, in words.
    fn formats(&self) -> String {
        listed(&FORMATS.iter().map(|f| f.title.to_string()).collect::<Vec<_>>(), "or")
    }

    /// The same for the browser's choice of files.
    fn endings(&self) -> String {
        dotted(|_| true).join(",") + ",.urdf,.zip"
    }

    /// Elapsed, left, or the place in the queue of a job.
    fn time(&self, job: &Job) -> String {
        self.pulse.time(job)
    }

    /// How many bodies are ready.
    fn ready(&self) -> usize {
        self.lines.iter().filter(|l| l.sheet.is_ready()).count()
    }

    /// Bodies that a step is at work on.
    fn at_work(&self) -> Vec<&Line> {
        self.lines.iter().filter(|l| l.work.is_some()).collect()
    }

    /// How far the steps at work are, all together, in percent.
    fn done_of_work(&self) -> i32 {
        let each: Vec<f64> = self.at_work().iter().filter_map(|l| l.work.as_ref()).map(|j| j.fraction).collect();
        (100.0 * each.iter().sum::<f64>() / each.len().max(1) as f64) as i32
    }

    /// The groups of its bodies, each once.
    fn groups(&self) -> Vec<&str> {
        let all: std::collections::BTreeSet<&str> = self.lines.iter().map(|l| l.group.as_str()).collect();
        all.into_iter().filter(|g| !g.is_empty()).collect()
    }

    /// How many bodies are listed only when asked for.
    fn hidden(&self) -> usize {
        self.lines.iter().filter(|l| l.hidden).count()
    }

    /// Whether files are being read.
    fn is_busy(&self) -> bool {
        self.jobs.iter().any(|j| !j.is_over())
    }
}

/// What a boundary can be.
fn roles() -> [Role; 7] {
    Role::ALL
}

fn job_name(job: &Job) -> &str {
    if let Work::Receive(arrival) = &job.work { arrival.name() } else { "file" }
}

/// A file that was read, and what is said of it beside its figures.
struct Read {
    received: ArrivalSummary,
    rest: String,
}

/// The summary of a file that was read.
fn arrival(job: &Job) -> Option<Read> {
    let Some(Outcome::Received(r)) = job.outcome() else { return None };
    let mut rest = Vec::new();
    if r.faces != r.facets {
        rest.push(format!("{} in the file", counted(r.faces, "face")));
    }
    if let Some(lines @ 1..) = r.curves {
        rest.push(format!("{} in space", counted(lines, "line")));
    }
    rest.extend(r.skipped.iter().map(|s| format!("skipped {} × {}", s.count, s.what)));
    Some(Read { received: (**r).clone(), rest: rest.join(", ") })
}

#[get("/projects/{project}")]
pub async fn manifest(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    html(&web::block(move || page(&store, *id, None)).await??)
}

/// The page of a project; `said` is what was just done.
pub fn page(store: &Store, id: ProjectId, said: Option<String>) -> PageResult<ProjectPage> {
    let project = store.project(id)?;
    // Before all else: of what changes in between the page is told.
    let pulse = store.pulse(project.id)?;
    let jobs = store.jobs_of_project(project.id, Kind::Receive)?;
    let mut at_work = store.jobs_by_body(project.id)?;
    let (mut lines, mut unreadable) = (Vec::new(), Vec::new());
    for (body, head) in store.heads(project.id)? {
        let revision = match head {
            Some(Ok(revision)) => revision,
            Some(Err(why)) => {
                unreadable.push((body.id, body.name, why.to_string()));
                continue;
            }
            None => continue,
        };
        let on_it = at_work.remove(&body.id).unwrap_or_default();
        let surveyed_now = on_it.surveys.contains(&revision.id);
        let (work, failed) = (on_it.open, on_it.failed);
        let destination = store.destination(&body.destination, body.destination_version)?;
        let sheet = Sheet::of(&revision.facts, &revision.survey, &destination);
        let BodyRow { id, name, grouped: group, hidden, .. } = body;
        lines.push(Line { id, name, revision, sheet, destination, group, hidden, surveyed_now, work, failed });
    }
    let (destinations, deleted) = (store.destinations()?, store.deleted_of(project.id)?);
    let handovers = store.handovers_of(project.id)?;
    Ok(ProjectPage { project, lines, unreadable, jobs, destinations, deleted, handovers, said, pulse })
}
