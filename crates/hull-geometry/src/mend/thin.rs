//! Needles and caps: facets lower than a tolerance, taken out without moving the surface further than that.
//!
//! A needle's short edge is drawn together; a cap's long edge is turned into the other diagonal. Neither is done where
//! it would turn a neighbour over, or join parts of the surface that were apart (the link condition of T. Dey et al.,
//! *Topology preserving edge contraction*, 1999).

use crate::mesh::{FacetId, Mesh, Point, PointId, Rebuilt};
use crate::vector::{area_vector, distance, dot, norm};
use crate::watch::{Cancelled, Watch};
use std::collections::VecDeque;
use typed_index_collections::{TiVec, ti_vec};

/// What was done.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Mended {
    /// Short edges drawn together.
    pub drawn: usize,
    /// Long edges of caps turned.
    pub turned: usize,
    /// Thin facets that could not be taken out.
    pub left: usize,
    /// The furthest any point moved.
    pub largest_move: f64,
}

/// The height of a triangle over its longest side, the length of its shortest, and the corner the longest begins at.
fn shape(c: [Point; 3]) -> (f64, f64, usize) {
    let sides = [0, 1, 2].map(|k| distance(c[k], c[(k + 1) % 3]));
    let longest = (0..3).fold(0, |m, k| if sides[k] > sides[m] { k } else { m });
    let shortest = sides.into_iter().fold(f64::INFINITY, f64::min);
    let height = if sides[longest] > 0.0 { norm(area_vector(c[0], c[1], c[2])) / sides[longest] } else { 0.0 };
    (height, shortest, longest)
}

/// The height of a triangle over its longest side.
pub fn height(corners: [Point; 3]) -> f64 {
    shape(corners).0
}

/// How many facets are lower than `tolerance`.
pub fn count_thin(mesh: &Mesh, tolerance: f64) -> usize {
    mesh.triangles.keys().filter(|&f| shape(mesh.corners(f)).0 <= tolerance).count()
}

/// Takes out facets lower than `tolerance`; no point moves further than that over all. Facets for which `only` does not
/// hold are not looked at.
///
/// # Errors
/// [`Cancelled`].
pub fn mend_thin(
    mesh: &Mesh,
    tolerance: f64,
    only: impl Fn(FacetId) -> bool,
    watch: &Watch,
) -> Result<(Rebuilt, Mended), Cancelled> {
    let mut work = Work::new(mesh, tolerance);
    let mut queue: VecDeque<FacetId> = mesh.triangles.keys().filter(|&f| only(f) && work.is_thin(f)).collect();
    let mut tries = ti_vec![0_u8; if queue.is_empty() { 0 } else { mesh.triangles.len() }];
    let mut done = 0_usize;
    while let Some(f) = queue.pop_front() {
        done += 1;
        if done.is_multiple_of(1024) {
            watch.report(done as f64 / (done + queue.len()) as f64, "drawing short edges together")?;
        }
        if !work.is_thin(f) || tries[f] > 8 {
            continue;
        }
        tries[f] += 1;
        match work.mend(f) {
            Some(touched) => queue.extend(touched),
            // What is beside it may free it.
            None if tries[f] < 3 => queue.push_back(f),
            None => {}
        }
    }
    Ok(work.finish(only))
}

struct Work {
    tolerance: f64,
    points: TiVec<PointId, Point>,
    triangles: TiVec<FacetId, [PointId; 3]>,
    /// Facets at each point; facets taken out stay listed.
    at: TiVec<PointId, Vec<FacetId>>,
    gone: TiVec<FacetId, bool>,
    moved: TiVec<PointId, f64>,
    mended: Mended,
}

impl Work {
    fn new(mesh: &Mesh, tolerance: f64) -> Work {
        let mut at: TiVec<PointId, Vec<FacetId>> = ti_vec![Vec::new(); mesh.points.len()];
        for (f, t) in mesh.triangles.iter_enumerated() {
            t.iter().for_each(|&p| at[p].push(f));
        }
        Work {
            tolerance,
            points: mesh.points.clone(),
            triangles: mesh.triangles.clone(),
            at,
            gone: ti_vec![false; mesh.triangles.len()],
            moved: ti_vec![0.0; mesh.points.len()],
            mended: Mended::default(),
        }
    }

    fn corners(&self, f: FacetId) -> [Point; 3] {
        self.triangles[f].map(|p| self.points[p])
    }

    fn is_thin(&self, f: FacetId) -> bool {
        !self.gone[f] && shape(self.corners(f)).0 <= self.tolerance
    }

    /// The facets at a point.
    fn facets(&self, p: PointId) -> impl Iterator<Item = FacetId> {
        self.at[p].iter().copied().filter(move |&f| !self.gone[f] && self.triangles[f].contains(&p))
    }

    fn at_edge(&self, a: PointId, b: PointId) -> Vec<FacetId> {
        self.facets(a).filter(|&f| self.triangles[f].contains(&b)).collect()
    }

    /// Takes one thin facet out; gives the facets that changed.
    fn mend(&mut self, f: FacetId) -> Option<Vec<FacetId>> {
        let t = self.triangles[f];
        let (_, shortest, longest) = shape(self.corners(f));
        let (a, b, c) = (t[longest], t[(longest + 1) % 3], t[(longest + 2) % 3]);
        if shortest <= self.tolerance {
            let near = |p: PointId, q: PointId| distance(self.points[p], self.points[q]);
            let mut sides = [[a, b], [b, c], [c, a]];
            sides.sort_by(|x, y| near(x[0], x[1]).total_cmp(&near(y[0], y[1])));
            let ends = sides[0];
            return self
                .draw(ends[0], ends[1])
                .or_else(|| self.draw(ends[1], ends[0]))
                .or_else(|| self.turn(f, a, b, c));
        }
        self.turn(f, a, b, c)
    }

