//! How near two surfaces come to each other: both trees of boxes are gone down together, the nearer pair first, and pairs
//! that cannot come nearer than what was found are left out (branch and bound). Exact but for rounding.

use crate::mesh::{Mesh, Point};
use crate::nearest::nearest_on_triangle;
use crate::search::tree::{Box3, FacetTree};
use crate::vector::{V3, add, cross, dot, scale, sub};
use smallvec::{SmallVec, smallvec};

/// The nearest places of two surfaces.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Clearance {
    /// Zero where they meet.
    pub distance: f64,
    /// On the first surface.
    pub from: Point,
    /// On the second, where it is placed.
    pub to: Point,
}

/// Where a surface is placed: turned by the rows of a rotation, then shifted.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placed {
    /// Rows of the rotation.
    pub rotation: [V3; 3],
    /// Added afterwards.
    pub shift: V3,
}

impl Placed {
    /// As it is.
    pub const HERE: Placed = Placed { rotation: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]], shift: [0.0; 3] };

    fn point(&self, p: Point) -> Point {
        add(self.rotation.map(|row| dot(row, p)), self.shift)
    }

    /// The box around a box that is placed.
    fn around(&self, b: &Box3) -> Box3 {
        let half = scale(sub(b[1], b[0]), 0.5);
        let middle = self.point(add(b[0], half));
        let reach = self.rotation.map(|row| dot(row.map(f64::abs), half));
        [sub(middle, reach), add(middle, reach)]
    }
}

/// A surface with the tree over its facets.
#[derive(Clone, Copy)]
pub struct Surface<'a> {
    /// Points and facets.
    pub mesh: &'a Mesh,
    /// Of that mesh.
    pub tree: &'a FacetTree,
}

/// The nearest places of `a` and of `b` where it is placed, if they come nearer than `within`.
pub fn clearance(a: Surface, b: Surface, placed: &Placed, within: f64) -> Option<Clearance> {
    if a.mesh.triangles.is_empty() || b.mesh.triangles.is_empty() {
        return None;
    }
    let mut best: Option<Clearance> = None;
    let mut least = within * within;
    let apart = |i: usize, j: usize| apart2(a.tree.node_box(i), &placed.around(b.tree.node_box(j)));
    let mut waiting: SmallVec<[(f64, usize, usize); 64]> = smallvec![(apart(1, 1), 1, 1)];
    while let Some((bound, i, j)) = waiting.pop() {
        if bound >= least {
            continue;
        }
        let (own, other) = (a.tree.facets_of_node(i), b.tree.facets_of_node(j));
        if let (Some(own), Some(other)) = (own, other) {
            for g in other {
                let u = b.mesh.corners(*g).map(|p| placed.point(p));
                let around_u = around(&u);
                for f in own {
                    let t = a.mesh.corners(*f);
                    if apart2(&around(&t), &around_u) >= least {
                        continue;
                    }
                    let (d2, from, to) = nearest_of_triangles(&t, &u);
                    if d2 < least {
                        least = d2;
                        best = Some(Clearance { distance: d2.sqrt(), from, to });
                        if d2 == 0.0 {
                            return best;
                        }
                    }
                }
            }
            continue;
        }
        // The larger of the two is opened.
        let opens_own = other.is_some() || (own.is_none() && extent(a.tree.node_box(i)) >= extent(b.tree.node_box(j)));
        let below = |k: usize| if opens_own { (apart(k, j), k, j) } else { (apart(i, k), i, k) };
        let node = if opens_own { i } else { j };
        let (first, second) = (below(2 * node), below(2 * node + 1));
        let (near, far) = if first.0 <= second.0 { (first, second) } else { (second, first) };
        waiting.extend([far, near].into_iter().filter(|w| w.0 < least));
    }
    best
}

fn extent(b: &Box3) -> f64 {
    let size = sub(b[1], b[0]);
    dot(size, size)
}

fn around([a, b, c]: &[Point; 3]) -> Box3 {
    [[0, 1, 2].map(|k| a[k].min(b[k]).min(c[k])), [0, 1, 2].map(|k| a[k].max(b[k]).max(c[k]))]
}

/// The square of how far two boxes are apart; infinite where one holds nothing.
fn apart2(a: &Box3, b: &Box3) -> f64 {
    if a[0][0] > a[1][0] || b[0][0].is_nan() || b[0][0] > b[1][0] {
        return f64::INFINITY;
    }
    (0..3)
        .map(|k| {
            let off = (a[0][k] - b[1][k]).max(b[0][k] - a[1][k]).max(0.0);
            off * off
        })
        .sum()
}

