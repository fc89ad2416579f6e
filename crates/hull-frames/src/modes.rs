//! Frequencies and elastic buckling: the softest movements by subspace iteration (Bathe), on members divided in pieces.

use crate::assemble::{Assembled, Sparse, Unsolvable, gathered};
use crate::factors::Factors;
use crate::matrices::{congruent, geometric};
use crate::model::Frame;
use crate::statics::{NOTHING, factored, spread};
use faer::{Mat, Side};
use std::f64::consts::TAU;

/// Pieces a member is divided into.
const PIECES: usize = 4;
const MOST_STEPS: usize = 60;

/// A movement with its number: a frequency in Hz, or the factor at which the loads buckle the frame.
#[derive(Clone, Debug, PartialEq)]
pub struct Mode {
    /// That number.
    pub value: f64,
    /// By joint of the frame, not of its pieces.
    pub moved: Vec<[f64; 6]>,
}

/// The lowest frequencies.
///
/// # Errors
/// [`Unsolvable`].
pub fn frequencies(frame: &Frame, count: usize) -> Result<Vec<Mode>, Unsolvable> {
    let pieces = frame.divided(PIECES);
    let a = Assembled::of(&pieces)?;
    let factors = Factors::of(&a, 0.0).map_err(|()| Unsolvable::Mechanism)?;
    let found = largest(&a, &factors, &a.mass(), count);
    let mode = |(value, shape): (f64, Vec<f64>)| Mode {
        value: (1.0 / value).sqrt() / TAU,
        moved: at_joints(&a, frame, &shape),
    };
    Ok(found.into_iter().filter(|f| f.0 > 0.0).map(mode).collect())
}

/// The factor by which all loads of a case can grow until the frame buckles, with its shape; `None` where nothing is pressed.
///
/// # Errors
/// [`Unsolvable`].
pub fn buckling(frame: &Frame, case: Option<&str>) -> Result<Option<Mode>, Unsolvable> {
    let pieces = frame.divided(PIECES);
    let combined = case.and_then(|name| pieces.combined(name));
    let (a, factors, solved) = factored(combined.as_ref().unwrap_or(&pieces), case)?;
    let pressed = gathered(&a.elements, &a.free, a.count, |e| {
        let normal = &solved.members[e].normal;
        let force = normal.iter().sum::<f64>() / normal.len().max(1) as f64;
        if force == 0.0 {
            return NOTHING;
        }
        let k = geometric(-force, a.elements[e].length);
        congruent(&k, &a.elements[e].ends)
    });
    let found = largest(&a, &factors, &pressed, 1);
    let first = found.into_iter().find(|f| f.0 > 0.0);
    Ok(first.map(|(value, shape)| Mode { value: 1.0 / value, moved: at_joints(&a, frame, &shape) }))
}

fn at_joints(a: &Assembled, frame: &Frame, shape: &[f64]) -> Vec<[f64; 6]> {
    let mut all = spread(a, shape);
    all.truncate(frame.joints.len());
    all
}

/// The largest `μ` of `B x = μ K x` with their `x`, largest first: of `B` what is symmetric.
fn largest(a: &Assembled, factors: &Factors, b: &Sparse, count: usize) -> Vec<(f64, Vec<f64>)> {
    let n = a.count;
    let width = (2 * count).max(count + 8).min(n);
    // The same at every run, and square to nothing.
    let mut x = Mat::from_fn(n, width, |i, j| {
        let mixed = (i as u64 + 1)
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add((j as u64 + 1).wrapping_mul(1_442_695_040_888_963_407));
        (mixed >> 40) as f64 / (1_u64 << 24) as f64 - 0.5
    });
    let mut values = vec![0.0; width];
    for _ in 0..MOST_STEPS {
        let y = factors.solve(&(b * &x));
        // In the small space: K and B between the vectors.
        let (k, m) = (y.transpose() * (&a.stiffness * &y), y.transpose() * (b * &y));
        let Some((found, small)) = small_eigen(&k, &m) else { break };
        x = &y * &small;
        let change =
            found.iter().zip(&values).take(count).fold(0.0_f64, |c, (f, v)| c.max((f - v).abs() / f.abs().max(1e-300)));
        values = found;
        if change < 1e-11 {
            break;
        }
    }
    (0..count.min(width)).map(|j| (values[j], (0..n).map(|i| x[(i, j)]).collect())).collect()
}

/// `M s = μ K s` for small matrices, largest `μ` first, with `sᵀ K s = 1`; `None` where `K` has no factors.
fn small_eigen(k: &Mat<f64>, m: &Mat<f64>) -> Option<(Vec<f64>, Mat<f64>)> {
    let n = k.nrows();
    // By the eigenvectors of K: those without stiffness are left out by making them long.
    let of_k = k.self_adjoint_eigen(Side::Lower).ok()?;
    let most = (0..n).map(|i| of_k.S()[i]).fold(0.0_f64, f64::max);
    let root: Vec<f64> = (0..n).map(|i| of_k.S()[i].max(1e-14 * most)).map(|v| 1.0 / v.sqrt()).collect();
    let u = of_k.U();
    let w = Mat::from_fn(n, n, |i, j| u[(i, j)] * root[j]);
    let reduced = w.transpose() * (m * &w);
    let even = Mat::from_fn(n, n, |i, j| 0.5 * (reduced[(i, j)] + reduced[(j, i)]));
    let of_m = even.self_adjoint_eigen(Side::Lower).ok()?;
    // Ascending: the largest stand last.
    let order: Vec<usize> = (0..n).rev().collect();
    let values = order.iter().map(|i| of_m.S()[*i]).collect();
    let s = &w * of_m.U();
    Some((values, Mat::from_fn(n, n, |i, j| s[(i, order[j])])))
}
