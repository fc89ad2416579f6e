//! Evaluating spline surfaces; facets of a solid.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use hull_exact::nurbs::NurbsSurface;
use rayon::prelude::*;
use std::hint::black_box;

/// Bicubic, twenty spans each way.
fn sheet() -> NurbsSurface {
    let n = 23;
    let knots: Vec<f64> = (0..n + 4).map(|i| (i as f64 - 3.0).clamp(0.0, 20.0)).collect();
    let points: Vec<[f64; 3]> = (0..n * n)
        .map(|i| {
            let (x, y) = ((i / n) as f64, (i % n) as f64);
            [x, y, (0.7 * x).sin() + (0.4 * y).cos()]
        })
        .collect();
    NurbsSurface::new([3, 3], [knots.clone(), knots], n, &points, None).expect("a surface")
}

fn evaluation(c: &mut Criterion) {
    const POINTS: usize = 1 << 20;
    let surface = sheet();
    let mut group = c.benchmark_group("surface points with first derivatives");
    group.throughput(Throughput::Elements(POINTS as u64)).sample_size(20);
    group.bench_function("bicubic, 20 by 20 spans, all cores", |b| {
        b.iter(|| {
            (0..POINTS)
                .into_par_iter()
                .with_min_len(1 << 12)
                .map(|i| {
                    let (u, v) = ((i % 1024) as f64 * 19.99 / 1024.0, (i / 1024) as f64 * 19.99 / 1024.0);
                    let [p, du, dv] = surface.first(black_box(u), black_box(v));
                    p[2] + du[0] + dv[1]
                })
                .sum::<f64>()
        });
    });
    group.finish();
}

criterion_group!(benches, evaluation);
criterion_main!(benches);
