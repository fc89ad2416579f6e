//! Directions along which points are spread.

use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, scale, sub, unit};
use nalgebra::{Matrix3, SymmetricEigen};
use rayon::prelude::*;

/// Sums are taken in chunks of this many, whatever the thread count.
pub(crate) const CHUNK: usize = 8192;

/// The mean of points.
pub(crate) fn mean(points: &[Point]) -> Point {
    let sums: Vec<Point> = points.par_chunks(CHUNK).map(|c| c.iter().fold([0.0; 3], |s, p| add(s, *p))).collect();
    scale(sums.into_iter().fold([0.0; 3], add), 1.0 / points.len().max(1) as f64)
}

/// Directions of the spread about `centre`, the least first, with the mean square along each; right-handed.
pub(crate) fn spread(points: &[Point], centre: Point) -> ([V3; 3], [f64; 3]) {
    let sums: Vec<Matrix3<f64>> = points
        .par_chunks(CHUNK)
        .map(|c| {
            c.iter().fold(Matrix3::zeros(), |s, p| {
                let v = nalgebra::Vector3::from(sub(*p, centre));
                s + v * v.transpose()
            })
        })
        .collect();
    let total = sums.into_iter().fold(Matrix3::zeros(), |a, b| a + b) / points.len().max(1) as f64;
    sorted(total)
}

/// Eigenvectors of a symmetric matrix, the least eigenvalue first; right-handed, each with its largest part above zero.
pub(crate) fn sorted(m: Matrix3<f64>) -> ([V3; 3], [f64; 3]) {
    let eigen = SymmetricEigen::new(m);
    let mut order = [0, 1, 2];
    order.sort_by(|&a, &b| eigen.eigenvalues[a].total_cmp(&eigen.eigenvalues[b]));
    let column = |k: usize| {
        let v: V3 = eigen.eigenvectors.column(k).into_owned().into();
        let largest = v.iter().copied().fold(0.0, |m: f64, x| if x.abs() > m.abs() + 1e-12 { x } else { m });
        scale(v, if largest < 0.0 { -1.0 } else { 1.0 })
    };
    let (a, b) = (column(order[0]), column(order[1]));
    ([a, b, cross(a, b)], order.map(|k| eigen.eigenvalues[k]))
}

/// Two directions across a third, right-handed with it.
pub(crate) fn across(z: V3) -> [V3; 2] {
    let aside = if z[0].abs() < 0.9 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] };
    let x = unit(cross(aside, z)).unwrap_or([1.0, 0.0, 0.0]);
    [x, cross(z, x)]
}
