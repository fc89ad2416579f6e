//! How facets hang together: open, overshared and misdirected edges, non-manifold vertices, duplicates, shells.
//!
//! Points count as the same where they have the same number: join equal points first. Facets without area
//! are counted apart and take no part in the rest.

use crate::corners::{ClosedFan, Corners, Dealt, Spoke, spokes_of};
use crate::mesh::{Bounds, FacetId, Mesh, NONE, PointId};
use crate::sets::Sets;
use crate::vector::distance;
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use typed_index_collections::TiVec;

/// An edge with one facet, in the direction in which that facet runs it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OpenEdge {
    /// Where the facet runs it from.
    pub from: PointId,
    /// Where to.
    pub to: PointId,
    /// The facet that has it.
    pub facet: FacetId,
}

/// An edge with three or more facets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OversharedEdge {
    /// Its points.
    pub ends: [PointId; 2],
    /// How many have it.
    pub facets: u32,
}

/// The topology of a mesh.
#[derive(Clone, Debug, Default)]
pub struct Topology {
    /// Edges of one facet.
    pub open: Vec<OpenEdge>,
    /// Edges of three facets and more.
    pub overshared: Vec<OversharedEdge>,
    /// Edges whose two facets run them the same way.
    pub misdirected: Vec<[PointId; 2]>,
    /// Points whose facets form more than one fan.
    pub pinched: Vec<PointId>,
    /// Facets with the same three points as a facet of a lower number, whatever their direction.
    pub duplicates: Vec<FacetId>,
    /// Facets without area.
    pub zero_area: Vec<FacetId>,
    /// For each facet the number of its shell ([`NONE`] for facets without area).
    pub shell_of: TiVec<FacetId, u32>,
    /// Pieces that hang together.
    pub shells: usize,
    /// Points that at least one facet uses.
    pub used_points: usize,
}

impl Topology {
    /// Every edge has exactly two facets, and there is at least one facet.
    pub fn is_closed(&self) -> bool {
        self.shells > 0 && self.open.is_empty() && self.overshared.is_empty()
    }

    /// # Errors
    /// [`Cancelled`].
    pub fn of(mesh: &Mesh, watch: &Watch) -> Result<Topology, Cancelled> {
        watch.report(0.0, "looking for facets without area")?;
        let flat = mesh.flat_facets();
        let skip = |f: FacetId| flat[f];
        watch.report(0.2, "listing the facets at each point")?;
        let sets = Sets::new(mesh.triangles.len());
        let stars = if in_no_order(mesh) {
            let dealt = Dealt::of(mesh, skip);
            watch.report(0.5, "following the edges")?;
            stars_of_dealt(&dealt, &sets)
        } else {
            let corners = Corners::new(mesh, skip);
            watch.report(0.5, "following the edges")?;
            stars(mesh, &corners, &sets)
        };
        watch.report(0.9, "numbering the shells")?;
        let (shell_of, shells) = sets.numbered(skip);
        let zero_area = mesh.triangles.keys().filter(|&f| skip(f)).collect();
        let mut duplicates = stars.duplicates;
        duplicates.sort_unstable();
        Ok(Topology {
            open: stars.open,
            overshared: stars.overshared,
            misdirected: stars.misdirected,
            pinched: stars.pinched,
            duplicates,
            zero_area,
            shell_of,
            shells,
            used_points: stars.used,
        })
    }
}

#[derive(Default)]
struct Stars {
    open: Vec<OpenEdge>,
    overshared: Vec<OversharedEdge>,
    misdirected: Vec<[PointId; 2]>,
    pinched: Vec<PointId>,
    duplicates: Vec<FacetId>,
    used: usize,
}

impl Stars {
    fn append(mut self, mut other: Stars) -> Stars {
        self.open.append(&mut other.open);
        self.overshared.append(&mut other.overshared);
        self.misdirected.append(&mut other.misdirected);
        self.pinched.append(&mut other.pinched);
        self.duplicates.append(&mut other.duplicates);
        self.used += other.used;
        self
    }
}

