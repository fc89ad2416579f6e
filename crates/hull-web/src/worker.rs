//! The worker loop: takes jobs from the queue and does them.

use crate::{taking_in, trying};
use hull_flow::leaks::LeakError;
use hull_flow::tightness::tightness;
use hull_geometry::{Cancelled, Watch};
use hull_store::blobs::Blob;
use hull_store::bodies::{BodyRow, NewRevision, Revision, line_of};
use hull_store::ids::{JobId, RevisionId};
use hull_store::jobs::{Job, Left};
use hull_store::work::{
    Applied, Arrival, ArrivalSummary, Derivation, FlowTrial, LeakSearch, On, Order, Outcome, Proposed, Repaired,
    Searched, State, Tried, Work, Written,
};
use hull_store::{Store, StoreError};
use hull_trials::flow::Flow;
use hull_workshop::combine::{Apart, split, together};
use hull_workshop::export::{DesignForm, export};
use hull_workshop::handover::{HandoverError, Package, file_stem, hand_over};
use hull_workshop::neighbours;
use hull_workshop::numbers::count;
use hull_workshop::pieces::Piece;
use hull_workshop::prepare::Prepared;
use hull_workshop::steps::drop_bodies::DropBodies;
use hull_workshop::survey::{Lines, first_look, measured_again, survey_for, survey_telling};
use hull_workshop::{
    Body, Change, Destination, Sheet, Step, StepError, Survey, apply, best_fit, exact, regions, repair, sections, trial,
};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::thread;
use std::time::{Duration, Instant};

const IDLE: Duration = Duration::from_millis(120);
const HEARTBEAT: Duration = Duration::from_millis(100);
/// Seconds that a database may be away before its jobs wait for their lease to end.
const OUTAGE: usize = 300;

/// How long a cancelled job has to notice before its process is ended.
const GRACE: Duration = Duration::from_millis(250);

/// Whether a worker may end its process.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Life {
    /// It is a process of its own, which is started again.
    Process,
    /// It is one thread among others.
    #[cfg_attr(not(test), expect(dead_code, reason = "tests work in threads"))]
    Thread,
}

/// What a worker is called that runs in a process.
pub fn name_of(process: u32) -> String {
    process.to_string()
}

/// Takes jobs and does them until it is told to stop.
pub fn work(store: &Store, name: &str, stop: &AtomicBool, life: Life) {
    while !stop.load(Relaxed) {
        match store.claim(name) {
            Ok(Some(job)) => run(store, name, job, life),
            Ok(None) => thread::sleep(IDLE),
            Err(e) => {
                tracing::warn!("no jobs to be had: {e}");
                thread::sleep(Duration::from_secs(1));
            }
        }
    }
}

/// Tells the queue how far a job is and hears whether to stop, until it is `over`.
fn beat(store: &Store, (id, name): (JobId, &str), watch: &Watch, over: &AtomicBool, life: Life) {
    let mut told = None;
    while !over.load(Relaxed) {
        thread::park_timeout(HEARTBEAT);
        if over.load(Relaxed) {
            return;
        }
        let (fraction, phrase) = watch.progress();
        if told.is_none() && matches!(store.heartbeat(id, name, fraction, &phrase), Ok(true)) {
            watch.cancel();
            told = Some(Instant::now());
        }
        // A loop that does not look is no reason to wait: nothing is kept before the job's end.
        if life == Life::Process && told.is_some_and(|t| t.elapsed() >= GRACE) {
            let _ = store.worker_is_gone(name, Left::Ended(&State::Cancelled));
            std::process::exit(0);
        }
    }
}

fn run(store: &Store, worker: &str, job: Job, life: Life) {
    let watch = Watch::default();
    let over = Arc::new(AtomicBool::new(false));
    let beat = {
        let (store, worker, watch, over, id) = (store.clone(), worker.to_string(), watch.clone(), over.clone(), job.id);
        thread::spawn(move || beat(&store, (id, &worker), &watch, &over, life))
    };
    // A defect in one job must not take the worker with it; the job is told as failed.
    let outcome =
        std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| perform(store, (job.id, worker), &job, &watch)));
    over.store(true, Relaxed);
    beat.thread().unpark();
    let _ = beat.join();
    let end = match outcome {
        Ok(Ok(())) => return,
        Ok(Err(Stop::Outage)) => return after_outage(store, worker),
        Ok(Err(stop)) => stop.into(),
        Err(_) => State::Failed("A defect in the program stopped this job. Nothing was changed.".into()),
    };
    if let Err(e) = store.end_job(job.id, worker, &end) {
        tracing::warn!("job {}: {e}", job.id);
        if e.is_outage() {
            after_outage(store, worker);
        }
    }
}

