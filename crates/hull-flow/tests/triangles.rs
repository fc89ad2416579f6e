//! Triangles in the plane: areas, angles, sizes and layers against what was asked for.

use hull_flow::plane::{Asked, Finer, Layers, Meshed, PlaneError, Segment, Where, mesh};
use std::collections::HashMap;

fn distance(a: [f64; 2], b: [f64; 2]) -> f64 {
    (b[0] - a[0]).hypot(b[1] - a[1])
}

fn twice_area([a, b, c]: [[f64; 2]; 3]) -> f64 {
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}

fn ring(corners: &[[f64; 2]], name: u32) -> Vec<Segment> {
    (0..corners.len()).map(|i| Segment { ends: [corners[i], corners[(i + 1) % corners.len()]], name }).collect()
}

fn square(at: f64, size: f64, name: u32) -> Vec<Segment> {
    ring(&[[at, at], [at + size, at], [at + size, at + size], [at, at + size]], name)
}

fn asked(size: f64, holes: bool) -> Asked {
    Asked { tolerance: 1e-6, size, angle: 25.0, holes, finer: Vec::new(), growth: 1.3, layers: None }
}

/// A square with a square hole that holds an island: areas exact, angles as asked, edges under their names.
#[test]
fn holes_and_islands() {
    let mut lines = square(0.0, 10.0, 0);
    lines.extend(square(2.0, 6.0, 1));
    lines.extend(square(4.0, 2.0, 2));
    let m = mesh(&lines, &asked(0.5, true)).unwrap();
    assert!(m.complete && m.least_angle >= 25.0 - 1e-9, "{}", m.least_angle);
    assert_eq!(m.areas.len(), 2);
    assert!((m.areas[0] - 64.0).abs() < 1e-9 && (m.areas[1] - 4.0).abs() < 1e-9, "{:?}", m.areas);
    let length = |name: u32| -> f64 {
        m.edges
            .iter()
            .filter(|e| e.1 == name)
            .map(|(e, _)| distance(m.points[e[0] as usize], m.points[e[1] as usize]))
            .sum()
    };
    for (name, l) in [(0, 40.0), (1, 24.0), (2, 8.0)] {
        assert!((length(name) - l).abs() < 1e-9, "{name}");
    }
    // Every side is in two triangles, or in one and on a line.
    let mut sides: HashMap<[u32; 2], usize> = HashMap::new();
    for t in &m.triangles {
        (0..3).for_each(|k| *sides.entry([t[k].min(t[(k + 1) % 3]), t[k].max(t[(k + 1) % 3])]).or_default() += 1);
    }
    assert!(sides.values().all(|n| *n <= 2));
    assert_eq!(sides.values().filter(|n| **n == 1).count(), m.edges.len());
    let all = mesh(&lines, &asked(0.5, false)).unwrap();
    assert!((all.areas.iter().sum::<f64>() - 100.0).abs() < 1e-9 && all.areas.len() == 3);
}

