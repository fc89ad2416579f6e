//! For each point the facets that meet there, and walks over such stars.

use crate::mesh::{FacetId, Mesh, PointId};
use rayon::prelude::*;

/// Point → facets, in one flat array: 12 bytes a facet plus 4 bytes a point.
pub struct Corners {
    starts: Vec<u32>,
    facets: Vec<FacetId>,
}

/// One facet's edge at a point: the point at its other end, the facet, whether the facet runs the edge away
/// from the point, and the facet's third corner.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Spoke {
    /// The other end.
    pub other: PointId,
    /// The facet that has it.
    pub facet: FacetId,
    /// Whether the facet runs it from this point.
    pub outgoing: bool,
    /// The facet's third point.
    pub third: PointId,
}

impl Corners {
    /// Facets for which `skip` holds are left out. Facets are listed in ascending order at each point.
    pub fn new(mesh: &Mesh, skip: impl Fn(FacetId) -> bool + Sync) -> Corners {
        let n = mesh.points.len();
        let ranges = ranges(n);
        let mut starts = vec![0u32; n + 1];
        let counts = &mut starts[1..];
        split(counts, &ranges, |r| r.len()).into_par_iter().zip(&ranges).for_each(|(counts, range)| {
            for (f, t) in mesh.triangles.iter_enumerated() {
                for &p in t {
                    if range.contains(&usize::from(p)) && !skip(f) {
                        counts[usize::from(p) - range.start] += 1;
                    }
                }
            }
        });
        for i in 0..n {
            starts[i + 1] += starts[i];
        }
        let mut facets = vec![FacetId(0); starts[n] as usize];
        split(&mut facets, &ranges, |r| (starts[r.end] - starts[r.start]) as usize)
            .into_par_iter()
            .zip(&ranges)
            .for_each(|(out, range)| {
                let base = starts[range.start];
                let mut next: Vec<u32> = starts[range.clone()].to_vec();
                for (f, t) in mesh.triangles.iter_enumerated() {
                    for &p in t {
                        if range.contains(&usize::from(p)) && !skip(f) {
                            let slot = &mut next[usize::from(p) - range.start];
                            out[(*slot - base) as usize] = f;
                            *slot += 1;
                        }
                    }
                }
            });
        Corners { starts, facets }
    }

    /// The facets at a point.
    pub fn at(&self, point: PointId) -> &[FacetId] {
        &self.facets[self.starts[usize::from(point)] as usize..self.starts[usize::from(point) + 1] as usize]
    }

    /// Fills `spokes` with the edges at `point`, sorted by their other end: the facets of one edge stand
    /// together. Facets must have three distinct corners.
    pub fn spokes(&self, mesh: &Mesh, point: PointId, spokes: &mut Vec<Spoke>) {
        let facets = self.at(point);
        spokes_of(point, facets, |i| mesh.triangles[facets[i]], spokes);
    }
}

