//! The store against a real PostgreSQL. `scripts/test` starts one and sets HULL_TEST_DATABASE_URL.

use diesel::{Connection, RunQueryDsl};
use hull_formats::{Format, Received};
use hull_geometry::shapes::{cuboid, torus};
use hull_geometry::{Unit, Watch};
use hull_store::Store;
use hull_store::blobs::{Blob, CHUNK};
use hull_store::bodies::{NewRevision, line_of};
use hull_store::deleting::Thing;
use hull_store::ids::{BodyId, JobId, ProjectId, RevisionId};
use hull_store::jobs::Left;
use hull_store::pulse::Moving;
use hull_store::work::{Applied, Arrival, ArrivalSummary, Derivation, On, Order, Outcome, Repaired, State, Work};
use hull_workshop::handover::Form;
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::steps::stitch::Stitch;
use hull_workshop::survey::{first_look, survey};
use hull_workshop::{Body, Change, Destination, Step, apply};
use std::collections::HashSet;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};

fn store() -> Store {
    store_with(std::env::temp_dir().join(format!("hull-test-cache-{}", std::process::id())))
}

fn store_with(cache: std::path::PathBuf) -> Store {
    let url = std::env::var("HULL_TEST_DATABASE_URL").expect("run scripts/test, which starts a database for the tests");
    Store::open(&url, cache).unwrap()
}

fn name(what: &str) -> String {
    static NEXT: AtomicUsize = AtomicUsize::new(0);
    format!("{what} {} {}", std::process::id(), NEXT.fetch_add(1, Relaxed))
}

fn body() -> Body {
    Body::from_received("torus.stl", Received::plain(Format::StlBinary, torus(5.0, 2.0, 30, 20)))
}

/// Adds a job of a kind of its own and claims it, putting other tests' jobs aside.
fn claimed(store: &Store, project: ProjectId, body: Option<BodyId>, worker: &str) -> JobId {
    claimed_on(store, project, body, worker, &Work::Handover(Form::Ascii.into()))
}

fn claimed_on(store: &Store, project: ProjectId, body: Option<BodyId>, worker: &str, work: &Work) -> JobId {
    let wanted = store.enqueue(work, project, body).unwrap();
    loop {
        if store.claim(worker).unwrap().is_some_and(|job| job.id == wanted) {
            return wanted;
        }
    }
}

/// Puts a body as received into a project; gives its number.
fn stored(store: &Store, project: ProjectId, body: &Body) -> BodyId {
    let (surveyed, lines) = survey(body, &Watch::default()).unwrap();
    let change = Change::default();
    let new = NewRevision { step: None, change: &change, body, survey: &surveyed, lines: &lines };
    let job = claimed(store, project, None, "w");
    store.add_bodies((job, "w"), project, ("fluid", ""), &[("Torus".into(), new)], ArrivalSummary::default()).unwrap()
        [0]
}

/// Sets the unit of the state a body is at; gives the new state.
fn in_unit(store: &Store, project: ProjectId, id: BodyId, unit: Unit) -> RevisionId {
    let step = Step::SetUnit(SetUnit { unit });
    let parent = store.revision(store.body(id).unwrap().head.unwrap()).unwrap();
    let (after, change) =
        apply(&store.load(&parent).unwrap(), &step, &Destination::named("fluid").unwrap(), &Watch::default()).unwrap();
    let (surveyed, lines) = survey(&after, &Watch::default()).unwrap();
    let new = NewRevision { step: Some(&step), change: &change, body: &after, survey: &surveyed, lines: &lines };
    let job = claimed(store, project, Some(id), "w");
    let made = store.add_revision((job, "w"), &parent, &new, false).unwrap();
    assert_eq!(store.load(&store.revision(made).unwrap()).unwrap(), after);
    made
}

