//! What the code made of the demo on the day these hashes were taken, it makes today: every array of every state, every
//! sheet and every handed-over file, byte for byte.
//!
//! The routines of `golden/routines/` were exported from the demo's bodies after their whole work; those called `every-…`
//! use every step there is, also where it is refused. Where a difference is meant, `HULL_GOLDEN=write cargo test
//! --workspace --test golden` takes the hashes again, and the commit says why.

use hull_geometry::Watch;
use hull_workshop::handover::{Form, HandoverError, hand_over, hex};
use hull_workshop::prepare::Prepared;
use hull_workshop::routine::Routine;
use hull_workshop::survey::survey_for;
use hull_workshop::{Body, Destination, Sheet, Step, StepError, apply};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::Mutex;

/// One state, as hashes.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
struct State {
    /// The step's id, or “received”.
    step: String,
    /// What the step said, or why it was refused.
    said: String,
    refused: bool,
    /// SHA-256 of each array by name, of names and waivers, and of the sheet as JSON.
    sha256: BTreeMap<String, String>,
}

/// A routine taken through.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
struct Run {
    states: Vec<State>,
    /// SHA-256 of each file by form and name; or why there are none.
    handed_over: BTreeMap<String, String>,
}

const FORMS: [Form; 6] = [Form::Ascii, Form::Binary, Form::Ap203, Form::Ap214, Form::Ap242, Form::Iges];

fn folder() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/golden")
}

fn routines() -> Vec<(String, Routine)> {
    let mut paths: Vec<PathBuf> =
        std::fs::read_dir(folder().join("routines")).unwrap().map(|e| e.unwrap().path()).collect();
    paths.sort();
    let read = |p: PathBuf| {
        let text = std::fs::read_to_string(&p).unwrap();
        (p.file_stem().unwrap().to_string_lossy().into_owned(), Routine::from_toml(&text).unwrap())
    };
    paths.into_iter().map(read).collect()
}

fn received(file: &str) -> Body {
    let made = hull_demo::files().unwrap().into_iter().find(|f| f.0 == file).map(|f| f.1);
    let bytes = made.unwrap_or_else(|| std::fs::read(folder().join(file)).unwrap());
    let watch = Watch::default();
    Body::of(file, hull_formats::open(file, &bytes, &watch).unwrap(), &watch).unwrap()
}

fn id(step: &Step) -> String {
    serde_json::to_value(step).unwrap()["step"].as_str().unwrap().to_string()
}

fn u32s(numbers: &[u32]) -> String {
    hex(&numbers.iter().flat_map(|x| x.to_le_bytes()).collect::<Vec<u8>>())
}

fn hashes(body: &Body, sheet: &Sheet) -> BTreeMap<String, String> {
    let points: Vec<u8> = body.mesh.points.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
    let f = &body.facts;
    let names = serde_json::to_vec(&(&f.labels, &f.boundaries, &f.waivers, &f.edge_names, &f.seams)).unwrap();
    let exact = body.exact.as_ref().map_or("none".into(), |e| hex(&postcard::to_stdvec(e.as_ref()).unwrap()));
    let pieces = body.pieces.iter().flat_map(|piece| {
        let encoded = piece.encode();
        encoded.arrays.into_iter().map(move |(name, bytes)| (format!("{}: {name}", encoded.kind), hex(&bytes)))
    });
    [
        ("points", hex(&points)),
        ("triangles", u32s(&body.mesh.corner_numbers().flatten().collect::<Vec<_>>())),
        ("cells", u32s(&body.columns.cell.raw)),
        ("labels", u32s(&body.columns.label.raw)),
        ("boundaries", u32s(&body.columns.boundary.raw)),
        ("faces", u32s(&body.columns.face.raw)),
        ("exact", exact),
        ("names", hex(&names)),
        ("sheet", hex(&serde_json::to_vec(sheet).unwrap())),
    ]
    .into_iter()
    .map(|(name, hash)| (name.to_string(), hash))
    .chain(pieces)
    .collect()
}

