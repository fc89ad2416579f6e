//! A tree of boxes over facets, for finding what is near without looking at everything.
//!
//! Facets are halved again and again across the longest extent of their centres (J. L. Bentley, 1975), down to leaves of
//! [`LEAF`]; each inner node covers two below it. The layout depends on the facets alone. About 36 bytes a facet.

use crate::mesh::{Bounds, FacetId, Mesh, Point};
use crate::nearest::nearest_on_triangle;
use crate::vector::{cross, dot, sub};
use rayon::prelude::*;
use smallvec::{SmallVec, smallvec};
use std::ops::Range;

/// Facets in a leaf.
pub const LEAF: usize = 4;

/// Nodes still to be looked at: hardly more than there are levels, and so kept where no memory is asked for.
type Waiting<T> = SmallVec<[T; 32]>;

/// Lowest and highest coordinates.
pub type Box3 = [Point; 2];

const NOTHING: Box3 = [[f64::INFINITY; 3], [f64::NEG_INFINITY; 3]];

/// Boxes over the facets of one mesh.
pub struct FacetTree {
    /// Facets in the order of the leaves.
    pub order: Vec<FacetId>,
    /// A heap: node 1 is the root, node `i` has the children `2 i` and `2 i + 1`; the last `leaves` are leaves.
    boxes: Vec<Box3>,
    leaves: usize,
}

/// The middle of a facet, in steps of the longest extent of all.
#[derive(Clone, Copy)]
struct Centre {
    at: [u32; 3],
    facet: FacetId,
}

/// Puts the facets of a node's first half first, where `room` is what the node can hold.
fn halve(centres: &mut [Centre], room: usize) {
    if centres.len() <= LEAF {
        return;
    }
    let half = room / 2;
    if centres.len() <= half {
        return halve(centres, half);
    }
    let (low, high) = centres.iter().fold(([u32::MAX; 3], [0; 3]), |(low, high), c| {
        ([0, 1, 2].map(|k| low[k].min(c.at[k])), [0, 1, 2].map(|k| high[k].max(c.at[k])))
    });
    let axis = (1..3).fold(0, |m, k| if high[k] - low[k] > high[m] - low[m] { k } else { m });
    // By number where places are equal, so that the order depends on nothing else.
    centres.select_nth_unstable_by_key(half, |c| u64::from(c.at[axis]) << 32 | u64::from(c.facet.0));
    let (first, second) = centres.split_at_mut(half);
    if first.len() > 1 << 12 {
        rayon::join(|| halve(first, half), || halve(second, half));
    } else {
        halve(first, half);
        halve(second, half);
    }
}

fn union(a: &Box3, b: &Box3) -> Box3 {
    let mut out = *a;
    for k in 0..3 {
        out[0][k] = a[0][k].min(b[0][k]);
        out[1][k] = a[1][k].max(b[1][k]);
    }
    out
}

fn around(points: impl IntoIterator<Item = Point>) -> Box3 {
    points.into_iter().fold(NOTHING, |b, p| union(&b, &[p, p]))
}

#[inline]
fn meet(a: &Box3, b: &Box3) -> bool {
    (0..3).all(|k| a[0][k] <= b[1][k] && b[0][k] <= a[1][k])
}

#[inline]
fn distance2(p: Point, b: &Box3) -> f64 {
    (0..3)
        .map(|k| {
            let off = (b[0][k] - p[k]).max(p[k] - b[1][k]).max(0.0);
            off * off
        })
        .sum()
}

/// How far along a ray a triangle is met.
fn hits(from: Point, direction: Point, [a, b, c]: [Point; 3]) -> Option<f64> {
    let (u, v) = (sub(b, a), sub(c, a));
    let p = cross(direction, v);
    let det = dot(u, p);
    if det == 0.0 {
        return None;
    }
    let to = sub(from, a);
    let s = dot(to, p) / det;
    let q = cross(to, u);
    let t = dot(direction, q) / det;
    let along = dot(v, q) / det;
    (s >= 0.0 && t >= 0.0 && s + t <= 1.0 && along >= 0.0).then_some(along)
}

