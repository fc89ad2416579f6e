//! Sections of bodies, against what bodies are made of: slices add up to the volume, and fitted outlines stay on the surface.

use crate::common::body;
use hull_geometry::measure::mass;
use hull_geometry::nearest::nearest_facet;
use hull_geometry::shapes::torus;
use hull_geometry::vector::{add, distance, dot, scale, unit};
use hull_geometry::{Mesh, Point};
use hull_workshop::sections::{Section, sections, told};
use hull_workshop::survey::survey;
use proptest::prelude::*;
use std::f64::consts::PI;

/// A ring, stretched.
fn ring(factors: [f64; 3]) -> Mesh {
    let mut mesh = torus(8.0, 3.0, 40, 24);
    mesh.points.iter_mut().for_each(|p| *p = [0, 1, 2].map(|k| p[k] * factors[k]));
    mesh
}

/// How far a mesh reaches along a direction.
fn reach(mesh: &Mesh, along: Point) -> [f64; 2] {
    let heights = mesh.points.iter().map(|p| dot(*p, along));
    heights.fold([f64::INFINITY, f64::NEG_INFINITY], |[low, high], h| [low.min(h), high.max(h)])
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 10, ..ProptestConfig::default() })]

    /// B. Cavalieri's principle: areas of slices times their distance are the volume, and their centroids its centre; the lines of the
    /// slices are as long as their figures say.
    #[test]
    fn slices_add_up_to_the_body(factors in prop::array::uniform3(0.3..3.0_f64), way in prop::array::uniform3(-1.0..1.0_f64)) {
        prop_assume!(dot(way, way) > 0.01);
        let mesh = ring(factors);
        let along = unit(way).unwrap();
        let [low, high] = reach(&mesh, along);
        let count = 300;
        let every = (high - low) / count as f64;
        let first = scale(along, low + 0.5 * every);
        let (lines, found) = sections(&body(mesh.clone()), first, way, count, every, None).unwrap();
        prop_assert_eq!(found.len(), count);
        prop_assert!(found.iter().all(|s| s.open == 0 && (1..=2).contains(&s.closed) && s.fitted.is_none()));
        let whole = mass(&mesh, &mesh.bounds());
        let volume: f64 = found.iter().map(|s| s.figures.area * every).sum();
        prop_assert!((volume / whole.volume - 1.0).abs() < 2e-3, "{} for {}", volume, whole.volume);
        let moment = found.iter().fold([0.0; 3], |m, s| add(m, scale(s.figures.centroid, s.figures.area * every)));
        let centre = scale(moment, 1.0 / volume);
        prop_assert!(distance(centre, whole.centroid) < 5e-3 * (high - low), "{:?} for {:?}", centre, whole.centroid);
        // Each centroid lies in its plane, and the planes stand as far apart as asked.
        for (i, s) in found.iter().enumerate() {
            let height = low + (i as f64 + 0.5) * every;
            prop_assert!((dot(s.figures.centroid, along) - height).abs() < 1e-9 * (1.0 + height.abs()));
            let [large, small] = s.figures.principal;
            prop_assert!(large >= small && small > 0.0, "{:?}", s.figures);
            // The sum of second moments does not depend on how the plane's directions lie.
            prop_assert!((large + small - s.figures.second[0] - s.figures.second[1]).abs() < 1e-9 * large);
        }
        let long = survey(&lines, &hull_geometry::Watch::default()).unwrap().0.lines.length;
        let perimeters: f64 = found.iter().map(|s| s.figures.perimeter).sum();
        prop_assert!((long / perimeters - 1.0).abs() < 1e-9, "{} for {}", long, perimeters);
    }

    /// Fitted outlines: every point of them lies on the body within the tolerance, which is what is told.
    #[test]
    fn fitted_outlines_stay_on_the_surface(factors in prop::array::uniform3(0.5..2.0_f64), way in prop::array::uniform3(-1.0..1.0_f64), tolerance in 0.02..0.5_f64) {
        prop_assume!(dot(way, way) > 0.01);
        let mesh = ring(factors);
        let along = unit(way).unwrap();
        let [low, high] = reach(&mesh, along);
        let at = scale(along, low + 0.37 * (high - low));
        let (lines, found) = sections(&body(mesh.clone()), at, way, 1, 0.0, Some(tolerance)).unwrap();
        let Section { fitted: Some((counts, off)), figures, .. } = &found[0] else { panic!("it was fitted") };
        prop_assert!(*off <= tolerance && counts.iter().sum::<usize>() > 0, "{} {:?}", off, counts);
        let model = &lines.wires().expect("lines").model;
        let mut long = 0.0;
        for (_, part) in model.occurrences() {
            for &w in &part.shape.wires {
                let edge = &part.shape.edges[w];
                let points: Vec<Point> =
                    (0..=400).map(|i| edge.curve.point(edge.range[0] + (edge.range[1] - edge.range[0]) * f64::from(i) / 400.0)).collect();
                for p in &points {
                    prop_assert!((dot(*p, along) - dot(at, along)).abs() < 1e-6, "out of its plane");
                    let off = nearest_facet(&mesh, *p).unwrap().1;
                    prop_assert!(off <= tolerance * (1.0 + 1e-6), "{} off for {}", off, tolerance);
                }
                long += points.windows(2).map(|w| distance(w[0], w[1])).sum::<f64>();
            }
        }
        prop_assert!((long / figures.perimeter - 1.0).abs() < 0.1, "{} for {}", long, figures.perimeter);
    }
}

