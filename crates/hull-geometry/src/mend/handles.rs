//! Handles: tunnels through a closed shell, found as loops that no cut can be closed over.
//!
//! A tree of shortest ways over the points and a tree over the facets that crosses none of it leave out two edges a
//! handle (D. Eppstein, *Dynamic generators of topologically embedded graphs*, 2003); each closes a loop with the ways
//! to its ends.

use crate::mesh::{FacetId, Mesh, NONE, Point, PointId};
use crate::sets::Sets;
use crate::topology::Topology;
use crate::vector::distance;
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap, HashSet};
use typed_index_collections::{TiSlice, ti_vec};

/// A loop around or through a handle.
#[derive(Clone, Debug, PartialEq)]
pub struct Loop {
    /// Points in turn, the last joined to the first.
    pub points: Vec<PointId>,
    /// Of the shortest way around.
    pub length: f64,
    /// The shell that it is of.
    pub shell: u32,
}

/// Shells with more handles than this get loops for so many only.
const MOST: usize = 40;

/// How many handles each shell has that is closed and has no edge of more than two facets: half of what is missing from
/// two in points less edges plus facets (Euler's formula).
pub fn handles(mesh: &Mesh, topology: &Topology) -> Vec<usize> {
    let mut facets = vec![0_i64; topology.shells];
    let mut shell_at = ti_vec![NONE; mesh.points.len()];
    let mut points = vec![0_i64; topology.shells];
    let mut sound = vec![true; topology.shells];
    for (f, t) in mesh.triangles.iter_enumerated() {
        let s = topology.shell_of[f];
        if s == NONE {
            continue;
        }
        facets[s as usize] += 1;
        for p in t {
            match shell_at[*p] {
                NONE => {
                    shell_at[*p] = s;
                    points[s as usize] += 1;
                }
                other if other != s => {
                    sound[s as usize] = false;
                    sound[other as usize] = false;
                }
                _ => {}
            }
        }
    }
    topology.open.iter().for_each(|e| sound[topology.shell_of[e.facet] as usize] = false);
    let unsound = topology.overshared.iter().flat_map(|e| e.ends).chain(topology.pinched.iter().copied());
    for s in unsound.map(|p| shell_at[p]).filter(|s| *s != NONE) {
        sound[s as usize] = false;
    }
    (0..topology.shells)
        .map(|s| {
            let euler = points[s] - facets[s] * 3 / 2 + facets[s];
            if sound[s] { ((2 - euler) / 2).max(0) as usize } else { 0 }
        })
        .collect()
}

/// A short loop for every handle of shells that have any, two a handle at first, the shorter kept; the shortest first.
///
/// # Errors
/// [`Cancelled`].
pub fn loops(mesh: &Mesh, topology: &Topology, watch: &Watch) -> Result<Vec<Loop>, Cancelled> {
    let count = handles(mesh, topology);
    let mut number = ti_vec![NONE; mesh.points.len()];
    let mut out = Vec::new();
    for shell in (0..topology.shells as u32).filter(|s| count[*s as usize] > 0) {
        watch.check()?;
        let facets: Vec<FacetId> = mesh.triangles.keys().filter(|f| topology.shell_of[*f] == shell).collect();
        let surface = Surface::of(mesh, &facets, &mut number);
        let first = surface.generators(0, watch)?;
        let mut found: Vec<Loop> = Vec::new();
        for g in first.into_iter().take(2 * MOST) {
            watch.check()?;
            // The shortest of those through the middle of this one is as short as this one at most.
            let root = g[g.len() / 2];
            let others = surface.generators(root, watch)?;
            let best = others.into_iter().chain([g]).map(|points| surface.measured(&points, shell));
            found.extend(best.min_by(|a, b| a.length.total_cmp(&b.length)));
        }
        found.sort_by(|a, b| a.length.total_cmp(&b.length).then(a.points.cmp(&b.points)));
        // Loops that share a point go around the same handle, or one around and one through.
        let mut taken: HashSet<PointId> = HashSet::new();
        let mut kept = Vec::new();
        for l in found {
            if kept.len() < count[shell as usize] && !l.points.iter().any(|p| taken.contains(p)) {
                taken.extend(&l.points);
                kept.push(l);
            }
        }
        out.extend(kept);
    }
    out.sort_by(|a, b| a.length.total_cmp(&b.length).then(a.points.cmp(&b.points)));
    Ok(out)
}

