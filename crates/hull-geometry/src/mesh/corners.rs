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
        let facets = self.at(point);
        spokes_of(point, facets, |i| mesh.triangles[facets[i] as usize], spokes);
    }
}

/// As [`Corners::spokes`], where the facets at a point and the corners of the `i`-th of them are at hand.
pub fn spokes_of(point: u32, facets: &[u32], corners: impl Fn(usize) -> [u32; 3], spokes: &mut Vec<Spoke>) {
    spokes.clear();
    for (i, &facet) in facets.iter().enumerate() {
        let (next, previous) = beyond(point, corners(i));
        spokes.push(Spoke { other: next, facet, outgoing: true, third: previous });
        spokes.push(Spoke { other: previous, facet, outgoing: false, third: next });
    }
    if spokes.len() > 40 {
        spokes.sort_unstable();
    } else {
        insertion_sort(spokes);
    }
}

/// The corners behind and before a point of a facet, in its direction.
#[inline]
fn beyond(point: u32, [a, b, c]: [u32; 3]) -> (u32, u32) {
    if a == point {
        (b, c)
    } else if b == point {
        (c, a)
    } else {
        (a, b)
    }
}

/// Points of a range of [`Dealt`]: what its facets need stands in the cache beside a processor.
const RANGE: usize = 1 << 13;

/// Facets with a corner in a range of points, and their corners.
type Cornered = Vec<(u32, [u32; 3])>;

/// The corners of facets that stand in no order, dealt to ranges of points: what would wait for memory at each facet is read
/// and written in a row, twice. 48 bytes a facet.
pub struct Dealt {
    /// For each share of the facets and each range: the facets with a corner there, and their corners.
    shares: Vec<Vec<Cornered>>,
    points: usize,
}

impl Dealt {
    /// Facets for which `skip` holds are left out.
    pub fn of(mesh: &Mesh, skip: impl Fn(u32) -> bool + Sync) -> Dealt {
        let (facets, points) = (mesh.triangles.len(), mesh.points.len());
        let ranges = points.div_ceil(RANGE);
        let share = facets.div_ceil(rayon::current_num_threads().max(1)).max(1);
        let deal = |(k, part): (usize, &[[u32; 3]])| {
            // A little more than the mean is hardly ever outgrown.
            let room = 3 * part.len() / ranges.max(1) * 17 / 16 + 64;
            let mut dealt: Vec<Cornered> = (0..ranges).map(|_| Vec::with_capacity(room)).collect();
            for (i, triangle) in part.iter().enumerate() {
                let facet = (k * share + i) as u32;
                if skip(facet) {
                    continue;
                }
                let [a, b, c] = triangle.map(|p| p as usize / RANGE);
                dealt[a].push((facet, *triangle));
                if b != a {
                    dealt[b].push((facet, *triangle));
                }
                if c != a && c != b {
                    dealt[c].push((facet, *triangle));
                }
            }
            dealt
        };
        Dealt { shares: mesh.triangles.par_chunks(share).enumerate().map(deal).collect(), points }
    }

    /// How many ranges there are.
    pub fn ranges(&self) -> usize {
        self.points.div_ceil(RANGE)
    }

    /// The stars of a range.
    pub fn range(&self, range: usize) -> RangeOfStars {
        let first = range * RANGE;
        let count = RANGE.min(self.points - first);
        let dealt = || self.shares.iter().flat_map(|share| &share[range]);
        let own = |t: &[u32; 3]| t.map(|p| (p as usize).wrapping_sub(first)).into_iter().filter(move |p| *p < count);
        let mut starts = vec![0_u32; count + 1];
        dealt().for_each(|(_, t)| own(t).for_each(|p| starts[p + 1] += 1));
        for p in 0..count {
            starts[p + 1] += starts[p];
        }
        let mut next = starts.clone();
        let total = starts[count] as usize;
        let (mut facets, mut corners) = (vec![0; total], vec![[0; 3]; total]);
        for (facet, t) in dealt() {
            for p in own(t) {
                let at = next[p] as usize;
                (facets[at], corners[at]) = (*facet, *t);
                next[p] += 1;
            }
        }
        RangeOfStars { first: first as u32, starts, facets, corners }
    }
}

/// The stars of some points that follow each other.
pub struct RangeOfStars {
    first: u32,
    starts: Vec<u32>,
    facets: Vec<u32>,
    corners: Vec<[u32; 3]>,
}

impl RangeOfStars {
    /// Their points.
    pub fn points(&self) -> std::ops::Range<u32> {
        self.first..self.first + self.starts.len() as u32 - 1
    }

    /// The facets at one of them, ascending, and their corners.
    pub fn at(&self, point: u32) -> (&[u32], &[[u32; 3]]) {
        let p = (point - self.first) as usize;
        let (from, to) = (self.starts[p] as usize, self.starts[p + 1] as usize);
        (&self.facets[from..to], &self.corners[from..to])
    }

    /// The facets of so many points from one on.
    pub fn facets_of(&self, point: u32, many: usize) -> &[u32] {
        let p = (point - self.first) as usize;
        let end = (p + many).min(self.starts.len() - 1);
        &self.facets[self.starts[p] as usize..self.starts[end] as usize]
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
            *end = beyond(point, corners(i));
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
