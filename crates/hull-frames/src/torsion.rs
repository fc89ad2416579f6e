//! The torsion constant of a full outline: Prandtl's stress function (Timoshenko and Goodier, *Theory of Elasticity*) by
//! differences on a grid whose arms end on the outline (Shortley and Weller), so that slanted sides are met where they are.

/// Grid steps through the mean wall, and along the longer side at least.
const THROUGH: f64 = 16.0;
const ALONG: f64 = 128.0;
/// Places of the grid at most.
const MOST: f64 = 400_000.0;
const ROUNDS: usize = 20_000;
const ENOUGH: f64 = 1e-9;

/// A place within the outline.
struct GridPoint {
    /// How far the grid's neighbours or the outline are: left, right, below, above.
    arms: [f64; 4],
    /// The places there; none where the arm ends on the outline.
    beside: [Option<u32>; 4],
}

/// Where a line at `at` across axis `k` meets an outline, rising.
fn met(outline: &[[f64; 2]], k: usize, at: f64) -> Vec<f64> {
    let side = |i: usize| (outline[i], outline[(i + 1) % outline.len()]);
    let cross = |i: usize| {
        let (a, b) = side(i);
        let is_met = (a[k] > at) != (b[k] > at);
        is_met.then(|| a[1 - k] + (at - a[k]) / (b[k] - a[k]) * (b[1 - k] - a[1 - k]))
    };
    let mut out: Vec<f64> = (0..outline.len()).filter_map(cross).collect();
    out.sort_by(f64::total_cmp);
    out
}

/// The two crossings between which a place lies, if it lies within.
fn between(crossings: &[f64], at: f64) -> Option<[f64; 2]> {
    let before = crossings.iter().take_while(|x| **x <= at).count();
    (before % 2 == 1 && before < crossings.len()).then(|| [crossings[before - 1], crossings[before]])
}

fn grid(outline: &[[f64; 2]], step: f64, low: [f64; 2], counts: [usize; 2]) -> Vec<GridPoint> {
    let at = |k: usize, i: usize| low[k] + (i as f64 + 0.5) * step;
    let rows: Vec<Vec<f64>> = (0..counts[1]).map(|j| met(outline, 1, at(1, j))).collect();
    let columns: Vec<Vec<f64>> = (0..counts[0]).map(|i| met(outline, 0, at(0, i))).collect();
    let mut number = vec![None; counts[0] * counts[1]];
    let mut found = Vec::new();
    for j in 0..counts[1] {
        for i in 0..counts[0] {
            let (y, z) = (at(0, i), at(1, j));
            let Some((across, up)) = between(&rows[j], y).zip(between(&columns[i], z)) else { continue };
            // What lies on the outline is held there.
            let arms = [y - across[0], across[1] - y, z - up[0], up[1] - z].map(|a| a.min(step));
            if arms.iter().all(|a| *a > 1e-9 * step) {
                number[j * counts[0] + i] = Some(found.len() as u32);
                found.push((i, j, arms));
            }
        }
    }
    let beside = |(i, j, arms): (usize, usize, [f64; 4])| {
        let of = |arm: usize, place: Option<usize>| place.filter(|_| arms[arm] >= step).and_then(|p| number[p]);
        let flat = |i: usize, j: usize| j * counts[0] + i;
        let beside = [
            of(0, i.checked_sub(1).map(|i| flat(i, j))),
            of(1, (i + 1 < counts[0]).then(|| flat(i + 1, j))),
            of(2, j.checked_sub(1).map(|j| flat(i, j))),
            of(3, (j + 1 < counts[1]).then(|| flat(i, j + 1))),
        ];
        GridPoint { arms, beside }
    };
    found.into_iter().map(beside).collect()
}

/// The torsion constant of an outline that runs against the clock, in mm⁴.
pub fn constant(outline: &[[f64; 2]]) -> f64 {
    let m = crate::shape::Moments::of_outline(outline);
    let ends = |k: usize, from: f64, pick: fn(f64, f64) -> f64| outline.iter().map(|p| p[k]).fold(from, pick);
    let low = [ends(0, f64::INFINITY, f64::min), ends(1, f64::INFINITY, f64::min)];
    let size = [0, 1].map(|k| ends(k, f64::NEG_INFINITY, f64::max) - low[k]);
    let around: f64 = (0..outline.len())
        .map(|i| {
            let [a, b] = [outline[i], outline[(i + 1) % outline.len()]];
            (b[0] - a[0]).hypot(b[1] - a[1])
        })
        .sum();
    let wished = (2.0 * m.area / around / THROUGH).min(size[0].max(size[1]) / ALONG);
    let step = wished.max((size[0] * size[1] / MOST).sqrt());
    let places = grid(outline, step, low, size.map(|s| (s / step).ceil() as usize + 1));
    let mut stress = vec![0.0_f64; places.len()];
    let across = 2.0 * m.area / around / step * 2.0;
    let relax = 2.0 / (1.0 + (std::f64::consts::PI / across.max(4.0)).sin());
    for _ in 0..ROUNDS {
        let (mut largest, mut change) = (0.0_f64, 0.0_f64);
        for (i, p) in places.iter().enumerate() {
            let at = |k: usize| p.beside[k].map_or(0.0, |n| stress[n as usize]);
            let [l, r, d, u] = p.arms;
            let pull = at(0) / (l * (l + r)) + at(1) / (r * (l + r)) + at(2) / (d * (d + u)) + at(3) / (u * (d + u));
            // ∇²φ = −2.
            let next = (pull + 1.0) / (1.0 / (l * r) + 1.0 / (d * u));
            let by = relax * (next - stress[i]);
            stress[i] += by;
            (largest, change) = (largest.max(stress[i].abs()), change.max(by.abs()));
        }
        if change <= ENOUGH * largest {
            break;
        }
    }
    // Each place stands for half of its arms.
    let share = |p: &GridPoint| 0.25 * (p.arms[0] + p.arms[1]) * (p.arms[2] + p.arms[3]);
    2.0 * places.iter().zip(&stress).map(|(p, s)| share(p) * s).sum::<f64>()
}