#[test]
fn a_body_goes_back_and_forth_and_its_arrays_come_back_bit_by_bit() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("logbook")).unwrap();
    let first = body();
    let id = stored(&store, project.id, &first);
    let received = store.revision(store.body(id).unwrap().head.unwrap()).unwrap();
    assert_eq!(store.load(&received).unwrap(), first);

    let mut heads = vec![received.id];
    for unit in [Unit::In, Unit::Cm] {
        heads.push(in_unit(&store, project.id, id, unit));
    }
    let (surveyed, lines) = survey(&first, &Watch::default()).unwrap();
    let change = Change::default();
    let new = NewRevision { step: None, change: &change, body: &first, survey: &surveyed, lines: &lines };
    let job = claimed(&store, project.id, Some(id), "w");
    assert!(store.add_revision((job, "w"), &received, &new, false).is_err(), "the body moved on");
    store.go_to(id, heads[1]).unwrap();
    let row = store.body(id).unwrap();
    assert_eq!((row.head, row.tip), (Some(heads[1]), Some(heads[2])), "going back keeps what lies ahead");
    store.go_to(id, heads[2]).unwrap();
    assert_eq!(store.line_to(id, heads[2]).unwrap().len(), 3);
}

#[test]
fn a_failure_is_told_until_it_is_put_aside_or_something_else_is_tried() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("failures")).unwrap();
    let id = stored(&store, project.id, &body());
    let fail = |sentence: &str| {
        let job = claimed(&store, project.id, Some(id), "w");
        store.end_job(job, "w", &State::Failed(sentence.into())).unwrap();
        job
    };
    let told = || store.failed_job_of_body(id).unwrap().and_then(|j| j.sentence());
    assert_eq!(told(), None);
    let first = fail("too fine");
    assert_eq!(told().as_deref(), Some("too fine"));
    store.put_aside(first).unwrap();
    assert_eq!(told(), None, "put aside");
    fail("too coarse");
    assert_eq!(told().as_deref(), Some("too coarse"), "another one is told again");
    let job = claimed(&store, project.id, Some(id), "w");
    assert_eq!(told(), None, "something else is tried");
    store.put_aside(job).unwrap();
    store.end_job(job, "w", &State::Refused("still no good".into())).unwrap();
    assert_eq!(told().as_deref(), Some("still no good"), "only a failure can be put aside");
}

#[test]
fn a_failure_is_not_told_of_a_state_that_the_body_has_left() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("left")).unwrap();
    let id = stored(&store, project.id, &body());
    let received = store.body(id).unwrap().head.unwrap();
    let now = in_unit(&store, project.id, id, Unit::Cm);
    let job = claimed_on(&store, project.id, Some(id), "w", &Work::Propose { on: now, wrap: true });
    store.end_job(job, "w", &State::Refused("too fine".into())).unwrap();
    let told = || store.failed_job_of_body(id).unwrap().and_then(|j| j.sentence());
    assert_eq!(told().as_deref(), Some("too fine"));
    store.go_to(id, received).unwrap();
    assert_eq!(told(), None, "the body has gone back");
    store.go_to(id, now).unwrap();
    assert_eq!(told().as_deref(), Some("too fine"), "and is there again");
}

#[test]
fn a_worker_that_lost_its_job_keeps_nothing() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("lease")).unwrap();
    let job = claimed(&store, project.id, None, "first");
    assert!(store.heartbeat(job, "second", 0.5, "x").unwrap(), "a stranger is told to stop");
    assert!(!store.heartbeat(job, "first", 0.5, "x").unwrap());
    let b = body();
    let (s, l) = survey(&b, &Watch::default()).unwrap();
    let change = Change::default();
    let new = NewRevision { step: None, change: &change, body: &b, survey: &s, lines: &l };
    assert!(
        store
            .add_bodies((job, "second"), project.id, ("fluid", ""), &[("Twice".into(), new)], ArrivalSummary::default())
            .is_err()
    );
    assert!(store.bodies(project.id).unwrap().is_empty(), "the transaction is undone as a whole");
    store.cancel_job(job).unwrap();
    assert!(store.heartbeat(job, "first", 0.6, "x").unwrap(), "cancelling reaches the worker");
    store.end_job(job, "first", &State::Cancelled).unwrap();
    assert_eq!(store.job(job).unwrap().state, State::Cancelled);
}

