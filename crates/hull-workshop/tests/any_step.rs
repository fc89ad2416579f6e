//! Any step on any body: steps drawn by chance, with values that their fields allow, one after the other on bodies of every
//! kind. Whatever comes is done and leaves a body that holds together, or is refused with a sentence; never a panic.

use crate::common::body;
use hull_formats::ply;
use hull_geometry::cloud::Cloud;
use hull_geometry::dirt::{Dice, Dirt, spoil};
use hull_geometry::shapes::{cuboid, sphere, torus};
use hull_geometry::splats::Splat;
use hull_geometry::{Cancelled, NONE, Watch};
use hull_workshop::body::Facts;
use hull_workshop::pieces::Piece;
use hull_workshop::sentence::LengthUnit;
use hull_workshop::steps::{self, About, Field, OPERATIONS, Quantity, Seen, Step, StepError, Touches};
use hull_workshop::survey::first_look;
use hull_workshop::{Body, Destination, apply};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::PathBuf;
use std::time::Duration;

/// Bodies of every kind, small: clean, torn, exact, flat, points, splats, lines.
fn bodies() -> Vec<(&'static str, Body)> {
    let opened = |name: &str, bytes: &[u8]| {
        Body::of(name, hull_formats::open(name, bytes, &Watch::default()).expect("a good file"), &Watch::default())
            .expect("not cancelled")
    };
    let reference = |name: &str| {
        let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../hull-formats/tests/reference").join(name);
        opened(name, &std::fs::read(path).expect("a reference file"))
    };
    let torn = |seed: u64, how: &[Dirt]| {
        let mut dice = Dice(seed);
        body(how.iter().fold(torus(8.0, 3.0, 20, 12), |m, dirt| spoil(&m, *dirt, &mut dice)))
    };
    let mut cloud = Cloud::default();
    let dice = &mut Dice(5);
    for _ in 0..400 {
        cloud.points.push([0, 1, 2].map(|_| between(dice, -10.0, 10.0)));
        cloud.colours.push([200, 100, 50]);
    }
    let wires = "0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n8\nwall\n90\n4\n70\n1\n10\n0\n20\n0\n10\n40\n20\n0\n10\n40\n20\n30\n42\n0.4\n10\n0\n20\n30\n0\nLINE\n8\nrib\n10\n0\n20\n0\n30\n0\n11\n40\n21\n30\n31\n9\n0\nENDSEC\n0\nEOF\n";
    // Members held and loaded, and regions of a plane, as the steps that make them propose it.
    let after = |body: &Body, ids: &[(&str, &[(&str, &str)])]| {
        ids.iter().fold(body.clone(), |b, (id, typed)| {
            let survey = first_look(&b, &Watch::default()).expect("not cancelled").0;
            let proposal = steps::proposed(
                steps::operation(id).expect("an operation"),
                &Seen { facts: &b.facts, survey: &survey },
            );
            let typed: Vec<(String, String)> = typed.iter().map(|(k, v)| (k.to_string(), v.to_string())).collect();
            let step = steps::read(id, &typed, proposal.map(|p| p.step).as_ref())
                .unwrap_or_else(|e| panic!("{id}: {}", e.text(LengthUnit::FileUnits)));
            apply(&b, &step, &Destination::asking_nothing(), &Watch::default())
                .unwrap_or_else(|e| panic!("{id}: {e}"))
                .0
        })
    };
    let lines = opened("frame.dxf", wires.as_bytes());
    let members = after(
        &lines,
        &[("set_unit", &[("unit", "m")]), ("make_members", &[]), ("set_section", &[("section", "IPE 200")])],
    );
    let regions = after(&lines, &[("make_regions", &[])]);
    let mut splats = cloud.clone();
    splats.splats = splats
        .points
        .iter()
        .map(|_| Splat {
            axes: [0.3, 0.2, 0.1],
            turn: [1.0, 0.0, 0.0, 0.0],
            colour: [0.5; 3],
            opacity: 0.7,
            sheen: [[0.0; 3]; 3],
        })
        .collect();
    vec![
        ("members", members),
        ("regions of a plane", regions),
        ("splats", opened("bay.ply", &ply::write_points(&splats, false))),
        ("a block", body(cuboid([40.0, 30.0, 20.0]))),
        ("a ball", body(sphere(12.0, 16, 8))),
        ("a torn ring", torn(1, &[Dirt::Gaps { patches: 3, gap: 0.001 }, Dirt::Holes { holes: 2 }])),
        ("a ring of crossings", torn(2, &[Dirt::Crossings { points: 4 }, Dirt::Flips { facets: 6 }])),
        ("an exact ring", reference("step/torus-ap214-mm.step")),
        ("a frustum of loose faces", reference("iges/frustum-loose-0.2mm.igs")),
        ("points", opened("wall.ply", &ply::write_points(&cloud, false))),
        ("lines", lines),
    ]
}

fn between(dice: &mut Dice, low: f64, high: f64) -> f64 {
    low + dice.part() * (high - low)
}

fn chance(dice: &mut Dice, part: f64) -> bool {
    dice.part() < part
}