    /// Draws point `from` onto `to`.
    fn draw(&mut self, from: PointId, to: PointId) -> Option<Vec<FacetId>> {
        let shared = self.at_edge(from, to);
        let way = distance(self.points[from], self.points[to]);
        let far = self.moved[from] + way;
        if far > self.tolerance || shared.len() > 2 {
            return None;
        }
        // A point of the rim is drawn along the rim only.
        if shared.len() == 2 && self.is_on_rim(from) {
            return None;
        }
        let around = |p: PointId| -> Vec<PointId> {
            let mut list: Vec<PointId> = self.facets(p).flat_map(|f| self.triangles[f]).filter(|&q| q != p).collect();
            list.sort_unstable();
            list.dedup();
            list
        };
        let across: Vec<PointId> =
            shared.iter().filter_map(|&f| self.triangles[f].into_iter().find(|&p| p != from && p != to)).collect();
        let other = around(to);
        let common = around(from).into_iter().filter(|p| other.binary_search(p).is_ok()).count();
        if common != across.len() {
            return None;
        }
        let kept: Vec<FacetId> = self.facets(from).filter(|f| !shared.contains(f)).collect();
        let place = self.points[to];
        for &g in &kept {
            let before = self.corners(g);
            let t = self.triangles[g];
            let after = [0, 1, 2].map(|k| if t[k] == from { place } else { before[k] });
            // What was thin has no direction to speak of.
            if shape(before).0 <= self.tolerance {
                continue;
            }
            let (n, m) = (area_vector(before[0], before[1], before[2]), area_vector(after[0], after[1], after[2]));
            if dot(n, m) <= 0.5 * norm(n) * norm(m) {
                return None;
            }
        }
        shared.iter().for_each(|&f| self.gone[f] = true);
        for &g in &kept {
            for p in self.triangles[g].iter_mut().filter(|p| **p == from) {
                *p = to;
            }
            self.at[to].push(g);
        }
        self.moved[to] = self.moved[to].max(far);
        self.mended.drawn += 1;
        self.mended.largest_move = self.mended.largest_move.max(far);
        Some(kept)
    }

    fn is_on_rim(&self, p: PointId) -> bool {
        let mut others: Vec<PointId> = self.facets(p).flat_map(|f| self.triangles[f]).filter(|&q| q != p).collect();
        others.sort_unstable();
        others.chunk_by(|a, b| a == b).any(|run| run.len() != 2)
    }

    /// Turns the edge `a b` of facet `f`, whose third corner `c` lies nearly on it.
    fn turn(&mut self, f: FacetId, a: PointId, b: PointId, c: PointId) -> Option<Vec<FacetId>> {
        let shared = self.at_edge(a, b);
        let [g] = shared.iter().copied().filter(|&g| g != f).collect::<Vec<_>>()[..] else { return None };
        let t = self.triangles[g];
        let k = (0..3).find(|&k| t[k] == b && t[(k + 1) % 3] == a)?;
        let d = t[(k + 2) % 3];
        if c == d {
            return None;
        }
        let standing = self.at_edge(c, d);
        if !standing.is_empty() {
            // Turned, one half would be the back of a facet that stands there: a flap without thickness, if its tip has
            // no other facets. It goes as a whole.
            for (tip, rest) in [(a, [d, b, c]), (b, [a, d, c])] {
                if let Some(&h) = standing.iter().find(|&&h| self.triangles[h].contains(&tip))
                    && self.facets(tip).count() == 3
                {
                    self.gone[f] = true;
                    self.gone[h] = true;
                    self.triangles[g] = rest;
                    rest.iter().for_each(|&p| self.list(p, g));
                    self.mended.turned += 1;
                    return Some(vec![g]);
                }
            }
            return None;
        }
        let p = |i: PointId| self.points[i];
        let normal = area_vector(p(b), p(a), p(d));
        let made = [[a, d, c], [d, b, c]];
        let flat = shape(self.corners(g)).0 <= self.tolerance;
        for m in made {
            let n = area_vector(p(m[0]), p(m[1]), p(m[2]));
            if !flat && dot(n, normal) < 0.0 && shape(m.map(p)).0 > self.tolerance {
                return None;
            }
        }
        self.triangles[f] = made[0];
        self.triangles[g] = made[1];
        for x in [f, g] {
            for p in self.triangles[x] {
                self.list(p, x);
            }
        }
        self.mended.turned += 1;
        Some(vec![f, g])
    }

    fn list(&mut self, p: PointId, f: FacetId) {
        if !self.at[p].contains(&f) {
            self.at[p].push(f);
        }
    }

    fn finish(mut self, only: impl Fn(FacetId) -> bool) -> (Rebuilt, Mended) {
        self.mended.left = self.triangles.keys().filter(|&f| only(f) && self.is_thin(f)).count();
        let mut out = Rebuilt { mesh: Mesh { points: self.points, triangles: TiVec::new() }, origin: TiVec::new() };
        for (f, t) in self.triangles.into_iter_enumerated().filter(|(f, _)| !self.gone[*f]) {
            out.mesh.triangles.push(t);
            out.origin.push(f);
        }
        out.mesh.drop_unused_points();
        debug_assert!(!out.origin.contains(&FacetId::NONE));
        (out, self.mended)
    }
}