/// Puts the job back that an outage of the database ended, as soon as that answers again.
fn after_outage(store: &Store, worker: &str) {
    for _ in 0..OUTAGE {
        match store.worker_is_gone(worker, Left::Innocent) {
            Err(e) if e.is_outage() => thread::sleep(Duration::from_secs(1)),
            _ => return,
        }
    }
}

/// Why a job ended without what was asked for.
pub(crate) enum Stop {
    /// Somebody stopped it.
    Cancelled,
    /// What people can mend, as a sentence.
    Refused(String),
    /// What they cannot.
    Failed(String),
    /// The database went away.
    Outage,
}

pub(crate) type Result<T> = std::result::Result<T, Stop>;

impl From<Stop> for State {
    fn from(stop: Stop) -> State {
        match stop {
            Stop::Cancelled => State::Cancelled,
            Stop::Refused(sentence) => State::Refused(sentence),
            Stop::Failed(sentence) => State::Failed(sentence),
            Stop::Outage => State::Failed("The database did not answer. Nothing was changed; try again.".into()),
        }
    }
}

impl From<Cancelled> for Stop {
    fn from(_: Cancelled) -> Stop {
        Stop::Cancelled
    }
}

impl From<StepError> for Stop {
    fn from(e: StepError) -> Stop {
        match e {
            StepError::Cancelled(_) => Stop::Cancelled,
            StepError::Refused(sentence) => Stop::Refused(sentence),
        }
    }
}

impl From<StoreError> for Stop {
    fn from(e: StoreError) -> Stop {
        match e {
            StoreError::Refused(sentence) => Stop::Refused(sentence),
            other if other.is_outage() => Stop::Outage,
            other => Stop::Failed(other.to_string()),
        }
    }
}

impl From<hull_formats::ReadError> for Stop {
    fn from(e: hull_formats::ReadError) -> Stop {
        match e {
            hull_formats::ReadError::Cancelled(_) => Stop::Cancelled,
            other => Stop::Refused(other.to_string()),
        }
    }
}

impl From<HandoverError> for Stop {
    fn from(e: HandoverError) -> Stop {
        match e {
            HandoverError::NotReady(_) => Stop::Refused(e.to_string()),
            HandoverError::Failed(_) | HandoverError::Different(_) => Stop::Failed(e.to_string()),
        }
    }
}

/// The body that a job is for, with its destination.
pub(crate) fn body_of(store: &Store, job: &Job) -> Result<(BodyRow, Arc<Destination>)> {
    let id = job.body_id.ok_or_else(|| Stop::Failed("The job is for no body.".into()))?;
    let row = store.body(id)?;
    let destination = store.destination(&row.destination, row.destination_version)?;
    Ok((row, destination))
}

fn perform(store: &Store, at: (JobId, &str), job: &Job, watch: &Watch) -> Result<()> {
    match &job.work {
        Work::Receive(Arrival::File { name, blob, destination }) => {
            receive(store, at, job, (name, blob, destination), watch)
        }
        Work::Receive(Arrival::Derived { from, .. }) => derive(store, at, job, from.clone(), watch),
        Work::Receive(Arrival::TakenOut { name, on, drop, keep }) => {
            take_out(store, at, job, (name, *on, drop, keep), watch)
        }
        Work::Step(applied) => step(store, at, job, applied, false, watch),
        Work::Preview(applied) => step(store, at, job, applied, true, watch),
        Work::Survey(on) => survey_on(store, at, *on, watch),
        Work::Fit { on, to, how } => fit(store, at, job, (*on, *to, *how), watch),
        Work::Propose { on, wrap } => propose(store, at, job, (*on, *wrap), watch),
        Work::Repair { on, steps, compose } => run_repair(store, at, job, (*on, steps, *compose), watch),
        Work::TakeIn { on, before, steps } => taking_in::run(store, at, job, (*on, *before, steps), watch),
        Work::Handover(package) => make_handover(store, at, job, package.clone(), watch),
        Work::Write(order) => write_file(store, at, order, watch),
        Work::Trial(asked) => try_flow(store, at, asked, watch),
        Work::Leaks(asked) => look_for_leaks(store, at, *asked, watch),
    }
}

