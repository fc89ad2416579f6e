//! The wrap: a closed surface around any soup of facets, at an offset, that no gap narrower than a size lets in.
//!
//! What is reached from outside by a ball as wide as the gap is outside; the surface stands at the offset from the
//! input there. It is the zero set of a function that is linear in every tetrahedron of a body-centred cubic lattice
//! (as in F. Labelle and J. Shewchuk, *Isosurface Stuffing*, SIGGRAPH 2007), and that gives the guarantees: closed,
//! two facets an edge, no crossings, by construction; and as the lattice's edges are shorter than the offset, a
//! tetrahedron that the input enters has all its corners inside, so that the input is enclosed whatever it is.

use hull_geometry::coarsen::coarsen;
use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{add, lerp, scale};
use hull_geometry::{Cancelled, Mesh, Point, Rebuilt, Watch};
use rayon::prelude::*;
use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap, HashSet};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// Nodes of the lattice at most: 5 bytes each.
const LARGEST: f64 = 9e7;
/// The lattice's long edge, in offsets.
const EDGE: f64 = 0.8;
/// New points keep this part of an edge from its ends, so that no facet is a sliver.
const END: f64 = 0.12;

/// How far points may be from where they were for the sake of larger facets, in offsets: the input stays enclosed, as it
/// is a whole offset away.
const COARSE: f64 = 0.2;
/// The longest side of a larger facet, in offsets.
const LONGEST: f64 = 10.0;

/// Why a wrap cannot be made.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum WrapError {
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// Offset or gap is not a length.
    #[error("The offset must be a length greater than zero, the gap one of at least zero.")]
    NotALength,
    /// Holds the smallest offset that is possible.
    #[error("The offset is too small for this body: it must be at least {0}.")]
    TooFine(f64),
    /// There is nothing to wrap.
    #[error("There are no facets to wrap.")]
    Nothing,
}

/// Nodes at the corners (0) and in the middles (1) of a grid of cubes.
struct Lattice {
    origin: Point,
    edge: f64,
    n: [usize; 3],
}

type Node = (usize, [usize; 3]);

impl Lattice {
    fn of(bounds: &Bounds, edge: f64, around: f64) -> Option<Lattice> {
        let cubes = bounds.size().map(|s| ((s + 2.0 * around) / edge).ceil() + 1.0);
        (2.0 * cubes[0] * cubes[1] * cubes[2] < LARGEST).then(|| Lattice {
            origin: bounds.min.map(|x| x - around),
            edge,
            n: cubes.map(|c| c as usize),
        })
    }

    fn count(&self) -> usize {
        self.n[0] * self.n[1] * self.n[2]
    }

    fn index(&self, (kind, [i, j, k]): Node) -> usize {
        kind * self.count() + (k * self.n[1] + j) * self.n[0] + i
    }

    fn node(&self, index: usize) -> Node {
        let (kind, rest) = (index / self.count(), index % self.count());
        (kind, [rest % self.n[0], rest / self.n[0] % self.n[1], rest / self.n[0] / self.n[1]])
    }

    /// Twice the coordinates in edges.
    fn halves(&self, (kind, at): Node) -> [i64; 3] {
        at.map(|x| (2 * x + kind) as i64)
    }

    fn place(&self, node: Node) -> Point {
        let at = self.halves(node);
        [0, 1, 2].map(|k| self.origin[k] + at[k] as f64 * 0.5 * self.edge)
    }

    /// The nodes beside a node: eight of the other kind, six of its own.
    fn beside(&self, (kind, at): Node, mut found: impl FnMut(Node)) {
        let mut offer = |kind: usize, to: [i64; 3]| {
            if (0..3).all(|k| to[k] >= 0 && (to[k] as usize) < self.n[k]) {
                found((kind, to.map(|x| x as usize)));
            }
        };
        let at = at.map(|x| x as i64);
        let low = if kind == 0 { -1 } else { 0 };
        for corner in 0..8 {
            offer(1 - kind, [0, 1, 2].map(|k| at[k] + low + (corner >> k & 1)));
        }
        for k in 0..3 {
            for by in [-1, 1] {
                let mut to = at;
                to[k] += by;
                offer(kind, to);
            }
        }
    }
}

