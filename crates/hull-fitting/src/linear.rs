//! Linear least squares with a few unknowns, to start from.

use nalgebra::{DMatrix, DVector};

/// The unknowns x that make `rows · x` nearest to `right`, or `None` where they are not determined.
pub(crate) fn solve<const N: usize>(rows: impl Iterator<Item = ([f64; N], f64)>) -> Option<[f64; N]> {
    let mut normal = DMatrix::<f64>::zeros(N, N);
    let mut right = DVector::<f64>::zeros(N);
    for (row, value) in rows {
        for i in 0..N {
            for j in 0..N {
                normal[(i, j)] += row[i] * row[j];
            }
            right[i] += row[i] * value;
        }
    }
    let svd = normal.svd(true, true);
    let x = svd.solve(&right, 1e-12 * svd.singular_values.max()).ok()?;
    let out: [f64; N] = std::array::from_fn(|i| x[i]);
    out.iter().all(|v| v.is_finite()).then_some(out)
}
