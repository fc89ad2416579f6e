//! The facets of one face while they are made: a triangulation that can be refined and whose sides can be
//! turned.
//!
//! Starts from a constrained Delaunay triangulation of the face's polygon (the `spade` crate), then turns sides
//! by what the facets look like in space and adds points where the surface is too far away.

use crate::fineness::{from_chord, from_plane};
use hull_geometry::NONE;
use hull_geometry::vector::{V3, cross, dot, norm, sub};
use spade::{ConstrainedDelaunayTriangulation, Point2, Triangulation};
use std::collections::HashMap;

/// A point of the patch.
#[derive(Clone, Copy, Debug)]
pub struct Node {
    /// Place in the plane in which the patch is triangulated.
    pub xy: [f64; 2],
    /// In space.
    pub p: V3,
    /// What it is outside the patch: points with one key are one point. [`NONE`] for inner points.
    pub key: u32,
}

/// Triangles with their neighbours.
#[derive(Clone, Debug, Default)]
pub struct Patch {
    /// Points of the patch.
    pub nodes: Vec<Node>,
    /// Numbers of nodes.
    pub triangles: Vec<[u32; 3]>,
    /// The triangle across the side from corner k to corner k + 1; [`NONE`] at the polygon.
    pub across: Vec<[u32; 3]>,
}

/// The polygon crosses or touches itself where it must not.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Crossing;

type Cdt = ConstrainedDelaunayTriangulation<Point2<f64>>;

/// Joins the points on a line of one coordinate by sides where it runs inside.
fn join_along(cdt: &mut Cdt, (axis, at): (usize, f64), within: &[bool]) {
    let place = |p: Point2<f64>| if axis == 0 { [p.x, p.y] } else { [p.y, p.x] };
    let mut on: Vec<_> = cdt
        .vertices()
        .filter(|v| (place(v.position())[0] - at).abs() <= 1e-6 * at.abs().max(1e-6))
        .map(|v| (place(v.position())[1], v.fix()))
        .collect();
    on.sort_by(|a, b| a.0.total_cmp(&b.0));
    let inside = |cdt: &Cdt, s: f64| {
        use spade::PositionInTriangulation::{OnEdge, OnFace};
        let p = if axis == 0 { Point2::new(at, s) } else { Point2::new(s, at) };
        let known = |i: usize| within.get(i).copied().unwrap_or(false);
        match cdt.locate(p) {
            OnFace(face) => known(face.index()),
            OnEdge(edge) => {
                let edge = cdt.directed_edge(edge);
                [edge.face(), edge.rev().face()].iter().all(|f| f.as_inner().is_some_and(|f| known(f.index())))
            }
            _ => false,
        }
    };
    let sides: Vec<_> = on
        .windows(2)
        .filter(|w| w[1].0 > w[0].0 && inside(cdt, 0.5 * (w[0].0 + w[1].0)))
        .map(|w| (w[0].1, w[1].1))
        .collect();
    for (a, b) in sides {
        if cdt.can_add_constraint(a, b) {
            cdt.add_constraint(a, b);
        }
    }
}

