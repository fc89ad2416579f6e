//! Repairs seeded mixtures of dirt and prints the table of results for `docs/performance.md`.
//!
//! `cargo run --release -p hull-workshop --example repair_table -- [mixtures] [first seed]`

use hull_geometry::apart::apart;
use hull_geometry::dirt::{Dice, Dirt, spoil};
use hull_geometry::shapes::{cuboid, sphere, torus};
use hull_geometry::transform::enlarge;
use hull_geometry::{Mesh, NONE, Watch, measure};
use hull_workshop::repair::{Repair, repair};
use hull_workshop::{Body, Destination};
use rayon::prelude::*;

/// A cube of quads, each of two facets.
fn gridded(n: usize) -> Mesh {
    let mut mesh = cuboid([1.0; 3]);
    for _ in 0..n {
        mesh = quartered(&mesh);
    }
    mesh
}

fn quartered(mesh: &Mesh) -> Mesh {
    let mut out = Mesh { points: mesh.points.clone(), triangles: Vec::new() };
    let mut middle = std::collections::HashMap::new();
    for t in &mesh.triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *middle.entry([a.min(b), a.max(b)]).or_insert_with(|| {
                let [p, q] = [a, b].map(|i| mesh.points[i as usize]);
                out.points.push([0, 1, 2].map(|c| (p[c] + q[c]) / 2.0));
                out.points.len() as u32 - 1
            })
        });
        out.triangles.extend([[t[0], m[0], m[2]], [t[1], m[1], m[0]], [t[2], m[2], m[1]], m]);
    }
    out
}

fn clean(dice: &mut Dice) -> Mesh {
    let mut mesh = match dice.below(4) {
        0 => sphere(1.0, 40, 24),
        1 => torus(1.0, 0.35, 48, 20),
        2 => gridded(4),
        _ => {
            // A thick-walled bowl: a sphere with a smaller one inside, a cavity.
            let mut outer = sphere(1.0, 36, 20);
            let mut inner = sphere(0.7, 30, 16);
            inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
            outer.append(&inner);
            outer
        }
    };
    enlarge(&mut mesh, 50.0);
    mesh
}

fn some_dirt(dice: &mut Dice) -> Dirt {
    let n = 1 + dice.below(4);
    match dice.below(11) {
        0 => Dirt::Gaps { patches: 2 + n, gap: 2e-4 },
        1 => Dirt::Junctions { edges: 5 * n },
        2 => Dirt::Overlaps { patches: 2 + n, gap: 2e-4 },
        3 => Dirt::Flips { facets: 5 * n },
        4 => Dirt::Duplicates { facets: 5 * n },
        5 => Dirt::Holes { holes: n },
        6 => Dirt::Crossings { points: n },
        7 => Dirt::Spikes { points: n, height: 0.2 },
        8 => Dirt::Skin { gap: 2e-5 },
        9 => Dirt::Noise { size: 5e-5 },
        _ => Dirt::Islands { islands: n, size: 0.004 },
    }
}

fn body(mesh: Mesh) -> Body {
    let facets = mesh.triangles.len();
    Body { mesh, boundary_of: vec![NONE; facets], ..Default::default() }
}

struct Outcome {
    seed: u64,
    dirt: Vec<Dirt>,
    clean_without: bool,
    clean_with: bool,
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
    let whole = clean(&mut dice);
    let kinds = 1 + dice.below(4);
    let mut dirt: Vec<Dirt> = Vec::new();
    while dirt.len() < if only.is_some() { 1 } else { kinds } {
        let d = some_dirt(&mut dice);
        let wanted = only.is_none_or(|k| NAMES[k] == d.name());
        if wanted && !dirt.iter().any(|e| e.name() == d.name()) {
            dirt.push(d);
        }
    }
    let spoiled = dirt.iter().fold(whole.clone(), |m, d| spoil(&m, *d, &mut dice));
    let Repair { body: without, steps, after, .. } =
        repair(&body(spoiled.clone()), &destination, false, &watch).expect("not cancelled");
    let distance = apart(&whole, &without.mesh, &watch)
        .expect("not cancelled")
        .largest
        .max(apart(&without.mesh, &whole, &watch).expect("not cancelled").largest);
    let off = (volume(&without.mesh) / volume(&whole) - 1.0).abs();
    let clean_without = after.is_clean();
    let clean_with =
        clean_without || repair(&body(spoiled), &destination, true, &watch).expect("not cancelled").after.is_clean();
    if std::env::var("SHOW").is_ok() {
        println!("{seed} {:?}", dirt);
        for s in &steps {
            println!("   {}: {} | {}", s.step.title(), s.change.sentence, s.after.change_from(&s.before).join(", "));
        }
        println!("   left: {:?}; volume off {off:.5}, distance {distance:.4}", after);
    }
    // A spoiled surface strays from the clean one by what was done to it; back within a stitch tolerance of it is back.
    let faithful = clean_without && off < 0.005 && distance < 1e-2 * whole.bounds().diagonal();
    Outcome { seed, dirt, clean_without, clean_with, faithful, volume: off, distance, steps: steps.len() }
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
    println!("| dirt | bodies | clean without wrap | back as it was | clean with wrap |");
    println!("|---|---:|---:|---:|---:|");
    let row = |name: &str, all: &[Outcome]| {
        let count = |f: fn(&Outcome) -> bool| all.iter().filter(|o| f(o)).count();
        let whole = all.iter().filter(|o| !o.dirt.iter().any(Dirt::removes)).count();
        let back = all.iter().filter(|o| !o.dirt.iter().any(Dirt::removes) && o.faithful).count();
        println!(
            "| {name} | {} | {} | {back} of {whole} | {} |",
            all.len(),
            count(|o| o.clean_without),
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
    let mut far: Vec<f64> = all.iter().filter(|o| !o.dirt.iter().any(Dirt::removes)).map(|o| o.distance).collect();
    far.sort_by(f64::total_cmp);
    eprintln!("distances {:?}", far.iter().step_by(far.len().div_ceil(30)).collect::<Vec<_>>());
    for o in all.iter().filter(|o| !o.clean_with || (!o.faithful && !o.dirt.iter().any(Dirt::removes))) {
        let dirt: Vec<&str> = o.dirt.iter().map(Dirt::name).collect();
        eprintln!(
            "seed {}: {} ({} steps): clean {} / {}, volume off {:.4}, distance {:.3}",
            o.seed,
            dirt.join(", "),
            o.steps,
            o.clean_without,
            o.clean_with,
            o.volume,
            o.distance
        );
    }
}