#[test]
fn what_is_known_of_a_new_body_is_kept_and_the_rest_of_its_survey_waits_for_people() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("arrival")).unwrap();
    let b = body();
    let (mut seen, lines) = first_look(&b, &Watch::default()).unwrap();
    let change = Change::default();
    let new = NewRevision { step: None, change: &change, body: &b, survey: &seen, lines: &lines };
    let job = claimed(&store, project.id, None, "w");
    let id = store
        .add_bodies((job, "w"), project.id, ("fluid", ""), &[("Torus".into(), new)], ArrivalSummary::default())
        .unwrap()[0];
    let head = store.body(id).unwrap().head.unwrap();
    assert!(store.open_job_of_body(id).unwrap().is_none(), "a survey does not keep people from steps");
    let rest = store.open_survey(id, head).unwrap().expect("the rest of the survey is asked for").id;
    store.ask_for_survey(project.id, id, head).unwrap();
    assert_eq!(store.open_survey(id, head).unwrap().unwrap().id, rest, "asking twice asks once");
    claimed(&store, project.id, None, "w");
    assert_eq!(store.claim("w").unwrap().unwrap().id, rest, "the later job went first");
    seen.awaited.clear();
    assert!(store.keep_survey((rest, "other"), head, &seen).is_err());
    assert!(!store.revision(head).unwrap().survey.awaited.is_empty(), "a stranger keeps nothing");
    store.keep_survey((rest, "w"), head, &seen).unwrap();
    assert!(store.revision(head).unwrap().survey.awaited.is_empty());
}

#[test]
fn many_workers_take_every_job_once() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("queue")).unwrap();
    let jobs: HashSet<JobId> =
        (0..60).map(|_| store.enqueue(&Work::Handover(Form::Ascii.into()), project.id, None).unwrap()).collect();
    let taken: Vec<JobId> = std::thread::scope(|scope| {
        let workers: Vec<_> = (0..4)
            .map(|w| {
                let store = store.clone();
                scope.spawn(move || {
                    let worker = format!("w{w}");
                    std::iter::from_fn(|| store.claim(&worker).unwrap()).map(|j| j.id).collect::<Vec<_>>()
                })
            })
            .collect();
        workers.into_iter().flat_map(|w| w.join().unwrap()).collect()
    });
    let ours: Vec<JobId> = taken.into_iter().filter(|id| jobs.contains(id)).collect();
    assert_eq!(ours.len(), 60);
    assert_eq!(ours.into_iter().collect::<HashSet<_>>(), jobs);
}

#[test]
fn a_worker_that_goes_leaves_its_job_as_it_ought_to() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("gone")).unwrap();
    let job = claimed(&store, project.id, None, "gone");
    let stands = || store.job(job).unwrap();
    let again = || {
        assert_eq!(store.claim("gone").unwrap().unwrap().id, job, "it is the oldest");
    };
    // It had to go: as if it had not begun. It was killed: that counts.
    assert_eq!(store.worker_is_gone("gone", Left::Innocent).unwrap(), Some(job));
    assert_eq!((stands().state.word(), stands().attempts), ("queued", 0));
    again();
    store.worker_is_gone("gone", Left::Killed).unwrap();
    assert_eq!((stands().state.word(), stands().attempts), ("queued", 1));
    again();
    assert_eq!(store.worker_is_gone("somebody else", Left::Killed).unwrap(), None);
    // What was cancelled is not begun again, however its worker went.
    store.cancel_job(job).unwrap();
    store.worker_is_gone("gone", Left::Killed).unwrap();
    assert_eq!(stands().state.word(), "cancelled");
    let job = claimed(&store, project.id, None, "gone");
    let end = State::Failed("It is too large.".into());
    store.worker_is_gone("gone", Left::Ended(&end)).unwrap();
    assert_eq!(store.job(job).unwrap().sentence().as_deref(), Some("It is too large."));
}

