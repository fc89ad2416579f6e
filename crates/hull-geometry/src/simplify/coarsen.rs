//! Fewer facets for a surface, where fewer say the same within a tolerance.
//!
//! Points are taken out one after another, each drawn into a neighbour, in rounds in which no two beside each other go
//! (W. Schroeder et al., *Decimation of Triangle Meshes*, 1992; drawn into a neighbour as by H. Hoppe, 1996). Every facet
//! remembers the points that went and lie nearest to it, so that the distance is measured against the surface as it was
//! and does not add up.

use crate::crossings::crossings_if_few;
use crate::mesh::{Bounds, FacetId, Mesh, Point, PointId, Rebuilt};
use crate::nearest::nearest_on_triangle;
use crate::vector::{add, area_vector, distance, dot, norm, sub};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use smallvec::SmallVec;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// Height over longest side that a facet must have unless there was a worse one before: about 6° at least.
const SHAPE: f64 = 0.1;
/// Cosine of the angle between a new facet and those around the point that went, on the whole: a corner of a box has 55°.
const TURN: f64 = 0.4;
/// A round that takes out less than this part of what is left is the last.
const WORTH: usize = 200;
/// Larger facets that meet are mended so often at most, and if there are no more of them than this.
const ROUNDS: usize = 4;
const MOST_MEETINGS: usize = 500;

/// Takes points out of a surface. No point that went is further than `tolerance` from what is left, no new side is longer
/// than `longest`, lines between facets of different `label` keep their course, and points on open edges and those that
/// are `held` stay. Where larger facets would meet, as the surface comes near itself, it is left as it was. `None` if it
/// runs through itself all the same.
///
/// 124 bytes a facet with the surface itself and all else that a wrap holds, as measured at 2 million facets.
///
/// # Errors
/// [`Cancelled`].
pub fn coarsen(
    mesh: &Mesh,
    label: &TiSlice<FacetId, u32>,
    mut held: TiVec<PointId, bool>,
    tolerance: f64,
    longest: f64,
    watch: &Watch,
) -> Result<Option<Rebuilt>, Cancelled> {
    for _ in 0..ROUNDS {
        let fewer = take_out_points(mesh, label, &held, tolerance, longest, watch)?;
        let Some(found) = crossings_if_few(&fewer.mesh, MOST_MEETINGS, watch)? else { break };
        if found.is_empty() {
            return Ok(Some(fewer));
        }
        let around: Vec<Bounds> =
            found.iter().flat_map(|c| c.facets).map(|f| Bounds::of(fewer.mesh.corners(f))).collect();
        let near = |p: &Point| around.iter().any(|b| b.contains(&Bounds::of([*p])));
        held.raw.par_iter_mut().zip(&mesh.points.raw).for_each(|(h, p)| *h |= near(p));
    }
    Ok(None)
}

fn take_out_points(
    mesh: &Mesh,
    label: &TiSlice<FacetId, u32>,
    held: &TiSlice<PointId, bool>,
    tolerance: f64,
    longest: f64,
    watch: &Watch,
) -> Result<Rebuilt, Cancelled> {
    let mut work = Work::of(mesh, label, tolerance, longest);
    let count = mesh.points.len();
    let mut left: Vec<PointId> = mesh.points.keys().filter(|p| !held[*p]).collect();
    loop {
        let mut gone = 0;
        // Points beside one that went wait for the next round, so that what is left is spread evenly.
        let mut waits = ti_vec![false; count];
        for (k, &p) in left.iter().enumerate() {
            if k.is_multiple_of(1 << 12) {
                watch.check()?;
            }
            if work.changed[p] && !waits[p] {
                work.changed[p] = false;
                if let Some(beside) = work.take_out(p) {
                    gone += 1;
                    for q in beside {
                        (waits[q], work.changed[q]) = (true, true);
                    }
                }
            }
        }
        left.retain(|&p| !work.around[p].is_empty());
        if gone * WORTH <= left.len() {
            break;
        }
    }
    Ok(work.into_mesh())
}