/// Facets below which all that is asked for fits in the cache whatever their order.
const FEW: usize = 200_000;
/// Facets that are looked at together to tell whether neighbours stand near each other, and at how many places.
const SAMPLE: usize = 4096;
const SAMPLES: usize = 4;

/// Whether facets are in no order: of those that stand together hardly any share a point.
fn in_no_order(mesh: &Mesh) -> bool {
    let facets = mesh.triangles.len();
    if facets < FEW {
        return false;
    }
    let distinct = |i: usize| {
        let first = i * (facets - SAMPLE) / SAMPLES;
        let mut points: Vec<PointId> = mesh.triangles.raw[first..first + SAMPLE].iter().flatten().copied().collect();
        points.sort_unstable();
        points.dedup();
        points.len()
    };
    (0..SAMPLES).map(distinct).sum::<usize>() * 4 > 3 * (3 * SAMPLE * SAMPLES)
}

/// What is found at the stars of some points, one after the other.
struct Follower<'a> {
    sets: &'a Sets<FacetId>,
    found: Stars,
    spokes: Vec<Spoke>,
    fans: Fans,
}

impl Follower<'_> {
    fn of(sets: &Sets<FacetId>) -> Follower<'_> {
        Follower { sets, found: Stars::default(), spokes: Vec::new(), fans: Fans::default() }
    }

    /// The star of a point: its facets, ascending, and the corners of the `i`-th.
    #[inline]
    fn follow(&mut self, point: PointId, facets: &[FacetId], corners: impl Fn(usize) -> [PointId; 3]) {
        if facets.is_empty() {
            return;
        }
        self.found.used += 1;
        if let Some(ring) = ClosedFan::of(point, facets, &corners) {
            ring.edges().filter(|e| e.other > point).for_each(|e| self.sets.unite(e.facets[0], e.facets[1]));
            return;
        }
        spokes_of(point, facets, corners, &mut self.spokes);
        for run in self.spokes.chunk_by(|a, b| a.other == b.other) {
            if run[0].other > point {
                record_edge(point, run, &mut self.found);
                for pair in run.windows(2) {
                    self.sets.unite(pair[0].facet, pair[1].facet);
                }
            }
        }
        if self.fans.count(facets, &self.spokes) > 1 {
            self.found.pinched.push(point);
        }
    }
}

fn stars(mesh: &Mesh, corners: &Corners, sets: &Sets<FacetId>) -> Stars {
    let n = mesh.points.len() as u32;
    let chunk = 1u32 << 13;
    (0..n.div_ceil(chunk))
        .into_par_iter()
        .map(|c| {
            let mut follower = Follower::of(sets);
            for point in (c * chunk..(c * chunk + chunk).min(n)).map(PointId) {
                let facets = corners.at(point);
                follower.follow(point, facets, |i| mesh.triangles[facets[i]]);
            }
            follower.found
        })
        .reduce(Stars::default, Stars::append)
}

/// Points whose facets' sets are fetched together.
const BATCH: usize = 64;

fn stars_of_dealt(dealt: &Dealt, sets: &Sets<FacetId>) -> Stars {
    (0..dealt.ranges())
        .into_par_iter()
        .map(|range| {
            let stars = dealt.range(range);
            let mut follower = Follower::of(sets);
            for point in stars.points() {
                if usize::from(point).is_multiple_of(BATCH) {
                    // The waits for the sets of a batch overlap.
                    let batch = stars.facets_of(point, BATCH);
                    std::hint::black_box(batch.iter().fold(0, |seen, f| seen ^ sets.parent(*f).0));
                }
                let (facets, corners) = stars.at(point);
                follower.follow(point, facets, |i| corners[i]);
            }
            follower.found
        })
        .reduce(Stars::default, Stars::append)
}