#[test]
fn what_is_deleted_can_be_had_back_until_it_is_collected() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("bin")).unwrap();
    let id = stored(&store, project.id, &body());
    let other = stored(&store, project.id, &body());
    let kept = store.load(&store.revision(store.body(id).unwrap().head.unwrap()).unwrap()).unwrap();
    let used = store.usage(project.id).unwrap();
    assert!(used > 0);
    store.delete(Thing::Body(id)).unwrap();
    assert!(store.body(id).is_err() && store.delete(Thing::Body(id)).is_err());
    assert_eq!(store.bodies(project.id).unwrap().iter().map(|b| b.id).collect::<Vec<_>>(), [other]);
    assert_eq!(store.deleted_of(project.id).unwrap().iter().map(|d| d.thing).collect::<Vec<_>>(), [Thing::Body(id)]);
    store.collect(3600).unwrap();
    store.restore(Thing::Body(id)).unwrap();
    assert_eq!(store.load(&store.revision(store.body(id).unwrap().head.unwrap()).unwrap()).unwrap(), kept);
    // A project goes with its bodies; its name is free, and it comes back only under a free one.
    store.delete(Thing::Project(project.id)).unwrap();
    assert!(store.project(project.id).is_err() && store.body(id).is_err());
    let namesake = store.create_project(&project.name).unwrap();
    assert!(store.restore(Thing::Project(project.id)).unwrap_err().to_string().contains("already"));
    store.rename_project(namesake.id, &name("another")).unwrap();
    store.restore(Thing::Project(project.id)).unwrap();
    // Chunks that one body alone had go with it; what the other one has stays. Nothing else is young enough to go.
    store.rename_body(other, " Kept ").unwrap();
    assert_eq!(store.body(other).unwrap().name, "Kept");
    assert!(store.rename_body(other, "a\u{0}b").is_err() && store.rename_body(other, &"x".repeat(81)).is_err());
    store.rename_body(other, &"é".repeat(80)).unwrap();
    in_unit(&store, project.id, id, Unit::Ft);
    store.delete(Thing::Body(id)).unwrap();
    let before = store.usage(project.id).unwrap();
    let taken = store.collect(0).unwrap();
    assert!(taken.things >= 1 && taken.chunks >= 1, "{taken:?}");
    assert!(store.restore(Thing::Body(id)).is_err(), "it is gone for good");
    assert!(store.usage(project.id).unwrap() < before);
    let cache = std::env::temp_dir().join(format!("hull-test-cache-collected-{}", std::process::id()));
    let fresh = store_with(cache);
    assert_eq!(fresh.load(&fresh.revision(fresh.body(other).unwrap().head.unwrap()).unwrap()).unwrap(), kept);
}

#[test]
fn a_step_whose_body_went_elsewhere_is_told_until_it_is_put_aside() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("late")).unwrap();
    let id = stored(&store, project.id, &body());
    let parent = store.revision(store.body(id).unwrap().head.unwrap()).unwrap();
    let late = claimed(&store, project.id, Some(id), "slow");
    let (surveyed, lines) = survey(&body(), &Watch::default()).unwrap();
    in_unit(&store, project.id, id, Unit::Cm);
    let (b, change) = (body(), Change::default());
    let new = NewRevision { step: None, change: &change, body: &b, survey: &surveyed, lines: &lines };
    let refused = store.add_revision((late, "slow"), &parent, &new, false).unwrap_err();
    store.end_job(late, "slow", &State::Refused(refused.to_string())).unwrap();
    // A later job has been done since: it is told all the same, for the body and on the project's page.
    let told = store.failed_job_of_body(id).unwrap().expect("told");
    assert_eq!(told.id, late);
    assert!(told.sentence().unwrap().contains("changed while this was at work"));
    assert_eq!(store.jobs_by_body(project.id).unwrap()[&id].failed.as_ref().map(|j| j.id), Some(late));
    let before = store.pulse(project.id).unwrap();
    store.put_aside(late).unwrap();
    assert!(store.failed_job_of_body(id).unwrap().is_none());
    let after = store.pulse(project.id).unwrap();
    assert_ne!(after.project, before.project);
    assert_ne!(after.bodies[&id], before.bodies[&id]);
}

#[test]
fn blobs_survive_without_the_cache_and_damage_is_noticed() {
    let _alone = alone();
    // A cache of its own: it is deleted while other tests write to theirs.
    let cache = std::env::temp_dir().join(format!("hull-test-cache-alone-{}", std::process::id()));
    let store = store_with(cache.clone());
    let bytes: Vec<u8> = (0..CHUNK + 1000).map(|i| ((i * i) >> 7) as u8).collect();
    let mut blob = store.put_blob(&bytes).unwrap();
    assert_eq!(blob.chunks.len(), 2);
    assert!(store.blob(&blob).unwrap() == bytes);
    let path = cache.join(&blob.chunks[1][..2]).join(&blob.chunks[1]);
    std::fs::write(&path, b"rubbish").unwrap();
    assert!(store.blob(&blob).unwrap() == bytes, "a damaged cache is passed over");
    std::fs::remove_dir_all(&cache).unwrap();
    assert!(store.blob(&blob).unwrap() == bytes);
    blob.size += 1;
    assert!(store.blob(&blob).is_err());
}