fn receive(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    (name, blob, destination): (&str, &Blob, &str),
    watch: &Watch,
) -> Result<()> {
    watch.report(0.0, "fetching the file")?;
    let bytes = store.blob(blob)?;
    let content = hull_formats::open(name, &bytes, watch)?;
    drop(bytes);
    let body = Body::of(name, content, watch)?;
    if let Some(sentence) = exact::nothing_in(&body) {
        return Err(Stop::Refused(sentence));
    }
    let title = title_of(name);
    let facets = Some(count(body.mesh.triangles.len()) + " facets").filter(|_| body.has_surface());
    let kinds: Vec<String> = facets.into_iter().chain(body.pieces.iter().map(Piece::counted)).collect();
    let sentence = format!("{} received.", kinds.join(" and "));
    take_in(store, at, job, (destination, ""), vec![(title, body)], sentence, watch)
}

/// What the body of a file is called: “Winch arm” of `winch-arm.stl`.
pub fn title_of(file: &str) -> String {
    let title = file.rsplit_once('.').map_or(file, |(stem, _)| stem).replace(['-', '_'], " ");
    let mut letters = title.chars();
    letters.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default() + letters.as_str()
}

/// New bodies from states of others: put together, taken apart, or the same again.
fn derive(store: &Store, at: (JobId, &str), job: &Job, from: Derivation, watch: &Watch) -> Result<()> {
    watch.report(0.0, "fetching the bodies")?;
    let fetch = |revision: RevisionId| -> Result<(String, Body)> {
        let revision = store.revision(revision)?;
        Ok((store.body(revision.body_id)?.name, store.load(&revision)?))
    };
    let first = match &from {
        Derivation::Together { of, .. } | Derivation::Regions { of, .. } => {
            *of.first().ok_or_else(|| StoreError::Damaged("bodies made of nothing".into()))?
        }
        Derivation::Apart { of, .. } | Derivation::Copy { of } | Derivation::Brought { of } => *of,
    };
    // What is made of bodies is bound for where the first of them is.
    let row = store.body(store.revision(first)?.body_id)?;
    let (destination, mut grouped) = (row.destination, String::new());
    let (made, sentence) = match from {
        Derivation::Together { how, of } => {
            let bodies = of.into_iter().map(fetch).collect::<Result<Vec<_>>>()?;
            let names: Vec<&str> = bodies.iter().map(|b| b.0.as_str()).collect();
            let title = format!("{}, {}", names.join(" and "), how.word());
            let (body, change) = together(&bodies, how, watch)?;
            (vec![(title, body)], change.sentence)
        }
        Derivation::Regions { of, spaces } => {
            let bodies = of.into_iter().map(fetch).collect::<Result<Vec<_>>>()?;
            let (made, sentence) = regions::part(&bodies, spaces, watch)?;
            (made.into_iter().map(|m| (format!("{}, region", m.name), m.body)).collect(), sentence)
        }
        Derivation::Apart { how: Apart::Sections { at, normal, count, every, fit }, of } => {
            let (name, body) = fetch(of)?;
            let unit = body.facts.length_unit().symbol();
            let (made, found) = sections::sections(&body, at, normal, count, every, fit)?;
            let sentence = format!("Sections of “{name}”. {}", sections::told(&found, unit));
            (vec![(format!("Sections of {name}"), made)], sentence)
        }
        Derivation::Apart { how, of } => {
            let (name, body) = fetch(of)?;
            (split(&name, &body, &how, watch)?, format!("Taken out of “{name}”."))
        }
        Derivation::Brought { of } => {
            let (name, body) = fetch(of)?;
            let project = store.project(row.project_id)?.name;
            grouped = row.grouped;
            (vec![(name, body)], format!("As it stood in “{project}”."))
        }
        Derivation::Copy { of } => {
            let (name, body) = fetch(of)?;
            (vec![(format!("{name}, copy"), body)], format!("A copy of “{name}”."))
        }
    };
    let made = made.into_iter().map(|(title, body)| (title.chars().take(80).collect(), body)).collect();
    take_in(store, at, job, (&destination, &grouped), made, sentence, watch)
}

