//! Regions read off drawings made at random: rectangles cut again and again, circles in some of the parts.

use hull_exact::outlines::regions;
use hull_exact::parameter_loops::Reader;
use hull_exact::shape::EdgeId;
use hull_exact::{Curve, Frame, Motion, Shape, quadrature};
use hull_geometry::vector::{distance, sub};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

/// A curve of the drawing; lines from one point to another.
fn line(shape: &mut Shape, p: [f64; 2], q: [f64; 2]) {
    let [p, q] = [p, q].map(|[x, y]| [x, y, 0.0]);
    let ends = [p, q].map(|p| shape.add_vertex(p));
    let edge = shape.add_edge(Curve::Line { origin: p, along: sub(q, p) }, [0.0, 1.0], ends);
    shape.wires.push(edge);
}

fn circle(shape: &mut Shape, [x, y]: [f64; 2], radius: f64, start: f64) {
    let curve = Curve::Ellipse { frame: Frame { origin: [x, y, 0.0], ..Frame::WORLD }, a: radius, b: radius };
    let v = shape.add_vertex(curve.point(start));
    let edge = shape.add_edge(curve, [start, start + TAU], [v, v]);
    shape.wires.push(edge);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Every part is a region, and every circle in it another one; areas add up, each line between two regions is there once,
    /// and a line that leads nowhere stays a curve.
    #[test]
    fn every_part_of_a_drawing_is_a_region(
        cuts in prop::collection::vec((any::<prop::sample::Index>(), any::<bool>(), 0.2..0.8_f64, any::<bool>()), 0..10),
        rings in prop::collection::vec((any::<bool>(), 0.1..0.4_f64, 0.0..TAU), 11),
        loose in any::<bool>(),
        order in any::<u64>(),
        axis in prop::array::uniform3(0.1..1.0_f64),
        enlarged in 0.01..100.0_f64,
    ) {
        let mut drawn = Shape { tolerance: 1e-7, ..Shape::default() };
        let mut parts = vec![[0.0, 0.0, 8.0, 5.0]];
        let corners = [[0.0, 0.0], [8.0, 0.0], [8.0, 5.0], [0.0, 5.0]];
        (0..4).for_each(|i| line(&mut drawn, corners[i], corners[(i + 1) % 4]));
        for (which, upright, at, backwards) in &cuts {
            let [x0, y0, x1, y1] = parts.remove(which.index(parts.len()));
            let (x, y) = (x0 + (x1 - x0) * at, y0 + (y1 - y0) * at);
            let (p, q, halves) = match upright {
                true => ([x, y0], [x, y1], [[x0, y0, x, y1], [x, y0, x1, y1]]),
                false => ([x0, y], [x1, y], [[x0, y0, x1, y], [x0, y, x1, y1]]),
            };
            if *backwards { line(&mut drawn, q, p) } else { line(&mut drawn, p, q) }
            parts.extend(halves);
        }
        let mut expected = Vec::new();
        for ([x0, y0, x1, y1], (ring, size, start)) in parts.iter().zip(&rings) {
            let area = (x1 - x0) * (y1 - y0);
            let radius = size * (x1 - x0).min(y1 - y0);
            if *ring {
                circle(&mut drawn, [0.5 * (x0 + x1), 0.5 * (y0 + y1)], radius, *start);
                expected.extend([area - PI * radius * radius, PI * radius * radius]);
            } else {
                expected.push(area);
            }
        }
        if loose {
            line(&mut drawn, [8.0, 2.5], [9.0, 3.0]);
        }
        // Any order of the curves.
        let n = drawn.wires.len();
        drawn.wires.sort_by_key(|w| (u64::from(w.0) + 1).wrapping_mul(order | 1) % 1009);
        let placed = drawn.moved(&Motion { frame: Frame::new([3.0, 1.0, -2.0], axis, None), scale: enlarged });
        let found = regions(&placed, true).expect("regions");
        prop_assert_eq!((found.faces.len(), found.wires.len()), (expected.len(), usize::from(loose)), "of {} curves", n);
        let (faces, doubts) = quadrature::of_faces(&found, Reader::Trusting);
        let mut areas: Vec<f64> = faces.iter().map(|f| f.area / (enlarged * enlarged)).collect();
        areas.sort_by(f64::total_cmp);
        expected.sort_by(f64::total_cmp);
        prop_assert_eq!(doubts, 0);
        prop_assert!(areas.iter().zip(&expected).all(|(a, e)| (a - e).abs() < 1e-9 * 40.0), "{areas:?} for {expected:?}");
        // Only the outline is open.
        let length = |e: &EdgeId| {
            let e = &found.edges[*e];
            distance(e.curve.point(e.range[0]), e.curve.point(e.range[1]))
        };
        let open: f64 = found.open_edges().iter().map(length).sum::<f64>() / enlarged;
        prop_assert!((open - 26.0).abs() < 1e-9, "{open} of outline");
    }
}