/// A ring across its axis: two circles, with the figures of the annulus between them, and as two arcs.
#[test]
fn a_ring_across_its_axis_is_an_annulus() {
    let ring = body(torus(8.0, 3.0, 720, 240));
    for height in [0.0, 1.0, -2.5] {
        let half = (9.0_f64 - height * height).sqrt();
        let (outer, inner) = (8.0 + half, 8.0 - half);
        let (_, found) = sections(&ring, [0.0, 0.0, height], [0.0, 0.0, 2.0], 1, 0.0, Some(0.01)).unwrap();
        let s = &found[0];
        let near = |a: f64, b: f64| assert!((a / b - 1.0).abs() < 1e-3, "at {height}: {a} for {b}");
        assert_eq!((s.closed, s.open), (2, 0));
        near(s.figures.area, PI * (outer * outer - inner * inner));
        near(s.figures.perimeter, 2.0 * PI * (outer + inner));
        near(s.figures.principal[0], PI / 4.0 * (outer.powi(4) - inner.powi(4)));
        near(s.figures.principal[1], PI / 4.0 * (outer.powi(4) - inner.powi(4)));
        // A circle that runs round may be two arcs.
        let ([lines, arcs, splines], _) = s.fitted.expect("fitted");
        assert!((2..=4).contains(&arcs) && [lines, splines] == [0; 2], "at {height}: {arcs} arcs");
        let said = told(&found, "mm");
        assert!(
            said.starts_with("z = ")
                && said.contains(&format!("fitted with 0 lines, {arcs} arcs and 0 splines within")),
            "{said}"
        );
    }
    let refused = |at: Point, normal: Point, count: usize, every: f64, fit: Option<f64>| {
        sections(&ring, at, normal, count, every, fit).unwrap_err().to_string()
    };
    let up = [0.0, 0.0, 1.0];
    for (why, words) in [
        (refused([0.0; 3], [0.0; 3], 1, 1.0, None), "a direction that is not 0, 0, 0"),
        (refused([f64::NAN; 3], up, 1, 1.0, None), "needs a place"),
        (refused([0.0; 3], up, 0, 1.0, None), "1 to 1 000 sections"),
        (refused([0.0; 3], up, 3, 0.0, None), "a distance between them that is not 0"),
        (refused([0.0; 3], up, 1, 1.0, Some(0.0)), "must be above 0"),
        (refused([0.0, 0.0, 5.0], up, 3, 1.0, None), "No plane meets the body"),
    ] {
        assert!(why.contains(words), "{why}");
    }
}
