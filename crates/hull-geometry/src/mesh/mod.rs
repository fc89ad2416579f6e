//! The triangle mesh: flat arrays of points and facets.

pub mod cells;
pub mod cloud;
pub mod corners;
pub mod join;
pub mod measure;
pub mod regions;
pub mod splats;
pub mod topology;

use crate::vector::{V3, area_vector, dot, norm, sub};
use rayon::prelude::*;
use typed_index_collections::{TiVec, ti_vec};

/// A place in space.
pub type Point = V3;

/// The number that stands for nothing: no shell, no boundary, no label.
pub const NONE: u32 = u32::MAX;

crate::handles! {
    /// A point of a mesh.
    #[derive(serde::Serialize, serde::Deserialize)]
    #[serde(transparent)]
    PointId,
    /// A facet of a mesh.
    #[derive(serde::Serialize, serde::Deserialize)]
    #[serde(transparent)]
    FacetId,
}

/// Points and facets in flat arrays: 24 bytes a point, 12 bytes a facet.
#[derive(Clone, Debug, Default, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Mesh {
    /// Each once where facets share it.
    pub points: TiVec<PointId, Point>,
    /// The corners, anticlockwise seen from outside.
    pub triangles: TiVec<FacetId, [PointId; 3]>,
}

/// The result of an operation that rebuilds facets.
#[derive(Clone, Debug, Default)]
pub struct Rebuilt {
    /// The facets.
    pub mesh: Mesh,
    /// For each facet of `mesh` the facet it came from, or [`FacetId::NONE`] if it is new.
    pub origin: TiVec<FacetId, FacetId>,
}

/// An axis-aligned box.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Bounds {
    /// The smallest coordinates.
    pub min: Point,
    /// The largest coordinates.
    pub max: Point,
}

impl Bounds {
    /// The box of nothing.
    pub const EMPTY: Bounds = Bounds { min: [f64::INFINITY; 3], max: [f64::NEG_INFINITY; 3] };

    /// The box around this one and another.
    #[must_use]
    pub fn and(self, other: Bounds) -> Bounds {
        Bounds {
            min: [0, 1, 2].map(|k| self.min[k].min(other.min[k])),
            max: [0, 1, 2].map(|k| self.max[k].max(other.max[k])),
        }
    }

    /// The box that holds a point too.
    pub fn including(self, p: Point) -> Bounds {
        let mut b = self;
        for (k, x) in p.into_iter().enumerate() {
            b.min[k] = b.min[k].min(x);
            b.max[k] = b.max[k].max(x);
        }
        b
    }

    /// The box grown by as much on every side.
    pub fn grown(self, by: f64) -> Bounds {
        Bounds { min: self.min.map(|x| x - by), max: self.max.map(|x| x + by) }
    }

    /// The box that holds both.
    pub fn union(self, other: Bounds) -> Bounds {
        self.including(other.min).including(other.max)
    }

    /// The box of points.
    pub fn of(points: impl IntoIterator<Item = Point>) -> Bounds {
        points.into_iter().fold(Bounds::EMPTY, Bounds::including)
    }

    /// Whether it holds nothing.
    pub fn is_empty(&self) -> bool {
        self.min[0] > self.max[0]
    }

    /// Edge lengths along x, y, z; zeros for an empty box.
    pub fn size(&self) -> V3 {
        if self.is_empty() { [0.0; 3] } else { crate::vector::sub(self.max, self.min) }
    }

    /// From corner to corner; zero if it is empty.
    pub fn diagonal(&self) -> f64 {
        norm(self.size())
    }

    /// Its middle.
    pub fn centre(&self) -> Point {
        if self.is_empty() { [0.0; 3] } else { crate::vector::lerp(self.min, self.max, 0.5) }
    }

    /// Whether another box lies in it.
    pub fn contains(&self, other: &Bounds) -> bool {
        (0..3).all(|k| self.min[k] <= other.min[k] && other.max[k] <= self.max[k])
    }
}

/// Whether three places span no area: the third lies on the line of the other two as exactly as the
/// coordinates themselves can tell (height at most four rounding steps of the largest coordinate).
#[inline]
pub fn spans_no_area([a, b, c]: [Point; 3]) -> bool {
    let normal = area_vector(a, b, c);
    let [ab, bc, ca] = [sub(b, a), sub(c, b), sub(a, c)].map(|e| dot(e, e));
    let largest = a.into_iter().chain(b).chain(c).fold(0.0_f64, |m, x| m.max(x.abs()));
    let step = 4.0 * f64::EPSILON * largest;
    dot(normal, normal) <= step * step * ab.max(bc).max(ca)
}

/// Facets whose corners are fetched together.
const BATCH: usize = 32;
/// Points whose numbers are so near each other stand together in the cache.
const NEAR: u32 = 1 << 14;

impl Mesh {
    /// A mesh of plain arrays, as files and other libraries have them.
    pub fn from_arrays(points: Vec<Point>, triangles: Vec<[u32; 3]>) -> Mesh {
        Mesh { points: points.into(), triangles: triangles.into_iter().map(|t| t.map(PointId)).collect() }
    }

