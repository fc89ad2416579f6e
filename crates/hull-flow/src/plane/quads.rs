//! Triangles joined in pairs to quadrilaterals, the best pairs first.

use super::Meshed;
use std::collections::{HashMap, HashSet};

/// How much of a right angle every corner has at least: the worst corner of a pair lies between 90° less this share and more.
const GOOD: f64 = 0.35;

/// Joins triangles of one region in pairs; puts the two of a pair behind each other. The number of each triangle's cell.
pub fn join(mesh: &mut Meshed) -> Vec<u32> {
    let lines: HashSet<[u32; 2]> = mesh.edges.iter().map(|e| sorted(e.0)).collect();
    let mut beside: HashMap<[u32; 2], Vec<usize>> = HashMap::new();
    for (t, corners) in mesh.triangles.iter().enumerate() {
        (0..3).for_each(|k| beside.entry(sorted([corners[k], corners[(k + 1) % 3]])).or_default().push(t));
    }
    let mut pairs: Vec<(f64, usize, usize)> = beside
        .iter()
        .filter(|(side, both)| both.len() == 2 && !lines.contains(*side))
        .filter(|(_, both)| mesh.region_of[both[0]] == mesh.region_of[both[1]])
        .map(|(side, both)| (squareness(mesh, *side, [both[0], both[1]]), both[0], both[1]))
        .filter(|p| p.0 > GOOD)
        .collect();
    pairs.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
    let mut partner: Vec<Option<usize>> = vec![None; mesh.triangles.len()];
    for (_, a, b) in pairs {
        if partner[a].is_none() && partner[b].is_none() {
            (partner[a], partner[b]) = (Some(b), Some(a));
        }
    }
    let mut order = Vec::with_capacity(partner.len());
    let mut cells = Vec::with_capacity(partner.len());
    let mut cell = 0;
    for (t, with) in partner.iter().enumerate() {
        match with {
            Some(other) if *other < t => continue,
            Some(other) => order.extend([t, *other]),
            None => order.push(t),
        }
        cells.resize(order.len(), cell);
        cell += 1;
    }
    mesh.triangles = order.iter().map(|t| mesh.triangles[*t]).collect();
    mesh.region_of = order.iter().map(|t| mesh.region_of[*t]).collect();
    cells
}

fn sorted([a, b]: [u32; 2]) -> [u32; 2] {
    [a.min(b), a.max(b)]
}

/// One where all corners of the quadrilateral are square, nought where one is flat or folded.
fn squareness(mesh: &Meshed, [a, c]: [u32; 2], both: [usize; 2]) -> f64 {
    let apex = |t: usize| mesh.triangles[t].into_iter().find(|p| *p != a && *p != c);
    let (Some(b), Some(d)) = (apex(both[0]), apex(both[1])) else { return 0.0 };
    let p = [a, b, c, d].map(|i| mesh.points[i as usize]);
    let corner = |k: usize| {
        let (o, u, v) = (p[k], p[(k + 1) % 4], p[(k + 3) % 4]);
        let (u, v) = ([u[0] - o[0], u[1] - o[1]], [v[0] - o[0], v[1] - o[1]]);
        (u[0] * v[1] - u[1] * v[0]).atan2(u[0] * v[0] + u[1] * v[1]).to_degrees().abs()
    };
    // The two halves lie on both sides of the line between them, so that the four corners add up to a whole turn
    // unless it is folded inward.
    let angles = [0, 1, 2, 3].map(corner);
    if (angles.iter().sum::<f64>() - 360.0).abs() > 1e-6 {
        return 0.0;
    }
    1.0 - angles.into_iter().map(|x| (x - 90.0).abs()).fold(0.0, f64::max) / 90.0
}

#[cfg(test)]
mod tests {
    use super::super::{Asked, Segment, mesh};
    use super::join;

    #[test]
    fn most_triangles_find_a_partner_and_no_line_is_lost() {
        let corner = [[0.0, 0.0], [10.0, 0.0], [10.0, 6.0], [0.0, 6.0]];
        let lines: Vec<Segment> =
            (0..4).map(|i| Segment { ends: [corner[i], corner[(i + 1) % 4]], name: i as u32 }).collect();
        let asked = Asked {
            tolerance: 1e-6,
            size: 0.4,
            angle: 25.0,
            holes: true,
            finer: Vec::new(),
            growth: 1.3,
            layers: None,
        };
        let mut m = mesh(&lines, &asked).unwrap();
        let (before, edges) = (m.triangles.len(), m.edges.clone());
        let cells = join(&mut m);
        assert_eq!((m.triangles.len(), cells.len(), &m.edges), (before, before, &edges));
        let mut of: std::collections::BTreeMap<u32, Vec<usize>> = Default::default();
        cells.iter().enumerate().for_each(|(t, c)| of.entry(*c).or_default().push(t));
        let quads = of.values().filter(|t| t.len() == 2).count();
        assert!(4 * quads > 3 * (of.len() - quads) + 2 * quads, "{quads} of {}", of.len());
        // The two of a pair share a side, and stand one behind the other.
        for pair in of.values().filter(|t| t.len() == 2) {
            assert_eq!(pair[1], pair[0] + 1);
            let shared = m.triangles[pair[0]].iter().filter(|p| m.triangles[pair[1]].contains(p)).count();
            assert_eq!(shared, 2);
        }
    }
}