fn record_edge(point: PointId, run: &[Spoke], found: &mut Stars) {
    let other = run[0].other;
    match run {
        [only] => {
            let (from, to) = if only.outgoing { (point, other) } else { (other, point) };
            found.open.push(OpenEdge { from, to, facet: only.facet });
        }
        [a, b] => {
            if a.outgoing == b.outgoing {
                found.misdirected.push([point, other]);
            }
        }
        more => found.overshared.push(OversharedEdge { ends: [point, other], facets: more.len() as u32 }),
    }
    // A repeated facet shares all three edges; it is counted once, at the edge of its two lowest corners.
    for (i, spoke) in run.iter().enumerate().skip(1) {
        if spoke.third > other && run[..i].iter().any(|earlier| earlier.third == spoke.third) {
            found.duplicates.push(spoke.facet);
        }
    }
}

/// Counts the fans (facets connected through edges) at one point.
#[derive(Default)]
struct Fans {
    parent: Vec<usize>,
}

impl Fans {
    fn root(&mut self, mut x: usize) -> usize {
        while self.parent[x] != x {
            self.parent[x] = self.parent[self.parent[x]];
            x = self.parent[x];
        }
        x
    }

    /// `facets` in ascending order, `spokes` sorted by their other end.
    fn count(&mut self, facets: &[FacetId], spokes: &[Spoke]) -> usize {
        self.parent.clear();
        self.parent.extend(0..facets.len());
        let mut fans = facets.len();
        let place = |f: FacetId| {
            if facets.len() <= 16 {
                facets.iter().position(|&x| x == f).unwrap_or(0)
            } else {
                facets.binary_search(&f).unwrap_or(0)
            }
        };
        for pair in spokes.windows(2) {
            if pair[0].other == pair[1].other {
                let (a, b) = (self.root(place(pair[0].facet)), self.root(place(pair[1].facet)));
                if a != b {
                    self.parent[a.max(b)] = a.min(b);
                    fans -= 1;
                }
            }
        }
        fans
    }
}

/// Open edges that hang together: one rim of a hole, or of an open shell.
#[derive(Clone, Debug)]
pub struct OpenLoop {
    /// Indices into the list of open edges, ascending.
    pub edges: Vec<u32>,
    /// Around it.
    pub length: f64,
    /// Its box.
    pub bounds: Bounds,
}

/// The connected sets of open edges, the longest first.
pub fn open_loops(mesh: &Mesh, open: &[OpenEdge]) -> Vec<OpenLoop> {
    let mut index: HashMap<PointId, u32> = HashMap::with_capacity(open.len());
    for edge in open {
        for p in [edge.from, edge.to] {
            let next = index.len() as u32;
            index.entry(p).or_insert(next);
        }
    }
    let sets = Sets::new(index.len());
    for edge in open {
        sets.unite(index[&edge.from], index[&edge.to]);
    }
    let (number, count) = sets.numbered(|_: u32| false);
    let mut loops = vec![OpenLoop { edges: Vec::new(), length: 0.0, bounds: Bounds::EMPTY }; count];
    for (i, edge) in open.iter().enumerate() {
        let (a, b) = (mesh.points[edge.from], mesh.points[edge.to]);
        let found = &mut loops[number.raw[index[&edge.from] as usize] as usize];
        found.edges.push(i as u32);
        found.length += distance(a, b);
        found.bounds = found.bounds.including(a).including(b);
    }
    loops.sort_by(|a, b| b.length.total_cmp(&a.length).then(a.edges[0].cmp(&b.edges[0])));
    loops
}

