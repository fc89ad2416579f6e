//! The worker loop: takes jobs from the queue and does them.

use crate::writing::{WRITE, stopped, write_file};
use anyhow::{Context, Result, anyhow};
use hull_exact::lift::Reader;
use hull_formats::Content;
use hull_geometry::Watch;
use hull_store::blobs::Blob;
use hull_store::bodies::NewRevision;
use hull_store::jobs::{Job, JobEnd, SURVEY};
use hull_store::{Store, StoreError};
use hull_workshop::combine::{Derivation, split, together};
use hull_workshop::handover::{Form, file_stem, hand_over};
use hull_workshop::numbers::count;
use hull_workshop::prepare::Prepared;
use hull_workshop::steps::drop_bodies::DropBodies;
use hull_workshop::survey::{first_look, survey, survey_telling};
use hull_workshop::{Body, Change, Destination, Sheet, Step, StepError, apply, exact, repair};
use serde_json::json;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::thread::{self, JoinHandle};
use std::time::Duration;

const IDLE: Duration = Duration::from_millis(120);
const HEARTBEAT: Duration = Duration::from_millis(200);

/// Running workers.
pub struct Crew {
    stop: Arc<AtomicBool>,
    threads: Vec<JoinHandle<()>>,
}

impl Crew {
    /// Lets every worker finish the job it has and waits for it.
    pub fn stop(self) {
        self.stop.store(true, Relaxed);
        self.wait();
    }

    pub fn wait(self) {
        for thread in self.threads {
            let _ = thread.join();
        }
    }
}

/// Starts `n` workers.
pub fn start(store: &Store, n: usize) -> Crew {
    let stop = Arc::new(AtomicBool::new(false));
    let threads = (0..n)
        .map(|i| {
            let (store, stop) = (store.clone(), stop.clone());
            let name = format!("{}-{i}", std::process::id());
            thread::spawn(move || {
                while !stop.load(Relaxed) {
                    match store.claim(&name) {
                        Ok(Some(job)) => run(&store, &name, job),
                        Ok(None) => thread::sleep(IDLE),
                        Err(e) => {
                            tracing::warn!("no jobs to be had: {e}");
                            thread::sleep(Duration::from_secs(1));
                        }
                    }
                }
            })
        })
        .collect();
    Crew { stop, threads }
}

fn run(store: &Store, worker: &str, job: Job) {
    let watch = Watch::default();
    let over = Arc::new(AtomicBool::new(false));
    let beat = {
        let (store, worker, watch, over, id) = (store.clone(), worker.to_string(), watch.clone(), over.clone(), job.id);
        thread::spawn(move || {
            while !over.load(Relaxed) {
                thread::park_timeout(HEARTBEAT);
                let (fraction, phrase) = watch.progress();
                if !over.load(Relaxed) && matches!(store.heartbeat(id, &worker, fraction, &phrase), Ok(true)) {
                    watch.cancel();
                }
            }
        })
    };
    // A defect in one job must not take the worker with it; the job is told as failed.
    let outcome =
        std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| perform(store, (job.id, worker), &job, &watch)));
    over.store(true, Relaxed);
    beat.thread().unpark();
    let _ = beat.join();
    let end = match outcome {
        Ok(Ok(())) => return,
        Ok(Err(e)) if e.is::<hull_geometry::Cancelled>() => JobEnd::Cancelled,
        Ok(Err(e)) => JobEnd::Failed(format!("{e:#}")),
        Err(_) => JobEnd::Failed("A defect in the program stopped this job. Nothing was changed.".into()),
    };
    if let Err(e) = store.end_job(job.id, worker, end) {
        tracing::warn!("job {}: {e}", job.id);
    }
}

fn perform(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    match job.kind.as_str() {
        "receive" => receive(store, at, job, watch),
        "step" => step(store, at, job, watch, false),
        "preview" => step(store, at, job, watch, true),
        SURVEY => survey_on(store, at, job, watch),
        "propose" => propose(store, at, job, watch),
        "repair" => run_repair(store, at, job, watch),
        "handover" => make_handover(store, at, job, watch),
        WRITE => write_file(store, at, job, watch),
        other => Err(anyhow!("no worker knows jobs of the kind “{other}”")),
    }
}

fn receive(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    if job.payload["drop"].is_array() {
        return take_out(store, at, job, watch);
    }
    if job.payload["from"].is_object() {
        return derive(store, at, job, watch);
    }
    let name = job.payload["name"].as_str().unwrap_or_default();
    let blob: Blob = serde_json::from_value(job.payload["blob"].clone())?;
    watch.report(0.0, "fetching the file")?;
    let bytes = store.blob(&blob)?;
    let content = hull_formats::open(name, &bytes, watch).map_err(unwrap_cancel)?;
    drop(bytes);
    let body = match content {
        Content::Facets(received) => Body::from_received(name, received),
        Content::Exact(design) => exact::body_of(name, *design, None, Reader::Trusting, watch)?,
    };
    if let Some(sentence) = exact::nothing_in(&body) {
        return Err(anyhow!(sentence));
    }
    let title = name.rsplit_once('.').map_or(name, |(stem, _)| stem).replace(['-', '_'], " ");
    let mut letters = title.chars();
    let title: String =
        letters.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default() + letters.as_str();
    let sentence = if body.is_only_curves() {
        "Curves received, and no faces: no surface to make ready, but a design file to write.".into()
    } else {
        format!("{} facets received.", count(body.mesh.triangles.len()))
    };
    take_in(store, at, job, &title, &body, sentence, watch)
}