/// The queue is one for all: tests that claim from it run one after the other.
fn alone() -> std::sync::MutexGuard<'static, ()> {
    static LOCK: std::sync::Mutex<()> = std::sync::Mutex::new(());
    LOCK.lock().unwrap_or_else(|e| e.into_inner())
}

#[test]
fn works_and_outcomes_come_back_from_the_table_as_they_went_in() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("works")).unwrap();
    let arrival = Arrival::File { name: "a.stl".into(), blob: Blob::default(), destination: "print".into() };
    let from = Derivation::Copy { of: RevisionId(7) };
    let on = RevisionId(3);
    let step: Step = Stitch { tolerance: 0.25 }.into();
    let works = [
        Work::Receive(arrival),
        Work::Receive(Arrival::Derived { name: "a".into(), from }),
        Work::Receive(Arrival::TakenOut { name: "a".into(), on, drop: vec!["x".into()], keep: vec!["y".into()] }),
        Work::Step(Applied { on, step: step.clone() }),
        Work::Preview(Applied { on, step }),
        Work::Survey(On { on }),
        Work::Propose { on, wrap: false },
        Work::Repair { on, steps: Vec::new(), compose: true },
        Work::Handover(Form::Binary.into()),
        Work::Write(Order { on, form: "ap214".into(), unit: Unit::In }),
    ];
    for work in works {
        let id = store.enqueue(&work, project.id, None).unwrap();
        assert_eq!(store.job(id).unwrap().work, work);
        store.cancel_job(id).unwrap();
        assert_eq!(store.job(id).unwrap().state, State::Cancelled, "one that has not begun ends at once");
    }
    // Cancelled, refused and failed stay apart; what came of it is what was said.
    let repaired = Repaired { steps: 2, stopped: Some("enough".into()) };
    let ends = [
        State::Cancelled,
        State::Refused("choose another".into()),
        State::Failed("a defect".into()),
        State::Done(Outcome::Repaired(repaired)),
    ];
    for end in ends {
        let job = claimed_on(&store, project.id, None, "w", &Work::Repair { on, steps: Vec::new(), compose: true });
        store.end_job(job, "w", &end).unwrap();
        assert_eq!(store.job(job).unwrap().state, end);
        assert!(store.end_job(job, "w", &State::Cancelled).is_err(), "what has ended does not end again");
    }
    assert!(store.end_job(claimed(&store, project.id, None, "w"), "w", &State::Running).is_err());
}

#[test]
fn the_logbook_is_listed_as_its_states_are_and_heads_come_by_one_query() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("log")).unwrap();
    let id = stored(&store, project.id, &body());
    let other = stored(&store, project.id, &body());
    in_unit(&store, project.id, id, Unit::In);
    let now = in_unit(&store, project.id, id, Unit::Cm);
    let log = store.log(id).unwrap();
    let whole = store.revisions(id).unwrap();
    assert_eq!(log.len(), 3);
    for (entry, state) in log.iter().zip(&whole) {
        assert_eq!(
            (entry.id, entry.parent, &entry.step, &entry.change),
            (state.id, state.parent, &state.step, &state.change)
        );
        assert_eq!(entry.unit, state.facts.length_unit());
        let survey = &state.survey;
        assert_eq!((entry.open_edges, entry.triangles), (survey.topology.open_edges, survey.size.triangles));
    }
    let line = line_of(&log, now).unwrap();
    assert_eq!(line.iter().map(|r| r.id).collect::<Vec<_>>(), whole.iter().map(|r| r.id).collect::<Vec<_>>());
    assert!(line_of(&log, RevisionId(now.0 + 1000)).is_err());
    let heads: Vec<(BodyId, Option<RevisionId>)> =
        store.heads(project.id).unwrap().into_iter().map(|(b, r)| (b.id, r.map(|r| r.unwrap().id))).collect();
    assert_eq!(heads, [(id, Some(now)), (other, store.body(other).unwrap().head)]);
}