impl Patch {
    /// Triangulates polygons (the first around the others, face on their left) with points in between.
    ///
    /// `inner` proposes points once the polygons stand: it is given whether a place is inside. Neighbours on one of the
    /// `creases` (the axis that stays the same, and its value) are joined by a side.
    ///
    /// # Errors
    /// [`Crossing`] if two sides cross.
    pub fn of(
        loops: &[Vec<Node>],
        creases: &[(usize, f64)],
        inner: impl FnOnce(&dyn Fn([f64; 2]) -> bool) -> Vec<Node>,
    ) -> Result<Patch, Crossing> {
        let mut cdt = Cdt::new();
        let mut nodes: Vec<Node> = Vec::new();
        let mut number: HashMap<usize, u32> = HashMap::new();
        let mut turns: HashMap<(usize, usize), i32> = HashMap::new();
        for l in loops {
            let mut handles = Vec::with_capacity(l.len());
            for n in l {
                let handle = cdt.insert(settled(n.xy)).map_err(|_| Crossing)?;
                match number.get(&handle.index()) {
                    // Two points of the polygon in one place: only what is one point in space may be.
                    Some(&known) if nodes[known as usize].key != n.key => return Err(Crossing),
                    Some(_) => {}
                    None => {
                        number.insert(handle.index(), nodes.len() as u32);
                        nodes.push(*n);
                    }
                }
                handles.push(handle);
            }
            for i in 0..handles.len() {
                let (a, b) = (handles[i], handles[(i + 1) % handles.len()]);
                if a == b {
                    continue;
                }
                if !cdt.can_add_constraint(a, b) {
                    return Err(Crossing);
                }
                cdt.add_constraint(a, b);
                if cdt.get_edge_from_neighbors(a, b).is_none() {
                    return Err(Crossing);
                }
                *turns.entry((a.index(), b.index())).or_default() += 1;
                *turns.entry((b.index(), a.index())).or_default() -= 1;
            }
        }
        let within = insides(&cdt, &turns);
        let is_inside = |xy: [f64; 2]| -> bool {
            use spade::PositionInTriangulation::OnFace;
            match cdt.locate(settled(xy)) {
                OnFace(face) => within.get(face.index()).copied().unwrap_or(false),
                _ => false,
            }
        };
        let extra = inner(&is_inside);
        for n in extra {
            let before = cdt.num_vertices();
            if let Ok(handle) = cdt.insert(settled(n.xy))
                && cdt.num_vertices() > before
            {
                number.insert(handle.index(), nodes.len() as u32);
                nodes.push(n);
            }
        }
        for crease in creases {
            let inner = insides(&cdt, &turns);
            join_along(&mut cdt, *crease, &inner);
        }
        let within = insides(&cdt, &turns);
        let of = |i: usize| number.get(&i).copied();
        let triangles = cdt
            .inner_faces()
            .filter(|f| within[f.index()])
            .filter_map(|f| {
                let [a, b, c] = f.vertices();
                Some([of(a.index())?, of(b.index())?, of(c.index())?])
            })
            .collect();
        let mut patch = Patch { nodes, triangles, across: Vec::new() };
        patch.find_neighbours();
        Ok(patch)
    }

    fn find_neighbours(&mut self) {
        let mut open: HashMap<(u32, u32), (u32, u32)> = HashMap::with_capacity(self.triangles.len() * 2);
        self.across = vec![[NONE; 3]; self.triangles.len()];
        for (t, corners) in self.triangles.iter().enumerate() {
            for k in 0..3 {
                let (a, b) = (corners[k], corners[(k + 1) % 3]);
                if let Some((o, j)) = open.remove(&(b, a)) {
                    self.across[t][k] = o;
                    self.across[o as usize][j as usize] = t as u32;
                } else {
                    open.insert((a, b), (t as u32, k as u32));
                }
            }
        }
    }

    /// The corners of a triangle in space.
    #[inline]
    pub fn corners(&self, t: u32) -> [V3; 3] {
        self.triangles[t as usize].map(|n| self.nodes[n as usize].p)
    }

    /// The corners of a triangle in the plane of the chart.
    #[inline]
    pub fn plane(&self, t: u32) -> [[f64; 2]; 3] {
        self.triangles[t as usize].map(|n| self.nodes[n as usize].xy)
    }

    /// Whether two corners are one point in space (at a pole).
    pub fn is_flat(&self, t: u32) -> bool {
        let [a, b, c] = self.triangles[t as usize].map(|n| self.nodes[n as usize]);
        let same = |x: &Node, y: &Node| x.key == y.key && x.key != NONE;
        same(&a, &b) || same(&b, &c) || same(&c, &a)
    }

    fn side_of(&self, t: u32, neighbour: u32) -> Option<usize> {
        self.across[t as usize].iter().position(|&n| n == neighbour)
    }

    fn relink(&mut self, t: u32, from: u32, to: u32) {
        if t != NONE
            && let Some(k) = self.side_of(t, from)
        {
            self.across[t as usize][k] = to;
        }
    }

    /// The four corners about side `k` of `t`: its ends, the corner of `t` and the one across.
    fn quad(&self, t: u32, k: usize) -> Option<(u32, usize, [u32; 4])> {
        let o = self.across[t as usize][k];
        if o == NONE {
            return None;
        }
        let c = self.triangles[t as usize];
        let j = self.triangles[o as usize].iter().position(|&n| n == c[(k + 1) % 3])?;
        let d = self.triangles[o as usize][(j + 2) % 3];
        Some((o, j, [c[k], c[(k + 1) % 3], c[(k + 2) % 3], d]))
    }

    /// The facet across side `k` of `t` and its corner away from that.
    pub fn opposite(&self, t: u32, k: usize) -> Option<(u32, V3)> {
        self.quad(t, k).map(|(o, _, [_, _, _, d])| (o, self.nodes[d as usize].p))
    }

