//! Frames of a building's size: solved, and joined out of lines.

use criterion::{Criterion, criterion_group, criterion_main};
use hull_frames::join::{Piece, frame_of, plot};
use hull_frames::statics::{mechanism, solve};
use hull_frames::{Fix, Frame, Load, LoadKind, Material, Section};
use hull_geometry::Watch;
use std::hint::black_box;

/// Lines of a grid of bays and floors.
fn grid(bays: usize, floors: usize) -> Vec<Piece> {
    let at = |i: usize, j: usize, k: usize| [i as f64 * 4000.0, j as f64 * 4000.0, k as f64 * 3000.0];
    let mut out = Vec::new();
    for (i, j, k) in (0..=bays).flat_map(|i| (0..=bays).flat_map(move |j| (0..floors).map(move |k| (i, j, k)))) {
        let mut add = |to| out.push(Piece { ends: [at(i, j, k + 1), to], layer: 0 });
        add(at(i, j, k));
        if i < bays {
            add(at(i + 1, j, k + 1));
        }
        if j < bays {
            add(at(i, j + 1, k + 1));
        }
    }
    out
}

fn building(bays: usize, floors: usize) -> Frame {
    let joined = frame_of(&grid(bays, floors), vec![], 1.0, false, &Watch::default());
    let (mut frame, _) = joined.expect("nobody cancels");
    let section = frame.take_section(Section::named("HEB 300").expect("it is in the table"));
    let material = frame.take_material(Material::named("S235").expect("it is in the table"));
    for m in &mut frame.members {
        (m.section, m.material) = (Some(section), Some(material));
    }
    for joint in frame.joints.iter_mut().filter(|j| j.at[2] == 0.0) {
        joint.held = [Fix::Held; 6];
    }
    let kind = LoadKind::Weight { acceleration: [0.0, 0.0, -9806.65] };
    frame.loads.push(Load { case: "weight".into(), kind });
    frame
}

fn frames(c: &mut Criterion) {
    let mut group = c.benchmark_group("frames");
    group.sample_size(10);
    let tall = building(18, 19);
    group.bench_function(format!("solve {} members, 19 floors", tall.members.len()), |b| {
        b.iter(|| solve(black_box(&tall), Some("weight")));
    });
    group.bench_function(format!("is it a mechanism, {} members", tall.members.len()), |b| {
        b.iter(|| mechanism(black_box(&tall)));
    });
    let hall = building(81, 1);
    group.bench_function(format!("solve {} members, one floor", hall.members.len()), |b| {
        b.iter(|| solve(black_box(&hall), Some("weight")));
    });
    let lines = grid(58, 19);
    group.bench_function(format!("plot and join {} lines", lines.len()), |b| {
        b.iter(|| {
            let plot = plot(black_box(&lines), &Watch::default());
            (plot, frame_of(black_box(&lines), vec![], 1.0, false, &Watch::default()))
        });
    });
}

criterion_group!(benches, frames);
criterion_main!(benches);