#[test]
fn destinations_are_kept_by_version_and_bodies_keep_theirs() {
    let _alone = alone();
    let store = store();
    let fluid = Destination::named("fluid").unwrap();
    assert_eq!(*store.destination("fluid", 1).unwrap(), fluid);
    assert!(store.keep_destination(&fluid).is_err(), "what ships stays as it is");
    let own = name("yard").to_lowercase().replace(' ', "-");
    let mut mine = Destination { name: own.clone(), title: "Yard".into(), ..fluid };
    assert_eq!(store.keep_destination(&mine).unwrap(), 1);
    let project = store.create_project(&name("bound")).unwrap();
    let id = stored(&store, project.id, &body());
    store.bind(id, &own).unwrap();
    mine.requirements.truncate(3);
    assert_eq!(store.keep_destination(&mine).unwrap(), 2);
    let row = store.body(id).unwrap();
    assert_eq!((row.destination.as_str(), row.destination_version, store.newest(&own).unwrap()), (own.as_str(), 1, 2));
    assert_eq!(store.destination(&own, 1).unwrap().requirements.len(), 28);
    assert_eq!(store.destination(&own, 2).unwrap().requirements.len(), 3);
    let listed = store.destinations().unwrap();
    let mine = listed.iter().find(|l| l.destination.name == own).unwrap();
    assert_eq!((mine.destination.version, mine.shipped, mine.bodies), (2, false, 1));
    assert!(listed.iter().take(5).all(|l| l.shipped));
    assert!(store.destination(&own, 3).is_err() && store.bind(id, "nowhere").is_err());
}

/// Previews are computed, kept and dropped at once, as a double click does it; whatever comes of it, the body is at a state
/// that is there, and what was kept is kept.
#[test]
fn previews_that_are_kept_and_dropped_at_once_never_lose_the_body() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("races")).unwrap();
    let small = Body::from_received("cube.stl", Received::plain(Format::StlBinary, cuboid([1.0; 3])));
    let id = stored(&store, project.id, &small);
    let (surveyed, lines) = survey(&small, &Watch::default()).unwrap();
    let change = Change::default();
    let steps = [Unit::Mm, Unit::In].map(|unit| Step::SetUnit(SetUnit { unit }));
    let new = |step| NewRevision { step: Some(step), change: &change, body: &small, survey: &surveyed, lines: &lines };
    let ready = [0, 1].map(|i| store.made_ready(&new(&steps[i])).unwrap());
    let (mut kept, mut dropped) = (0, 0);
    for round in 0..400 {
        let head = store.revision(store.body(id).unwrap().head.unwrap()).unwrap();
        let job = claimed(&store, project.id, Some(id), "w");
        store.add_ready((job, "w"), &head, ready[0].clone(), true).unwrap();
        let next = claimed(&store, project.id, Some(id), "w");
        let (store, steps) = (&store, &steps);
        let won = std::thread::scope(|threads| {
            let keep = threads.spawn(|| store.keep_preview(id, &steps[0]));
            let drop = threads.spawn(|| store.drop_preview(id));
            // A worker that began before any of that: every other time with a step to be kept.
            let (head, other) = (&head, ready[1].clone());
            let add = threads.spawn(move || store.add_ready((next, "w"), head, other, round % 2 == 0));
            drop.join().unwrap().unwrap();
            let added = add.join().unwrap();
            (keep.join().unwrap().unwrap(), added)
        });
        let row = store.body(id).unwrap();
        let now = store.revision(row.head.unwrap()).expect("the state that the body is at is there");
        assert!(store.revision(row.tip.unwrap()).is_ok(), "round {round}");
        match won {
            (Some(id), _) => {
                assert_eq!((now.id, now.preview), (id, false), "what was kept is where the body is");
                kept += 1;
            }
            (None, Ok(added)) if round % 2 == 1 => assert_eq!(now.id, added, "a step applied is where the body is"),
            (None, _) => {
                assert_eq!(now.id, head.id, "nothing was kept");
                dropped += 1;
            }
        }
        // An odd round's step may have lost to what was kept: its job is open still.
        store.end_job(next, "w", &State::Cancelled).ok();
    }
    let row = store.body(id).unwrap();
    assert!(line_of(&store.log(id).unwrap(), row.tip.unwrap()).unwrap().len() > kept);
    assert!(kept > 20 && dropped > 20, "both happen: {kept} kept, {dropped} dropped");
}

