//! Facets that lie in monotone patches: what hangs together faces one way, seen along an axis, and none of it lies over another
//! part, so that no two facets of a monotone patch can cross.
//!
//! As many facets lie over a place as the rim of the whole, with its facets on the left, winds around that place. It is
//! enough, then, that the rim does not meet itself and has one facet on its left everywhere, which a sweep tells from
//! the rim alone (M. I. Shamos and D. Hoey, *Geometric intersection problems*, 1976; that a patch which turns less than
//! half round crosses itself only if its rim does: P. Volino and N. Magnenat-Thalmann, 1994). Exact: every decision is
//! the sign of an area.

use crate::mesh::{Point, PointId};
use crate::sets::Sets;
use crate::vector::{add, area_vector};
use robust::{Coord, orient2d};
use std::cmp::Ordering;

/// A facet, by the numbers of its points and by their places.
#[derive(Clone, Copy)]
pub struct Facet {
    /// Its points by number.
    pub points: [PointId; 3],
    /// And in space.
    pub corners: [Point; 3],
}

type Flat = Coord<f64>;

/// A side of the rim, from its left end to its right one; of two above each other the lower is the left one.
struct Side {
    ends: [PointId; 2],
    left: Flat,
    right: Flat,
    /// Whether the facet runs from the left end to the right one, and so lies above.
    above: bool,
}

/// For each facet the number of its monotone patch, from zero on, if everything that hangs together surely lies in one: facets of
/// a monotone patch neither cross nor touch but in the points and sides they share. `None` where something turns too far, is
/// folded or torn, be it without crossing.
pub fn monotone_patches(facets: &[Facet]) -> Option<(Vec<u32>, usize)> {
    let (rim, hang) = rim(facets)?;
    let (patch_of, count) = hang.numbered(|_| false);
    let patch_of = patch_of.raw;
    if count > facets.len() / 8 {
        return None;
    }
    let mut sum = vec![[0.0; 3]; count];
    for (p, &s) in facets.iter().zip(&patch_of) {
        sum[s as usize] = add(sum[s as usize], area_vector(p.corners[0], p.corners[1], p.corners[2]));
    }
    let axes: Vec<[usize; 2]> = sum.iter().map(|&s| seen_along(s)).collect();
    // One zero, so that what is equal is also ordered as equal.
    let flat = |p: Point, [i, j]: [usize; 2]| Coord { x: p[i] + 0.0, y: p[j] + 0.0 };
    let faces_us = |(p, &s): (&Facet, &u32)| {
        let [a, b, c] = p.corners.map(|c| flat(c, axes[s as usize]));
        orient2d(a, b, c) > 0.0
    };
    if !facets.iter().zip(&patch_of).all(faces_us) {
        return None;
    }
    let mut sides: Vec<Vec<Side>> = (0..count).map(|_| Vec::new()).collect();
    for [f, k] in rim {
        let (p, s) = (&facets[f], patch_of[f] as usize);
        let n = (k + 1) % 3;
        let (from, to) = (flat(p.corners[k], axes[s]), flat(p.corners[n], axes[s]));
        sides[s].push(match order(from, to) {
            Ordering::Less => Side { ends: [p.points[k], p.points[n]], left: from, right: to, above: true },
            _ => Side { ends: [p.points[n], p.points[k]], left: to, right: from, above: false },
        });
    }
    sides.iter().all(|s| is_simple(s)).then_some((patch_of, count))
}

/// The two axes across the one that facets of a sum of normals are seen along, so that what faces us turns positively.
fn seen_along(sum: Point) -> [usize; 2] {
    let axis = (0..3).fold(0, |m, k| if sum[k].abs() > sum[m].abs() { k } else { m });
    if sum[axis] > 0.0 { [(axis + 1) % 3, (axis + 2) % 3] } else { [(axis + 2) % 3, (axis + 1) % 3] }
}

