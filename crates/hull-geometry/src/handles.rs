//! Handles: tunnels through a closed shell, found as loops that no cut can be closed over.
//!
//! A tree of shortest ways over the points and a tree over the facets that crosses none of it leave out two edges a
//! handle (D. Eppstein, *Dynamic generators of topologically embedded graphs*, 2003); each closes a loop with the ways
//! to its ends.

use crate::mesh::{Mesh, NONE, Point};
use crate::sets::Sets;
use crate::topology::Topology;
use crate::vector::distance;
use crate::watch::{Cancelled, Watch};
use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap, HashSet};

/// A loop around or through a handle.
#[derive(Clone, Debug, PartialEq)]
pub struct Loop {
    /// Points in turn, the last joined to the first.
    pub points: Vec<u32>,
    pub length: f64,
    pub shell: u32,
}

/// Shells with more handles than this get loops for so many only.
const MOST: usize = 40;

/// How many handles each shell has that is closed and has no edge of more than two facets: half of what is missing from
/// two in points less edges plus facets (Euler's formula).
pub fn handles(mesh: &Mesh, topology: &Topology) -> Vec<usize> {
    let mut facets = vec![0_i64; topology.shells];
    let mut shell_at = vec![NONE; mesh.points.len()];
    let mut points = vec![0_i64; topology.shells];
    let mut sound = vec![true; topology.shells];
    for (f, t) in mesh.triangles.iter().enumerate() {
        let s = topology.shell_of[f];
        if s == NONE {
            continue;
        }
        facets[s as usize] += 1;
        for p in t {
            match shell_at[*p as usize] {
                NONE => {
                    shell_at[*p as usize] = s;
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
    topology.open.iter().for_each(|e| sound[topology.shell_of[e.facet as usize] as usize] = false);
    let unsound = topology.overshared.iter().flat_map(|e| e.ends).chain(topology.pinched.iter().copied());
    for s in unsound.map(|p| shell_at[p as usize]).filter(|s| *s != NONE) {
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
    let mut out = Vec::new();
    for shell in (0..topology.shells as u32).filter(|s| count[*s as usize] > 0) {
        watch.check()?;
        let facets: Vec<u32> =
            (0..mesh.triangles.len() as u32).filter(|f| topology.shell_of[*f as usize] == shell).collect();
        let surface = Surface::of(mesh, &facets);
        let first = surface.generators(mesh.triangles[facets[0] as usize][0]);
        let mut found: Vec<Loop> = Vec::new();
        for g in first.into_iter().take(2 * MOST) {
            watch.check()?;
            // The shortest of those through the middle of this one is as short as this one at most.
            let root = g[g.len() / 2];
            let best = surface.generators(root).into_iter().chain([g]).map(|points| surface.measured(points, shell));
            found.extend(best.min_by(|a, b| a.length.total_cmp(&b.length)));
        }
        found.sort_by(|a, b| a.length.total_cmp(&b.length).then(a.points.cmp(&b.points)));
        // Loops that share a point go around the same handle, or one around and one through.
        let mut taken: HashSet<u32> = HashSet::new();
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

struct Surface<'a> {
    mesh: &'a Mesh,
    facets: &'a [u32],
    beside: HashMap<u32, Vec<u32>>,
    /// The two facets of each edge, as places in `facets`.
    edges: HashMap<[u32; 2], [u32; 2]>,
    order: Vec<[u32; 2]>,
}

fn key(a: u32, b: u32) -> [u32; 2] {
    [a.min(b), a.max(b)]
}

impl<'a> Surface<'a> {
    fn of(mesh: &'a Mesh, facets: &'a [u32]) -> Surface<'a> {
        let mut edges: HashMap<[u32; 2], [u32; 2]> = HashMap::new();
        for (i, f) in facets.iter().enumerate() {
            let t = mesh.triangles[*f as usize];
            for k in 0..3 {
                let e = edges.entry(key(t[k], t[(k + 1) % 3])).or_insert([i as u32, NONE]);
                if e[0] != i as u32 {
                    e[1] = i as u32;
                }
            }
        }
        let mut order: Vec<[u32; 2]> = edges.keys().copied().collect();
        order.sort_unstable();
        let mut beside: HashMap<u32, Vec<u32>> = HashMap::new();
        for [a, b] in &order {
            beside.entry(*a).or_default().push(*b);
            beside.entry(*b).or_default().push(*a);
        }
        Surface { mesh, facets, beside, edges, order }
    }

    fn place(&self, p: u32) -> Point {
        self.mesh.points[p as usize]
    }

    fn measured(&self, points: Vec<u32>, shell: u32) -> Loop {
        let length = (0..points.len())
            .map(|i| distance(self.place(points[i]), self.place(points[(i + 1) % points.len()])))
            .sum();
        Loop { points, length, shell }
    }

    /// Two loops a handle, through the place from which the ways are short.
    fn generators(&self, root: u32) -> Vec<Vec<u32>> {
        let before = self.ways(root);
        let in_tree = |e: &[u32; 2]| before.get(&e[0]) == Some(&e[1]) || before.get(&e[1]) == Some(&e[0]);
        let sets = Sets::new(self.facets.len());
        // Facets are joined over the edges furthest from the root first, so that what is left closes short loops.
        let mut rest: Vec<(f64, [u32; 2])> = Vec::new();
        let far = self.distances(&before, root);
        for e in self.order.iter().filter(|e| !in_tree(e)) {
            let length = far[&e[0]] + far[&e[1]] + distance(self.place(e[0]), self.place(e[1]));
            rest.push((length, *e));
        }
        rest.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let mut loops = Vec::new();
        for (_, e) in rest {
            let [f, g] = self.edges[&e];
            if g != NONE && sets.root(f) != sets.root(g) {
                sets.unite(f, g);
            } else if g != NONE {
                loops.push(self.closed(&before, e));
            }
        }
        loops
    }

    /// For each point the one before it on the shortest way from the root along edges.
    fn ways(&self, root: u32) -> HashMap<u32, u32> {
        let mut before = HashMap::new();
        let mut best: HashMap<u32, f64> = HashMap::from([(root, 0.0)]);
        let mut done = HashSet::new();
        // Distances are not negative: their bits are in their order.
        let mut queue = BinaryHeap::from([Reverse((0_u64, root))]);
        while let Some(Reverse((bits, p))) = queue.pop() {
            if !done.insert(p) {
                continue;
            }
            for &q in &self.beside[&p] {
                let way = f64::from_bits(bits) + distance(self.place(p), self.place(q));
                if best.get(&q).is_none_or(|b| way < *b) {
                    best.insert(q, way);
                    before.insert(q, p);
                    queue.push(Reverse((way.to_bits(), q)));
                }
            }
        }
        before
    }

    fn distances(&self, before: &HashMap<u32, u32>, root: u32) -> HashMap<u32, f64> {
        let mut far: HashMap<u32, f64> = HashMap::from([(root, 0.0)]);
        for &p in self.beside.keys() {
            let mut path = vec![p];
            while let Some(&b) = path.last().filter(|p| !far.contains_key(p)).and_then(|p| before.get(p)) {
                path.push(b);
            }
            while let Some(q) = path.pop() {
                if !far.contains_key(&q) {
                    let d = before.get(&q).map_or(0.0, |b| far[b] + distance(self.place(*b), self.place(q)));
                    far.insert(q, d);
                }
            }
        }
        far
    }

    /// The loop that an edge closes with the ways to its ends, without what both ways share.
    fn closed(&self, before: &HashMap<u32, u32>, [a, b]: [u32; 2]) -> Vec<u32> {
        let way = |mut p: u32| {
            let mut out = vec![p];
            while let Some(&q) = before.get(&p) {
                out.push(q);
                p = q;
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
}

/// Cuts a mesh open along loops that share no points: the facets left of each get points of their own. Closing the
/// holes that appear takes the handles away.
pub fn cut_open(mesh: &Mesh, loops: &[Loop]) -> Mesh {
    let mut out = mesh.clone();
    for l in loops {
        let n = l.points.len();
        let on: HashMap<u32, usize> = l.points.iter().enumerate().map(|(i, p)| (*p, i)).collect();
        let edge =
            |a: u32, b: u32| on.get(&a).zip(on.get(&b)).is_some_and(|(&i, &j)| (i + 1) % n == j || (j + 1) % n == i);
        let mut at: HashMap<u32, Vec<usize>> = HashMap::new();
        for (f, t) in out.triangles.iter().enumerate() {
            for p in t.iter().filter(|p| on.contains_key(p)) {
                at.entry(*p).or_default().push(f);
            }
        }
        let mut changes: Vec<(usize, u32, u32)> = Vec::new();
        for (i, &p) in l.points.iter().enumerate() {
            let next = l.points[(i + 1) % n];
            let facets = &at[&p];
            // From the facet that runs the loop forward, over edges that are not of the loop.
            let runs = |f: usize, a: u32, b: u32| {
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
            let fresh = out.points.len() as u32;
            out.points.push(out.points[p as usize]);
            let mut seen: Vec<usize> = seen.into_iter().collect();
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