/// A figure that JSON has no number for is refused before anything is stored, and a state that cannot be read hides no other.
#[test]
fn figures_beyond_numbers_are_refused_and_a_broken_state_hides_no_other() {
    let _alone = alone();
    let store = store();
    let project = store.create_project(&name("beyond")).unwrap();
    let fine = stored(&store, project.id, &body());
    let (mut surveyed, lines) = survey(&body(), &Watch::default()).unwrap();
    surveyed.size.volume = f64::INFINITY;
    let change = Change::default();
    let whole = body();
    let new = NewRevision { step: None, change: &change, body: &whole, survey: &surveyed, lines: &lines };
    let job = claimed(&store, project.id, None, "w");
    let refused =
        store.add_bodies((job, "w"), project.id, ("fluid", ""), &[("Far".into(), new)], ArrivalSummary::default());
    assert!(refused.is_err_and(|e| e.to_string().contains("too large")));
    store.end_job(job, "w", &State::Cancelled).unwrap();
    assert_eq!(store.heads(project.id).unwrap().len(), 1);
    let broken = stored(&store, project.id, &body());
    let head = store.body(broken).unwrap().head.unwrap();
    let url = std::env::var("HULL_TEST_DATABASE_URL").unwrap();
    let mut c = diesel::PgConnection::establish(&url).unwrap();
    diesel::sql_query(format!(
        "UPDATE revisions SET survey = jsonb_set(survey, '{{size,volume}}', 'null') WHERE id = {head}"
    ))
    .execute(&mut c)
    .unwrap();
    let heads = store.heads(project.id).unwrap();
    assert_eq!(
        heads.iter().map(|(b, r)| (b.id, r.as_ref().is_some_and(Result::is_ok))).collect::<Vec<_>>(),
        [(fine, true), (broken, false)]
    );
    // A head that is no state of the body is refused by the table itself.
    let stray = diesel::sql_query(format!("UPDATE bodies SET head = {head} WHERE id = {fine}")).execute(&mut c);
    assert!(stray.is_err());
    store.delete(Thing::Body(broken)).unwrap();
    assert_eq!(store.heads(project.id).unwrap().len(), 1);
}

/// What pages tell of jobs: how long they have been at it, what is left, and how many are before them, of whatever project.
#[test]
fn jobs_under_way_say_their_time_and_their_place() {
    let store = store();
    let moving = |running, fraction, elapsed, ahead| Moving {
        id: JobId(1),
        running,
        fraction,
        phrase: String::new(),
        elapsed,
        ahead,
    };
    for (job, said) in [
        (moving(true, 0.25, 30.0, 0), "0:30 elapsed, about 1:30 left"),
        (moving(true, 0.01, 65.0, 0), "1:05 elapsed"),
        (moving(true, 0.5, 1.0, 0), "0:01 elapsed"),
        (moving(false, 0.0, 0.0, 0), "next in the queue"),
        (moving(false, 0.0, 0.0, 1), "one job is before it in the queue"),
        (moving(false, 0.0, 0.0, 7), "7 jobs are before it in the queue"),
    ] {
        assert_eq!(job.time(), said);
    }
    let _alone = alone();
    let project = store.create_project(&name("places")).unwrap();
    let body = stored(&store, project.id, &body());
    let on = store.body(body).unwrap().head.unwrap();
    let survey = store.enqueue(&Work::Survey(On { on }), project.id, Some(body)).unwrap();
    let ahead = |id: JobId| store.pulse(project.id).unwrap().jobs.into_iter().find(|j| j.id == id).unwrap().ahead;
    let before = ahead(survey);
    let handover = store.enqueue(&Work::Handover(Form::Ascii.into()), project.id, Some(body)).unwrap();
    // Surveys wait for what people wait for.
    assert_eq!(ahead(survey), before + 1);
    assert!(ahead(handover) < ahead(survey));
    [survey, handover].into_iter().for_each(|id| store.cancel_job(id).unwrap());
    assert!(store.pulse(project.id).unwrap().jobs.is_empty());
}