/// A value that a field allows, as it is typed: from a body's size, names and places as often as not.
fn typed(f: &Field, body: &Body, dice: &mut Dice) -> String {
    let bounds = body.bounds();
    let size = if bounds.is_empty() { 1.0 } else { bounds.diagonal() };
    let place = |dice: &mut Dice| {
        let [x, y, z] = match body.mesh.points.len() {
            n if n > 0 && chance(dice, 0.5) => body.mesh.points.raw[dice.below(n)],
            _ if bounds.is_empty() => [0.0; 3],
            _ => [0, 1, 2].map(|k| bounds.min[k] + between(dice, -0.2, 1.2) * (bounds.max[k] - bounds.min[k])),
        };
        format!("{x}, {y}, {z}")
    };
    let name = |dice: &mut Dice| {
        let mut known: Vec<String> = body.facts.boundaries.iter().map(|b| b.name.clone()).collect();
        known.extend(body.facts.labels.iter().map(|l| l.name.clone()));
        known.extend(body.facts.datums.iter().map(|d| d.name.clone()));
        known.push("new".into());
        known[dice.below(known.len())].clone()
    };
    match f.quantity {
        // Over four decades below the body's size, and a little above.
        Quantity::Length => format!("{:e}", size * 10_f64.powf(between(dice, -4.0, 0.3))),
        Quantity::Place | Quantity::Vector(_) => place(dice),
        Quantity::Places => (0..1 + dice.below(4)).map(|_| place(dice)).collect::<Vec<_>>().join("; "),
        Quantity::Angle(from, to) => between(dice, from, to).to_string(),
        Quantity::Number(_, from, to) => {
            let (low, high) = (from.max(-1e4), to.min(1e4));
            // Small numbers as often as any, and whole ones.
            let x = if chance(dice, 0.5) { between(dice, low, high.min(low + 10.0)) } else { between(dice, low, high) };
            (if chance(dice, 0.5) { x.round().clamp(low.ceil(), high.floor()) } else { x }).to_string()
        }
        Quantity::Choice(words) => words[dice.below(words.len())].0.into(),
        Quantity::Flag => if chance(dice, 0.5) { "yes" } else { "no" }.into(),
        Quantity::Text(..) | Quantity::Texts => name(dice),
        Quantity::Rows(_) => format!("{}\n{}", name(dice), place(dice)),
        Quantity::Pick | Quantity::PickOrUnnamed => match dice.below(7) {
            0 => "unnamed".into(),
            1 => format!("boundary:{}", name(dice)),
            2 => format!("region:{}@{}", place(dice).replace(' ', ""), 1 + dice.below(90)),
            3 => format!("shell:{}", place(dice).replace(' ', "")),
            4 => format!("direction:0,0,1@{}", 1 + dice.below(90)),
            5 => format!("box:{};{}", place(dice).replace(' ', ""), place(dice).replace(' ', "")),
            _ => format!("label:{}", name(dice)),
        },
        Quantity::Rules => r#"[{"name":"a","pick":{"include":["unnamed"]},"area":0.0}]"#.into(),
    }
}

/// A step of an operation: as it is proposed, as often as it is drawn.
fn drawn(about: &About, body: &Body, dice: &mut Dice) -> Option<Step> {
    if chance(dice, 0.4) {
        let survey = first_look(body, &Watch::default()).ok()?.0;
        if let Some(proposal) = steps::proposed(about, &Seen { facts: &body.facts, survey: &survey }) {
            return Some(proposal.step);
        }
    }
    let mut all = Vec::new();
    for f in (about.fields)() {
        if !f.optional || chance(dice, 0.5) {
            all.push((f.path.to_string(), typed(f, body, dice)));
        }
    }
    steps::read(about.id, &all, None).ok()
}

/// Whether a body holds together: every number names something that is there, and what is kept of it comes back the same.
fn holds(body: &Body) -> Result<(), String> {
    let (mesh, columns, facts) = (&body.mesh, &body.columns, &body.facts);
    let n = mesh.triangles.len();
    let within =
        |column: &[u32], most: usize, none: bool| column.iter().all(|x| (*x as usize) < most || none && *x == NONE);
    let whole = |column: &[u32]| column.is_empty() || column.len() == n;
    let checks = [
        (
            "a facet names a point that is not there",
            mesh.triangles.iter().flatten().all(|p| *p < mesh.points.next_key()),
        ),
        ("a point is not finite", mesh.points.iter().flatten().all(|x| x.is_finite())),
        ("boundaries are not one a facet", columns.boundary.len() == n),
        ("a facet is in a boundary that is not there", within(&columns.boundary.raw, facts.boundaries.len(), true)),
        (
            "another column is not one a facet",
            whole(&columns.cell.raw) && whole(&columns.label.raw) && whole(&columns.face.raw),
        ),
        ("a label is not there", within(&columns.label.raw, facts.labels.len().max(1), false)),
        ("an exact face is not there", {
            let faces =
                body.exact.as_ref().map_or(0, |e| e.model.occurrences().map(|(_, part)| part.shape.faces.len()).sum());
            columns.face.is_empty() || within(&columns.face.raw, faces, true)
        }),
    ];
    if let Some((what, _)) = checks.iter().find(|c| !c.1) {
        return Err((*what).into());
    }
    for piece in &body.pieces {
        let back = Piece::decode(&piece.encode())?;
        if back != *piece {
            return Err(format!("{} come back otherwise", piece.counted()));
        }
    }
    let kept = serde_json::to_string(facts).map_err(|e| e.to_string())?;
    let back: Facts = serde_json::from_str(&kept).map_err(|e| format!("{e}: {kept}"))?;
    // Figures that are not finite are kept as nothing, and read as something else or not at all.
    if back == *facts { Ok(()) } else { Err(format!("what is known of it comes back otherwise: {kept}")) }
}

