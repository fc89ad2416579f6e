//! Facets of wings: faces whose nose and tail bend within a small part of their size.

use crate::common::patch;
use hull_exact::facet::{facet, facet_faces};
use hull_exact::fineness::Fineness;
use hull_exact::nurbs::NurbsSurface;
use hull_exact::parameter_loops::Reader;
use hull_exact::{Shape, Surface};
use hull_geometry::Watch;
use hull_geometry::crossings::crossings;
use hull_geometry::topology::Topology;
use hull_geometry::vector::distance;
use proptest::prelude::*;

/// Asked of every side; straight tails would else be one side long.
const LONGEST: f64 = 25.0;

/// The skin of a wing as one face, round its nose from tail to tail: 100 deep at the root, `tip` times that at the other
/// end, `span` long, `thick` of its depth thick, swept back by `sweep`.
fn wing(span: f64, tip: f64, thick: f64, sweep: f64) -> Shape {
    let section = [(1.0, 0.1), (0.7, 0.5), (0.3, 1.0), (0.0, 0.7), (0.0, -0.7), (0.3, -1.0), (0.7, -0.5), (1.0, -0.1)];
    let knots = vec![0.0, 0.0, 0.0, 0.0, 0.2, 0.4, 0.6, 0.8, 1.0, 1.0, 1.0, 1.0];
    let points: Vec<[f64; 3]> = section
        .iter()
        .flat_map(|(x, y)| {
            let at = |depth: f64, back: f64, z: f64| [back + depth * x, 0.5 * thick * depth * y, z];
            [at(100.0, 0.0, 0.0), at(100.0 * tip, sweep, span)]
        })
        .collect();
    let surface = NurbsSurface::new([3, 1], [knots, vec![0.0, 0.0, 1.0, 1.0]], 2, &points, None).expect("a surface");
    let surface = Surface::Nurbs(Box::new(surface));
    let whole = surface.domain();
    patch(surface, whole)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Even facets of a wing are within the deviation, hang together as one sheet that does not cross itself, have no
    /// side longer than was asked, and are about as many as was counted beforehand.
    #[test]
    fn facets_of_wings_are_what_was_asked_and_counted(
        span in 40.0..300.0f64, tip in 0.5..1.0f64, thick in 0.08..0.25f64, sweep in -40.0..80.0f64, part in 0.1..0.3f64, angle in 6.0..20.0f64,
    ) {
        let shape = wing(span, tip, thick, sweep);
        // The tail is open by a tenth of the thickness: more than facets may be off.
        let d = part * 0.1 * thick * 100.0 * tip;
        let even = Fineness { deviation: d, angle, largest: Some(LONGEST), smallest: None, even: true };
        let made = facet(&shape, &even, Reader::Trusting, &Watch::default()).expect("not cancelled");
        prop_assert_eq!(&made.failed, &[]);
        prop_assert!(made.deviation <= d, "{} where {d} was asked", made.deviation);
        let topology = Topology::of(&made.mesh, &Watch::default()).expect("not cancelled");
        prop_assert_eq!((topology.shells, topology.overshared.len(), topology.misdirected.len()), (1, 0, 0));
        prop_assert_eq!(crossings(&made.mesh, &Watch::default()).expect("not cancelled"), []);
        let side = made.mesh.triangles.iter().flat_map(|[a, b, c]| [(a, b), (b, c), (c, a)]);
        let side = side.map(|(a, b)| distance(made.mesh.points[*a], made.mesh.points[*b]));
        let longest = side.fold(0.0, f64::max);
        // Sides of the bounds are even in their curves' measure, which is summed up to some hundredths.
        prop_assert!(longest <= LONGEST * 1.03, "a side of {longest}");
        let counted = facet_faces(&shape, &even, Reader::Trusting, &Watch::default()).expect("not cancelled");
        let all = made.mesh.triangles.len();
        let ratio = counted.mesh.triangles.len() as f64 / all as f64;
        prop_assert!((0.85..1.2).contains(&ratio), "{} counted, {all} made", counted.mesh.triangles.len());
    }
}