    /// Turns side `k` of `t` if both new triangles stand upright in the plane, are no pole, and `better` says so
    /// (it gets the ends, then the two corners across). Returns the two triangles.
    pub fn turn(&mut self, t: u32, k: usize, better: &impl Fn(&[Node], [u32; 4]) -> bool) -> Option<[u32; 2]> {
        let (o, j, [a, b, c, d]) = self.quad(t, k)?;
        let (t_bc, t_ca) = (self.across[t as usize][(k + 1) % 3], self.across[t as usize][(k + 2) % 3]);
        let (o_ad, o_db) = (self.across[o as usize][(j + 1) % 3], self.across[o as usize][(j + 2) % 3]);
        // A corner of three triangles would be left with two.
        if (t_bc != NONE && t_bc == o_db) || (t_ca != NONE && t_ca == o_ad) {
            return None;
        }
        let node = |n: u32| &self.nodes[n as usize];
        let keys = [a, b, c, d].map(|n| node(n).key);
        for x in 0..4 {
            for y in x + 1..4 {
                if keys[x] == keys[y] && keys[x] != NONE {
                    return None;
                }
            }
        }
        let up = |p: u32, q: u32, r: u32| area2(node(p).xy, node(q).xy, node(r).xy);
        let whole = up(a, b, c) + up(b, a, d);
        if up(a, d, c).min(up(d, b, c)) <= 1e-4 * whole || !better(&self.nodes, [a, b, c, d]) {
            return None;
        }
        self.triangles[t as usize] = [a, d, c];
        self.across[t as usize] = [o_ad, o, t_ca];
        self.triangles[o as usize] = [d, b, c];
        self.across[o as usize] = [o_db, t_bc, t];
        self.relink(o_ad, o, t);
        self.relink(t_bc, t, o);
        Some([t, o])
    }

    /// Turns sides until none gets better, or `rounds` times over those listed.
    pub fn settle(
        &mut self,
        mut list: Vec<u32>,
        rounds: usize,
        better: &impl Fn(&[Node], [u32; 4]) -> bool,
    ) -> Vec<u32> {
        let mut touched = Vec::new();
        let mut left = list.len() * rounds;
        while let Some(t) = list.pop() {
            if left == 0 {
                break;
            }
            left -= 1;
            for k in 0..3 {
                if let Some(pair) = self.turn(t, k, better) {
                    touched.extend(pair);
                    list.extend(pair);
                    list.extend(pair.iter().flat_map(|&t| self.across[t as usize]).filter(|&n| n != NONE));
                    break;
                }
            }
        }
        touched
    }

    /// Puts a point into triangle `t`; returns the three triangles.
    pub fn split_triangle(&mut self, t: u32, node: Node) -> [u32; 3] {
        let n = self.push(node);
        let [a, b, c] = self.triangles[t as usize];
        let [ab, bc, ca] = self.across[t as usize];
        let (x, y) = (self.triangles.len() as u32, self.triangles.len() as u32 + 1);
        self.triangles[t as usize] = [a, b, n];
        self.across[t as usize] = [ab, x, y];
        self.triangles.push([b, c, n]);
        self.across.push([bc, y, t]);
        self.triangles.push([c, a, n]);
        self.across.push([ca, t, x]);
        self.relink(bc, t, x);
        self.relink(ca, t, y);
        [t, x, y]
    }

    /// Puts a point on side `k` of `t`, which has a neighbour; returns the four triangles.
    pub fn split_side(&mut self, t: u32, k: usize, node: Node) -> Option<[u32; 4]> {
        let (o, j, [a, b, c, d]) = self.quad(t, k)?;
        let n = self.push(node);
        let t_bc = self.across[t as usize][(k + 1) % 3];
        let t_ca = self.across[t as usize][(k + 2) % 3];
        let o_ad = self.across[o as usize][(j + 1) % 3];
        let o_db = self.across[o as usize][(j + 2) % 3];
        let (x, y) = (self.triangles.len() as u32, self.triangles.len() as u32 + 1);
        self.triangles[t as usize] = [a, n, c];
        self.across[t as usize] = [y, x, t_ca];
        self.triangles.push([n, b, c]);
        self.across.push([o, t_bc, t]);
        self.triangles[o as usize] = [b, n, d];
        self.across[o as usize] = [x, y, o_db];
        self.triangles.push([n, a, d]);
        self.across.push([t, o_ad, o]);
        self.relink(t_bc, t, x);
        self.relink(o_ad, o, y);
        Some([t, x, o, y])
    }