/// The sides that one facet has to itself, as the facet and which of its sides it is, and what hangs together over the
/// others; `None` where facets share a side otherwise than two against each other.
fn rim(facets: &[Facet]) -> Option<(Vec<[usize; 2]>, Sets)> {
    let hang = Sets::new(facets.len());
    // Open addressing: sides stand where their ends send them, or at the next free place.
    let room = (6 * facets.len()).next_power_of_two();
    let mut table = vec![Met { ends: [PointId::NONE; 2], facet: 0, side: 0, once: false }; room];
    for (f, p) in facets.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (p.points[k], p.points[(k + 1) % 3]);
            let ends = [a.min(b), a.max(b)];
            let mixed = ends[0].0.wrapping_mul(0x9e37_79b9) ^ ends[1].0.wrapping_mul(0x85eb_ca6b);
            let mut at = (mixed ^ mixed >> 15) as usize & (room - 1);
            while table[at].ends != ends && table[at].ends[0] != PointId::NONE {
                at = (at + 1) & (room - 1);
            }
            let met = &mut table[at];
            if met.ends[0] == PointId::NONE {
                *met = Met { ends, facet: f as u32, side: k as u32, once: true };
            } else if met.once && facets[met.facet as usize].points[met.side as usize] != a {
                met.once = false;
                hang.unite(f as u32, met.facet);
            } else {
                return None;
            }
        }
    }
    let rim = table.iter().filter(|m| m.once).map(|m| [m.facet as usize, m.side as usize]).collect();
    Some((rim, hang))
}

/// A side met so far: where at first, and whether no more than once.
#[derive(Clone, Copy)]
struct Met {
    ends: [PointId; 2],
    facet: u32,
    side: u32,
    once: bool,
}

/// From left to right; in one upright from below.
fn order(a: Flat, b: Flat) -> Ordering {
    a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y))
}

/// How a place lies to a side: positive above it.
fn height(side: &Side, p: Flat) -> f64 {
    orient2d(side.left, side.right, p)
}

/// Whether sides do not meet but in ends they share, and bound one facet from below and from above in turn.
///
/// Two that cross stand in the wrong order from there on, side by side, as nothing can start between them; so it is
/// enough to look at what stands beside a side where it starts and ends.
fn is_simple(sides: &[Side]) -> bool {
    let mut ends: Vec<(Flat, PointId, u32)> = Vec::with_capacity(2 * sides.len());
    for (s, side) in sides.iter().enumerate() {
        ends.push((side.left, side.ends[0], s as u32));
        ends.push((side.right, side.ends[1], s as u32));
    }
    ends.sort_unstable_by(|a, b| order(a.0, b.0).then(a.1.cmp(&b.1)));
    // What stands over the place the sweep has come to, from below.
    let mut standing: Vec<u32> = Vec::new();
    let side = |s: u32| &sides[s as usize];
    let mut starting: Vec<u32> = Vec::new();
    for run in ends.chunk_by(|a, b| order(a.0, b.0).is_eq()) {
        let (place, point) = (run[0].0, run[0].1);
        if run.iter().any(|e| e.1 != point) {
            return false;
        }
        starting.clear();
        starting.extend(run.iter().map(|e| e.2).filter(|&s| side(s).ends[0] == point));
        let ending = run.len() - starting.len();
        let at = standing.partition_point(|&s| side(s).ends[1] != point && height(side(s), place) > 0.0);
        let beyond = at + ending;
        let met = standing.len() >= beyond
            && standing[at..beyond].iter().all(|&s| side(s).ends[1] == point)
            && standing.get(beyond).is_none_or(|&s| height(side(s), place) < 0.0);
        if !met {
            return false;
        }
        starting.sort_unstable_by(|&s, &t| 0.0_f64.total_cmp(&orient2d(place, side(s).right, side(t).right)));
        if starting.windows(2).any(|w| orient2d(place, side(w[0]).right, side(w[1]).right) <= 0.0) {
            return false;
        }
        standing.splice(at..beyond, starting.iter().copied());
        if (at..at + starting.len()).any(|k| side(standing[k]).above != (k % 2 == 0)) {
            return false;
        }
    }
    true
}