/// New bodies from states of others: put together, taken apart, or the same again.
fn derive(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let from: Derivation = serde_json::from_value(job.payload["from"].clone())?;
    watch.report(0.0, "fetching the bodies")?;
    let fetch = |revision: i32| -> Result<(String, Body)> {
        let revision = store.revision(revision)?;
        Ok((store.body(revision.body_id)?.name, store.load(&revision)?))
    };
    let unwrap = |e: StepError| match e {
        StepError::Cancelled(c) => anyhow::Error::from(c),
        other => other.into(),
    };
    let (made, sentence) = match from {
        Derivation::Together { how, of } => {
            let bodies = of.into_iter().map(fetch).collect::<Result<Vec<_>>>()?;
            let names: Vec<&str> = bodies.iter().map(|b| b.0.as_str()).collect();
            let title = format!("{}, {}", names.join(" and "), how.word());
            let (body, change) = together(&bodies, how, watch).map_err(unwrap)?;
            (vec![(title, body)], change.sentence)
        }
        Derivation::Apart { how, of } => {
            let (name, body) = fetch(of)?;
            (split(&name, &body, &how, watch).map_err(unwrap)?, format!("Taken out of “{name}”."))
        }
        Derivation::Copy { of } => {
            let (name, body) = fetch(of)?;
            (vec![(format!("{name}, copy"), body)], format!("A copy of “{name}”."))
        }
    };
    let made = made.into_iter().map(|(title, body)| (title.chars().take(80).collect(), body)).collect();
    take_all_in(store, at, job, made, sentence, watch)
}

/// Some bodies of a body as one of its own.
fn take_out(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let names = |key: &str| -> Result<Vec<String>> { Ok(serde_json::from_value(job.payload[key].clone())?) };
    let (drop, keep) = (names("drop")?, names("keep")?);
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&store.revision(job.payload["on"].as_i64().unwrap_or_default() as i32)?)?;
    let drop = (!drop.is_empty()).then(|| Step::from(DropBodies { names: drop }));
    let body =
        drop.map_or(Ok(body.clone()), |d| apply(&body, &d, &Destination::asking_nothing(), watch).map(|b| b.0))?;
    let own = |path: &String| path.rsplit(" / ").next().unwrap_or(path).to_string();
    let of = job.payload["name"].as_str().unwrap_or("body");
    let title = match keep.as_slice() {
        [only] => own(only),
        several => format!("{} of {of}", several.iter().map(own).collect::<Vec<_>>().join(", ")),
    };
    let title: String = title.chars().take(80).collect();
    take_in(store, at, job, &title, &body, format!("Taken out of “{of}”."), watch)
}

/// Takes a first look at a new body and keeps it.
fn take_in(
    store: &Store,
    at: (i32, &str),
    job: &Job,
    title: &str,
    body: &Body,
    sentence: String,
    watch: &Watch,
) -> Result<()> {
    take_all_in(store, at, job, vec![(title.to_string(), body.clone())], sentence, watch)
}

/// Takes a first look at new bodies and keeps them; the rest of their surveys follows as jobs of its own.
fn take_all_in(
    store: &Store,
    at: (i32, &str),
    job: &Job,
    bodies: Vec<(String, Body)>,
    sentence: String,
    watch: &Watch,
) -> Result<()> {
    let change = Change { sentence, ..Default::default() };
    watch.report(0.5, "taking a first look")?;
    let surveys = bodies.iter().map(|(_, b)| first_look(b, watch)).collect::<Result<Vec<_>, _>>()?;
    let (Some((_, body)), Some((survey, _))) = (bodies.first(), surveys.first()) else {
        return Err(anyhow!("nothing was made"));
    };
    let size = body.bounds().size();
    let named = body.facts.labels.iter().filter(|l| !l.name.is_empty() || l.material.is_some()).count();
    let summary = json!({
        "format": body.facts.source.format, "faces": body.facts.source.faces, "facets": body.mesh.triangles.len(),
        "points": body.facts.source.points, "shells": survey.figures.shells, "named": named, "size": size,
        "unit": if body.facts.scale.is_some() { "mm" } else { "file units" },
        "solids": body.facts.exact.as_ref().map(|e| e.figures.solids),
        "curves": body.facts.exact.as_ref().map(|e| e.figures.curves),
        "skipped": body.facts.source.skipped,
    });
    let new: Vec<(String, NewRevision)> = bodies
        .iter()
        .zip(&surveys)
        .map(|((title, body), (survey, lines))| {
            (title.clone(), NewRevision { step: None, change: &change, body, survey, lines })
        })
        .collect();
    store.add_bodies(at, job.project_id, "fluid", &new, summary)?;
    Ok(())
}