/// Wraps `mesh`: the surface stands off it by about `offset`, and gaps narrower than `gap` are closed over. Facets come
/// from the nearest facet of the input; they are as large as a fifth of the offset allows, and keep the lines between
/// facets of different labels. About 5 bytes a node of a lattice whose edge is 0.8 offsets; at the peak 124 bytes a facet
/// on it, as measured at 2 million.
///
/// # Errors
/// [`WrapError`].
pub fn wrap(
    mesh: &Mesh,
    label_of: &TiSlice<FacetId, u32>,
    offset: f64,
    gap: f64,
    watch: &Watch,
) -> Result<Rebuilt, WrapError> {
    if !(offset > 0.0 && offset.is_finite() && gap >= 0.0 && gap.is_finite()) {
        return Err(WrapError::NotALength);
    }
    if mesh.triangles.is_empty() {
        return Err(WrapError::Nothing);
    }
    let reach = offset.max(gap / 2.0);
    let edge = EDGE * offset;
    let bounds = mesh.bounds();
    let lattice = Lattice::of(&bounds, edge, reach + 2.5 * edge)
        .ok_or_else(|| WrapError::TooFine(smallest_offset(&bounds, gap)))?;
    let tree = FacetTree::of(mesh);
    watch.report(0.05, "measuring distances around the surface")?;
    let distance = distances(mesh, &tree, &lattice, reach + 1.01 * edge, watch)?;
    watch.report(0.5, "finding what can be reached from outside")?;
    let outside = flood(&lattice, &distance, reach as f32, watch)?;
    watch.report(0.6, "closing gaps")?;
    let inside = heights(&lattice, &distance, &outside, offset, reach, watch)?;
    drop((distance, outside));
    watch.report(0.7, "making the surface")?;
    let surface = surface(&lattice, &inside, watch)?;
    drop(inside);
    watch.report(0.9, "finding the nearest facets")?;
    let origin = surface
        .triangles
        .raw
        .par_chunks(1 << 10)
        .map(|chunk| {
            watch.check()?;
            let near = |t: &[PointId; 3]| {
                let [a, b, c] = t.map(|p| surface.points[p]);
                let middle = scale(add(a, add(b, c)), 1.0 / 3.0);
                tree.nearest(mesh, middle, f64::INFINITY).map_or(FacetId(0), |n| n.0)
            };
            Ok(chunk.iter().map(near).collect::<Vec<FacetId>>())
        })
        .collect::<Result<Vec<_>, Cancelled>>()?
        .concat();
    watch.report(0.93, "taking out points that say nothing")?;
    let label: TiVec<FacetId, u32> = origin.iter().map(|f| label_of[*f]).collect();
    // The lattice keeps its facets apart; if larger ones meet, it is its own that stay.
    let free = ti_vec![false; surface.points.len()];
    let (mesh, of) = match coarsen(&surface, &label, free, COARSE * offset, LONGEST * offset, watch)? {
        Some(fewer) => (fewer.mesh, fewer.origin.iter().map(|f| origin[usize::from(*f)]).collect()),
        None => (surface, origin),
    };
    Ok(Rebuilt { mesh, origin: of.into() })
}

/// The smallest offset with which a body can be wrapped.
pub fn smallest_offset(bounds: &Bounds, gap: f64) -> f64 {
    let mut offset = bounds.diagonal() / 2000.0;
    while offset > 0.0 && Lattice::of(bounds, EDGE * offset, offset.max(gap / 2.0) + 2.5 * EDGE * offset).is_none() {
        offset *= 1.05;
    }
    offset
}