/// Triangles are as small as asked along a line, around a place and in a region, and grow from there no faster than asked.
#[test]
fn finer_places() {
    let mut lines = square(0.0, 10.0, 0);
    lines.push(Segment { ends: [[5.0, 0.0], [5.0, 10.0]], name: 1 });
    let size_at = |m: &Meshed, near: [f64; 2], within: f64| -> f64 {
        let of = |t: &[u32; 3]| {
            let p = t.map(|c| m.points[c as usize]);
            let middle = [0, 1].map(|k| (p[0][k] + p[1][k] + p[2][k]) / 3.0);
            (distance(middle, near), (0..3).map(|k| distance(p[k], p[(k + 1) % 3])).sum::<f64>() / 3.0)
        };
        let all: Vec<f64> = m.triangles.iter().map(of).filter(|x| x.0 < within).map(|x| x.1).collect();
        all.iter().sum::<f64>() / all.len() as f64
    };
    let plain = mesh(&lines, &asked(1.0, false)).unwrap();
    let cases = [
        (Where::Line(1), [5.0, 5.0], [0.5, 5.0]),
        (Where::Point([2.0, 2.0]), [2.0, 2.0], [9.0, 9.0]),
        (Where::Region([2.0, 5.0]), [1.5, 8.0], [9.5, 9.5]),
    ];
    for (at, near, far) in cases {
        let wanted = Asked { finer: vec![Finer { at, size: 0.1 }], growth: 1.3, ..asked(1.0, false) };
        let m = mesh(&lines, &wanted).unwrap();
        assert!((m.areas.iter().sum::<f64>() - 100.0).abs() < 1e-9 && m.areas.len() == 2, "{at:?}");
        assert!(m.complete && m.least_angle >= 25.0 - 1e-9, "{at:?}: {}", m.least_angle);
        let (close, away) = (size_at(&m, near, 0.3), size_at(&m, far, 0.8));
        assert!(close > 0.05 && close < 0.14, "{at:?}: {close}");
        assert!(away > 0.5 && away < 1.5, "{at:?}: {away}");
        assert!(4 * m.triangles.len() > 5 * plain.triangles.len());
        // Neighbours differ by little: growth, and what triangles of one size differ anyway.
        let mut side: HashMap<[u32; 2], Vec<f64>> = HashMap::new();
        for t in &m.triangles {
            let area = twice_area(t.map(|c| m.points[c as usize]));
            (0..3)
                .for_each(|k| side.entry([t[k].min(t[(k + 1) % 3]), t[k].max(t[(k + 1) % 3])]).or_default().push(area));
        }
        let jumps = side.values().filter(|a| a.len() == 2).filter(|a| a[0] > 6.0 * a[1] || a[1] > 6.0 * a[0]).count();
        assert!(jumps * 200 < side.len(), "{at:?}: {jumps} of {}", side.len());
    }
}