/// The square of the distance of two triangles, with the nearest places: where they do not meet it is that of a corner from
/// the other triangle or of two edges (C. Ericson, Real-Time Collision Detection, 2005, 5.1.10).
fn nearest_of_triangles(t: &[Point; 3], u: &[Point; 3]) -> (f64, Point, Point) {
    let mut best = (f64::INFINITY, t[0], u[0]);
    let mut look = |from: Point, to: Point| {
        let d = sub(from, to);
        let d2 = dot(d, d);
        if d2 < best.0 {
            best = (d2, from, to);
        }
    };
    for k in 0..3 {
        let (own, other) = ([t[k], t[(k + 1) % 3]], [u[k], u[(k + 1) % 3]]);
        if let Some(p) = pierced(own, u) {
            return (0.0, p, p);
        }
        if let Some(p) = pierced(other, t) {
            return (0.0, p, p);
        }
        look(t[k], nearest_on_triangle(t[k], *u));
        look(nearest_on_triangle(u[k], *t), u[k]);
        for l in 0..3 {
            let (p, q) = nearest_of_segments(own, [u[l], u[(l + 1) % 3]]);
            look(p, q);
        }
    }
    best
}

/// Where a segment goes through a triangle (T. Möller and B. Trumbore, 1997).
fn pierced([from, to]: [Point; 2], [a, b, c]: &[Point; 3]) -> Option<Point> {
    let along = sub(to, from);
    let (u, v) = (sub(*b, *a), sub(*c, *a));
    let p = cross(along, v);
    let det = dot(u, p);
    if det == 0.0 {
        return None;
    }
    let off = sub(from, *a);
    let q = cross(off, u);
    let (s, t, at) = (dot(off, p) / det, dot(along, q) / det, dot(v, q) / det);
    (s >= 0.0 && t >= 0.0 && s + t <= 1.0 && (0.0..=1.0).contains(&at)).then(|| add(from, scale(along, at)))
}

/// The nearest places of two segments (C. Ericson, 2005, 5.1.9).
fn nearest_of_segments([p, p1]: [Point; 2], [q, q1]: [Point; 2]) -> (Point, Point) {
    let (d, e, r) = (sub(p1, p), sub(q1, q), sub(p, q));
    let (a, b, f) = (dot(d, d), dot(e, e), dot(e, r));
    let share = |x: f64, of: f64| if of > 0.0 { (x / of).clamp(0.0, 1.0) } else { 0.0 };
    let (c, m) = (dot(d, r), dot(d, e));
    let across = a * b - m * m;
    // Parallel ones are as near at every place: any will do to begin with.
    let mut s = if across > 0.0 { ((m * f - c * b) / across).clamp(0.0, 1.0) } else { 0.0 };
    let mut t = if b > 0.0 { (m * s + f) / b } else { 0.0 };
    if !(0.0..=1.0).contains(&t) {
        t = t.clamp(0.0, 1.0);
        s = share(m * t - c, a);
    } else if b == 0.0 {
        s = share(-c, a);
    }
    (add(p, scale(d, s)), add(q, scale(e, t)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes::{cuboid, sphere};
    use proptest::prelude::*;

    /// A rotation from any quaternion.
    fn turned([w, x, y, z]: [f64; 4], shift: V3) -> Placed {
        let n = (w * w + x * x + y * y + z * z).sqrt();
        let columns = crate::splats::columns([w / n, x / n, y / n, z / n]);
        Placed { rotation: [0, 1, 2].map(|i| columns.map(|c| c[i])), shift }
    }

    proptest! {
        /// What the trees leave out is no nearer than what they find: every pair of facets, one by one.
        #[test]
        fn the_trees_find_what_looking_at_all_pairs_finds(
            size in prop::array::uniform3(0.1..2.0_f64), radius in 0.2..1.5_f64,
            turn in prop::array::uniform4(-1.0..1.0_f64).prop_filter("a turn", |q| q.iter().map(|x| x * x).sum::<f64>() > 0.01),
            shift in prop::array::uniform3(-3.0..3.0_f64),
        ) {
            let (a, b) = (cuboid(size), sphere(radius, 12, 8));
            let (ta, tb) = (FacetTree::of(&a), FacetTree::of(&b));
            let placed = turned(turn, shift);
            let (a, b) = (Surface { mesh: &a, tree: &ta }, Surface { mesh: &b, tree: &tb });
            let found = clearance(a, b, &placed, f64::INFINITY).expect("both have facets");
            let all = a.mesh.triangles.keys()
                .flat_map(|f| b.mesh.triangles.keys().map(move |g| (f, g)))
                .map(|(f, g)| nearest_of_triangles(&a.mesh.corners(f), &b.mesh.corners(g).map(|p| placed.point(p))).0);
            let least = all.fold(f64::INFINITY, f64::min).sqrt();
            prop_assert!((found.distance - least).abs() < 1e-12, "{} {least}", found.distance);
            let off = sub(found.from, found.to);
            prop_assert!((dot(off, off).sqrt() - found.distance).abs() < 1e-12);
            prop_assert!(clearance(a, b, &placed, 0.9 * least).is_none());
            // A ball's centre against the box: no nearer than the ball itself, no farther than its facets' sagitta.
            let centre = placed.point([0.0; 3]);
            let own = [0, 1, 2].map(|k| (-centre[k]).max(centre[k] - size[k]).max(0.0));
            let ball = dot(own, own).sqrt() - radius;
            if ball > 0.0 {
                prop_assert!(found.distance >= ball - 1e-12 && found.distance <= ball + 0.3 * radius);
            }
        }
    }
}
