//! Directions spread evenly over half a sphere, to try axes along.

use hull_geometry::vector::V3;

/// `count` directions by the golden-angle spiral (R. Swinbank and R. J. Purser, 2006), z from 1 down to 0.
pub(crate) fn half_sphere(count: usize) -> Vec<V3> {
    let golden = std::f64::consts::PI * (3.0 - 5.0_f64.sqrt());
    (0..count)
        .map(|i| {
            let z = 1.0 - (i as f64 + 0.5) / count as f64;
            let (sin, cos) = (golden * i as f64).sin_cos();
            let r = (1.0 - z * z).sqrt();
            [r * cos, r * sin, z]
        })
        .collect()
}
