//! Properties of stitching pieces that were never one mesh: other facets along the same curve, three at a point,
//! overlaps, and neighbours that must stay apart. Volumes and counts follow from the surfaces the pieces are cut from.

use hull_geometry::measure::mass;
use hull_geometry::plot::tolerance_plot;
use hull_geometry::shapes::{cuboid, sphere, torn, torus};
use hull_geometry::stitch::{Rim, Stitched, stitch};
use hull_geometry::topology::Topology;
use hull_geometry::transform::translate;
use hull_geometry::vector::{add, distance, scale};
use hull_geometry::{FacetId, Mesh, Point, PointId, Watch};
use proptest::prelude::*;
use std::collections::HashMap;

fn watch() -> Watch {
    Watch::default()
}

fn volume(mesh: &Mesh) -> f64 {
    mass(mesh, &mesh.bounds()).volume
}

fn together(a: &Mesh, b: &Mesh) -> Mesh {
    let mut both = a.clone();
    both.append(b);
    both
}

/// The facets of `mesh` in pieces around `centres`, each moved by its own vector. Three pieces meet at a point wherever
/// three centres are equally near.
fn pieces(mesh: &Mesh, centres: &[(Point, Point)]) -> Mesh {
    let mut out = Mesh::default();
    let mut number: HashMap<(usize, PointId), PointId> = HashMap::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        let [a, b, c] = mesh.corners(FacetId(f.0));
        let middle = scale(add(add(a, b), c), 1.0 / 3.0);
        let far = |k: &usize| distance(centres[*k].0, middle);
        let piece = (0..centres.len()).min_by(|i, j| far(i).total_cmp(&far(j))).unwrap();
        out.triangles.push(t.map(|p| {
            *number
                .entry((piece, p))
                .or_insert_with(|| out.points.push_and_get_key(add(mesh.points[p], centres[piece].1)))
        }));
    }
    out
}

fn stitched_as_proposed(mesh: &Mesh) -> (f64, Stitched) {
    let found = tolerance_plot(mesh, &watch()).unwrap();
    let tolerance = found.proposal.expect("gaps smaller than facets are proposed for stitching").tolerance;
    (tolerance, stitch(mesh, tolerance, &watch()).unwrap())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn halves_with_other_facets_along_their_common_circle_are_closed(upper in 14..48usize, lower in 14..48usize) {
        // Arcs higher than a hundredth of the body are beyond what is proposed, so no fewer than 14 facets around.
        // Points of one half lie on the circle, those of the other too, but no two are the same: what is between is the
        // height of the arcs, r (1 - cos(pi / n)).
        let half = |u: usize, above: bool| {
            let bands = u / 4 * 2;
            let whole = sphere(10.0, u, bands);
            let keep = |f: FacetId| {
                let [a, b, c] = whole.corners(f);
                (a[2] + b[2] + c[2] > 0.0) == above
            };
            let mut part = hull_geometry::mesh::Rebuilt::keeping(&whole, keep).mesh;
            part.drop_unused_points();
            part
        };
        let (top, bottom) = (half(upper, true), half(lower, false));
        let both = together(&top, &bottom);
        let (tolerance, done) = stitched_as_proposed(&both);
        let topology = Topology::of(&done.rebuilt.mesh, &watch()).unwrap();
        prop_assert!(topology.is_closed(), "{} edges open at {tolerance}", topology.open.len());
        prop_assert_eq!(topology.shells, 1);
        let arc = 10.0 * (1.0 - (std::f64::consts::PI / upper.min(lower) as f64).cos());
        prop_assert!(done.report.largest_move <= arc * 1.5 + 1e-9, "moved {}", done.report.largest_move);
        let whole = |u: usize| volume(&sphere(10.0, u, u / 4 * 2)) / 2.0;
        let expected = whole(upper) + whole(lower);
        let equator = std::f64::consts::TAU * 10.0 * arc;
        prop_assert!((volume(&done.rebuilt.mesh) - expected).abs() < 10.0 * equator);
    }

    #[test]
    fn pieces_that_meet_three_at_a_point_close_whether_gaps_or_overlaps(
        centres in prop::collection::vec(
            (prop::array::uniform3(-8.0..8.0f64), prop::array::uniform3(-1.0..1.0f64)), 3..10),
        gap in 1e-4..0.02f64,
    ) {
        let whole = torus(6.0, 2.0, 40, 20);
        let centres: Vec<_> = centres.into_iter().map(|(at, by)| (at, scale(by, gap / 4.0))).collect();
        let (_, done) = stitched_as_proposed(&pieces(&whole, &centres));
        let topology = Topology::of(&done.rebuilt.mesh, &watch()).unwrap();
        prop_assert!(topology.is_closed());
        prop_assert_eq!(done.rebuilt.mesh.triangles.len(), whole.triangles.len());
        prop_assert_eq!(done.rebuilt.mesh.points.len(), whole.points.len(), "each corner is one point again");
        prop_assert!(done.report.largest_move <= gap);
    }

    #[test]
    fn a_shell_nearby_is_not_joined(patches in 2..9usize, gap in 1e-3..0.02f64, apart in 2.5..20.0f64) {
        let one = torus(6.0, 2.0, 40, 20);
        let mut other = one.clone();
        translate(&mut other, [0.0, 0.0, 4.0 + gap * apart]);
        let both = together(&torn(&one, patches, gap), &torn(&other, patches + 1, gap));
        let (_, done) = stitched_as_proposed(&both);
        let topology = Topology::of(&done.rebuilt.mesh, &watch()).unwrap();
        prop_assert!(topology.is_closed());
        prop_assert_eq!(topology.shells, 2);
        prop_assert_eq!(done.rebuilt.mesh.points.len(), 2 * one.points.len());
    }
}

/// Sides of two facets are small loops each, and no holes to be left for filling.
#[test]
fn loose_sides_of_a_box_are_proposed_to_be_stitched() {
    for gap in [1e-3, 1e-2] {
        let (_, done) = stitched_as_proposed(&torn(&cuboid([3.0, 2.0, 1.0]), 6, gap));
        assert!(Topology::of(&done.rebuilt.mesh, &watch()).unwrap().is_closed(), "{gap}");
        assert_eq!(done.rebuilt.mesh.points.len(), 8);
    }
}

/// Where every point lies near every other, comparing them would not end: the widest tolerance that does is told beforehand.
#[test]
fn a_tolerance_that_would_compare_everything_with_everything_is_too_wide() {
    let mut loose = Mesh::default();
    let mut seed = 7_u64;
    let mut roll = || {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) as f64 / (1_u64 << 31) as f64
    };
    for _ in 0..6000 {
        let at: Point = [roll(), roll(), roll()].map(|x| 100.0 * x);
        loose.push_loose([0; 3].map(|_| add(at, [roll(), roll(), roll()])));
    }
    let rim = Rim::of(&loose);
    let widest = rim.affordable(100.0);
    assert!(widest > 1.0 && widest < 50.0, "{widest}");
    assert_eq!(rim.affordable(0.9 * widest), 0.9 * widest, "what can be paid is left as it is");
}