/// Distances from the input at nodes that may be within `band` of it; infinite elsewhere.
fn distances(
    mesh: &Mesh,
    tree: &FacetTree,
    lattice: &Lattice,
    band: f64,
    watch: &Watch,
) -> Result<Vec<f32>, Cancelled> {
    let [nx, ny, nz] = lattice.n;
    let mut out = vec![f32::INFINITY; 2 * lattice.count()];
    let within = band * band;
    out.par_chunks_mut(nx * ny).enumerate().try_for_each(|(slab, nodes)| {
        watch.check()?;
        let (kind, k) = (slab / nz, slab % nz);
        let place = |i: usize, j: usize| lattice.place((kind, [i, j, k]));
        // A run of nodes far from everything is passed over at once.
        const RUN: usize = 8;
        for j in 0..ny {
            let mut i = 0;
            while i < nx {
                let end = (i + RUN).min(nx);
                let (first, last) = (place(i, j), place(end - 1, j));
                let half = (end - 1 - i) as f64 * lattice.edge / 2.0;
                let limit = (band + half) * (band + half);
                if tree.nearest(mesh, lerp(first, last, 0.5), limit).is_some() {
                    for x in i..end {
                        if let Some((_, d, _)) = tree.nearest(mesh, place(x, j), within) {
                            nodes[j * nx + x] = d.sqrt() as f32;
                        }
                    }
                }
                i = end;
            }
        }
        Ok(())
    })?;
    Ok(out)
}

/// Nodes that can be reached from the border of the lattice over nodes further than `reach` from the input.
fn flood(lattice: &Lattice, distance: &[f32], reach: f32, watch: &Watch) -> Result<Vec<bool>, Cancelled> {
    let mut outside = vec![false; distance.len()];
    let start = lattice.index((0, [0, 0, 0]));
    outside[start] = true;
    let mut stack = vec![start];
    let mut steps = 0_usize;
    while let Some(at) = stack.pop() {
        steps += 1;
        if steps.is_multiple_of(1 << 16) {
            watch.check()?;
        }
        lattice.beside(lattice.node(at), |n| {
            let n = lattice.index(n);
            if !outside[n] && distance[n] > reach {
                outside[n] = true;
                stack.push(n);
            }
        });
    }
    Ok(outside)
}

/// How far inside each node is: positive within the offset of the input, and where no wide ball comes.
fn heights(
    lattice: &Lattice,
    distance: &[f32],
    outside: &[bool],
    offset: f64,
    reach: f64,
    watch: &Watch,
) -> Result<Vec<f32>, Cancelled> {
    let far = lattice.edge as f32;
    let offset_height = |i: usize| (offset as f32 - distance[i]).clamp(-far, far);
    let mut height: Vec<f32> =
        (0..distance.len()).into_par_iter().map(|i| if outside[i] { offset_height(i) } else { far }).collect();
    let width = reach - offset;
    if width <= 0.0 {
        // Beside what is outside stands only what is nearer than the offset.
        height.par_iter_mut().enumerate().for_each(|(i, h)| {
            if !outside[i] && distance[i].is_finite() {
                *h = offset_height(i).max(1e-3 * far);
            }
        });
        // A node inside a void that is wider than the offset but cannot be reached is inside as well: its distance says
        // otherwise, and is not asked.
        return Ok(height);
    }
    // The outside grows back by what the ball kept away from it: around each node that can be reached everything nearer
    // than its distance less the offset is free. Each node carries the source whose ball reaches furthest beyond it.
    let (mut settled, mut best) = (HashSet::new(), HashMap::<usize, f64>::new());
    let room = |source: usize| f64::from(distance[source]) - offset;
    let most = width + 2.0 * lattice.edge;
    // Positive, and so in the order of its bits.
    let key = |grown: f64| (grown + 2.0 * most).to_bits();
    let mut queue: BinaryHeap<Reverse<(u64, usize, usize)>> = BinaryHeap::new();
    for i in (0..distance.len()).filter(|&i| outside[i] && distance[i].is_finite()) {
        queue.push(Reverse((key(-room(i)), i, i)));
    }
    let mut steps = 0_usize;
    while let Some(Reverse((_, at, from))) = queue.pop() {
        steps += 1;
        if steps.is_multiple_of(1 << 14) {
            watch.check()?;
        }
        if !settled.insert(at) {
            continue;
        }
        let origin = lattice.halves(lattice.node(from));
        lattice.beside(lattice.node(at), |n| {
            let i = lattice.index(n);
            if outside[i] {
                return;
            }
            let to = lattice.halves(n);
            let way2 = (0..3).map(|k| (to[k] - origin[k]).pow(2)).sum::<i64>();
            let grown = (way2 as f64).sqrt() * 0.5 * lattice.edge - room(from);
            if grown <= lattice.edge && best.get(&i).is_none_or(|b| grown < *b) {
                best.insert(i, grown);
                queue.push(Reverse((key(grown), i, from)));
            }
        });
    }
    for (i, grown) in best {
        height[i] = (grown as f32).max(offset as f32 - distance[i]).clamp(-far, far);
    }
    Ok(height)
}