/// Some bodies of a body as one of its own.
fn take_out(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    (of, on, drop, keep): (&str, RevisionId, &[String], &[String]),
    watch: &Watch,
) -> Result<()> {
    watch.report(0.0, "fetching the body")?;
    let revision = store.revision(on)?;
    let row = store.body(revision.body_id)?;
    let destination = store.destination(&row.destination, row.destination_version)?;
    let mut body = store.load(&revision)?;
    if !drop.is_empty() {
        body = apply(&body, &DropBodies { names: drop.to_vec() }.into(), &destination, watch)?.0;
    }
    let own = |path: &String| path.rsplit(" / ").next().unwrap_or(path).to_string();
    let title = match keep {
        [only] => own(only),
        several => format!("{} of {of}", several.iter().map(own).collect::<Vec<_>>().join(", ")),
    };
    let title: String = title.chars().take(80).collect();
    take_in(store, at, job, (&row.destination, ""), vec![(title, body)], format!("Taken out of “{of}”."), watch)
}

/// Takes a first look at new bodies and keeps them, bound for a destination and in a group; the rest of their surveys follows as jobs of its own.
fn take_in(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    bound: (&str, &str),
    bodies: Vec<(String, Body)>,
    sentence: String,
    watch: &Watch,
) -> Result<()> {
    let change = Change { sentence, ..Default::default() };
    watch.report(0.5, "taking a first look")?;
    let surveys = bodies.iter().map(|(_, b)| first_look(b, watch)).collect::<std::result::Result<Vec<_>, _>>()?;
    let (Some((_, body)), Some((survey, _))) = (bodies.first(), surveys.first()) else {
        return Err(Stop::Refused("Nothing was made.".into()));
    };
    let size = body.bounds().size();
    let named = body.facts.labels.iter().filter(|l| !l.name.is_empty() || l.material.is_some()).count();
    let source = &body.facts.source;
    let exact = body.facts.exact.as_ref().map(|e| &e.figures);
    let summary = ArrivalSummary {
        body: None,
        format: source.format.clone(),
        faces: source.faces,
        facets: body.mesh.triangles.len(),
        points: source.points,
        shells: survey.topology.shells,
        named,
        size,
        unit: body.facts.length_unit().symbol().into(),
        solids: exact.map(|e| e.solids),
        curves: Some(survey.lines.lines),
        skipped: source.skipped.clone(),
    };
    let new: Vec<(String, NewRevision)> = bodies
        .iter()
        .zip(&surveys)
        .map(|((title, body), (survey, lines))| {
            (title.clone(), NewRevision { step: None, change: &change, body, survey, lines })
        })
        .collect();
    store.add_bodies(at, job.project_id, bound, &new, summary)?;
    Ok(())
}

/// The rest of the survey of a state, kept part by part, so that pages show each answer as it comes.
fn survey_on(store: &Store, at: (JobId, &str), on: On, watch: &Watch) -> Result<()> {
    let revision = store.revision(on.on)?;
    let mut body = store.load(&revision)?;
    store.put_measured_beside(&mut body, revision.body_id)?;
    let row = store.body(revision.body_id)?;
    let destination = store.destination(&row.destination, row.destination_version)?;
    if !revision.survey.is_unfinished(&destination) {
        // Asked for since another body has changed that something is measured to.
        let id = revision.id;
        store.keep_survey(at, id, &measured_again(&body, revision.survey, watch)?)?;
        return Ok(store.end_job(at.0, at.1, &State::Done(Outcome::Surveyed(on)))?);
    }
    survey_telling(&body, &destination, watch, |survey| -> Result<()> {
        Ok(store.keep_survey(at, revision.id, survey)?)
    })?;
    Ok(store.end_job(at.0, at.1, &State::Done(Outcome::Surveyed(on)))?)
}

/// A repair composed for the state a body is at; what it would do stands in the job's result.
fn propose(store: &Store, at: (JobId, &str), job: &Job, (on, wrap): (RevisionId, bool), watch: &Watch) -> Result<()> {
    let (_, destination) = body_of(store, job)?;
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&store.revision(on)?)?;
    let found = repair::repair(&body, &destination, wrap, watch)?;
    let said = Proposed { on, steps: found.steps, before: found.before, after: found.after };
    Ok(store.end_job(at.0, at.1, &State::Done(Outcome::Proposed(Box::new(said))))?)
}

