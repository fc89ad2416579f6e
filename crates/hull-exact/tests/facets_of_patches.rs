//! Facets of rectangles on every kind of surface, judged by places of the surface and of the facets themselves, not by what
//! the facetting says of itself.

use crate::common::patch;
use hull_exact::facet::facet;
use hull_exact::fineness::Fineness;
use hull_exact::locate::Locator;
use hull_exact::nurbs::NurbsSurface;
use hull_exact::parameter_loops::Reader;
use hull_exact::{Curve, Frame, Surface};
use hull_geometry::nearest::nearest_facet;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{V3, cross, dot, norm, sub, unit};
use hull_geometry::{Mesh, PointId, Watch};
use proptest::prelude::*;

/// A bumpy sheet of 10 by 8 with heights from 0 to `high`.
fn sheet(heights: &[f64], high: f64) -> Surface {
    let points: Vec<V3> = (0..30)
        .map(|i| {
            let (row, column) = (i / 5, i % 5);
            [f64::from(row) * 2.0, f64::from(column) * 2.0, heights[i as usize] * high]
        })
        .collect();
    let knots =
        [vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 3.0, 3.0, 3.0], vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 2.0, 2.0, 2.0]];
    Surface::Nurbs(Box::new(NurbsSurface::new([3, 3], knots, 5, &points, None).expect("a surface")))
}

/// A surface with sides that `r` (four numbers from 0 to 1) choose on it.
fn chosen(kind: usize, r: [f64; 4], heights: &[f64]) -> (Surface, [[f64; 2]; 2]) {
    let frame = Frame::new([1.0, -2.0, 3.0], [1.0, 2.0, -1.0], Some([1.0, 0.0, 0.3]));
    let round = [6.0 * r[0] - 3.0, 6.0 * r[0] - 2.8 + 5.5 * r[1]];
    let along = [10.0 * r[2] - 5.0, 10.0 * r[2] - 4.5 + 8.0 * r[3]];
    match kind {
        0 => (Surface::Cylinder { frame, radius: 2.0 }, [round, along]),
        1 => (
            Surface::Cone { frame, radius: 2.0, half_angle: 0.4 },
            [round, [4.0 * r[2] - 4.0, 4.0 * r[2] + 6.0 * r[3]]],
        ),
        2 => (Surface::Sphere { frame, radius: 4.0 }, [round, [-1.4 * r[2], 0.1 + 1.3 * r[3]]]),
        3 => (
            Surface::Torus { frame, major: 5.0, minor: 1.5 },
            [round, [3.0 * r[2] - 3.0, 3.0 * r[2] - 2.8 + 5.0 * r[3]]],
        ),
        4 => (sheet(heights, 3.0), [[0.0, 3.0], [0.0, 2.0]]),
        5 => {
            let profile = Curve::Parabola {
                frame: Frame::new([3.0, 0.0, 0.0], [0.0, 1.0, 0.0], Some([1.0, 0.0, 0.0])),
                focal: 0.5,
            };
            (Surface::Revolution { profile, axis: Frame::WORLD }, [round, [-1.5 * r[2] - 0.2, 0.2 + 1.5 * r[3]]])
        }
        6 => (Surface::Offset { base: Box::new(sheet(heights, 0.6)), by: 0.3 }, [[0.0, 3.0], [0.0, 2.0]]),
        _ => {
            let profile = Curve::Ellipse { frame, a: 4.0, b: 1.0 };
            (
                Surface::Extrusion { profile, along: frame.turn([1.5 * r[2], 0.3, 2.0]) },
                [round, [0.0, 0.5 + 2.0 * r[3]]],
            )
        }
    }
}

/// Distance from the closed form, where there is one; else from the nearest place that is found.
fn off(surface: &Surface, locator: &Locator, p: V3) -> f64 {
    match surface {
        Surface::Cylinder { frame, radius } => {
            let q = frame.local(p);
            (q[0].hypot(q[1]) - radius).abs()
        }
        Surface::Cone { frame, radius, half_angle } => {
            let q = frame.local(p);
            ((q[0].hypot(q[1]) - radius - q[2] * half_angle.tan()) * half_angle.cos()).abs()
        }
        Surface::Sphere { frame, radius } => (norm(frame.local(p)) - radius).abs(),
        Surface::Torus { frame, major, minor } => {
            let q = frame.local(p);
            ((q[0].hypot(q[1]) - major).hypot(q[2]) - minor).abs()
        }
        _ => locator.locate(p, None).1,
    }
}

fn corners(mesh: &Mesh, t: [PointId; 3]) -> [V3; 3] {
    t.map(|i| mesh.points[i])
}

fn normal(mesh: &Mesh, t: [PointId; 3]) -> V3 {
    let [a, b, c] = corners(mesh, t);
    unit(cross(sub(b, a), sub(c, a))).unwrap_or([0.0; 3])
}