/// As [`Corners::spokes`], where the facets at a point and the corners of the `i`-th of them are at hand.
pub fn spokes_of(point: PointId, facets: &[FacetId], corners: impl Fn(usize) -> [PointId; 3], spokes: &mut Vec<Spoke>) {
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
fn beyond(point: PointId, [a, b, c]: [PointId; 3]) -> (PointId, PointId) {
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
type Cornered = Vec<(FacetId, [PointId; 3])>;

/// The corners of facets that stand in no order, dealt to ranges of points: what would wait for memory at each facet is read
/// and written in a row, twice. 48 bytes a facet.
pub struct Dealt {
    /// For each share of the facets and each range: the facets with a corner there, and their corners.
    shares: Vec<Vec<Cornered>>,
    points: usize,
}

impl Dealt {
    /// Facets for which `skip` holds are left out.
    pub fn of(mesh: &Mesh, skip: impl Fn(FacetId) -> bool + Sync) -> Dealt {
        let (facets, points) = (mesh.triangles.len(), mesh.points.len());
        let ranges = points.div_ceil(RANGE);
        let share = facets.div_ceil(rayon::current_num_threads().max(1)).max(1);
        let deal = |(k, part): (usize, &[[PointId; 3]])| {
            // A little more than the mean is hardly ever outgrown.
            let room = 3 * part.len() / ranges.max(1) * 17 / 16 + 64;
            let mut dealt: Vec<Cornered> = (0..ranges).map(|_| Vec::with_capacity(room)).collect();
            for (i, triangle) in part.iter().enumerate() {
                let facet = FacetId::from(k * share + i);
                if skip(facet) {
                    continue;
                }
                let [a, b, c] = triangle.map(|p| usize::from(p) / RANGE);
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
        Dealt { shares: mesh.triangles.raw.par_chunks(share).enumerate().map(deal).collect(), points }
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
        let own =
            |t: &[PointId; 3]| t.map(|p| usize::from(p).wrapping_sub(first)).into_iter().filter(move |p| *p < count);
        let mut starts = vec![0_u32; count + 1];
        dealt().for_each(|(_, t)| own(t).for_each(|p| starts[p + 1] += 1));
        for p in 0..count {
            starts[p + 1] += starts[p];
        }
        let mut next = starts.clone();
        let total = starts[count] as usize;
        let (mut facets, mut corners) = (vec![FacetId(0); total], vec![[PointId(0); 3]; total]);
        for (facet, t) in dealt() {
            for p in own(t) {
                let at = next[p] as usize;
                (facets[at], corners[at]) = (*facet, *t);
                next[p] += 1;
            }
        }
        RangeOfStars { first: PointId::from(first), starts, facets, corners }
    }
}

/// The stars of some points that follow each other.
pub struct RangeOfStars {
    first: PointId,
    starts: Vec<u32>,
    facets: Vec<FacetId>,
    corners: Vec<[PointId; 3]>,
}

impl RangeOfStars {
    /// Their points.
    pub fn points(&self) -> impl Iterator<Item = PointId> {
        (self.first.0..self.first.0 + self.starts.len() as u32 - 1).map(PointId)
    }

    /// The facets at one of them, ascending, and their corners.
    pub fn at(&self, point: PointId) -> (&[FacetId], &[[PointId; 3]]) {
        let p = (point.0 - self.first.0) as usize;
        let (from, to) = (self.starts[p] as usize, self.starts[p + 1] as usize);
        (&self.facets[from..to], &self.corners[from..to])
    }

    /// The facets of so many points from one on.
    pub fn facets_of(&self, point: PointId, many: usize) -> &[FacetId] {
        let p = (point.0 - self.first.0) as usize;
        let end = (p + many).min(self.starts.len() - 1);
        &self.facets[self.starts[p] as usize..self.starts[end] as usize]
    }
}

/// Most points are like this: every edge has two facets that run it opposite ways, and all facets form one
/// closed fan. Such a point is told apart without sorting.
pub struct ClosedFan {
    /// Facets in turn, each with the other end of the edge it shares with the one before.
    ring: [(FacetId, PointId); ClosedFan::LARGEST],
    length: usize,
}

/// An edge from the middle of a fan, and its facets: the one that runs it outward first.
pub struct FanEdge {
    /// The other end.
    pub other: PointId,
    /// The two facets.
    pub facets: [FacetId; 2],
}

impl ClosedFan {
    const LARGEST: usize = 10;

    /// The fan at a point, given the facets there; `None` also where there are many.
    #[inline]
    pub fn at(mesh: &Mesh, point: PointId, facets: &[FacetId]) -> Option<ClosedFan> {
        ClosedFan::of(point, facets, |i| mesh.triangles[facets[i]])
    }

    /// As [`ClosedFan::at`], where the corners of the `i`-th facet are at hand.
    #[inline]
    pub fn of(point: PointId, facets: &[FacetId], corners: impl Fn(usize) -> [PointId; 3]) -> Option<ClosedFan> {
        // Two facets that fill a ring are the same facet twice.
        if !(3..=ClosedFan::LARGEST).contains(&facets.len()) {
            return None;
        }
        let mut ends = [(PointId::NONE, PointId::NONE); ClosedFan::LARGEST];
        for (i, end) in ends.iter_mut().enumerate().take(facets.len()) {
            *end = beyond(point, corners(i));
        }
        let ends = &ends[..facets.len()];
        let mut ring = [(FacetId::NONE, PointId::NONE); ClosedFan::LARGEST];
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
        let key = (u64::from(item.other.0) << 32) | u64::from(item.facet.0);
        let mut j = i;
        while j > 0 && (u64::from(spokes[j - 1].other.0) << 32 | u64::from(spokes[j - 1].facet.0)) > key {
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