/// For each facet the facets across its three edges (edge `i` runs from corner `i` to the next), where
/// exactly two facets share that edge; [`FacetId::NONE`] elsewhere. 12 bytes a facet.
pub fn neighbours(mesh: &Mesh) -> TiVec<FacetId, [FacetId; 3]> {
    let flat = mesh.flat_facets();
    let corners = Corners::new(mesh, |f| flat[f]);
    let across: TiVec<FacetId, [AtomicU32; 3]> =
        (0..mesh.triangles.len()).map(|_| std::array::from_fn(|_| AtomicU32::new(NONE))).collect();
    let set = |f: FacetId, point: PointId, outgoing: bool, value: FacetId| {
        let corner = mesh.triangles[f].iter().position(|&p| p == point).unwrap_or(0);
        let edge = if outgoing { corner } else { (corner + 2) % 3 };
        across[f][edge].store(value.0, Relaxed);
    };
    mesh.par_points().with_min_len(1 << 12).for_each_init(Vec::new, |spokes, point| {
        if let Some(ring) = ClosedFan::at(mesh, point, corners.at(point)) {
            for edge in ring.edges().filter(|e| e.other > point) {
                set(edge.facets[0], point, true, edge.facets[1]);
                set(edge.facets[1], point, false, edge.facets[0]);
            }
            return;
        }
        corners.spokes(mesh, point, spokes);
        for run in spokes.chunk_by(|a, b| a.other == b.other) {
            if let [a, b] = run
                && a.other > point
            {
                set(a.facet, point, a.outgoing, b.facet);
                set(b.facet, point, b.outgoing, a.facet);
            }
        }
    });
    across.into_iter().map(|e| e.map(|f| FacetId(f.into_inner()))).collect()
}

/// The open edges alone, in ascending order of their lower point. Expects three distinct corners a facet.
pub fn open_edges(mesh: &Mesh) -> Vec<OpenEdge> {
    let corners = Corners::new(mesh, |_| false);
    let mut spokes = Vec::new();
    let mut open = Vec::new();
    for point in mesh.points.keys() {
        if ClosedFan::at(mesh, point, corners.at(point)).is_some() {
            continue;
        }
        corners.spokes(mesh, point, &mut spokes);
        for run in spokes.chunk_by(|a, b| a.other == b.other) {
            if let [only] = run
                && only.other > point
            {
                let (from, to) = if only.outgoing { (point, only.other) } else { (only.other, point) };
                open.push(OpenEdge { from, to, facet: only.facet });
            }
        }
    }
    open
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use typed_index_collections::ti_vec;

    proptest! {
        /// Facets that share points and edges in every way, duplicates among them, on points of several ranges: what is found
        /// by ranges is what is found point after point.
        #[test]
        fn stars_by_ranges_are_the_stars(
            soup in prop::collection::vec(prop::array::uniform3(0..40_u32), 0..300),
            spread in 1..600_u32,
        ) {
            let distinct = soup.into_iter().filter(|[a, b, c]| a != b && b != c && c != a);
            let triangles: TiVec<FacetId, [PointId; 3]> = distinct.map(|t| t.map(|p| PointId(p * spread))).collect();
            let mesh = Mesh { points: ti_vec![[0.0; 3]; 40 * spread as usize], triangles };
            let skip = |f: FacetId| f.0.is_multiple_of(17);
            let (one, other) = (Sets::new(mesh.triangles.len()), Sets::new(mesh.triangles.len()));
            let by_points = stars(&mesh, &Corners::new(&mesh, skip), &one);
            let by_ranges = stars_of_dealt(&Dealt::of(&mesh, skip), &other);
            prop_assert_eq!(by_points.open, by_ranges.open);
            prop_assert_eq!(by_points.overshared, by_ranges.overshared);
            prop_assert_eq!(by_points.misdirected, by_ranges.misdirected);
            prop_assert_eq!(by_points.pinched, by_ranges.pinched);
            prop_assert_eq!(by_points.duplicates, by_ranges.duplicates);
            prop_assert_eq!(by_points.used, by_ranges.used);
            prop_assert_eq!(one.numbered(skip), other.numbered(skip));
        }
    }
}