/// Cancels a watch after some time, unless what it watches has ended.
fn cancelled_after(seconds: u64, watch: &Watch) -> std::sync::mpsc::Sender<()> {
    let (ended, wait) = std::sync::mpsc::channel::<()>();
    let watch = watch.clone();
    std::thread::spawn(move || {
        if wait.recv_timeout(Duration::from_secs(seconds)) == Err(std::sync::mpsc::RecvTimeoutError::Timeout) {
            watch.cancel();
        }
    });
    ended
}

/// Runs some steps on a body; what went wrong, with the steps that led there.
fn run(name: &str, first: &Body, seed: u64, length: usize) -> Result<[usize; 2], String> {
    let dice = &mut Dice(seed);
    let shipped = Destination::shipped();
    let destination = &shipped[dice.below(shipped.len())];
    let (mut at, mut done, mut refused) = (first.clone(), Vec::new(), 0);
    for _ in 0..length {
        let about = &OPERATIONS[dice.below(OPERATIONS.len())];
        // Tests of their own ask what a wrap does with any size; here it would take most of the time.
        if about.id == "wrap" && !chance(dice, 0.1) {
            continue;
        }
        let told = |what: &str, step: &Step| {
            let all: Vec<String> =
                done.iter().chain([step]).map(|s| serde_json::to_string(s).unwrap_or_default()).collect();
            format!("{what}: {name}, seed {seed}\n{}", all.join("\n"))
        };
        let drawn = catch_unwind(AssertUnwindSafe(|| drawn(about, &at, dice)));
        let Some(step) =
            drawn.map_err(|_| format!("panicked while proposing {}: {name}, seed {seed}: {done:?}", about.id))?
        else {
            continue;
        };
        let watch = Watch::default();
        let ended = cancelled_after(5, &watch);
        let made = catch_unwind(AssertUnwindSafe(|| apply(&at, &step, destination, &watch)));
        drop(ended);
        match made.map_err(|_| told("panicked", &step))? {
            Ok((next, change)) => {
                holds(&next).map_err(|e| told(&e, &step))?;
                if change.sentence.trim().is_empty() || !change.largest_move.is_finite() {
                    return Err(told("says nothing of what it did", &step));
                }
                if step.about().touches == Touches::Names && next.mesh != at.mesh {
                    return Err(told("says that it changes names, and changes facets", &step));
                }
                let seen = catch_unwind(AssertUnwindSafe(|| first_look(&next, &Watch::default())));
                match seen.map_err(|_| told("the look after it panicked", &step))? {
                    Ok((survey, _)) => {
                        let text = serde_json::to_string(&survey).map_err(|e| told(&e.to_string(), &step))?;
                        serde_json::from_str::<hull_workshop::Survey>(&text)
                            .map_err(|e| told(&format!("{e}: {text}"), &step))?;
                    }
                    Err(Cancelled) => return Err(told("nobody cancelled", &step)),
                }
                at = next;
                done.push(step);
            }
            Err(StepError::Refused(why)) => {
                refused += 1;
                if why.len() < 12 || !why.ends_with(['.', '?', '!']) || !why.starts_with(|c: char| !c.is_lowercase()) {
                    return Err(told(&format!("a refusal that is no sentence: {why}"), &step));
                }
            }
            Err(StepError::Cancelled(_)) => {}
        }
    }
    Ok([done.len(), refused])
}

/// `scripts/fuzz anything` asks for more, from another seed.
fn asked(what: &str, otherwise: u64) -> u64 {
    std::env::var(what).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise)
}

#[test]
fn any_step_on_any_body_is_done_or_refused_with_a_sentence() {
    let rounds = asked("HULL_ANY_ROUNDS", 4);
    let from = asked("HULL_ANY_SEED", 0);
    let (mut wrong, mut counts) = (Vec::new(), [0; 2]);
    for (name, body) in bodies() {
        holds(&body).unwrap_or_else(|e| panic!("{name}: {e}"));
        for seed in from..from + rounds {
            match run(name, &body, seed, 40) {
                Ok(n) => counts = [counts[0] + n[0], counts[1] + n[1]],
                Err(e) => wrong.push(e),
            }
        }
    }
    assert!(wrong.is_empty(), "{} of them:\n{}", wrong.len(), wrong.join("\n\n"));
    // Chance leaves many refusals; if nearly nothing were done, nothing would be tried.
    assert!(counts[0] > counts[1] / 8 && counts[0] > 100, "{counts:?} done and refused");
}