    /// Lets points become others; facets that lose a corner by it go, and points that none is left at.
    pub fn draw_together(&mut self, becomes: &[u32]) {
        for t in &mut self.triangles {
            *t = t.map(|n| becomes[n as usize]);
        }
        self.triangles.retain(|[a, b, c]| a != b && b != c && c != a);
        let mut number = vec![NONE; self.nodes.len()];
        let mut kept = Vec::with_capacity(self.nodes.len());
        for n in self.triangles.iter_mut().flatten() {
            if number[*n as usize] == NONE {
                number[*n as usize] = kept.len() as u32;
                kept.push(self.nodes[*n as usize]);
            }
            *n = number[*n as usize];
        }
        self.nodes = kept;
        self.find_neighbours();
    }

    fn push(&mut self, node: Node) -> u32 {
        self.nodes.push(node);
        self.nodes.len() as u32 - 1
    }

    /// Whether a triangle runs as the plane does.
    pub fn is_upright(&self, t: u32) -> bool {
        let [a, b, c] = self.plane(t);
        area2(a, b, c) > 0.0
    }
}

/// spade refuses numbers too small to multiply; they are zero beside a plane of size one.
fn settled([x, y]: [f64; 2]) -> Point2<f64> {
    let settle = |v: f64| if v.abs() < 1e-30 { 0.0 } else { v };
    Point2::new(settle(x), settle(y))
}

/// Which faces lie inside: how often the polygons run round each, told from outside inwards.
fn insides(cdt: &Cdt, turns: &HashMap<(usize, usize), i32>) -> Vec<bool> {
    let faces = cdt.num_all_faces();
    let mut winding: Vec<Option<i32>> = vec![None; faces];
    let outer = cdt.outer_face();
    winding[outer.index()] = Some(0);
    let mut list: Vec<_> = cdt.convex_hull().map(|e| e.rev()).collect();
    // Hull edges seen from inside; from there over every edge once.
    let mut at = 0;
    while at < list.len() {
        let edge = list[at];
        at += 1;
        let face = edge.face();
        if face.is_outer() || winding[face.index()].is_some() {
            continue;
        }
        // `edge` has `face` on its left; the face on its right is known.
        let beyond = edge.rev().face();
        let known = winding[beyond.index()].unwrap_or(0);
        winding[face.index()] = Some(known + crossing(cdt, turns, edge));
        list.extend([edge, edge.next(), edge.prev()].map(|e| e.rev()));
    }
    winding.into_iter().map(|w| w.unwrap_or(0) > 0).collect()
}

type Directed<'a> = spade::handles::DirectedEdgeHandle<'a, Point2<f64>, (), spade::CdtEdge<()>, ()>;

/// What is gained by stepping over `edge` to its left.
fn crossing(cdt: &Cdt, turns: &HashMap<(usize, usize), i32>, edge: Directed) -> i32 {
    if !cdt.is_constraint_edge(edge.as_undirected().fix()) {
        return 0;
    }
    turns.get(&(edge.from().index(), edge.to().index())).copied().unwrap_or(0)
}

/// Twice the signed area.
#[inline]
pub fn area2(a: [f64; 2], b: [f64; 2], c: [f64; 2]) -> f64 {
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}

/// The cosine of the least angle of a triangle: less is better.
pub fn sharpest([a, b, c]: [V3; 3]) -> f64 {
    let at = |p: V3, q: V3, r: V3| {
        let (x, y) = (sub(q, p), sub(r, p));
        let l = norm(x) * norm(y);
        if l > 0.0 { dot(x, y) / l } else { 1.0 }
    };
    at(a, b, c).max(at(b, c, a)).max(at(c, a, b))
}

/// Distance of a point of the surface from a facet, the nearest of its inside and its sides.
pub fn from_facet(p: V3, [a, b, c]: [V3; 3]) -> f64 {
    let n = cross(sub(b, a), sub(c, a));
    let over = |x: V3, y: V3| dot(cross(sub(y, x), sub(p, x)), n) >= 0.0;
    if dot(n, n) > 0.0 && over(a, b) && over(b, c) && over(c, a) {
        return from_plane(p, [a, b, c]);
    }
    from_chord(p, a, b).min(from_chord(p, b, c)).min(from_chord(p, c, a))
}
