//! Sections against closed forms.

use hull_geometry::section::{figures, outlines};
use hull_geometry::shapes::{cuboid, sphere, torus};
use hull_geometry::transform::translate;
use proptest::prelude::*;

/// Rectangle: bh³/12 and b³h/12 about its centre; a tube: the difference of two.
#[test]
fn a_box_with_a_box_in_it() {
    let mut tube = cuboid([30.0, 20.0, 50.0]);
    let mut inner = cuboid([20.0, 10.0, 60.0]);
    translate(&mut inner, [5.0, 5.0, -5.0]);
    inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    tube.append(&inner);
    let (at, normal) = ([0.0, 0.0, 12.0], [0.0, 0.0, 1.0]);
    let found = outlines(&tube, at, normal);
    assert!(found.len() == 2 && found.iter().all(|o| o.closed));
    let f = figures(&found, at, normal);
    let near = |a: f64, b: f64| assert!((a - b).abs() < 1e-9 * b.abs().max(1.0), "{a} for {b}");
    near(f.area, 30.0 * 20.0 - 20.0 * 10.0);
    near(f.perimeter, 100.0 + 60.0);
    near(f.second[0], (30.0 * 20.0_f64.powi(3) - 20.0 * 10.0_f64.powi(3)) / 12.0);
    near(f.second[1], (20.0 * 30.0_f64.powi(3) - 10.0 * 20.0_f64.powi(3)) / 12.0);
    near(f.second[2], 0.0);
    for (k, x) in [15.0, 10.0, 12.0].into_iter().enumerate() {
        near(f.centroid[k], x);
    }
}

proptest! {
    /// A closed surface gives closed outlines wherever the plane stands, also through its points; a plane through a ring
    /// beside its axis gives two discs, off its edge none.
    #[test]
    fn closed_surfaces_give_closed_outlines(h in -1.2..1.2_f64, k in 0..3usize, through in any::<bool>()) {
        let ball = sphere(1.0, 24, 12);
        let mut normal = [0.0; 3];
        normal[k] = 1.0;
        let mut at = [0.0; 3];
        at[k] = if through { ball.points.raw[(h.abs() * 100.0) as usize % ball.points.len()][k] } else { h };
        let found = outlines(&ball, at, normal);
        prop_assert!(found.iter().all(|o| o.closed));
        let f = figures(&found, at, normal);
        let exact = std::f64::consts::PI * (1.0 - at[k] * at[k]).max(0.0);
        prop_assert!(f.area <= exact + 1e-12 && f.area >= 0.9 * exact - 0.1, "{} for {exact}", f.area);
        let ring = torus(3.0, 1.0, 40, 16);
        prop_assert_eq!(outlines(&ring, [0.0, h, 0.0], [0.0, 1.0, 0.0]).len(), 2);
    }
}
