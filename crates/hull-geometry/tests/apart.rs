//! Distances between surfaces whose distances are known.

use hull_geometry::apart::apart;
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::{Watch, vector::distance};
use proptest::prelude::*;

proptest! {
    /// A box within a box, a wall of `wall` all round: from inside every place is a wall away, from outside the corners
    /// are furthest.
    #[test]
    fn a_box_within_a_box(size in prop::array::uniform3(1.0..9.0_f64), wall in 0.01..0.4_f64, shift in prop::array::uniform3(-1e3..1e3_f64)) {
        let (mut inner, mut outer) = (cuboid(size), cuboid(size.map(|s| s + 2.0 * wall)));
        inner.points.iter_mut().for_each(|p| (0..3).for_each(|k| p[k] += shift[k] + wall));
        outer.points.iter_mut().for_each(|p| (0..3).for_each(|k| p[k] += shift[k]));
        let watch = Watch::default();
        let out = apart(&inner, &outer, &watch).expect("not cancelled");
        for (what, found) in [("largest", out.largest), ("mean", out.mean), ("rms", out.rms), ("95 %", out.within_95)] {
            prop_assert!((found - wall).abs() < 1e-9, "{what} {found}, wall {wall}");
        }
        let back = apart(&outer, &inner, &watch).expect("not cancelled");
        prop_assert!((back.largest - wall * 3.0_f64.sqrt()).abs() < 1e-9);
        prop_assert!(outer.points.iter().any(|p| distance(*p, back.largest_at) < 1e-9), "a corner is furthest");
        let rising = [back.mean, back.rms, back.largest].windows(2).all(|w| w[0] <= w[1] * (1.0 + 1e-12));
        prop_assert!(rising && back.within_95 <= back.largest);
    }
}

#[test]
fn concentric_balls_are_their_radii_apart_whatever_the_threads() {
    let (small, large) = (sphere(10.0, 96, 48), sphere(12.0, 80, 40));
    let run = |threads| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("a pool");
        pool.install(|| apart(&small, &large, &Watch::default()).expect("not cancelled"))
    };
    let (one, three) = (run(1), run(3));
    assert_eq!(one, three);
    // Facets of the larger one lie within it by their sagitta: 12 (1 - cos(pi / 80)) along u, as much again along v.
    let sagitta = 12.0 * (1.0 - (std::f64::consts::PI / 80.0).cos()) * 2.0;
    assert!(one.largest <= 2.0 + 1e-9 + sagitta && one.mean >= 2.0 - sagitta && one.mean <= 2.0 + sagitta, "{one:?}");
}
