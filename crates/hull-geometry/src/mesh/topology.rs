//! How facets hang together: open, overshared and misdirected edges, non-manifold vertices, duplicates, shells.
//!
//! Points count as the same where they have the same number: join equal points first. Facets without area
//! are counted apart and take no part in the rest.

use crate::corners::{ClosedFan, Corners, Spoke};
use crate::mesh::{Bounds, Mesh, NONE};
use crate::sets::Sets;
use crate::vector::distance;
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};

/// An edge with one facet, in the direction in which that facet runs it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OpenEdge {
    /// Where the facet runs it from.
    pub from: u32,
    /// Where to.
    pub to: u32,
    /// The facet that has it.
    pub facet: u32,
}

/// An edge with three or more facets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OversharedEdge {
    /// Its points.
    pub ends: [u32; 2],
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
    pub misdirected: Vec<[u32; 2]>,
    /// Points whose facets form more than one fan.
    pub pinched: Vec<u32>,
    /// Facets with the same three points as a facet of a lower number, whatever their direction.
    pub duplicates: Vec<u32>,
    /// Facets without area.
    pub zero_area: Vec<u32>,
    /// For each facet the number of its shell ([`NONE`] for facets without area).
    pub shell_of: Vec<u32>,
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
        let skip = |f: u32| flat[f as usize];
        watch.report(0.2, "listing the facets at each point")?;
        let corners = Corners::new(mesh, skip);
        watch.report(0.5, "following the edges")?;
        let sets = Sets::new(mesh.triangles.len());
        let stars = stars(mesh, &corners, &sets);
        watch.report(0.9, "numbering the shells")?;
        let (shell_of, shells) = sets.numbered(skip);
        let zero_area = (0..mesh.triangles.len() as u32).filter(|&f| skip(f)).collect();
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
    misdirected: Vec<[u32; 2]>,
    pinched: Vec<u32>,
    duplicates: Vec<u32>,
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

/// Points whose facets are fetched together.
const BATCH: usize = 64;
/// Facets whose numbers are so near each other stand together in the cache.
const NEAR: u32 = 1 << 14;

fn stars(mesh: &Mesh, corners: &Corners, sets: &Sets) -> Stars {
    let n = mesh.points.len() as u32;
    let chunk = 1u32 << 13;
    (0..n.div_ceil(chunk))
        .into_par_iter()
        .map(|c| {
            let mut found = Stars::default();
            let mut spokes = Vec::new();
            let mut fans = Fans::default();
            let mut near: Vec<[u32; 3]> = Vec::with_capacity(8 * BATCH);
            let mut from = 0;
            for point in c * chunk..(c * chunk + chunk).min(n) {
                if (point as usize).is_multiple_of(BATCH) {
                    let end = (point + BATCH as u32).min(n);
                    let ends = [point, end - 1].map(|p| corners.at(p).first().copied().unwrap_or(0));
                    near.clear();
                    from = 0;
                    if ends[0].abs_diff(ends[1]) > NEAR {
                        // Facets in no order stand anywhere in memory: the waits for a batch of them overlap.
                        let batch = (point..end).flat_map(|p| corners.at(p));
                        near.extend(batch.clone().map(|f| mesh.triangles[*f as usize]));
                        std::hint::black_box(batch.fold(0, |seen, f| seen ^ sets.parent(*f)));
                    }
                }
                let facets = corners.at(point);
                if facets.is_empty() {
                    continue;
                }
                found.used += 1;
                let ring = match near.get(from..from + facets.len()) {
                    Some(own) => ClosedFan::of(point, facets, |i| own[i]),
                    None => ClosedFan::at(mesh, point, facets),
                };
                from += facets.len();
                if let Some(ring) = ring {
                    ring.edges().filter(|e| e.other > point).for_each(|e| sets.unite(e.facets[0], e.facets[1]));
                    continue;
                }
                corners.spokes(mesh, point, &mut spokes);
                for run in spokes.chunk_by(|a, b| a.other == b.other) {
                    if run[0].other > point {
                        record_edge(point, run, &mut found);
                        for pair in run.windows(2) {
                            sets.unite(pair[0].facet, pair[1].facet);
                        }
                    }
                }
                if fans.count(corners.at(point), &spokes) > 1 {
                    found.pinched.push(point);
                }
            }
            found
        })
        .reduce(Stars::default, Stars::append)
}

fn record_edge(point: u32, run: &[Spoke], found: &mut Stars) {
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
    fn count(&mut self, facets: &[u32], spokes: &[Spoke]) -> usize {
        self.parent.clear();
        self.parent.extend(0..facets.len());
        let mut fans = facets.len();
        let place = |f: u32| {
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
    let mut index: HashMap<u32, u32> = HashMap::with_capacity(open.len());
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
    let (number, count) = sets.numbered(|_| false);
    let mut loops = vec![OpenLoop { edges: Vec::new(), length: 0.0, bounds: Bounds::EMPTY }; count];
    for (i, edge) in open.iter().enumerate() {
        let (a, b) = (mesh.points[edge.from as usize], mesh.points[edge.to as usize]);
        let found = &mut loops[number[index[&edge.from] as usize] as usize];
        found.edges.push(i as u32);
        found.length += distance(a, b);
        found.bounds = found.bounds.including(a).including(b);
    }
    loops.sort_by(|a, b| b.length.total_cmp(&a.length).then(a.edges[0].cmp(&b.edges[0])));
    loops
}

/// For each facet the facets across its three edges (edge `i` runs from corner `i` to the next), where
/// exactly two facets share that edge; [`NONE`] elsewhere. 12 bytes a facet.
pub fn neighbours(mesh: &Mesh) -> Vec<[u32; 3]> {
    let flat = mesh.flat_facets();
    let corners = Corners::new(mesh, |f| flat[f as usize]);
    let across: Vec<[AtomicU32; 3]> =
        (0..mesh.triangles.len()).map(|_| std::array::from_fn(|_| AtomicU32::new(NONE))).collect();
    let n = mesh.points.len() as u32;
    let set = |f: u32, point: u32, outgoing: bool, value: u32| {
        let corner = mesh.triangles[f as usize].iter().position(|&p| p == point).unwrap_or(0);
        let edge = if outgoing { corner } else { (corner + 2) % 3 };
        across[f as usize][edge].store(value, Relaxed);
    };
    (0..n).into_par_iter().with_min_len(1 << 12).for_each_init(Vec::new, |spokes, point| {
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
    across.into_iter().map(|e| e.map(AtomicU32::into_inner)).collect()
}

/// The open edges alone, in ascending order of their lower point. Expects three distinct corners a facet.
pub fn open_edges(mesh: &Mesh) -> Vec<OpenEdge> {
    let corners = Corners::new(mesh, |_| false);
    let mut spokes = Vec::new();
    let mut open = Vec::new();
    for point in 0..mesh.points.len() as u32 {
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
