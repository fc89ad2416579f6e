//! Distances between surfaces whose distances are known.

use hull_geometry::deviation::{deviation, distances};
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::tree::FacetTree;
use hull_geometry::{FacetId, Mesh, PointId, Watch, vector::distance};
use proptest::prelude::*;
use typed_index_collections::ti_vec;

proptest! {
    /// A box within a box, a wall of `wall` all round: from inside every place is a wall away, from outside the corners
    /// are furthest.
    #[test]
    fn a_box_within_a_box(size in prop::array::uniform3(1.0..9.0_f64), wall in 0.01..0.4_f64, shift in prop::array::uniform3(-1e3..1e3_f64)) {
        let (mut inner, mut outer) = (cuboid(size), cuboid(size.map(|s| s + 2.0 * wall)));
        inner.points.iter_mut().for_each(|p| (0..3).for_each(|k| p[k] += shift[k] + wall));
        outer.points.iter_mut().for_each(|p| (0..3).for_each(|k| p[k] += shift[k]));
        let watch = Watch::default();
        let out = deviation(&inner, &outer, &watch).expect("not cancelled");
        for (what, found) in [("largest", out.largest), ("mean", out.mean), ("rms", out.rms), ("95 %", out.within_95)] {
            prop_assert!((found - wall).abs() < 1e-9, "{what} {found}, wall {wall}");
        }
        let back = deviation(&outer, &inner, &watch).expect("not cancelled");
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
        pool.install(|| deviation(&small, &large, &Watch::default()).expect("not cancelled"))
    };
    let (one, three) = (run(1), run(3));
    assert_eq!(one, three);
    // Facets of the larger one lie within it by their sagitta: 12 (1 - cos(pi / 80)) along u, as much again along v.
    let sagitta = 12.0 * (1.0 - (std::f64::consts::PI / 80.0).cos()) * 2.0;
    assert!(one.largest <= 2.0 + 1e-9 + sagitta && one.mean >= 2.0 - sagitta && one.mean <= 2.0 + sagitta, "{one:?}");
}

/// Every third facet divided at a place hardly off one of its sides: two needles and the rest.
fn with_needles(mut mesh: Mesh) -> Mesh {
    for f in mesh.triangles.keys().step_by(3) {
        let [a, b, c] = mesh.triangles[f];
        let [p, q, r] = mesh.corners(f);
        let n = mesh.points.push_and_get_key([0, 1, 2].map(|k| 0.4995 * p[k] + 0.4995 * q[k] + 0.001 * r[k]));
        mesh.triangles[f] = [a, b, n];
        mesh.triangles.extend([[b, c, n], [c, a, n]]);
    }
    mesh
}