/// The zero set of the heights in every tetrahedron, facing out.
fn surface(lattice: &Lattice, height: &[f32], watch: &Watch) -> Result<Mesh, Cancelled> {
    let slabs: Vec<Vec<[[usize; 2]; 3]>> = (0..lattice.n[2])
        .into_par_iter()
        .map(|k| {
            watch.check()?;
            let mut out = Vec::new();
            for j in 0..lattice.n[1] {
                for i in 0..lattice.n[0] {
                    tetrahedra(lattice, [i, j, k], |nodes| cross_section(lattice, height, nodes, &mut out));
                }
            }
            Ok(out)
        })
        .collect::<Result<_, Cancelled>>()?;
    let mut number: HashMap<[usize; 2], PointId> = HashMap::new();
    let mut mesh = Mesh::default();
    for facet in slabs.into_iter().flatten() {
        let corners = facet.map(|[inner, outer]| {
            *number.entry([inner, outer]).or_insert_with(|| {
                let (a, b) = (f64::from(height[inner]), f64::from(height[outer]));
                let t = (a / (a - b)).clamp(END, 1.0 - END);
                mesh.points.push_and_get_key(lerp(
                    lattice.place(lattice.node(inner)),
                    lattice.place(lattice.node(outer)),
                    t,
                ))
            })
        });
        mesh.triangles.push(corners);
    }
    Ok(mesh)
}

/// The twelve tetrahedra at a corner node: four around each long edge to the next.
fn tetrahedra(lattice: &Lattice, at: [usize; 3], mut found: impl FnMut([Node; 4])) {
    for axis in 0..3 {
        let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
        let mut to = at;
        to[axis] += 1;
        if to[axis] >= lattice.n[axis] || at[i] == 0 || at[j] == 0 {
            continue;
        }
        let ring = [[1, 1], [0, 1], [0, 0], [1, 0]].map(|[u, v]| {
            let mut m = at;
            m[i] -= u;
            m[j] -= v;
            (1, m)
        });
        for r in 0..4 {
            found([(0, at), (0, to), ring[r], ring[(r + 1) % 4]]);
        }
    }
}

/// The facets that part the inner nodes of a tetrahedron from the outer ones; corners as pairs of inner and outer node.
fn cross_section(lattice: &Lattice, height: &[f32], nodes: [Node; 4], out: &mut Vec<[[usize; 2]; 3]>) {
    let index = nodes.map(|n| lattice.index(n));
    let mut order = [0, 1, 2, 3];
    order.sort_by_key(|&k| height[index[k]] <= 0.0);
    let inner = index.iter().filter(|&&i| height[i] > 0.0).count();
    if inner == 0 || inner == 4 {
        return;
    }
    let at = order.map(|k| lattice.halves(nodes[k]));
    let to = [1, 2, 3].map(|k| [0, 1, 2].map(|c| at[k][c] - at[0][c]));
    let det = to[0][0] * (to[1][1] * to[2][2] - to[1][2] * to[2][1])
        - to[0][1] * (to[1][0] * to[2][2] - to[1][2] * to[2][0])
        + to[0][2] * (to[1][0] * to[2][1] - to[1][1] * to[2][0]);
    let [a, b, c, d] = order.map(|k| index[k]);
    let mut facet = |f: [[usize; 2]; 3]| out.push(if det > 0 { f } else { [f[0], f[2], f[1]] });
    match inner {
        1 => facet([[a, b], [a, c], [a, d]]),
        2 => {
            facet([[a, c], [a, d], [b, d]]);
            facet([[a, c], [b, d], [b, c]]);
        }
        // With the outer node last the order is odd against it first.
        _ => facet([[a, d], [b, d], [c, d]]),
    }
}
