//! Repairs seeded mixtures of dirt and prints the table of results for `docs/performance.md`.
//!
//! `cargo run --release -p hull-workshop --example repair_table -- [mixtures] [first seed]`

use hull_geometry::deviation::deviation;
use hull_geometry::dirt::{Dice, Dirt, clean_body, mixture, spoil};
use hull_geometry::vector::distance;
use hull_geometry::{Mesh, NONE, Watch, measure};
use hull_workshop::repair::{Repair, repair};
use hull_workshop::survey::survey;
use hull_workshop::{Body, Destination, Row, Sheet};
use rayon::prelude::*;
use typed_index_collections::ti_vec;

fn body(mesh: Mesh) -> Body {
    let facets = mesh.triangles.len();
    let columns = hull_workshop::body::Columns { boundary: ti_vec![NONE; facets], ..Default::default() };
    Body { mesh, columns, ..Default::default() }
}

fn longest_edge(m: &Mesh) -> f64 {
    let sides = m.triangles.iter().flat_map(|t| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]]);
    sides.map(|[a, b]| distance(m.points[a], m.points[b])).fold(0.0, f64::max)
}

struct Outcome {
    seed: u64,
    dirt: Vec<Dirt>,
    clean_without: bool,
    clean_with: bool,
    /// Rows of the sheet that are short without the wrap, but for names, roles, unit and axes.
    short: Vec<String>,
    faithful: bool,
    volume: f64,
    distance: f64,
    steps: usize,
}

fn volume(m: &Mesh) -> f64 {
    measure::mass(m, &m.bounds()).volume
}

fn one(seed: u64, only: Option<usize>) -> Outcome {
    let watch = Watch::default();
    let destination = Destination::named("fluid").expect("it ships");
    let mut dice = Dice(seed.wrapping_mul(0x2545_f491_4f6c_dd1d) ^ 0x5eed);
    let whole = clean_body(&mut dice);
    let dirt = match only {
        None => mixture(&mut dice),
        Some(k) => std::iter::repeat_with(|| Dirt::any(&mut dice)).find(|d| d.name() == NAMES[k]).into_iter().collect(),
    };
    let spoiled = dirt.iter().fold(whole.clone(), |m, d| spoil(&m, *d, &mut dice));
    let Repair { body: without, steps, after, .. } =
        repair(&body(spoiled.clone()), &destination, false, &watch).expect("not cancelled");
    let furthest = deviation(&whole, &without.mesh, &watch)
        .expect("not cancelled")
        .largest
        .max(deviation(&without.mesh, &whole, &watch).expect("not cancelled").largest);
    let off = (volume(&without.mesh) / volume(&whole) - 1.0).abs();
    let clean_without = after.is_clean();
    let short = not_met(&without, &destination);
    let clean_with =
        clean_without || repair(&body(spoiled), &destination, true, &watch).expect("not cancelled").after.is_clean();
    if std::env::var("SHOW").is_ok() {
        println!("{seed} {:?}", dirt);
        for s in &steps {
            println!("   {}: {} | {}", s.step.about().id, s.change.sentence, s.after.change_from(&s.before).join(", "));
        }
        println!("   left: {:?}; volume off {off:.5}, distance {furthest:.4}", after);
    }
    // Back within a stitch tolerance; where a point was drawn away its place is lost, and back is within an edge of it.
    let lost = dirt.iter().any(|d| matches!(d, Dirt::Crossings { .. } | Dirt::Spikes { .. }));
    let tolerance = if lost { longest_edge(&whole) } else { 1e-3 * whole.bounds().diagonal() };
    let faithful = clean_without && off < 0.005 && furthest < tolerance;
    Outcome {
        seed,
        dirt,
        clean_without,
        clean_with,
        short,
        faithful,
        volume: off,
        distance: furthest,
        steps: steps.len(),
    }
}

/// What the sheet of a repaired body still asks for that people do not choose.
fn not_met(repaired: &Body, destination: &Destination) -> Vec<String> {
    let (survey, _) = survey(repaired, &Watch::default()).expect("not cancelled");
    let sheet = Sheet::of(&repaired.facts, &survey, destination);
    let of_surface = |r: &&Row| ["Closure", "Shape"].contains(&r.group.as_str());
    sheet.outstanding().filter(of_surface).map(|r| r.id.clone()).collect()
}

const NAMES: [&str; 11] = [
    "gaps",
    "T-junctions",
    "overlaps",
    "flips",
    "duplicates",
    "holes",
    "crossings",
    "spikes",
    "skin",
    "noise",
    "islands",
];

fn main() {
    let number = |i: usize, or: u64| std::env::args().nth(i).and_then(|s| s.parse().ok()).unwrap_or(or);
    let (mixtures, first) = (number(1, 500), number(2, 1));
    println!(
        "| dirt | bodies | clean without wrap | ready but for names without wrap | back as it was | clean with wrap |"
    );
    println!("|---|---:|---:|---:|---:|---:|");
    let row = |name: &str, all: &[Outcome]| {
        let count = |f: fn(&Outcome) -> bool| all.iter().filter(|o| f(o)).count();
        let whole = all.iter().filter(|o| !o.dirt.iter().any(Dirt::removes)).count();
        let back = all.iter().filter(|o| !o.dirt.iter().any(Dirt::removes) && o.faithful).count();
        println!(
            "| {name} | {} | {} | {} | {back} of {whole} | {} |",
            all.len(),
            count(|o| o.clean_without),
            count(|o| o.short.is_empty()),
            count(|o| o.clean_with)
        );
    };
    if mixtures >= 100 {
        for (k, name) in NAMES.iter().enumerate() {
            let all: Vec<Outcome> = (0..20).into_par_iter().map(|s| one(first + 10_000 + s, Some(k))).collect();
            row(&format!("{name} alone"), &all);
        }
    }
    let all: Vec<Outcome> = (0..mixtures).into_par_iter().map(|s| one(first + s, None)).collect();
    row("mixtures", &all);
    for o in all
        .iter()
        .filter(|o| !o.short.is_empty() || !o.clean_with || (!o.faithful && !o.dirt.iter().any(Dirt::removes)))
    {
        let dirt: Vec<&str> = o.dirt.iter().map(Dirt::name).collect();
        eprintln!(
            "seed {}: {} ({} steps): short {:?}, clean {} / {}, volume off {:.4}, distance {:.3}",
            o.seed,
            dirt.join(", "),
            o.steps,
            o.short,
            o.clean_without,
            o.clean_with,
            o.volume,
            o.distance
        );
    }
}
