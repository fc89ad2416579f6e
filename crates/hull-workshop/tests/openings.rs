//! Every bore that opens outside has a mouth, in flat faces and in curved ones, whatever its size and direction.

use crate::common::{body, cylinder, less};
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::topology::Topology;
use hull_geometry::transform::{product, rotate, translate};
use hull_geometry::vector::{cross, norm, scale, unit};
use hull_geometry::{Mesh, Point, Watch, measure};
use hull_workshop::steps::fill_inside::FillInside;
use hull_workshop::{Body, Destination, apply};
use proptest::prelude::*;

/// A closed prism of 24 sides about the way from the middle, from `from` to `to` along it.
fn drill(along: Point, radius: f64, [from, to]: [f64; 2]) -> Mesh {
    let x = unit(cross(along, if along[0].abs() < 0.6 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] })).unwrap();
    cylinder(scale(along, from), [along, x], to - from, radius, 24)
}

/// The inside, its caps and its volume.
fn inside(part: &Body) -> Result<(Body, usize, f64), String> {
    let step = FillInside { openings: Vec::new(), seed: Vec::new() }.into();
    let (made, _) = apply(part, &step, &Destination::asking_nothing(), &Watch::default()).map_err(|e| e.to_string())?;
    let topology = Topology::of(&made.mesh, &Watch::default()).expect("not cancelled");
    if !topology.is_closed() || !topology.misdirected.is_empty() {
        return Err("it is not closed".into());
    }
    let caps = made.facts.boundaries.iter().filter(|b| b.from == "cap").count();
    let volume = measure::mass(&made.mesh, &made.bounds()).volume;
    Ok((made, caps, volume))
}

/// Six ways that stand 63° and more apart: to corners of an icosahedron.
fn ways() -> [Point; 6] {
    let g = (1.0 + 5.0_f64.sqrt()) / 2.0;
    let all = [[0.0, 1.0, g], [0.0, -1.0, g], [1.0, g, 0.0], [-1.0, g, 0.0], [g, 0.0, 1.0], [g, 0.0, -1.0]];
    all.map(|p| scale(p, 1.0 / norm(p)))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// A hollow ball, turned, with bores of several sizes through its wall: as many openings as bores, and the inside is the
    /// hollow and what the wall leaves free.
    #[test]
    fn bores_of_a_hollow_ball(
        radii in prop::collection::vec(0.6..3.0_f64, 1..6),
        turn in prop::array::uniform3(-180.0..180.0_f64),
    ) {
        let mut hollow = sphere(10.0, 48, 24);
        let mut inner = sphere(8.0, 48, 24);
        let free = measure::mass(&inner, &inner.bounds()).volume;
        inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
        hollow.append(&inner);
        let about = |k: usize| {
            let ((s, c), mut m) = (turn[k].to_radians().sin_cos(), [[0.0; 3]; 3]);
            let (a, b) = ((k + 1) % 3, (k + 2) % 3);
            m[k][k] = 1.0;
            (m[a][a], m[b][b], m[a][b], m[b][a]) = (c, c, -s, s);
            m
        };
        rotate(&mut hollow, &product(&about(0), &product(&about(1), &about(2))));
        let tools = radii.iter().zip(ways()).map(|(r, way)| drill(way, *r, [2.0, 12.0])).collect();
        let (_, caps, volume) = inside(&less(hollow, tools)).map_err(TestCaseError::fail)?;
        prop_assert_eq!(caps, radii.len());
        // Each bore adds its way through the wall, which is less than 2.5 long for the widest.
        let most: f64 = radii.iter().map(|r| std::f64::consts::PI * r * r * 2.5).sum();
        prop_assert!(volume > free && volume < free + most, "{volume} of {free} and up to {most}");
    }

    /// A block with a bore along x, and bores from above that meet it: inner junctions are no openings.
    #[test]
    fn bores_that_meet_in_a_block(radius in 2.0..6.0_f64, at in prop::collection::vec(0.3..0.9_f64, 0..3)) {
        let mut block = cuboid([80.0, 30.0, 30.0]);
        translate(&mut block, [-40.0, -15.0, -15.0]);
        let mut tools = vec![drill([1.0, 0.0, 0.0], radius, [-41.0, 41.0])];
        for (i, share) in at.iter().enumerate() {
            let mut tool = drill([0.0, 0.0, 1.0], share * radius, [0.0, 16.0]);
            translate(&mut tool, [20.0 * i as f64 - 20.0, 0.0, 0.0]);
            tools.push(tool);
        }
        let (made, caps, _) = inside(&less(block, tools)).map_err(TestCaseError::fail)?;
        prop_assert_eq!(caps, 2 + at.len());
        // Caps in flat faces are flat: as large as the bores.
        let area = |r: f64| 12.0 * r * r * (std::f64::consts::TAU / 24.0).sin();
        let all: f64 = made.mesh.triangles.keys()
            .filter(|f| made.facts.boundaries.get(made.columns.boundary[*f] as usize).is_some_and(|b| b.from == "cap"))
            .map(|f| norm(made.mesh.area_vector(f)) / 2.0)
            .sum();
        let expected = 2.0 * area(radius) + at.iter().map(|s| area(s * radius)).sum::<f64>();
        prop_assert!((all / expected - 1.0).abs() < 1e-6, "{all} for {expected}");
    }
}

/// What has no bore is told so, in the words of the step.
#[test]
fn solids_without_a_bore_have_no_opening() {
    for solid in [cuboid([3.0; 3]), sphere(5.0, 24, 12), drill([0.0, 0.0, 1.0], 4.0, [0.0, 9.0])] {
        let why = inside(&body(solid)).expect_err("nothing is inside");
        assert!(why.contains("No opening was found"), "{why}");
    }
}
