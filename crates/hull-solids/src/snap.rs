//! Facets without height that rounding left, taken out whatever stands around them.
//!
//! Where [`hull_geometry::thin`] would join parts of the surface that were apart, it leaves a thin facet alone. Here it goes
//! all the same: short sides are drawn together, and a cap goes by cutting what stands beyond its long side at its tip. The
//! surface stays one without a rim, but sides may have four facets afterwards; cutting it once more takes those apart.
//! After J. Hobby, *Practical segment intersection with finite precision output*, 1999, whose pixels are a tolerance here.

use hull_geometry::sets::Sets;
use hull_geometry::thin::height;
use hull_geometry::vector::distance;
use hull_geometry::{FacetId, Mesh, Point, PointId, Rebuilt};
use std::collections::{HashMap, VecDeque};
use typed_index_collections::{TiSlice, TiVec};

/// So many facets are looked at for each that was thin at first; what is still thin then stays.
const PATIENCE: usize = 64;

/// The mesh without those of the facets `thin` that are lower than `tolerance`, as far as it can be done.
pub fn snap(mesh: &Mesh, thin: &[FacetId], tolerance: f64) -> Rebuilt {
    let drawn = draw_together(mesh, thin, tolerance);
    let mut work = Work::of(mesh, &drawn);
    let mut queue: VecDeque<FacetId> = thin.iter().copied().collect();
    let mut left = PATIENCE * queue.len();
    while let Some(f) = queue.pop_front().filter(|_| left > 0) {
        left -= 1;
        if let Some(t) = work.facets[f]
            && height(t.map(|p| mesh.points[p])) <= tolerance
        {
            queue.extend(work.cut_beyond(f, t, mesh));
        }
    }
    work.finish(mesh)
}

/// For each point the lowest-numbered of those that short sides of thin facets draw it together with.
fn draw_together(mesh: &Mesh, thin: &[FacetId], tolerance: f64) -> TiVec<PointId, PointId> {
    let sets = Sets::new(mesh.points.len());
    for t in thin.iter().map(|f| mesh.triangles[*f]) {
        for k in 0..3 {
            let (p, q) = (t[k], t[(k + 1) % 3]);
            if distance(mesh.points[p], mesh.points[q]) <= tolerance {
                sets.unite(p.0, q.0);
            }
        }
    }
    mesh.points.keys().map(|p| PointId(sets.root(p.0))).collect()
}

struct Work {
    /// Facets; `None` for those that went.
    facets: TiVec<FacetId, Option<[PointId; 3]>>,
    origin: TiVec<FacetId, FacetId>,
    /// The facets at each side, by its ends in order; facets that went stay listed.
    at: HashMap<[PointId; 2], Vec<FacetId>>,
}

impl Work {
    fn of(mesh: &Mesh, drawn: &TiSlice<PointId, PointId>) -> Work {
        let mut work = Work { facets: TiVec::new(), origin: TiVec::new(), at: HashMap::new() };
        for (f, t) in mesh.triangles.iter_enumerated() {
            let t = t.map(|p| drawn[p]);
            let stands = t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
            work.facets.push(stands.then_some(t));
            work.origin.push(f);
            if stands {
                work.list(f, t);
            }
        }
        work
    }

    fn list(&mut self, f: FacetId, t: [PointId; 3]) {
        for k in 0..3 {
            let (p, q) = (t[k], t[(k + 1) % 3]);
            self.at.entry([p.min(q), p.max(q)]).or_default().push(f);
        }
    }

    /// Takes a cap out: every other facet on its longest side is cut at its tip. Gives the facets that were made.
    fn cut_beyond(&mut self, f: FacetId, t: [PointId; 3], mesh: &Mesh) -> Vec<FacetId> {
        let side = |k: usize| distance(mesh.points[t[k]], mesh.points[t[(k + 1) % 3]]);
        let longest = (1..3).fold(0, |m, k| if side(k) > side(m) { k } else { m });
        let (a, b, tip) = (t[longest], t[(longest + 1) % 3], t[(longest + 2) % 3]);
        self.facets[f] = None;
        let beyond = self.at.get(&[a.min(b), a.max(b)]).cloned().unwrap_or_default();
        let mut made = Vec::new();
        for g in beyond {
            let Some(s) = self.facets[g] else { continue };
            let Some(k) = (0..3).find(|&k| [s[k], s[(k + 1) % 3]] == [a, b] || [s[k], s[(k + 1) % 3]] == [b, a]) else {
                continue;
            };
            let (p, q, r) = (s[k], s[(k + 1) % 3], s[(k + 2) % 3]);
            self.facets[g] = None;
            // The facet on the cap's other face goes with it.
            if r != tip {
                made.extend([[p, tip, r], [tip, q, r]].map(|t| self.add(t, self.origin[g])));
            }
        }
        made
    }

    fn add(&mut self, t: [PointId; 3], origin: FacetId) -> FacetId {
        let f = self.facets.push_and_get_key(Some(t));
        self.origin.push(origin);
        self.list(f, t);
        f
    }

    fn finish(self, mesh: &Mesh) -> Rebuilt {
        let left = self.facets.into_iter().zip(self.origin).filter_map(|(t, origin)| Some((t?, origin)));
        without_backs(mesh.points.clone(), left)
    }
}

/// The surface of facets with their origins, without pairs of them that are each other's backs.
pub fn without_backs(points: TiVec<PointId, Point>, facets: impl Iterator<Item = ([PointId; 3], FacetId)>) -> Rebuilt {
    let mut left: Vec<Option<([PointId; 3], FacetId)>> = Vec::new();
    // For each three points the facets that run either way and have no back yet.
    let mut standing: HashMap<[PointId; 3], [Vec<usize>; 2]> = HashMap::new();
    for (f, (t, origin)) in facets.enumerate() {
        let least = (1..3).fold(0, |m, k| if t[k] < t[m] { k } else { m });
        let [p, q, r] = [t[least], t[(least + 1) % 3], t[(least + 2) % 3]];
        let way = usize::from(q < r);
        let sides = standing.entry([p, q.min(r), q.max(r)]).or_default();
        match sides[1 - way].pop() {
            Some(back) => {
                left[back] = None;
                left.push(None);
            }
            None => {
                sides[way].push(f);
                left.push(Some((t, origin)));
            }
        }
    }
    let (triangles, origin) = left.into_iter().flatten().unzip();
    let mut mesh = Mesh { points, triangles };
    mesh.drop_unused_points();
    Rebuilt { mesh, origin }
}