/// The steps of a repair, each a state of the logbook; without a plan one is composed first, without a wrap.
fn run_repair(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    (on, plan, compose): (RevisionId, &[repair::Planned], bool),
    watch: &Watch,
) -> Result<()> {
    let parent = store.revision(on)?;
    let (_, destination) = body_of(store, job)?;
    watch.report(0.0, "fetching the body")?;
    let mut body = store.load(&parent)?;
    store.put_measured_beside(&mut body, parent.body_id)?;
    let composed = if compose { Some(repair::repair(&body, &destination, false, watch)?) } else { None };
    let plan = composed.as_ref().map_or(plan, |r| &r.steps);
    if composed.as_ref().is_some_and(|r| r.steps.is_empty() && !r.after.is_clean()) {
        let none = "No remedy helps this body by itself. Open it: its findings say what is left, and a repair may end with a wrap there.";
        return Err(Stop::Refused(none.into()));
    }
    let mut states = Line::new();
    let stopped = match repair::run(&body, &destination, plan, watch, |step, change, body| {
        states.push((step.clone(), change.clone(), body.clone()));
        Ok(())
    }) {
        Ok(()) => None,
        Err(StepError::Cancelled(c)) => return Err(c.into()),
        Err(StepError::Refused(sentence)) => Some(sentence),
    };
    if let (true, Some(sentence)) = (states.is_empty(), &stopped) {
        return Err(Stop::Refused(sentence.clone()));
    }
    let surveys = surveyed(&states, &destination, watch)?;
    let new = revisions(&states, &surveys);
    watch.report(0.95, "keeping the results")?;
    Ok(store.add_line(at, &parent, &new, Outcome::Repaired(Repaired { steps: new.len(), stopped }))?)
}

/// States that came of steps, one after another.
pub(crate) type Line = Vec<(Step, Change, Body)>;

pub(crate) fn surveyed(states: &Line, destination: &Destination, watch: &Watch) -> Result<Vec<(Survey, Lines)>> {
    let each = states.iter().map(|(_, _, b)| survey_for(b, destination, watch));
    Ok(each.collect::<std::result::Result<Vec<_>, Cancelled>>()?)
}

pub(crate) fn revisions<'a>(states: &'a Line, surveys: &'a [(Survey, Lines)]) -> Vec<NewRevision<'a>> {
    let of = |((step, change, body), (survey, lines)): (&'a (Step, Change, Body), &'a (Survey, Lines))| NewRevision {
        step: Some(step),
        change,
        body,
        survey,
        lines,
    };
    states.iter().zip(surveys).map(of).collect()
}

fn step(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    Applied { on, step }: &Applied,
    preview: bool,
    watch: &Watch,
) -> Result<()> {
    let parent = store.revision(*on)?;
    let (_, destination) = body_of(store, job)?;
    watch.report(0.0, "fetching the body")?;
    let mut body = store.load(&parent)?;
    let asked = neighbours::asked(step, &body);
    store.put_beside(&mut body, parent.body_id, &asked)?;
    let (mut body, change) = apply(&body, step, &destination, watch)?;
    store.put_measured_beside(&mut body, parent.body_id)?;
    keep(store, at, &parent, (step, &change, &body), &destination, preview, watch)
}

/// Surveys what a step made and keeps it as a state.
fn keep(
    store: &Store,
    at: (JobId, &str),
    parent: &Revision,
    (step, change, body): (&Step, &Change, &Body),
    destination: &Destination,
    preview: bool,
    watch: &Watch,
) -> Result<()> {
    watch.report(0.5, "surveying the result")?;
    let (survey, lines) = survey_for(body, destination, watch)?;
    watch.report(0.95, "keeping the result")?;
    let new = NewRevision { step: Some(step), change, body, survey: &survey, lines: &lines };
    store.add_revision(at, parent, &new, preview)?;
    Ok(())
}

/// Brings a body onto another: the motion that is found becomes a step.
fn fit(
    store: &Store,
    at: (JobId, &str),
    job: &Job,
    (on, to, how): (RevisionId, RevisionId, best_fit::Options),
    watch: &Watch,
) -> Result<()> {
    let parent = store.revision(on)?;
    let (_, destination) = body_of(store, job)?;
    watch.report(0.0, "fetching the bodies")?;
    let body = store.load(&parent)?;
    let target = store.revision(to)?;
    let name = store.body(target.body_id)?.name;
    let (step, found) = best_fit::best_fit(&body, &store.load(&target)?, how, watch)?;
    let (mut body, mut change) = apply(&body, &step, &destination, watch)?;
    store.put_measured_beside(&mut body, parent.body_id)?;
    change.sentence = best_fit::told(&found, &name, body.facts.length_unit().symbol());
    change.rounds = found.rounds;
    keep(store, at, &parent, (&step, &change, &body), &destination, false, watch)
}