impl FacetTree {
    /// A tree over all facets of a mesh.
    pub fn of(mesh: &Mesh) -> FacetTree {
        let bounds = mesh.bounds();
        let extent = bounds.size().into_iter().fold(0.0, f64::max);
        let scale = if extent > 0.0 { f64::from(u32::MAX) / extent } else { 0.0 };
        let mut centres: Vec<Centre> = mesh
            .par_facets()
            .map(|f| {
                let [a, b, c] = mesh.corners(f);
                let at = [0, 1, 2].map(|k| (((a[k] + b[k] + c[k]) / 3.0 - bounds.min[k]) * scale) as u32);
                Centre { at, facet: f }
            })
            .collect();
        let leaves = centres.len().div_ceil(LEAF).next_power_of_two().max(1);
        halve(&mut centres, LEAF * leaves);
        let order: Vec<FacetId> = centres.into_iter().map(|c| c.facet).collect();
        let mut boxes = vec![NOTHING; 2 * leaves];
        boxes[leaves..].par_iter_mut().zip(order.par_chunks(LEAF)).for_each(|(b, facets)| {
            *b = around(facets.iter().flat_map(|&f| mesh.corners(f)));
        });
        for i in (1..leaves).rev() {
            boxes[i] = union(&boxes[2 * i], &boxes[2 * i + 1]);
        }
        FacetTree { order, boxes, leaves }
    }

    /// How many leaves there are; see [`FacetTree::leaf`].
    pub fn leaf_count(&self) -> usize {
        self.order.len().div_ceil(LEAF)
    }

    /// The facets of a leaf; of one beyond the last none.
    pub fn leaf(&self, i: usize) -> &[FacetId] {
        let end = |i: usize| (i * LEAF).min(self.order.len());
        &self.order[end(i)..end(i + 1)]
    }

    /// The box of a node; 1 is the root, those below `i` are `2 i` and `2 i + 1`.
    pub(crate) fn node_box(&self, node: usize) -> &Box3 {
        &self.boxes[node]
    }

    /// The facets of a node that is a leaf.
    pub(crate) fn facets_of_node(&self, node: usize) -> Option<&[FacetId]> {
        node.checked_sub(self.leaves).map(|i| self.leaf(i))
    }

    /// The box of a leaf.
    pub fn leaf_box(&self, leaf: usize) -> &Box3 {
        &self.boxes[self.leaves + leaf]
    }

    /// Calls `found` for every leaf, from the first of some on, whose box meets the box around those.
    pub fn leaves_near(&self, some: Range<usize>, mut found: impl FnMut(usize)) {
        let i = some.start;
        let own = some.fold(NOTHING, |b, i| union(&b, &self.boxes[self.leaves + i]));
        let mut stack: Waiting<usize> = smallvec![1];
        while let Some(node) = stack.pop() {
            if !meet(&own, &self.boxes[node]) {
                continue;
            }
            if node >= self.leaves {
                if node - self.leaves >= i {
                    found(node - self.leaves);
                }
                continue;
            }
            // The last leaf below: nothing there but leaves before this one.
            let level = self.leaves.ilog2() - node.ilog2();
            if ((node + 1) << level) - 1 - self.leaves < i {
                continue;
            }
            stack.push(2 * node + 1);
            stack.push(2 * node);
        }
    }

    /// Calls `found` for every facet whose leaf's box meets a box.
    pub fn in_box(&self, b: &Bounds, mut found: impl FnMut(FacetId)) {
        let asked = [b.min, b.max];
        let mut stack: Waiting<usize> = smallvec![1];
        while let Some(node) = stack.pop() {
            if !meet(&asked, &self.boxes[node]) {
                continue;
            }
            if node >= self.leaves {
                self.leaf(node - self.leaves).iter().for_each(|&f| found(f));
            } else {
                stack.extend([2 * node + 1, 2 * node]);
            }
        }
    }