/// Layers along two walls of a channel and around a round strut: heights as asked, sides met, areas and names kept.
#[test]
fn layers_along_walls() {
    let corner = [[0.0, 0.0], [10.0, 0.0], [10.0, 4.0], [0.0, 4.0]];
    let mut lines = ring(&corner, 0);
    // Bottom and top are walls, the ends are not.
    (lines[1].name, lines[3].name) = (1, 1);
    let round = std::f64::consts::TAU / 48.0;
    let strut: Vec<[f64; 2]> =
        (0..48).map(|i| (f64::from(i) * round).sin_cos()).map(|(s, c)| [4.0 + 0.6 * c, 2.0 + 0.6 * s]).collect();
    lines.extend(ring(&strut, 2));
    let layers = Layers { along: vec![0, 2], first: 0.02, growth: 1.25, count: 6 };
    let finer = vec![Finer { at: Where::Line(2), size: 0.08 }];
    let asked = Asked { finer, layers: Some(layers), ..asked(0.3, true) };
    let m = mesh(&lines, &asked).unwrap();
    let disc: f64 = 0.5 * 48.0 * 0.36 * round.sin();
    assert!((m.areas.iter().sum::<f64>() - (40.0 - disc)).abs() < 1e-9 && m.areas.len() == 1, "{:?}", m.areas);
    assert!(m.least_angle > 15.0, "{}", m.least_angle);
    assert!(m.triangles.iter().all(|t| twice_area(t.map(|p| m.points[p as usize])) > 0.0));
    let length = |name: u32| -> f64 {
        let own = m.edges.iter().filter(|e| e.1 == name);
        own.map(|(e, _)| distance(m.points[e[0] as usize], m.points[e[1] as usize])).sum()
    };
    let around: f64 = (0..48).map(|i| distance(strut[i], strut[(i + 1) % 48])).sum();
    for (name, exact) in [(0, 20.0), (1, 8.0), (2, around)] {
        assert!((length(name) - exact).abs() < 1e-6, "{name}: {}", length(name));
    }
    // Every side is in two triangles, or in one and on a line.
    let mut sides: HashMap<[u32; 2], usize> = HashMap::new();
    for t in &m.triangles {
        (0..3).for_each(|k| *sides.entry([t[k].min(t[(k + 1) % 3]), t[k].max(t[(k + 1) % 3])]).or_default() += 1);
    }
    assert!(sides.values().all(|n| *n <= 2));
    assert_eq!(sides.values().filter(|n| **n == 1).count(), m.edges.len());
    // The places over the middle of the lower wall stand at the heights of the series.
    let off = |p: &[f64; 2]| (p[0] - 7.0).abs();
    let on_wall = m.points.iter().filter(|p| p[1] == 0.0);
    let x = on_wall.min_by(|a, b| off(a).total_cmp(&off(b))).unwrap()[0];
    let mut over: Vec<f64> = m.points.iter().filter(|p| (p[0] - x).abs() < 1e-9).map(|p| p[1]).collect();
    over.sort_by(f64::total_cmp);
    let mut height = 0.0;
    for k in 0..6 {
        height += 0.02 * 1.25_f64.powi(k);
        assert!((over[k as usize + 1] - height).abs() < 1e-9, "{k}: {over:?}");
    }
    // In a narrow channel layers leave room for each other: they grow less before the first gets lower. Without walls they are
    // refused.
    let low = |part: f64| -> Vec<Segment> {
        lines[..4].iter().map(|s| Segment { ends: s.ends.map(|p| [p[0], part * p[1]]), ..*s }).collect()
    };
    let half = mesh(&low(0.125), &Asked { finer: Vec::new(), size: 0.1, ..asked.clone() }).unwrap();
    let over = |m: &Meshed| -> Vec<f64> {
        let off = |p: &[f64; 2]| (p[0] - 5.0).abs();
        let on_wall = m.points.iter().filter(|p| p[1] == 0.0);
        let x = on_wall.min_by(|a, b| off(a).total_cmp(&off(b))).unwrap()[0];
        let mut over: Vec<f64> = m.points.iter().filter(|p| (p[0] - x).abs() < 1e-9).map(|p| p[1]).collect();
        over.sort_by(f64::total_cmp);
        over.windows(2).take(6).map(|w| w[1] - w[0]).collect()
    };
    let steps = over(&half);
    assert!((steps[0] - 0.02).abs() < 1e-9 && steps[5] < 0.05 && steps.windows(2).all(|w| w[1] > w[0]), "{steps:?}");
    let narrow = low(0.05);
    let thin = mesh(&narrow, &Asked { finer: Vec::new(), size: 0.1, ..asked.clone() }).unwrap();
    assert!((thin.areas.iter().sum::<f64>() - 2.0).abs() < 1e-9);
    assert!(thin.triangles.iter().all(|t| twice_area(t.map(|p| thin.points[p as usize])) > 0.0));
    let steps = over(&thin);
    assert!(steps[0] < 0.02 && (steps[5] / steps[0] - 1.0).abs() < 1e-6, "{steps:?}");
    let none = Asked { layers: Some(Layers { along: vec![7], first: 0.1, growth: 1.0, count: 2 }), ..asked };
    assert_eq!(mesh(&lines, &none).unwrap_err(), PlaneError::NoWalls);
}

/// Lines that cross make regions of their own; gaps are joined within the tolerance, and told else.
#[test]
fn crossings_and_gaps() {
    let mut lines = square(0.0, 4.0, 0);
    lines.push(Segment { ends: [[-1.0, 2.0], [5.0, 2.0]], name: 1 });
    let m = mesh(&lines, &asked(1.0, false)).unwrap();
    assert!(m.areas.len() == 2 && (m.areas[0] - 8.0).abs() < 1e-9);
    // Regions on both sides of a line are meshed as finely as others.
    assert!(m.triangles.len() > 30 && m.least_angle >= 25.0 - 1e-9, "{} {}", m.triangles.len(), m.least_angle);
    assert_eq!(m.loose.len(), 2);
    let mut gap = square(0.0, 4.0, 0);
    gap[0].ends[1] = [3.9, 0.0];
    match mesh(&gap, &asked(1.0, true)) {
        Err(PlaneError::Open(why)) => assert!(why.contains("2 loose ends") && why.contains("0.1"), "{why}"),
        other => panic!("{other:?}"),
    }
    let closed = mesh(&gap, &Asked { tolerance: 0.2, ..asked(1.0, true) }).unwrap();
    assert!(closed.loose.is_empty() && closed.areas.len() == 1);
    assert_eq!(mesh(&[], &asked(1.0, true)).unwrap_err(), PlaneError::Nothing);
    assert!(matches!(mesh(&square(0.0, 4.0, 0), &asked(1e-6, true)), Err(PlaneError::TooMany(_))));
}
