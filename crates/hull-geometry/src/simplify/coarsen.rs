//! Fewer facets for a surface, where fewer say the same within a tolerance.
//!
//! Points are taken out one after another, each drawn into a neighbour, in rounds in which no two beside each other go
//! (W. Schroeder et al., *Decimation of Triangle Meshes*, 1992; drawn into a neighbour as by H. Hoppe, 1996). Every facet
//! remembers the points that went and lie nearest to it, so that the distance is measured against the surface as it was
//! and does not add up.

use crate::crossings::crossings_if_few;
use crate::mesh::{Bounds, Mesh, NONE, Point, Rebuilt};
use crate::nearest::nearest_on_triangle;
use crate::vector::{add, area_vector, distance, dot, norm, sub};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use smallvec::SmallVec;

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
    label: &[u32],
    mut held: Vec<bool>,
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
        held.par_iter_mut().zip(&mesh.points).for_each(|(h, p)| *h |= near(p));
    }
    Ok(None)
}

fn take_out_points(
    mesh: &Mesh,
    label: &[u32],
    held: &[bool],
    tolerance: f64,
    longest: f64,
    watch: &Watch,
) -> Result<Rebuilt, Cancelled> {
    let mut work = Work::of(mesh, label, tolerance, longest);
    let count = mesh.points.len();
    let mut left: Vec<u32> = (0..count as u32).filter(|p| !held[*p as usize]).collect();
    loop {
        let mut gone = 0;
        // Points beside one that went wait for the next round, so that what is left is spread evenly.
        let mut waits = vec![false; count];
        for (k, &p) in left.iter().enumerate() {
            if k.is_multiple_of(1 << 12) {
                watch.check()?;
            }
            if work.changed[p as usize] && !waits[p as usize] {
                work.changed[p as usize] = false;
                if let Some(beside) = work.take_out(p) {
                    gone += 1;
                    for q in beside {
                        (waits[q as usize], work.changed[q as usize]) = (true, true);
                    }
                }
            }
        }
        left.retain(|&p| !work.around[p as usize].is_empty());
        if gone * WORTH <= left.len() {
            break;
        }
    }
    Ok(work.into_mesh())
}

/// The points around one, most often few.
type Ring = SmallVec<[u32; 16]>;

struct Work<'a> {
    points: &'a [Point],
    label: &'a [u32],
    tolerance: f64,
    longest: f64,
    /// [`NONE`] for facets that are gone.
    triangles: Vec<[u32; 3]>,
    /// The facets at each point.
    around: Vec<SmallVec<[u32; 8]>>,
    /// Whether anything beside a point changed since it was looked at.
    changed: Vec<bool>,
    /// For each facet the first of the points that went and are nearest to it, and for each of these the next.
    first: Vec<u32>,
    next: Vec<u32>,
}