    /// Facets with three points each of their own: nothing is joined.
    pub fn loose(facets: impl IntoIterator<Item = [Point; 3]>) -> Mesh {
        let mut mesh = Mesh::default();
        facets.into_iter().for_each(|corners| mesh.push_loose(corners));
        mesh
    }

    /// Adds a facet with three points of its own.
    pub fn push_loose(&mut self, corners: [Point; 3]) {
        self.triangles.push(corners.map(|p| self.points.push_and_get_key(p)));
    }

    /// The corners of all facets as plain numbers, as files and other libraries have them.
    pub fn corner_numbers(&self) -> impl ExactSizeIterator<Item = [u32; 3]> + '_ {
        self.triangles.iter().map(|t| t.map(|p| p.0))
    }

    /// All facets, for many threads to share.
    pub fn par_facets(&self) -> impl IndexedParallelIterator<Item = FacetId> + use<> {
        (0..self.triangles.len() as u32).into_par_iter().map(FacetId)
    }

    /// All points, for many threads to share.
    pub fn par_points(&self) -> impl IndexedParallelIterator<Item = PointId> + use<> {
        (0..self.points.len() as u32).into_par_iter().map(PointId)
    }

    /// The corners of a facet.
    #[inline]
    pub fn corners(&self, facet: FacetId) -> [Point; 3] {
        self.triangles[facet].map(|p| self.points[p])
    }

    /// Area vector of one facet (its length is twice the area).
    #[inline]
    pub fn area_vector(&self, facet: FacetId) -> V3 {
        let [a, b, c] = self.corners(facet);
        area_vector(a, b, c)
    }

    /// The box of all points that facets use.
    pub fn bounds(&self) -> Bounds {
        self.triangles
            .raw
            .par_chunks(1 << 14)
            .map(|chunk| Bounds::of(chunk.iter().flatten().map(|&p| self.points[p])))
            .reduce(
                || Bounds::EMPTY,
                |a, b| {
                    if b.is_empty() {
                        a
                    } else if a.is_empty() {
                        b
                    } else {
                        a.union(b)
                    }
                },
            )
    }

    /// A facet without area: two corners are one point, or they span none (see [`spans_no_area`]).
    #[inline]
    pub fn is_zero_area(&self, facet: FacetId) -> bool {
        let [i, j, k] = self.triangles[facet];
        if i == j || j == k || k == i {
            return true;
        }
        spans_no_area(self.corners(facet))
    }

    /// For each facet whether it is one without area.
    pub fn flat_facets(&self) -> TiVec<FacetId, bool> {
        // Points of facets in no order stand anywhere in memory: fetching a batch of them lets the waits overlap.
        let mut flat = vec![false; self.triangles.len()];
        let batches = flat.par_chunks_mut(BATCH).zip(self.triangles.raw.par_chunks(BATCH)).with_min_len(256);
        batches.for_each_init(
            || Vec::with_capacity(BATCH),
            |corners, (flat, batch)| {
                let is_flat = |[i, j, k]: [PointId; 3], corners| i == j || j == k || k == i || spans_no_area(corners);
                let fetch = |t: &[PointId; 3]| t.map(|p| self.points[p]);
                let apart = batch[0][0].0.abs_diff(batch[batch.len() - 1][0].0) > NEAR;
                if !apart {
                    flat.iter_mut().zip(batch).for_each(|(flat, t)| *flat = is_flat(*t, fetch(t)));
                    return;
                }
                corners.clear();
                corners.extend(batch.iter().map(fetch));
                flat.iter_mut().zip(batch).zip(corners).for_each(|((flat, t), corners)| *flat = is_flat(*t, *corners));
            },
        );
        flat.into()
    }

    /// Puts another mesh behind this one; nothing is joined.
    pub fn append(&mut self, other: &Mesh) {
        let first = self.points.next_key();
        self.points.extend_from_slice(&other.points);
        self.triangles.extend(other.triangles.iter().map(|t| t.map(|p| first + p)));
    }

    /// Drops points that no facet uses, keeping the order of the rest; returns how many went.
    pub fn drop_unused_points(&mut self) -> usize {
        let mut new_index = ti_vec![PointId::NONE; self.points.len()];
        for &p in self.triangles.iter().flatten() {
            new_index[p] = PointId(0);
        }
        let mut kept = 0;
        for (old, slot) in new_index.iter_mut_enumerated() {
            if *slot != PointId::NONE {
                *slot = PointId::from(kept);
                self.points[*slot] = self.points[old];
                kept += 1;
            }
        }
        let dropped = self.points.len() - kept;
        if dropped > 0 {
            self.points.truncate(kept);
            for p in self.triangles.iter_mut().flatten() {
                *p = new_index[*p];
            }
        }
        dropped
    }
}

impl Rebuilt {
    /// The facets of `mesh` for which `keep` holds.
    pub fn keeping(mesh: &Mesh, keep: impl Fn(FacetId) -> bool) -> Rebuilt {
        let origin: TiVec<FacetId, FacetId> = mesh.triangles.keys().filter(|&f| keep(f)).collect();
        let triangles = origin.iter().map(|&f| mesh.triangles[f]).collect();
        let mut mesh = Mesh { points: mesh.points.clone(), triangles };
        mesh.drop_unused_points();
        Rebuilt { mesh, origin }
    }
}