/// A shell, its points and facets numbered from zero.
struct Surface<'a> {
    mesh: &'a Mesh,
    facets: usize,
    /// The points in the mesh.
    points: Vec<PointId>,
    /// The ends of each edge, and its two facets.
    edges: Vec<([u32; 2], [u32; 2])>,
    /// Where the points beside point `p` begin in `beside`; one more than there are points.
    starts: Vec<usize>,
    beside: Vec<u32>,
}

/// The shortest way to each point from one of them.
struct Ways {
    before: Vec<u32>,
    length: Vec<f64>,
}

impl<'a> Surface<'a> {
    /// `number` holds [`NONE`] for every point, before and after.
    fn of(mesh: &'a Mesh, facets: &[FacetId], number: &mut TiSlice<PointId, u32>) -> Surface<'a> {
        let mut points = Vec::new();
        let mut sides: Vec<([u32; 2], u32)> = Vec::with_capacity(3 * facets.len());
        for (f, facet) in (0_u32..).zip(facets) {
            let t = mesh.triangles[*facet].map(|p| {
                if number[p] == NONE {
                    number[p] = points.len() as u32;
                    points.push(p);
                }
                number[p]
            });
            sides.extend((0..3).map(|k| {
                let (a, b) = (t[k], t[(k + 1) % 3]);
                ([a.min(b), a.max(b)], f)
            }));
        }
        points.iter().for_each(|p| number[*p] = NONE);
        sides.par_sort_unstable();
        let edges: Vec<([u32; 2], [u32; 2])> = sides
            .chunk_by(|a, b| a.0 == b.0)
            .map(|run| (run[0].0, [run[0].1, run.get(1).map_or(NONE, |s| s.1)]))
            .collect();
        let mut starts = vec![0; points.len() + 1];
        for p in edges.iter().flat_map(|e| e.0) {
            starts[p as usize + 1] += 1;
        }
        for p in 0..points.len() {
            starts[p + 1] += starts[p];
        }
        let (mut free, mut beside) = (starts.clone(), vec![0; 2 * edges.len()]);
        for ([a, b], _) in &edges {
            for (p, q) in [(*a, *b), (*b, *a)] {
                beside[free[p as usize]] = q;
                free[p as usize] += 1;
            }
        }
        Surface { mesh, facets: facets.len(), points, edges, starts, beside }
    }

    fn place(&self, p: u32) -> Point {
        self.mesh.points[self.points[p as usize]]
    }

    fn measured(&self, points: &[u32], shell: u32) -> Loop {
        let next = points.iter().cycle().skip(1);
        let length = points.iter().zip(next).map(|(p, q)| distance(self.place(*p), self.place(*q))).sum();
        Loop { points: points.iter().map(|p| self.points[*p as usize]).collect(), length, shell }
    }

    /// Two loops a handle, through the place from which the ways are short.
    fn generators(&self, root: u32, watch: &Watch) -> Result<Vec<Vec<u32>>, Cancelled> {
        let ways = self.ways(root, watch)?;
        let in_tree = |[a, b]: [u32; 2]| ways.before[a as usize] == b || ways.before[b as usize] == a;
        // Facets are joined over the edges furthest from the root first, so that what is left closes short loops.
        let mut rest: Vec<(f64, u32)> = (0..self.edges.len() as u32)
            .into_par_iter()
            .filter(|e| !in_tree(self.edges[*e as usize].0))
            .map(|e| {
                let [a, b] = self.edges[e as usize].0;
                let own = distance(self.place(a), self.place(b));
                (ways.length[a as usize] + ways.length[b as usize] + own, e)
            })
            .collect();
        watch.check()?;
        rest.par_sort_unstable_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        watch.check()?;
        let sets = Sets::new(self.facets);
        let mut loops = Vec::new();
        for (_, e) in rest {
            let (ends, [f, g]) = self.edges[e as usize];
            if g != NONE && sets.root(f) != sets.root(g) {
                sets.unite(f, g);
            } else if g != NONE {
                loops.push(closed(&ways.before, ends));
            }
        }
        Ok(loops)
    }

    /// The shortest ways along edges (E. W. Dijkstra, 1959).
    fn ways(&self, root: u32, watch: &Watch) -> Result<Ways, Cancelled> {
        let mut before = vec![NONE; self.points.len()];
        let mut length = vec![f64::INFINITY; self.points.len()];
        length[root as usize] = 0.0;
        // Distances are not negative: their bits are in their order.
        let mut queue = BinaryHeap::from([Reverse((0_u64, root))]);
        let mut steps = 0_usize;
        while let Some(Reverse((bits, p))) = queue.pop() {
            steps += 1;
            if steps.is_multiple_of(1 << 14) {
                watch.check()?;
            }
            let here = f64::from_bits(bits);
            if here > length[p as usize] {
                continue;
            }
            for &q in &self.beside[self.starts[p as usize]..self.starts[p as usize + 1]] {
                let way = here + distance(self.place(p), self.place(q));
                if way < length[q as usize] {
                    length[q as usize] = way;
                    before[q as usize] = p;
                    queue.push(Reverse((way.to_bits(), q)));
                }
            }
        }
        Ok(Ways { before, length })
    }
}

/// The loop that an edge closes with the ways to its ends, without what both ways share.
fn closed(before: &[u32], [a, b]: [u32; 2]) -> Vec<u32> {
    let way = |mut p: u32| {
        let mut out = vec![p];
        while before[p as usize] != NONE {
            p = before[p as usize];
            out.push(p);
        }
        out
    };
    let (mut to_a, mut to_b) = (way(a), way(b));
    while to_a.len() > 1 && to_b.len() > 1 && to_a[to_a.len() - 2] == to_b[to_b.len() - 2] {
        to_a.pop();
        to_b.pop();
    }
    // Both end in the point where they part.
    to_b.pop();
    to_b.reverse();
    to_a.extend(to_b);
    to_a
}

/// Cuts a mesh open along loops that share no points: the facets left of each get points of their own. Closing the
/// holes that appear takes the handles away.
pub fn cut_open(mesh: &Mesh, loops: &[Loop]) -> Mesh {
    let mut out = mesh.clone();
    for l in loops {
        let n = l.points.len();
        let on: HashMap<PointId, usize> = l.points.iter().enumerate().map(|(i, p)| (*p, i)).collect();
        let edge = |a: PointId, b: PointId| {
            on.get(&a).zip(on.get(&b)).is_some_and(|(&i, &j)| (i + 1) % n == j || (j + 1) % n == i)
        };
        let mut at: HashMap<PointId, Vec<FacetId>> = HashMap::new();
        for (f, t) in out.triangles.iter_enumerated() {
            for p in t.iter().filter(|p| on.contains_key(p)) {
                at.entry(*p).or_default().push(f);
            }
        }
        let mut changes: Vec<(FacetId, PointId, PointId)> = Vec::new();
        for (i, &p) in l.points.iter().enumerate() {
            let next = l.points[(i + 1) % n];
            let facets = &at[&p];
            // From the facet that runs the loop forward, over edges that are not of the loop.
            let runs = |f: FacetId, a: PointId, b: PointId| {
                (0..3).any(|k| out.triangles[f][k] == a && out.triangles[f][(k + 1) % 3] == b)
            };
            let Some(&start) = facets.iter().find(|&&f| runs(f, p, next)) else { continue };
            let mut side = vec![start];
            let mut seen = HashSet::from([start]);
            while let Some(f) = side.pop() {
                for q in out.triangles[f].into_iter().filter(|q| *q != p && !edge(p, *q)) {
                    for &g in facets.iter().filter(|&&g| out.triangles[g].contains(&q)) {
                        if seen.insert(g) {
                            side.push(g);
                        }
                    }
                }
            }
            let fresh = out.points.push_and_get_key(out.points[p]);
            let mut seen: Vec<FacetId> = seen.into_iter().collect();
            seen.sort_unstable();
            changes.extend(seen.into_iter().map(|f| (f, p, fresh)));
        }
        for (f, p, fresh) in changes {
            for q in out.triangles[f].iter_mut().filter(|q| **q == p) {
                *q = fresh;
            }
        }
    }
    out
}