fn make_handover(store: &Store, at: (JobId, &str), job: &Job, package: Package, watch: &Watch) -> Result<()> {
    let (row, destination) = body_of(store, job)?;
    let head = row.head.ok_or_else(|| Stop::Refused("The body has not been read yet.".into()))?;
    let revision = store.revision(head)?;
    let line = line_of(&store.log(row.id)?, head)?;
    let prepared = Prepared {
        body: store.load(&revision)?,
        sheet: Sheet::of(&revision.facts, &revision.survey, &destination),
        survey: revision.survey,
        log: line.into_iter().filter_map(|r| Some((r.step?, r.change))).collect(),
        trial: trying::last_of(store, row.id, head)?.map(|(_, tried)| tried.flow),
    };
    let made = hand_over(&row.name, &prepared, &destination, package, watch).map_err(|e| stopped(e, watch))?;
    let zip = format!("{}-handover.zip", file_stem(&row.name));
    store.add_handover(at, row.id, head, &zip, &made.manifest, &made.zip)?;
    Ok(())
}

/// A design file of a state.
fn write_file(store: &Store, at: (JobId, &str), order: &Order, watch: &Watch) -> Result<()> {
    let unknown = || Stop::Refused(format!("“{}” is not a form of design geometry.", order.form));
    let form = DesignForm::named(&order.form).ok_or_else(unknown)?;
    watch.report(0.0, "fetching the body")?;
    let revision = store.revision(order.on)?;
    let body = store.load(&revision)?;
    let stem = file_stem(&store.body(revision.body_id)?.name);
    watch.report(0.1, "writing the file")?;
    let made = export(&stem, &body, order.unit, form, watch).map_err(|e| stopped(e, watch))?;
    let geometry = if made.exact { "exact geometry" } else { "facets" };
    watch.report(0.9, "keeping the file")?;
    let written = Written {
        on: order.on,
        name: made.name,
        what: format!("{} in {}, {geometry}", form.title(), order.unit.name()),
        comparison: made.comparison,
        left_out: made.left_out.into_iter().map(|s| (s.count, s.what)).collect(),
        blob: store.put_blob(&made.bytes)?,
    };
    Ok(store.end_job(at.0, at.1, &State::Done(Outcome::Written(Box::new(written))))?)
}

/// A trial of the flow through a state.
fn try_flow(store: &Store, at: (JobId, &str), asked: &FlowTrial, watch: &Watch) -> Result<()> {
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&store.revision(asked.on)?)?;
    let found = trial::flow(&body, asked.how, asked.cells, watch);
    let whole = found.map_err(|why| if watch.check().is_err() { Stop::Cancelled } else { Stop::Refused(why) })?;
    let json = serde_json::to_vec(&whole).map_err(StoreError::from)?;
    let flow = Flow { streamlines: Vec::new(), ..whole };
    let tried = Tried { on: asked.on, flow, whole: store.put_blob(&json)? };
    Ok(store.end_job(at.0, at.1, &State::Done(Outcome::Tried(Box::new(tried))))?)
}

/// Whether a state is tight for cells of a size, and what they would close.
fn look_for_leaks(store: &Store, at: (JobId, &str), asked: LeakSearch, watch: &Watch) -> Result<()> {
    watch.report(0.0, "fetching the body")?;
    let body = store.load(&store.revision(asked.on)?)?;
    let found = tightness(&body.mesh, asked.cell, watch).map_err(|e| match e {
        LeakError::Cancelled(_) => Stop::Cancelled,
        why => Stop::Refused(why.to_string()),
    })?;
    let searched = Searched { on: asked.on, found };
    Ok(store.end_job(at.0, at.1, &State::Done(Outcome::Searched(Box::new(searched))))?)
}

/// What ended a handover or a design file: somebody's wish, or a failure.
fn stopped(error: HandoverError, watch: &Watch) -> Stop {
    if watch.check().is_err() { Stop::Cancelled } else { error.into() }
}
