//! Round bumps and dents against surfaces that are known without them.

use hull_geometry::bumps::without_bumps;
use hull_geometry::round_bumps::round_bumps;
use hull_geometry::shapes::{cuboid, sphere, torus};
use hull_geometry::vector::{add, distance, norm, scale, sub, unit};
use hull_geometry::{Mesh, Point, Watch, topology::Topology};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use typed_index_collections::TiVec;

/// Directions that are far from each other.
const WAYS: [Point; 6] =
    [[1.0, 0.2, 0.1], [-1.0, 0.1, 0.3], [0.2, 1.0, -0.3], [0.1, -1.0, 0.2], [0.5, 0.4, 1.0], [-0.4, 0.5, -1.0]];

/// Moves the points around a place along their ways from the middle: as a hill without an edge, `height` high.
fn round_bump(mesh: &mut Mesh, at: Point, radius: f64, height: f64) {
    for p in &mut mesh.points {
        let d = distance(*p, at) / radius;
        if let Some(way) = unit(*p).filter(|_| d < 1.0) {
            *p = add(*p, scale(way, height * (1.0 - d * d).powi(2)));
        }
    }
}

proptest! {
    // What is found is a matter of degree, so the same balls are taken each time.
    #![proptest_config(ProptestConfig { cases: 3, rng_seed: RngSeed::Fixed(4), ..ProptestConfig::default() })]

    /// A ball with hills and hollows becomes the ball again where they are small enough, and stays as it is elsewhere.
    #[test]
    fn a_ball_is_a_ball_again(swellings in prop::collection::vec((1.7..2.5f64, 0.2..0.35f64, any::<bool>()), 6), large in 0..6usize, u in 110..130usize) {
        let mut ball = sphere(10.0, u, u * 2 / 3);
        let mut expected = ball.clone();
        for (k, (radius, part, out)) in swellings.iter().enumerate() {
            let way = unit(WAYS[k]).expect("not nothing");
            let (radius, height) = if k == large { (6.0, 1.2) } else { (*radius, part * radius * if *out { 1.0 } else { -1.0 }) };
            round_bump(&mut ball, scale(way, 10.0), radius, height);
            if k == large {
                round_bump(&mut expected, scale(way, 10.0), radius, height);
            }
        }
        let done = without_bumps(&ball, 7.0, true, &Watch::default()).expect("not cancelled");
        let out = swellings.iter().enumerate().filter(|(k, s)| *k != large && s.2).count();
        prop_assert_eq!((done.bumps, done.dents), (out, 5 - out));
        let topology = Topology::of(&done.rebuilt.mesh, &Watch::default()).expect("not cancelled");
        prop_assert!(topology.is_closed() && topology.misdirected.is_empty());
        // What is lower than a round bump must be to be one is left.
        let highest = swellings.iter().map(|s| s.0 * s.1).fold(0.0, f64::max);
        for p in &done.rebuilt.mesh.points {
            let near_large = distance(*p, scale(unit(WAYS[large]).expect("not nothing"), 10.0)) < 6.1;
            prop_assert!(near_large || (norm(*p) - 10.0).abs() < 0.3 * highest, "{:?} {}", p, norm(*p));
        }
        let kept = expected.points.iter().map(|p| norm(*p)).fold(0.0, f64::max);
        let now = done.rebuilt.mesh.points.iter().map(|p| norm(*p)).fold(0.0, f64::max);
        prop_assert!((kept - now).abs() < 1e-9, "the large one stands {} instead of {}", now, kept);
    }
}

/// Shapes that only bend, and edges and corners, are no bumps.
#[test]
fn what_is_only_bent_has_none() {
    let mut box_of_squares = cuboid([20.0, 14.0, 10.0]);
    for _ in 0..4 {
        box_of_squares = quartered(&box_of_squares);
    }
    let cases = [("ball", sphere(10.0, 90, 60)), ("ring", torus(20.0, 6.0, 160, 60)), ("box", box_of_squares)];
    for (name, mesh) in cases {
        let found = round_bumps(&mesh, 5.0, &Watch::default()).expect("not cancelled");
        assert_eq!(found.len(), 0, "{name}: {:?}", found.first().map(|s| (s.size, s.volume)));
    }
}

/// Each facet as four.
fn quartered(mesh: &Mesh) -> Mesh {
    let mut out = Mesh { points: mesh.points.clone(), triangles: TiVec::new() };
    let mut middles = std::collections::HashMap::new();
    for t in &mesh.triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *middles.entry((a.min(b), a.max(b))).or_insert_with(|| {
                let (p, q) = (out.points[a], out.points[b]);
                out.points.push_and_get_key(add(p, scale(sub(q, p), 0.5)))
            })
        });
        out.triangles.extend([[t[0], m[0], m[2]], [m[0], t[1], m[1]], [m[2], m[1], t[2]], m]);
    }
    out
}