fn state(body: &Body, step: &str, said: &str, refused: bool) -> (State, Prepared) {
    let fluid = Destination::named("fluid").unwrap();
    let (survey, _) = survey_for(body, &fluid, &Watch::default()).unwrap();
    let sheet = Sheet::of(&body.facts, &survey, &fluid);
    let state = State { step: step.into(), said: said.into(), refused, sha256: hashes(body, &sheet) };
    (state, Prepared { body: body.clone(), survey, sheet, log: Vec::new(), trial: None })
}

fn run(routine: &Routine) -> Run {
    let destination = Destination::named("fluid").unwrap();
    let mut body = received(routine.made_from.as_deref().unwrap());
    let (first, mut now) = state(&body, "received", "", false);
    let mut states = vec![first];
    let mut log = Vec::new();
    for step in &routine.steps {
        let done = apply(&body, step, &destination, &Watch::default());
        match done {
            Ok((next, change)) => {
                body = next;
                let (state, prepared) = state(&body, &id(step), &change.sentence, false);
                states.push(state);
                now = prepared;
                log.push((step.clone(), change));
            }
            Err(StepError::Refused(why)) => {
                states.push(State { step: id(step), said: why, refused: true, sha256: BTreeMap::new() });
            }
            Err(StepError::Cancelled(_)) => unreachable!("nobody cancels"),
        }
    }
    now.log = log;
    let mut handed_over = BTreeMap::new();
    for form in FORMS {
        let key = serde_json::to_value(form).unwrap().as_str().unwrap().to_string();
        match hand_over("golden", &now, &destination, form, &Watch::default()) {
            Ok(made) => handed_over.extend(made.files.iter().map(|(name, b)| (format!("{key}/{name}"), hex(b)))),
            Err(e @ (HandoverError::NotReady(_) | HandoverError::Failed(_))) => {
                handed_over.insert(key, e.to_string());
            }
            Err(e) => panic!("{key}: {e}"),
        }
    }
    Run { states, handed_over }
}

#[test]
fn the_demo_comes_out_as_it_did() {
    let left = Mutex::new(routines());
    // Routines differ in length: whoever is free takes the next.
    let work = || {
        while let Some((name, routine)) = take(&left) {
            compare(&name, &run(&routine))
        }
    };
    std::thread::scope(|threads| {
        let all = std::thread::available_parallelism().map_or(1, |n| n.get());
        let running: Vec<_> = (0..all).map(|_| threads.spawn(work)).collect();
        for thread in running {
            thread.join().unwrap_or_else(|why| std::panic::resume_unwind(why));
        }
    });
}

fn take(left: &Mutex<Vec<(String, Routine)>>) -> Option<(String, Routine)> {
    left.lock().unwrap().pop()
}

/// Holds a run against the hashes that are kept, or keeps them.
fn compare(name: &str, now: &Run) {
    let path = folder().join(format!("{name}.json"));
    if std::env::var("HULL_GOLDEN").is_ok_and(|v| v == "write") {
        std::fs::write(&path, serde_json::to_string_pretty(now).unwrap() + "\n").unwrap();
        return;
    }
    let then: Run = serde_json::from_str(&std::fs::read_to_string(&path).unwrap()).unwrap();
    assert_eq!(now.states.len(), then.states.len(), "{name}: number of states");
    for (i, (now, then)) in now.states.iter().zip(&then.states).enumerate() {
        assert_eq!(now, then, "{name}: state {i}");
    }
    assert_eq!(now.handed_over, then.handed_over, "{name}");
}

#[test]
fn every_step_there_is_was_applied_somewhere() {
    let known = then().into_iter().flat_map(|r| r.states).filter(|s| !s.refused).map(|s| s.step);
    let applied: BTreeSet<String> = known.collect();
    let asked: BTreeSet<String> = routines().iter().flat_map(|r| r.1.steps.iter().map(id)).collect();
    assert_eq!(asked.difference(&applied).collect::<Vec<_>>(), Vec::<&String>::new());
    assert!(asked.len() >= 31, "{} kinds of steps", asked.len());
}

fn then() -> Vec<Run> {
    let read = |(name, _): (String, Routine)| {
        serde_json::from_str(&std::fs::read_to_string(folder().join(format!("{name}.json"))).unwrap()).unwrap()
    };
    routines().into_iter().map(read).collect()
}
