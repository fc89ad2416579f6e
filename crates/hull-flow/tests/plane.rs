//! Meshes of the plane over seeded outlines: whatever is asked, the area is the outline's, sides meet, no triangle is turned over.

use hull_flow::plane::{Asked, Finer, Layers, PlaneError, Segment, Where, mesh, quads};
use proptest::prelude::*;
use std::collections::HashMap;

/// An outline that is seen whole from its middle: a distance from it for each corner.
fn star(reach: &[f64]) -> Vec<[f64; 2]> {
    let corner = |(i, r): (usize, &f64)| {
        let (s, c) = (std::f64::consts::TAU * i as f64 / reach.len() as f64).sin_cos();
        [r * c, r * s]
    };
    reach.iter().enumerate().map(corner).collect()
}

fn ring(corners: &[[f64; 2]], name: impl Fn(usize) -> u32) -> Vec<Segment> {
    let n = corners.len();
    (0..n).map(|i| Segment { ends: [corners[i], corners[(i + 1) % n]], name: name(i) }).collect()
}

fn twice_area(corners: &[[f64; 2]]) -> f64 {
    let n = corners.len();
    (0..n).map(|i| corners[i][0] * corners[(i + 1) % n][1] - corners[(i + 1) % n][0] * corners[i][1]).sum()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, ..ProptestConfig::default() })]

    #[test]
    fn layers_and_finer_places_keep_the_outline(
        reach in prop::collection::vec(4.0..10.0_f64, 4..12), hole in prop::collection::vec(1.0..2.5_f64, 4..10),
        walls in any::<u16>(), first in 0.005..0.2_f64, growth in 1.0..1.5_f64, count in 1_usize..12, joined in any::<bool>(), size in 0.4..1.5_f64,
    ) {
        let (outer, inner) = (star(&reach), star(&hole));
        // Some sides of the outline are walls, and all of the hole.
        let mut lines = ring(&outer, |i| u32::from(walls >> i & 1 == 1));
        lines.extend(ring(&inner, |_| 2));
        let layers = Layers { along: vec![1, 2], first, growth, count };
        let finer = vec![Finer { at: Where::Line(2), size: 0.5 * size }];
        let asked = Asked { tolerance: 1e-9, size, angle: 20.0, holes: true, finer, growth: 1.4, layers: Some(layers) };
        let mut m = match mesh(&lines, &asked) {
            // Refused with a sentence is better than made wrongly; it is rare.
            Err(PlaneError::NoRoom) => return Err(TestCaseError::reject("no room")),
            made => made.unwrap(),
        };
        let exact = 0.5 * (twice_area(&outer) - twice_area(&inner));
        prop_assert!((m.areas.iter().sum::<f64>() - exact).abs() < 1e-6 * exact, "{:?} against {exact}", m.areas);
        if joined {
            let cells = quads::join(&mut m);
            prop_assert_eq!(cells.len(), m.triangles.len());
        }
        let mut sides: HashMap<[u32; 2], usize> = HashMap::new();
        for t in &m.triangles {
            let corners = t.map(|p| m.points[p as usize]);
            prop_assert!(twice_area(&corners) > 0.0, "{corners:?}");
            for k in 0..3 {
                *sides.entry([t[k].min(t[(k + 1) % 3]), t[k].max(t[(k + 1) % 3])]).or_default() += 1;
            }
        }
        prop_assert!(sides.values().all(|n| *n <= 2));
        prop_assert_eq!(sides.values().filter(|n| **n == 1).count(), m.edges.len());
        // Lines keep their length under their names.
        for name in 0..3 {
            let of = |s: &&Segment| s.name == name;
            let long = |[a, b]: [[f64; 2]; 2]| (a[0] - b[0]).hypot(a[1] - b[1]);
            let sent: f64 = lines.iter().filter(of).map(|s| long(s.ends)).sum();
            let back: f64 = m.edges.iter().filter(|e| e.1 == name).map(|e| long(e.0.map(|p| m.points[p as usize]))).sum();
            prop_assert!((sent - back).abs() < 1e-6 * (1.0 + sent), "{name}: {back} of {sent}");
        }
    }
}
