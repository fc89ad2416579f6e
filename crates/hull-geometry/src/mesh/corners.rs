//! For each point the facets that meet there, and walks over such stars.

use crate::mesh::{Mesh, NONE};
use rayon::prelude::*;

/// Point → facets, in one flat array: 12 bytes a facet plus 4 bytes a point.
pub struct Corners {
    starts: Vec<u32>,
    facets: Vec<u32>,
}

/// One facet's edge at a point: the point at its other end, the facet, whether the facet runs the edge away
/// from the point, and the facet's third corner.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Spoke {
    /// The other end.
    pub other: u32,
    /// The facet that has it.
    pub facet: u32,
    /// Whether the facet runs it from this point.
    pub outgoing: bool,
    /// The facet's third point.
    pub third: u32,
}

impl Corners {
    /// Facets for which `skip` holds are left out. Facets are listed in ascending order at each point.
    pub fn new(mesh: &Mesh, skip: impl Fn(u32) -> bool + Sync) -> Corners {
        let n = mesh.points.len();
        let ranges = ranges(n);
        let mut starts = vec![0u32; n + 1];
        let counts = &mut starts[1..];
        split(counts, &ranges, |r| r.len()).into_par_iter().zip(&ranges).for_each(|(counts, range)| {
            for (f, t) in mesh.triangles.iter().enumerate() {
                for &p in t {
                    if range.contains(&(p as usize)) && !skip(f as u32) {
                        counts[p as usize - range.start] += 1;
                    }
                }
            }
        });
        for i in 0..n {
            starts[i + 1] += starts[i];
        }
        let mut facets = vec![0u32; starts[n] as usize];
        split(&mut facets, &ranges, |r| (starts[r.end] - starts[r.start]) as usize)
            .into_par_iter()
            .zip(&ranges)
            .for_each(|(out, range)| {
                let base = starts[range.start];
                let mut next: Vec<u32> = starts[range.clone()].to_vec();
                for (f, t) in mesh.triangles.iter().enumerate() {
                    for &p in t {
                        if range.contains(&(p as usize)) && !skip(f as u32) {
                            let slot = &mut next[p as usize - range.start];
                            out[(*slot - base) as usize] = f as u32;
                            *slot += 1;
                        }
                    }
                }
            });
        Corners { starts, facets }
    }

    /// The facets at a point.
    pub fn at(&self, point: u32) -> &[u32] {
        &self.facets[self.starts[point as usize] as usize..self.starts[point as usize + 1] as usize]
    }

    /// Fills `spokes` with the edges at `point`, sorted by their other end: the facets of one edge stand
    /// together. Facets must have three distinct corners.
    pub fn spokes(&self, mesh: &Mesh, point: u32, spokes: &mut Vec<Spoke>) {
        spokes.clear();
        for &facet in self.at(point) {
            let [a, b, c] = mesh.triangles[facet as usize];
            let (next, previous) = if a == point {
                (b, c)
            } else if b == point {
                (c, a)
            } else {
                (a, b)
            };
            spokes.push(Spoke { other: next, facet, outgoing: true, third: previous });
            spokes.push(Spoke { other: previous, facet, outgoing: false, third: next });
        }
        if spokes.len() > 40 {
            spokes.sort_unstable();
        } else {
            insertion_sort(spokes);
        }
    }
}

/// Most points are like this: every edge has two facets that run it opposite ways, and all facets form one
/// closed fan. Such a point is told apart without sorting.
pub struct ClosedFan {
    /// Facets in turn, each with the other end of the edge it shares with the one before.
    ring: [(u32, u32); ClosedFan::LARGEST],
    length: usize,
}

/// An edge from the middle of a fan, and its facets: the one that runs it outward first.
pub struct FanEdge {
    /// The other end.
    pub other: u32,
    /// The two facets.
    pub facets: [u32; 2],
}

impl ClosedFan {
    const LARGEST: usize = 10;

    /// The fan at a point, given the facets there; `None` also where there are many.
    #[inline]
    pub fn at(mesh: &Mesh, point: u32, facets: &[u32]) -> Option<ClosedFan> {
        ClosedFan::of(point, facets, |i| mesh.triangles[facets[i] as usize])
    }

    /// As [`ClosedFan::at`], where the corners of the `i`-th facet are at hand.
    #[inline]
    pub fn of(point: u32, facets: &[u32], corners: impl Fn(usize) -> [u32; 3]) -> Option<ClosedFan> {
        // Two facets that fill a ring are the same facet twice.
        if !(3..=ClosedFan::LARGEST).contains(&facets.len()) {
            return None;
        }
        let mut ends = [(NONE, NONE); ClosedFan::LARGEST];
        for (i, end) in ends.iter_mut().enumerate().take(facets.len()) {
            let [a, b, c] = corners(i);
            *end = if a == point {
                (b, c)
            } else if b == point {
                (c, a)
            } else {
                (a, b)
            };
        }
        let ends = &ends[..facets.len()];
        let mut ring = [(NONE, NONE); ClosedFan::LARGEST];
        let mut at = 0;
        for (i, slot) in ring[..facets.len()].iter_mut().enumerate() {
            // Back at the first facet too soon: there is more than one fan.
            if at == 0 && i > 0 {
                return None;
            }
            *slot = (facets[at], ends[at].0);
            at = ends.iter().position(|e| e.0 == ends[at].1)?;
        }
        (at == 0).then_some(ClosedFan { ring, length: facets.len() })
    }

    /// All edges at the point.
    pub fn edges(&self) -> impl Iterator<Item = FanEdge> + '_ {
        (0..self.length).map(|i| {
            let before = if i == 0 { self.length - 1 } else { i - 1 };
            FanEdge { other: self.ring[i].1, facets: [self.ring[i].0, self.ring[before].0] }
        })
    }
}

/// Stars are small: most have a dozen spokes, in runs that are nearly in order.
fn insertion_sort(spokes: &mut [Spoke]) {
    for i in 1..spokes.len() {
        let item = spokes[i];
        let key = (u64::from(item.other) << 32) | u64::from(item.facet);
        let mut j = i;
        while j > 0 && (u64::from(spokes[j - 1].other) << 32 | u64::from(spokes[j - 1].facet)) > key {
            spokes[j] = spokes[j - 1];
            j -= 1;
        }
        spokes[j] = item;
    }
}

/// Point ranges, one a thread, for passes in which each thread fills the part of an array that its own
/// points own.
fn ranges(n: usize) -> Vec<std::ops::Range<usize>> {
    let parts = rayon::current_num_threads().clamp(1, 16);
    let length = n.div_ceil(parts).max(1);
    (0..n).step_by(length).map(|s| s..(s + length).min(n)).collect()
}

fn split<'a, T>(
    mut rest: &'a mut [T],
    ranges: &[std::ops::Range<usize>],
    length: impl Fn(&std::ops::Range<usize>) -> usize,
) -> Vec<&'a mut [T]> {
    ranges
        .iter()
        .map(|r| {
            let (head, tail) = std::mem::take(&mut rest).split_at_mut(length(r));
            rest = tail;
            head
        })
        .collect()
}
