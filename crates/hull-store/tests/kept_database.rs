//! A database of an earlier day opens with the code of today: its states are read, replayed to the same bytes, and handed
//! over as the same files. `databases/` keeps dumps, made through the page, by the day on which they were taken.

use diesel::connection::SimpleConnection;
use diesel::{Connection, PgConnection};
use hull_exact::bodies::BodyFigures;
use hull_geometry::Watch;
use hull_geometry::deviation::TwoSidedDeviation;
use hull_store::Store;
use hull_store::bodies::Revision;
use hull_store::work::{Kind, Outcome};
use hull_workshop::body::Facts;
use hull_workshop::handover::{Form, hand_over};
use hull_workshop::prepare::Prepared;
use hull_workshop::survey::survey;
use hull_workshop::{Body, Change, Destination, Sheet, apply};

/// A store on a database that holds a dump and goes when the test does.
struct Kept {
    url: String,
    name: String,
    store: Store,
}

impl Kept {
    fn open(dump: &[u8]) -> Kept {
        let url = std::env::var("HULL_TEST_DATABASE_URL").expect("run scripts/test, which starts a database");
        let name = format!("kept_{}", std::process::id());
        let own = format!("{}/{name}", url.rsplit_once('/').unwrap().0);
        let mut server = PgConnection::establish(&url).unwrap();
        server.batch_execute(&format!("DROP DATABASE IF EXISTS {name}")).unwrap();
        server.batch_execute(&format!("CREATE DATABASE {name}")).unwrap();
        let sql = String::from_utf8(zstd::decode_all(dump).unwrap()).unwrap();
        PgConnection::establish(&own).unwrap().batch_execute(&sql).unwrap();
        let store = Store::open(&own, std::env::temp_dir().join(&name)).unwrap();
        Kept { url, name, store }
    }
}

impl Drop for Kept {
    fn drop(&mut self) {
        let drop = format!("DROP DATABASE IF EXISTS {} WITH (FORCE)", self.name);
        let _ = PgConnection::establish(&self.url).map(|mut c| c.batch_execute(&drop));
        let _ = std::fs::remove_dir_all(std::env::temp_dir().join(&self.name));
    }
}

/// Facts without what exact figures did not have in November 2026, their values to nine figures: integrals are taken
/// otherwise since.
fn as_told_then(facts: &Facts) -> Facts {
    let mut facts = facts.clone();
    let Some(exact) = &mut facts.exact else { return facts };
    let to_nine = |x: f64| format!("{x:.8e}").parse::<f64>().unwrap();
    let f = &mut exact.figures;
    (f.volume_error, f.area_error) = (0.0, 0.0);
    (f.volume, f.area) = (to_nine(f.volume), to_nine(f.area));
    for b in &mut f.bodies {
        *b = BodyFigures {
            volume: to_nine(b.volume),
            area: to_nine(b.area),
            volume_error: 0.0,
            area_error: 0.0,
            centroid: [0.0; 3],
            ..b.clone()
        };
    }
    for r in [&mut exact.readings.trusting, &mut exact.readings.rebuilding] {
        (r.volume, r.area) = (to_nine(r.volume), to_nine(r.area));
    }
    facts
}

/// What a step did without how far apart the surfaces are: that is measured otherwise since, with a bound.
fn without_distances(change: &Change) -> Change {
    Change { moved: change.moved.as_ref().map(|_| TwoSidedDeviation::default()), largest_move: 0.0, ..change.clone() }
}

/// Points, facets and every number that goes with facets.
fn same(a: &Body, b: &Body, what: &str) {
    assert_eq!(a.mesh.points, b.mesh.points, "{what}: points");
    assert_eq!(a.mesh.triangles, b.mesh.triangles, "{what}: facets");
    assert_eq!(&a.columns, &b.columns, "{what}: numbers of facets");
    assert_eq!(as_told_then(&a.facts), as_told_then(&b.facts), "{what}: facts");
    assert_eq!(a.exact, b.exact, "{what}: exact geometry");
}

/// Every state of a line from the one before it, by its step.
fn replayed(store: &Store, line: &[Revision], destination: &Destination) {
    for pair in line.windows(2) {
        let step = pair[1].step.as_ref().unwrap();
        let (next, change) =
            apply(&store.load(&pair[0]).unwrap(), step, &Destination::named("fluid").unwrap(), &Watch::default())
                .unwrap();
        same(&next, &store.load(&pair[1]).unwrap(), &format!("{step:?}"));
        assert_eq!(without_distances(&change), without_distances(&pair[1].change));
        assert_eq!(Sheet::of(&next.facts, &survey(&next, &Watch::default()).unwrap().0, destination).rows, {
            Sheet::of(&pair[1].facts, &pair[1].survey, destination).rows
        });
    }
}

#[test]
fn a_database_of_november_2026_is_read_replayed_and_handed_over() {
    let kept = Kept::open(include_bytes!("databases/2026-11-27.sql.zst"));
    let store = &kept.store;
    let projects = store.projects().unwrap();
    assert_eq!(projects.len(), 2);
    let project = projects.iter().find(|p| p.name == "Harbour survey 2026").unwrap();
    let bodies = store.bodies(project.id).unwrap();
    assert_eq!(
        bodies.iter().map(|b| b.name.as_str()).collect::<Vec<_>>(),
        ["Instrument tray", "Gantry", "Faulty", "Frustum"]
    );
    let mut states = Vec::new();
    for body in &bodies {
        let destination = Destination::named(&body.destination).unwrap();
        let line = store.line_to(body.id, body.tip.unwrap()).unwrap();
        replayed(store, &line, &destination);
        states.push((store.revisions(body.id).unwrap().len(), line.len(), store.preview(body.id).unwrap().is_some()));
    }
    // All states of the logbook, those of the line, whether there is a preview.
    assert_eq!(states, [(9, 8, true), (2, 2, false), (2, 2, false), (3, 3, false)]);
    // Of what was handed over then, the same files are handed over now.
    let tray = &bodies[0];
    let destination = Destination::named(&tray.destination).unwrap();
    let line = store.line_to(tray.id, tray.head.unwrap()).unwrap();
    let now = line.last().unwrap();
    let prepared = Prepared {
        body: store.load(now).unwrap(),
        survey: now.survey.clone(),
        sheet: Sheet::of(&now.facts, &now.survey, &destination),
        log: line.iter().filter_map(|r| Some((r.step.clone()?, r.change.clone()))).collect(),
        trial: None,
    };
    let made = hand_over(&tray.name, &prepared, &destination, Form::Ascii, &Watch::default()).unwrap();
    let then = &store.handovers(tray.id).unwrap()[0];
    assert_eq!(made.manifest.files, then.manifest.files);
    // Titles and verdicts have other words since; what was done and what came of it have not.
    let done = |m: &hull_workshop::handover::Manifest| -> Vec<_> { m.steps.iter().map(|s| s.step.clone()).collect() };
    assert_eq!(done(&made.manifest), done(&then.manifest));
    assert_eq!(made.manifest.comparison, then.manifest.comparison);
    assert_eq!(made.manifest.requirements.len(), then.manifest.requirements.len());
    // The file that could not be read is still told, and the repair that was proposed is still there.
    let arrivals = store.jobs_of_project(project.id, Kind::Receive).unwrap();
    assert!(arrivals.iter().any(|j| j.state.is_failure() && j.sentence().is_some_and(|e| e.contains("cut.stl"))));
    assert!(
        matches!(store.last_done(bodies[2].id, Kind::Propose).unwrap().unwrap().outcome(), Some(Outcome::Proposed(p)) if !p.steps.is_empty())
    );
}
