//! The wrap's guarantees, on any soup.

use hull_geometry::crossings::crossings;
use hull_geometry::deviation::distances;
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::topology::Topology;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{cross, dot, norm, sub};
use hull_geometry::{Mesh, Point, PointId, Watch, measure};
use hull_solids::wrap::{WrapError, wrap};
use proptest::prelude::*;
use typed_index_collections::ti_vec;

fn check(input: &Mesh, offset: f64, gap: f64) -> Mesh {
    let watch = Watch::default();
    let out = wrap(input, &ti_vec![0; input.triangles.len()], offset, gap, &watch).expect("wrapped").mesh;
    let t = Topology::of(&out, &watch).expect("not cancelled");
    assert!(t.is_closed() && t.misdirected.is_empty() && t.pinched.is_empty() && t.zero_area.is_empty());
    assert_eq!(crossings(&out, &watch).expect("not cancelled"), vec![]);
    // No less than a ball of that distance about a point of the input, no more than the box around the wrap.
    let (volume, bounds) = (measure::mass(&out, &out.bounds()).volume, out.bounds());
    let ball = 4.0 / 3.0 * std::f64::consts::PI * (0.1 * offset).powi(3);
    let around: f64 = sub(bounds.max, bounds.min).iter().product();
    assert!((ball..=around).contains(&volume), "{ball} <= {volume} <= {around}");
    // No point of the wrap touches the input, and the input lies inside: its points wind around once.
    let tree = FacetTree::of(input);
    let off = distances(&out.points.raw, input, &tree, &watch).expect("not cancelled");
    assert!(off.iter().all(|d| *d > 0.1 * offset), "the wrap touches the input");
    for p in &input.points {
        assert!((winding(&out, *p) - 1.0).abs() < 1e-6, "a point of the input is not inside");
    }
    out
}

/// Winding number by solid angles (A. Van Oosterom and J. Strackee, 1983).
fn winding(mesh: &Mesh, p: Point) -> f64 {
    let angle = |t: &[PointId; 3]| {
        let [a, b, c] = t.map(|q| sub(mesh.points[q], p));
        let (x, y, z) = (norm(a), norm(b), norm(c));
        2.0 * dot(a, cross(b, c)).atan2(x * y * z + dot(a, b) * z + dot(b, c) * x + dot(c, a) * y)
    };
    mesh.triangles.iter().map(angle).sum::<f64>() / (4.0 * std::f64::consts::PI)
}

#[test]
fn a_sphere_is_wrapped_at_the_offset() {
    let d = 0.05;
    let out = check(&sphere(1.0, 60, 40), d, 0.0);
    let volume = measure::mass(&out, &out.bounds()).volume;
    let expected = 4.0 / 3.0 * std::f64::consts::PI * (1.0_f64 + d).powi(3);
    // The lattice's facets cut the sphere's curve by some of their size.
    assert!((volume / expected - 1.0).abs() < 0.02, "{volume} for {expected}");
}

/// A box without its lid: a small gap leaves it a bowl, a gap wider than the opening makes it solid.
#[test]
fn a_gap_is_closed_over_when_it_is_narrower_than_asked() {
    let mut open = cuboid([1.0; 3]);
    open.triangles.raw.drain(2..4);
    let bowl = check(&open, 0.04, 0.0);
    let solid = check(&open, 0.04, 1.3);
    let volume = |m: &Mesh| measure::mass(m, &m.bounds()).volume;
    assert!(volume(&bowl) < 0.6 && volume(&solid) > 0.95, "{} {}", volume(&bowl), volume(&solid));
    // Whatever the gap, walls stand at the offset.
    let b = solid.bounds();
    assert!((0..3).all(|k| (b.min[k] + 0.04).abs() < 1e-4 && (b.max[k] - 1.04).abs() < 1e-4), "{b:?}");
    // Flat walls need no more facets than the longest side allows, where the lattice alone makes some 30 000.
    assert!(solid.triangles.len() < 2500, "{}", solid.triangles.len());
}

#[test]
fn what_is_too_fine_says_what_would_do() {
    let Err(WrapError::TooFine(least)) = wrap(&cuboid([1.0; 3]), &ti_vec![0; 12], 1e-5, 0.0, &Watch::default()) else {
        panic!("a lattice of 10^15 nodes")
    };
    assert!(least > 1e-4 && least < 0.01);
}

#[test]
fn it_is_cancelled_while_it_works() {
    let (ball, watch) = (sphere(1.0, 64, 32), Watch::default());
    let cells = ti_vec![0; ball.triangles.len()];
    let seen = std::thread::scope(|scope| {
        let work = scope.spawn(|| wrap(&ball, &cells, 0.02, 0.0, &watch).map(|made| made.mesh.triangles.len()));
        // Once it has said how far it is, it is at work.
        while watch.progress().0 == 0.0 && !work.is_finished() {
            std::thread::yield_now();
        }
        let seen = watch.progress().0;
        watch.cancel();
        let end = work.join().expect("no panic");
        assert!(matches!(end, Err(WrapError::Cancelled(_))), "it went on to its end: {end:?}");
        seen
    });
    assert!(seen > 0.0 && seen < 1.0, "{seen}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Facets anywhere, in no relation to each other.
    #[test]
    fn any_soup_is_enclosed(soup in prop::collection::vec([[-1.0f64..1.0, -1.0f64..1.0, -1.0f64..1.0], [-1.0f64..1.0, -1.0f64..1.0, -1.0f64..1.0], [-1.0f64..1.0, -1.0f64..1.0, -1.0f64..1.0]], 1..12), offset in 0.05f64..0.2, gap in 0.0f64..1.0) {
        let mut mesh = Mesh::default();
        for t in soup {
            mesh.push_loose(t);
        }
        check(&mesh, offset, gap);
    }
}