impl<'a> Work<'a> {
    fn of(mesh: &'a Mesh, label: &'a [u32], tolerance: f64, longest: f64) -> Work<'a> {
        let mut around = vec![SmallVec::new(); mesh.points.len()];
        for (f, t) in mesh.triangles.iter().enumerate() {
            t.iter().for_each(|p| around[*p as usize].push(f as u32));
        }
        Work {
            points: &mesh.points,
            label,
            tolerance,
            longest,
            triangles: mesh.triangles.clone(),
            changed: vec![true; around.len()],
            first: vec![NONE; mesh.triangles.len()],
            next: vec![NONE; around.len()],
            around,
        }
    }

    fn into_mesh(self) -> Rebuilt {
        let origin: Vec<u32> =
            (0..self.triangles.len() as u32).filter(|f| self.triangles[*f as usize][0] != NONE).collect();
        let mut mesh = Mesh {
            points: self.points.to_vec(),
            triangles: origin.iter().map(|f| self.triangles[*f as usize]).collect(),
        };
        mesh.drop_unused_points();
        Rebuilt { mesh, origin }
    }

    fn corners(&self, [a, b, c]: [u32; 3]) -> [Point; 3] {
        [a, b, c].map(|p| self.points[p as usize])
    }

    /// The points beside a point, in the order of its facets.
    fn beside(&self, p: u32) -> Ring {
        let mut all = SmallVec::new();
        for f in &self.around[p as usize] {
            all.extend(self.triangles[*f as usize].into_iter().filter(|q| *q != p));
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Draws a point into the best neighbour that may take it: the points that were beside it, or nothing done.
    fn take_out(&mut self, p: u32) -> Option<Ring> {
        let beside = self.beside(p);
        // One fan of facets, and enough of them to leave something.
        if beside.len() != self.around[p as usize].len() || beside.len() < 4 {
            return None;
        }
        let mut offers: SmallVec<[(f64, u32); 16]> = self
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
    fn shares_two(&self, p: u32, q: u32, beside: &[u32]) -> bool {
        let of_q = self.around[q as usize].iter().flat_map(|f| self.triangles[*f as usize]);
        // Each is met in two facets of q's fan.
        of_q.filter(|x| *x != p && *x != q && beside.contains(x)).count() == 4
    }

    /// The neighbours that a point may be drawn into: of one on the line between two labels those on the line, if the
    /// line stays where it is; of one where labels meet otherwise none.
    fn line_through(&self, p: u32, beside: &[u32]) -> Option<Ring> {
        let of = |f: &u32| self.label[*f as usize];
        let first = of(self.around[p as usize].first()?);
        if self.around[p as usize].iter().all(|f| of(f) == first) {
            return Some(beside.into());
        }
        let on_line = |q: &&u32| {
            let mut at = self.around[p as usize].iter().filter(|f| self.triangles[**f as usize].contains(q));
            at.next().map(of) != at.next().map(of)
        };
        let line: Ring = beside.iter().filter(on_line).copied().collect();
        let [a, b] = line[..] else { return None };
        let [a, b, at] = [a, b, p].map(|x| self.points[x as usize]);
        (distance(nearest_on_triangle(at, [a, b, b]), at) <= self.tolerance).then_some(line)
    }

    /// The facets of `p` that stay when it is drawn into `q`, as they will be.
    fn after(&self, p: u32, q: u32) -> impl Iterator<Item = (u32, [u32; 3])> {
        let stays = move |f: &&u32| !self.triangles[**f as usize].contains(&q);
        self.around[p as usize]
            .iter()
            .filter(stays)
            .map(move |&f| (f, self.triangles[f as usize].map(|x| if x == p { q } else { x })))
    }

    /// The worst shape of the facets after `p` is drawn into `q`, if they face as those around `p` did on the whole and
    /// are good enough, or at least no worse.
    fn shape_after(&self, p: u32, q: u32) -> Option<f64> {
        let shape = |[a, b, c]: [Point; 3]| {
            let side = distance(a, b).max(distance(b, c)).max(distance(c, a));
            (norm(area_vector(a, b, c)) / (side * side), side)
        };
        let (mut facing, mut worst_before) = ([0.0; 3], f64::INFINITY);
        for f in &self.around[p as usize] {
            let [a, b, c] = self.corners(self.triangles[*f as usize]);
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
    fn nearest_after(&self, p: u32, q: u32) -> Option<Vec<(u32, u32)>> {
        let after: SmallVec<[(u32, [Point; 3]); 16]> = self.after(p, q).map(|(f, t)| (f, self.corners(t))).collect();
        let limit = self.tolerance * self.tolerance;
        let nearest = |x: u32| {
            let at = self.points[x as usize];
            let off = |c: &[Point; 3]| {
                let by = sub(nearest_on_triangle(at, *c), at);
                dot(by, by)
            };
            let best = after.iter().map(|(f, c)| (off(c), *f)).min_by(|a, b| a.0.total_cmp(&b.0))?;
            (best.0 <= limit).then_some((x, best.1))
        };
        let mut out = vec![nearest(p)?];
        for &f in &self.around[p as usize] {
            let mut x = self.first[f as usize];
            while x != NONE {
                out.push(nearest(x)?);
                x = self.next[x as usize];
            }
        }
        Some(out)
    }

    fn draw(&mut self, p: u32, q: u32, nearest: Vec<(u32, u32)>) {
        for f in std::mem::take(&mut self.around[p as usize]) {
            self.first[f as usize] = NONE;
            let t = self.triangles[f as usize];
            if t.contains(&q) {
                self.triangles[f as usize] = [NONE; 3];
                t.iter().filter(|x| **x != p).for_each(|x| self.around[*x as usize].retain(|g| *g != f));
            } else {
                self.triangles[f as usize] = t.map(|x| if x == p { q } else { x });
                self.around[q as usize].push(f);
            }
        }
        for (x, f) in nearest {
            self.next[x as usize] = self.first[f as usize];
            self.first[f as usize] = x;
        }
    }
}