/// The points around one, most often few.
type Ring = SmallVec<[PointId; 16]>;

struct Work<'a> {
    points: &'a TiSlice<PointId, Point>,
    label: &'a TiSlice<FacetId, u32>,
    tolerance: f64,
    longest: f64,
    /// [`PointId::NONE`] for facets that are gone.
    triangles: TiVec<FacetId, [PointId; 3]>,
    /// The facets at each point.
    around: TiVec<PointId, SmallVec<[FacetId; 8]>>,
    /// Whether anything beside a point changed since it was looked at.
    changed: TiVec<PointId, bool>,
    /// For each facet the first of the points that went and are nearest to it, and for each of these the next.
    first: TiVec<FacetId, PointId>,
    next: TiVec<PointId, PointId>,
}

impl<'a> Work<'a> {
    fn of(mesh: &'a Mesh, label: &'a TiSlice<FacetId, u32>, tolerance: f64, longest: f64) -> Work<'a> {
        let mut around = ti_vec![SmallVec::new(); mesh.points.len()];
        for (f, t) in mesh.triangles.iter_enumerated() {
            t.iter().for_each(|p| around[*p].push(f));
        }
        Work {
            points: &mesh.points,
            label,
            tolerance,
            longest,
            triangles: mesh.triangles.clone(),
            changed: ti_vec![true; around.len()],
            first: ti_vec![PointId::NONE; mesh.triangles.len()],
            next: ti_vec![PointId::NONE; around.len()],
            around,
        }
    }

    fn into_mesh(self) -> Rebuilt {
        let origin: TiVec<FacetId, FacetId> =
            self.triangles.keys().filter(|f| self.triangles[*f][0] != PointId::NONE).collect();
        let mut mesh =
            Mesh { points: self.points.to_owned(), triangles: origin.iter().map(|f| self.triangles[*f]).collect() };
        mesh.drop_unused_points();
        Rebuilt { mesh, origin }
    }

    fn corners(&self, [a, b, c]: [PointId; 3]) -> [Point; 3] {
        [a, b, c].map(|p| self.points[p])
    }

    /// The points beside a point, in the order of its facets.
    fn beside(&self, p: PointId) -> Ring {
        let mut all = SmallVec::new();
        for f in &self.around[p] {
            all.extend(self.triangles[*f].into_iter().filter(|q| *q != p));
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Draws a point into the best neighbour that may take it: the points that were beside it, or nothing done.
    fn take_out(&mut self, p: PointId) -> Option<Ring> {
        let beside = self.beside(p);
        // One fan of facets, and enough of them to leave something.
        if beside.len() != self.around[p].len() || beside.len() < 4 {
            return None;
        }
        let mut offers: SmallVec<[(f64, PointId); 16]> = self
            .line_through(p, &beside)?
            .iter()
            .filter(|&&q| self.shares_two(p, q, &beside))
            .filter_map(|&q| Some((self.shape_after(p, q)?, q)))
            .collect();
        offers.sort_unstable_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let into = offers.into_iter().find_map(|(_, q)| Some((q, self.nearest_after(p, q)?)));
        let (q, nearest) = into?;
        self.draw(p, q, nearest);
        Some(beside)
    }

    /// Whether no more than two points are beside both `p` and `q`: what would come to lie on itself otherwise.
    fn shares_two(&self, p: PointId, q: PointId, beside: &[PointId]) -> bool {
        let of_q = self.around[q].iter().flat_map(|f| self.triangles[*f]);
        // Each is met in two facets of q's fan.
        of_q.filter(|x| *x != p && *x != q && beside.contains(x)).count() == 4
    }

    /// The neighbours that a point may be drawn into: of one on the line between two labels those on the line, if the
    /// line stays where it is; of one where labels meet otherwise none.
    fn line_through(&self, p: PointId, beside: &[PointId]) -> Option<Ring> {
        let of = |f: &FacetId| self.label[*f];
        let first = of(self.around[p].first()?);
        if self.around[p].iter().all(|f| of(f) == first) {
            return Some(beside.into());
        }
        let on_line = |q: &&PointId| {
            let mut at = self.around[p].iter().filter(|f| self.triangles[**f].contains(q));
            at.next().map(of) != at.next().map(of)
        };
        let line: Ring = beside.iter().filter(on_line).copied().collect();
        let [a, b] = line[..] else { return None };
        let [a, b, at] = [a, b, p].map(|x| self.points[x]);
        (distance(nearest_on_triangle(at, [a, b, b]), at) <= self.tolerance).then_some(line)
    }

    /// The facets of `p` that stay when it is drawn into `q`, as they will be.
    fn after(&self, p: PointId, q: PointId) -> impl Iterator<Item = (FacetId, [PointId; 3])> {
        let stays = move |f: &&FacetId| !self.triangles[**f].contains(&q);
        self.around[p].iter().filter(stays).map(move |&f| (f, self.triangles[f].map(|x| if x == p { q } else { x })))
    }

    /// The worst shape of the facets after `p` is drawn into `q`, if they face as those around `p` did on the whole and
    /// are good enough, or at least no worse.
    fn shape_after(&self, p: PointId, q: PointId) -> Option<f64> {
        let shape = |[a, b, c]: [Point; 3]| {
            let side = distance(a, b).max(distance(b, c)).max(distance(c, a));
            (norm(area_vector(a, b, c)) / (side * side), side)
        };
        let (mut facing, mut worst_before) = ([0.0; 3], f64::INFINITY);
        for f in &self.around[p] {
            let [a, b, c] = self.corners(self.triangles[*f]);
            facing = add(facing, area_vector(a, b, c));
            worst_before = worst_before.min(shape([a, b, c]).0);
        }
        let mut worst = f64::INFINITY;
        for (_, t) in self.after(p, q) {
            let [a, b, c] = self.corners(t);
            let n = area_vector(a, b, c);
            let (s, side) = shape([a, b, c]);
            if side > self.longest || dot(n, facing) < TURN * norm(n) * norm(facing) || s < SHAPE.min(worst_before) {
                return None;
            }
            worst = worst.min(s);
        }
        Some(worst)
    }

    /// For `p` and every point that went and was nearest to one of its facets the facet that is nearest after `p` is
    /// drawn into `q`; `None` if any would be too far.
    fn nearest_after(&self, p: PointId, q: PointId) -> Option<Vec<(PointId, FacetId)>> {
        let after: SmallVec<[(FacetId, [Point; 3]); 16]> =
            self.after(p, q).map(|(f, t)| (f, self.corners(t))).collect();
        let limit = self.tolerance * self.tolerance;
        let nearest = |x: PointId| {
            let at = self.points[x];
            let off = |c: &[Point; 3]| {
                let by = sub(nearest_on_triangle(at, *c), at);
                dot(by, by)
            };
            let best = after.iter().map(|(f, c)| (off(c), *f)).min_by(|a, b| a.0.total_cmp(&b.0))?;
            (best.0 <= limit).then_some((x, best.1))
        };
        let mut out = vec![nearest(p)?];
        for &f in &self.around[p] {
            let mut x = self.first[f];
            while x != PointId::NONE {
                out.push(nearest(x)?);
                x = self.next[x];
            }
        }
        Some(out)
    }

    fn draw(&mut self, p: PointId, q: PointId, nearest: Vec<(PointId, FacetId)>) {
        for f in std::mem::take(&mut self.around[p]) {
            self.first[f] = PointId::NONE;
            let t = self.triangles[f];
            if t.contains(&q) {
                self.triangles[f] = [PointId::NONE; 3];
                t.iter().filter(|x| **x != p).for_each(|x| self.around[*x].retain(|g| *g != f));
            } else {
                self.triangles[f] = t.map(|x| if x == p { q } else { x });
                self.around[q].push(f);
            }
        }
        for (x, f) in nearest {
            self.next[x] = self.first[f];
            self.first[f] = x;
        }
    }
}