/// The rest of the survey of a state, kept part by part, so that pages show each answer as it comes.
fn survey_on(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let revision = store.revision(job.payload["on"].as_i64().unwrap_or_default() as i32)?;
    let body = store.load(&revision)?;
    survey_telling(&body, watch, |survey| -> Result<()> { Ok(store.keep_survey(at, revision.id, survey)?) })?;
    Ok(store.end_job(at.0, at.1, JobEnd::Done(json!({ "on": revision.id })))?)
}

/// A repair composed for the state a body is at; what it would do stands in the job's result.
fn propose(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let on = job.payload["on"].as_i64().unwrap_or_default() as i32;
    let row = store.body(job.body_id.context("a repair without a body")?)?;
    let destination = Destination::named(&row.destination).map_err(|e| anyhow!(e))?;
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&store.revision(on)?)?;
    let wrap = job.payload["wrap"].as_bool().unwrap_or(true);
    let found = match repair::repair(&body, &destination, wrap, watch) {
        Ok(found) => found,
        Err(StepError::Cancelled(c)) => return Err(c.into()),
        Err(other) => return Err(other.into()),
    };
    let said = json!({ "on": on, "steps": found.steps, "before": found.before, "after": found.after });
    Ok(store.end_job(at.0, at.1, JobEnd::Done(said))?)
}

/// The steps of a proposed repair, each a state of the logbook.
fn run_repair(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let parent = store.revision(job.payload["on"].as_i64().unwrap_or_default() as i32)?;
    let row = store.body(job.body_id.context("a repair without a body")?)?;
    let destination = Destination::named(&row.destination).map_err(|e| anyhow!(e))?;
    let plan: Vec<repair::Planned> = serde_json::from_value(job.payload["steps"].clone())?;
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&parent)?;
    let mut states: Vec<(Step, Change, Body)> = Vec::new();
    let stopped = match repair::run(&body, &destination, &plan, watch, |step, change, body| {
        states.push((step.clone(), change.clone(), body.clone()));
        Ok(())
    }) {
        Ok(()) => None,
        Err(StepError::Cancelled(c)) => return Err(c.into()),
        Err(StepError::Refused(sentence)) => Some(sentence),
    };
    if let (true, Some(sentence)) = (states.is_empty(), &stopped) {
        return Err(anyhow!(sentence.clone()));
    }
    let surveys = states.iter().map(|(_, _, b)| survey(b, watch)).collect::<Result<Vec<_>, _>>()?;
    let new: Vec<NewRevision> = states
        .iter()
        .zip(&surveys)
        .map(|((step, change, body), (survey, lines))| NewRevision { step: Some(step), change, body, survey, lines })
        .collect();
    watch.report(0.95, "keeping the results")?;
    Ok(store.add_line(at, &parent, &new, json!({ "steps": new.len(), "stopped": stopped }))?)
}

fn unwrap_cancel(e: hull_formats::ReadError) -> anyhow::Error {
    match e {
        hull_formats::ReadError::Cancelled(c) => c.into(),
        other => other.into(),
    }
}

fn step(store: &Store, at: (i32, &str), job: &Job, watch: &Watch, preview: bool) -> Result<()> {
    let step: Step = serde_json::from_value(job.payload["step"].clone())?;
    let parent = store.revision(job.payload["on"].as_i64().unwrap_or_default() as i32)?;
    let row = store.body(job.body_id.context("a step without a body")?)?;
    let destination = Destination::named(&row.destination).map_err(|e| anyhow!(e))?;
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&parent)?;
    let (body, change) = apply(&body, &step, &destination, watch).map_err(|e| match e {
        StepError::Cancelled(c) => anyhow::Error::from(c),
        other => other.into(),
    })?;
    watch.report(0.5, "surveying the result")?;
    let (survey, lines) = survey(&body, watch)?;
    watch.report(0.95, "keeping the result")?;
    let new = NewRevision { step: Some(&step), change: &change, body: &body, survey: &survey, lines: &lines };
    store.add_revision(at, &parent, &new, preview)?;
    Ok(())
}

fn make_handover(store: &Store, at: (i32, &str), job: &Job, watch: &Watch) -> Result<()> {
    let form: Form = serde_json::from_value(job.payload["form"].clone())?;
    let row = store.body(job.body_id.context("a handover without a body")?)?;
    let head = row.head.context("the body has not been read yet")?;
    let line = store.line_to(row.id, head)?;
    let revision = line.last().ok_or_else(|| StoreError::Missing("The body's state".into()))?;
    let destination = Destination::named(&row.destination).map_err(|e| anyhow!(e))?;
    let prepared = Prepared {
        body: store.load(revision)?,
        survey: revision.survey.clone(),
        sheet: Sheet::of(&revision.facts, &revision.survey, &destination),
        log: line.iter().filter_map(|r| Some((r.step.clone()?, r.change.clone()))).collect(),
    };
    let made = hand_over(&row.name, &prepared, &destination, form, watch).map_err(|e| stopped(e, watch))?;
    let zip = format!("{}-handover.zip", file_stem(&row.name));
    store.add_handover(at, row.id, head, &zip, &made.manifest, &made.zip)?;
    Ok(())
}