/// A square plate from `-half` to `half`, with a round hole of `radius` (none if zero) at a place, of `n` sides.
fn plate(half: f64, hole: Option<([f64; 2], f64)>, n: usize) -> Mesh {
    let Some(([x, y], radius)) = hole else {
        let points = vec![[-half, -half, 0.0], [half, -half, 0.0], [half, half, 0.0], [-half, half, 0.0]];
        return Mesh {
            points: points.into(),
            triangles: ti_vec![[PointId(0), PointId(1), PointId(2)], [PointId(0), PointId(2), PointId(3)]],
        };
    };
    // Rays from the hole to the outline; corners of the square are rays of their own.
    let mut angles: Vec<f64> = (0..n).map(|i| std::f64::consts::TAU * i as f64 / n as f64).collect();
    angles.extend(
        [[half, half], [-half, half], [-half, -half], [half, -half]]
            .map(|[a, b]: [f64; 2]| (b - y).atan2(a - x).rem_euclid(std::f64::consts::TAU)),
    );
    angles.sort_by(f64::total_cmp);
    angles.dedup_by(|a, b| (*a - *b).abs() < 1e-12);
    let mut points = Vec::new();
    for a in &angles {
        let (s, c) = a.sin_cos();
        let far = [(c, x), (s, y)].map(|(d, o)| {
            if d > 0.0 {
                (half - o) / d
            } else if d < 0.0 {
                (-half - o) / d
            } else {
                f64::INFINITY
            }
        });
        let far = far[0].min(far[1]);
        points.extend([[x + c * radius, y + s * radius, 0.0], [x + c * far, y + s * far, 0.0]]);
    }
    let m = angles.len() as u32;
    let triangles = (0..m)
        .flat_map(|i| {
            let j = (i + 1) % m;
            [[2 * i, 2 * i + 1, 2 * j + 1], [2 * i, 2 * j + 1, 2 * j]]
        })
        .collect();
    Mesh::from_arrays(points, triangles)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// A hole that no point of the other plate sees: its middle is the radius away from its rim.
    #[test]
    fn a_hole_between_all_points_is_found(x in -5.0..5.0_f64, y in -5.0..5.0_f64, radius in 0.05..2.0_f64, tilt in -1.0..1.0_f64) {
        let n = 48;
        let turn = |mut m: Mesh| { m.points.iter_mut().for_each(|p| *p = [p[0], p[1] * tilt.cos(), p[1] * tilt.sin()]); m };
        let (whole, holed) = (turn(plate(10.0, None, 0)), turn(plate(10.0, Some(([x, y], radius)), n)));
        let watch = Watch::default();
        let found = deviation(&whole, &holed, &watch).expect("not cancelled");
        // The rim's chords come nearer by their sagitta.
        let least = radius * (std::f64::consts::PI / n as f64).cos();
        prop_assert!(found.largest >= least * 0.994 && found.largest <= radius * 1.001, "{found:?} for {radius}");
        prop_assert!(found.largest_bound >= found.largest && found.largest_bound <= found.largest * 1.0051 + 1e-5, "{found:?}");
        let back = deviation(&holed, &whole, &watch).expect("not cancelled");
        prop_assert!(back.largest < 1e-9 && back.largest_bound < 1e-5, "{back:?}");
        // The cone of distances over the hole: its volume is a third of its height on its base.
        let mean = std::f64::consts::PI * radius.powi(3) / 3.0 / 400.0;
        prop_assert!(radius < 0.5 || (found.mean / mean - 1.0).abs() < 0.1, "{} for {mean}", found.mean);
    }

    /// A point pushed out of the middle of a facet of an otherwise equal, otherwise divided surface.
    #[test]
    fn the_bound_holds_for_surfaces_of_other_facets(depth in 0.01..3.0_f64, n in 3..40_usize, m in 3..40_usize) {
        let (a, b) = (sphere(10.0, 3 * n, n + 2), with_needles(sphere(10.0 + depth, 3 * m, m + 2)));
        let watch = Watch::default();
        let found = deviation(&a, &b, &watch).expect("not cancelled");
        prop_assert!(found.largest_bound <= found.largest * 1.0051 + 1e-4, "{found:?}");
        // Many random places of the first surface: none is further than the bound.
        let tree = FacetTree::of(&b);
        let places: Vec<[f64; 3]> = (0..8000_u32)
            .map(|i| {
                let r = |k: u32| f64::from(i.wrapping_mul(2_654_435_761).wrapping_add(k.wrapping_mul(40_503)) >> 8) / f64::from(1 << 24);
                let [p, q, s] = a.corners(FacetId::from(i as usize % a.triangles.len()));
                let (u, v) = if r(1) + r(2) > 1.0 { (1.0 - r(1), 1.0 - r(2)) } else { (r(1), r(2)) };
                [0, 1, 2].map(|k| p[k] + u * (q[k] - p[k]) + v * (s[k] - p[k]))
            })
            .collect();
        let all = distances(&places, &b, &tree, &watch).expect("not cancelled");
        prop_assert!(all.iter().all(|d| *d <= found.largest_bound * (1.0 + 1e-12)), "{found:?}");
    }
}
