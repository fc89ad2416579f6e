//! Joining, topology and stitching of a million facets in a hundred patches, and how they grow.
//! `cargo bench -p hull-geometry`

use criterion::{BatchSize, BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use hull_geometry::join::join_equal_points;
use hull_geometry::regions::Regions;
use hull_geometry::shapes::{torn, torus};
use hull_geometry::stitch::stitch;
use hull_geometry::topology::Topology;
use hull_geometry::{Mesh, Watch};
use std::hint::black_box;

/// Every facet with three points of its own, as STL holds them.
fn loose(mesh: &Mesh) -> Mesh {
    Mesh::loose(mesh.triangles.keys().map(|f| mesh.corners(f)))
}

fn million(criterion: &mut Criterion) {
    let gap = 1e-4;
    let patches = torn(&torus(5.0, 2.0, 1000, 500), 100, gap);
    let mut group = criterion.benchmark_group("1 M facets in 100 patches");
    group.sample_size(10);
    let soup = loose(&patches);
    group.bench_function("join equal points", |b| {
        b.iter_batched(|| soup.clone(), |mut mesh| black_box(join_equal_points(&mut mesh)), BatchSize::PerIteration);
    });
    group.bench_function("stitch", |b| b.iter(|| stitch(&patches, 2.0 * gap, &Watch::default())));
    group.finish();
}

fn growth(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("growth");
    group.sample_size(10);
    for side in [71u32, 224, 707] {
        let mesh = torus(5.0, 2.0, side as usize, side as usize);
        let facets = mesh.triangles.len();
        group.throughput(Throughput::Elements(facets as u64));
        group.bench_with_input(BenchmarkId::new("topology", facets), &mesh, |b, m| {
            b.iter(|| Topology::of(m, &Watch::default()));
        });
        group.bench_with_input(BenchmarkId::new("regions by 20 degrees", facets), &mesh, |b, m| {
            b.iter(|| Regions::new(m).split(20.0));
        });
    }
    group.finish();
}

criterion_group!(benches, million, growth);
criterion_main!(benches);