/// The largest turn, in degrees, between facets that share a side.
fn sharpest_turn(mesh: &Mesh) -> f64 {
    let mut first = std::collections::HashMap::new();
    let mut worst: f64 = 0.0;
    for &t in &mesh.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            if let Some(other) = first.insert((a.min(b), a.max(b)), t) {
                let (m, n) = (normal(mesh, t), normal(mesh, other));
                worst = worst.max(norm(cross(m, n)).atan2(dot(m, n)).to_degrees());
            }
        }
    }
    worst
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn facets_lie_as_near_as_was_asked(
        kind in 0..8usize,
        r in prop::array::uniform4(0.0..1.0f64),
        heights in prop::collection::vec(0.0..1.0f64, 30),
        places in prop::collection::vec(prop::array::uniform2(0.0..1.0f64), 60),
        d in 0.005..0.2f64,
        angle in 5.0..30.0f64,
        even in any::<bool>(),
    ) {
        let (surface, sides) = chosen(kind, r, &heights);
        let shape = patch(surface.clone(), sides);
        let asked = Fineness { deviation: d, angle, largest: None, smallest: Some(1e-9), even };
        let made = facet(&shape, &asked, Reader::Trusting, &Watch::default()).expect("not cancelled");
        let mesh = &made.mesh;
        prop_assert_eq!((made.failed.len(), made.doubts.len()), (0, 0));
        // Without the file's parameters all places are found from space.
        let again = facet(&shape, &asked, Reader::Rebuilding, &Watch::default()).expect("not cancelled");
        let ratio = again.mesh.triangles.len() as f64 / mesh.triangles.len() as f64;
        prop_assert!(again.failed.is_empty() && again.deviation <= d, "{:?} {}", again.failed, again.deviation);
        prop_assert!((0.3..3.0).contains(&ratio), "{} facets for {}", again.mesh.triangles.len(), mesh.triangles.len());
        let topology = Topology::of(mesh, &Watch::default()).expect("not cancelled");
        prop_assert_eq!((topology.shells, topology.overshared.len(), topology.misdirected.len()), (1, 0, 0));
        // The surface from the facets.
        for [s, t] in &places {
            let [u, v] = [0, 1].map(|k| sides[k][0] + (sides[k][1] - sides[k][0]) * [s, t][k]);
            let (_, gap) = nearest_facet(mesh, surface.point(u, v)).expect("facets");
            prop_assert!(gap <= d, "{gap} from the facets where {d} was asked, {made}", made = made.deviation);
        }
        // The facets from the surface.
        let locator = Locator::new(&surface);
        for &t in &mesh.triangles {
            let [a, b, c] = corners(mesh, t);
            for w in [[1.0, 1.0, 1.0], [1.0, 1.0, 0.0], [0.0, 1.0, 1.0], [1.0, 0.0, 1.0]] {
                let sum: f64 = w.iter().sum();
                let p = [0, 1, 2].map(|k| (w[0] * a[k] + w[1] * b[k] + w[2] * c[k]) / sum);
                let gap = off(&surface, &locator, p);
                prop_assert!(gap <= d * 1.0001, "{gap} from the surface where {d} was asked");
            }
            for p in [a, b, c] {
                prop_assert!(off(&surface, &locator, p) <= 1e-9, "a corner off the surface");
            }
        }
        let turn = sharpest_turn(mesh);
        // What bends one way only is cut along its straight lines; bends both ways add up across a facet's corners.
        let most = if matches!(kind, 0 | 1 | 7) && !even { 1.7 } else { 4.0 };
        prop_assert!(turn <= most * angle, "{turn}° where {angle}° was asked");
    }

    /// Straight from row to row and bent along them: each row is an edge of the surface's own, and long thin facets must
    /// not fold over.
    #[test]
    fn facets_follow_the_edges_inside_a_surface(
        heights in prop::collection::vec(0.0..1.0f64, 9),
        ends in 0.002..1.0f64,
        places in prop::collection::vec(prop::array::uniform2(0.0..1.0f64), 60),
        d in 0.003..0.05f64,
        even in any::<bool>(),
    ) {
        let width = [1.0, 0.7, ends];
        let points: Vec<V3> = (0..9)
            .map(|i| {
                let (row, column) = (i / 3, i % 3);
                [6.0 * width[row] * (column as f64 - 1.0), 9.0 * row as f64, 3.0 * width[row] * heights[i]]
            })
            .collect();
        let knots = [vec![0.0, 0.0, 0.4, 1.0, 1.0], vec![0.0, 0.0, 0.0, 1.0, 1.0, 1.0]];
        let surface = Surface::Nurbs(Box::new(NurbsSurface::new([1, 2], knots, 3, &points, None).expect("a surface")));
        let shape = patch(surface.clone(), [[0.0, 1.0], [0.0, 1.0]]);
        let asked = Fineness { deviation: d, angle: 10.0, largest: None, smallest: None, even };
        let made = facet(&shape, &asked, Reader::Trusting, &Watch::default()).expect("not cancelled");
        let mesh = &made.mesh;
        prop_assert!(made.failed.is_empty() && made.deviation <= d, "{} of {d}", made.deviation);
        for [s, t] in &places {
            let (_, gap) = nearest_facet(mesh, surface.point(*s, *t)).expect("facets");
            prop_assert!(gap <= d, "{gap} from the facets where {d} was asked");
        }
        let locator = Locator::new(&surface);
        let (mut area, mut away) = (0.0, 0.0);
        for &t in &mesh.triangles {
            let [a, b, c] = corners(mesh, t);
            let middle = [0, 1, 2].map(|k| (a[k] + b[k] + c[k]) / 3.0);
            let (uv, _) = locator.locate(middle, None);
            let own = norm(cross(sub(b, a), sub(c, a))) / 2.0;
            area += own;
            if dot(normal(mesh, t), surface.normal(uv[0], uv[1])) < 0.0 {
                away += own;
            }
        }
        let n = 200;
        let at = |i: usize| (i as f64 + 0.5) / n as f64;
        let cell = |u: f64, v: f64| {
            let [_, su, sv] = surface.first(u, v);
            norm(cross(su, sv)) / (n * n) as f64
        };
        let exact: f64 = (0..n * n).map(|i| cell(at(i / n), at(i % n))).sum();
        prop_assert!((area - exact).abs() <= 0.01 * exact, "area {area} of {exact}");
        prop_assert!(away <= 1e-3 * exact, "{away} of {exact} faces away");
        prop_assert!(mesh.triangles.len() < 20_000, "{} facets", mesh.triangles.len());
    }
}