    /// The first facet that a ray meets: its number and the distance, less than `within`; `direction` has length one.
    /// Facets for which `of` does not hold are passed through; how many boxes were opened is added to `opened`. By T. Möller and B. Trumbore, 1997.
    pub fn first_hit(
        &self,
        mesh: &Mesh,
        from: Point,
        direction: Point,
        within: f64,
        of: impl Fn(FacetId) -> bool,
        opened: &mut usize,
    ) -> Option<(FacetId, f64)> {
        let turned = direction.map(|d| 1.0 / d);
        let enters = |b: &Box3, limit: f64| {
            // Leaves that stand for nothing fill the tree up.
            if b[0][0] > b[1][0] {
                return None;
            }
            let (mut near, mut far) = (0.0_f64, limit);
            for k in 0..3 {
                if direction[k] == 0.0 {
                    if from[k] < b[0][k] || from[k] > b[1][k] {
                        return None;
                    }
                    continue;
                }
                let (u, v) = ((b[0][k] - from[k]) * turned[k], (b[1][k] - from[k]) * turned[k]);
                near = near.max(u.min(v));
                far = far.min(u.max(v));
            }
            (near <= far).then_some(near)
        };
        let mut best: Option<(FacetId, f64)> = None;
        let mut limit = within;
        let mut stack: Waiting<usize> = smallvec![1];
        while let Some(node) = stack.pop() {
            if enters(&self.boxes[node], limit).is_none() {
                continue;
            }
            *opened += 1;
            if node >= self.leaves {
                for &f in self.leaf(node - self.leaves).iter().filter(|f| of(**f)) {
                    let hit = hits(from, direction, mesh.corners(f)).filter(|t| *t < limit);
                    if let Some(t) = hit {
                        limit = t;
                        best = Some((f, t));
                    }
                }
                continue;
            }
            let [a, b] = [2 * node, 2 * node + 1].map(|n| (enters(&self.boxes[n], limit), n));
            // The nearer one is looked at first.
            let order = if a.0.unwrap_or(f64::INFINITY) <= b.0.unwrap_or(f64::INFINITY) { [b, a] } else { [a, b] };
            stack.extend(order.into_iter().filter(|n| n.0.is_some()).map(|n| n.1));
        }
        best
    }

    /// The facet of `mesh`, which the tree was made of, nearest to `p`, with the squared distance and the place;
    /// nothing further than `within` (squared) counts. Of facets equally near the lowest-numbered one.
    pub fn nearest(&self, mesh: &Mesh, p: Point, within: f64) -> Option<(FacetId, f64, Point)> {
        self.nearest_of(mesh, p, within, |_| true)
    }

    /// As [`FacetTree::nearest`], among the facets for which `of` holds.
    pub fn nearest_of(
        &self,
        mesh: &Mesh,
        p: Point,
        within: f64,
        of: impl Fn(FacetId) -> bool,
    ) -> Option<(FacetId, f64, Point)> {
        self.nearest_opening(mesh, p, within, of, &mut { usize::MAX })
    }

    /// As [`FacetTree::nearest_of`], until `boxes` boxes have been opened, which it counts down: then the nearest so far.
    pub fn nearest_opening(
        &self,
        mesh: &Mesh,
        p: Point,
        within: f64,
        of: impl Fn(FacetId) -> bool,
        boxes: &mut usize,
    ) -> Option<(FacetId, f64, Point)> {
        let mut best: Option<(FacetId, f64, Point)> = None;
        let mut limit = within;
        let mut stack: Waiting<(f64, usize)> = smallvec![(distance2(p, &self.boxes[1]), 1)];
        while let Some((d, node)) = stack.pop() {
            if d > limit {
                continue;
            }
            if *boxes == 0 {
                break;
            }
            *boxes -= 1;
            if node >= self.leaves {
                for &f in self.leaf(node - self.leaves).iter().filter(|f| of(**f)) {
                    let q = nearest_on_triangle(p, mesh.corners(f));
                    let off = sub(p, q);
                    let d = dot(off, off);
                    if d < limit || (d <= limit && best.is_none_or(|b| f < b.0)) {
                        limit = d;
                        best = Some((f, d, q));
                    }
                }
                continue;
            }
            let [a, b] = [2 * node, 2 * node + 1].map(|n| (distance2(p, &self.boxes[n]), n));
            // The nearer one is looked at first.
            let (first, second) = if b.0 < a.0 { (b, a) } else { (a, b) };
            stack.push(second);
            stack.push(first);
        }
        best
    }
}
