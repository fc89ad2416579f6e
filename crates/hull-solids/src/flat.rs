//! Triangulation of a plane with lines that must stand in it, exactly.
//!
//! Points are inserted one after another and sides turned towards Delaunay's condition (C. L. Lawson, 1977); lines are
//! brought in by turning the sides they cross (S. W. Sloan, 1993). Where two lines cross, the place is made and both are
//! cut there. All turns are exact, so every triangle has an area and no line is missed; only which of two good sides
//! stands is decided by doubles.

use crate::exact_point::{ExactPoint, Grid, on_lines, turn, turn_by_doubles, turn_exactly, where_three_meet};
use hull_geometry::vector::{cross, dot, norm, sub};
use hull_geometry::{FacetId, Mesh, NONE, Point};
use smallvec::{SmallVec, smallvec};
use std::collections::VecDeque;

/// A triangulation of part of one plane, seen along `axis`.
pub struct Flat<'a> {
    grid: Grid,
    mesh: &'a Mesh,
    plane: [Point; 3],
    axis: usize,
    pub places: Vec<ExactPoint>,
    /// Corners, anticlockwise seen along the axis.
    pub triangles: Vec<[u32; 3]>,
    /// Across the side from corner `k` to the next.
    across: Vec<[u32; 3]>,
    /// The line that side is part of, or [`NONE`].
    line: Vec<[u32; 3]>,
    /// Any triangle at each place.
    at: Vec<u32>,
    lines: Vec<Line>,
    /// For each place the lines it stands on, as far as they are known.
    on: Vec<SmallVec<[u32; 4]>>,
    last: u32,
}

/// A line as it was given.
struct Line {
    ends: [u32; 2],
    /// The facet of another plane that meets this one there, or [`FacetId::NONE`].
    across: FacetId,
}

enum Found {
    Corner(u32),
    Side(u32, usize),
    Inside(u32),
}

fn next(k: usize) -> usize {
    (k + 1) % 3
}

impl<'a> Flat<'a> {
    /// A triangulation of one triangle, whose three sides are lines.
    pub fn of_triangle(
        grid: Grid,
        mesh: &'a Mesh,
        plane: [Point; 3],
        axis: usize,
        corners: [ExactPoint; 3],
    ) -> Flat<'a> {
        let mut flat = Flat::empty(grid, mesh, plane, axis, corners);
        for k in 0..3 {
            let (a, b) = (flat.triangles[0][k], flat.triangles[0][next(k)]);
            flat.line[0][k] = flat.new_line([a, b], FacetId::NONE);
        }
        flat
    }

    /// A triangulation that reaches far beyond every coordinate of `largest`; its first three places are not of the
    /// input.
    pub fn beyond(grid: Grid, mesh: &'a Mesh, plane: [Point; 3], axis: usize, largest: f64) -> Flat<'a> {
        let far = 2f64.powi(largest.max(f64::MIN_POSITIVE).log2().ceil() as i32 + 2);
        let corner = |x: f64, y: f64| {
            let mut p = [0.0; 3];
            (p[next(axis)], p[next(next(axis))]) = (x * far, y * far);
            ExactPoint::given(p)
        };
        Flat::empty(grid, mesh, plane, axis, [corner(-4.0, -4.0), corner(8.0, -4.0), corner(-4.0, 8.0)])
    }

    fn empty(grid: Grid, mesh: &'a Mesh, plane: [Point; 3], axis: usize, corners: [ExactPoint; 3]) -> Flat<'a> {
        let first = if turn(grid, axis, &corners[0], &corners[1], &corners[2]) < 0 { [0, 2, 1] } else { [0, 1, 2] };
        Flat {
            grid,
            mesh,
            plane,
            axis,
            places: corners.to_vec(),
            triangles: vec![first],
            across: vec![[NONE; 3]],
            line: vec![[NONE; 3]],
            at: vec![0; 3],
            lines: Vec::new(),
            on: vec![SmallVec::new(); 3],
            last: 0,
        }
    }

    fn turn(&self, a: u32, b: u32, c: u32) -> i8 {
        let [p, q, r] = [a, b, c].map(|p| &self.places[p as usize]);
        let on = |p: u32| &self.on[p as usize];
        turn_by_doubles(self.axis, p, q, r).unwrap_or_else(|| {
            let one_line = on(a).iter().any(|l| on(b).contains(l) && on(c).contains(l));
            if one_line { 0 } else { turn_exactly(self.grid, self.axis, p, q, r) }
        })
    }

    fn new_line(&mut self, ends: [u32; 2], across: FacetId) -> u32 {
        let number = self.lines.len() as u32;
        self.lines.push(Line { ends, across });
        ends.iter().for_each(|p| self.on[*p as usize].push(number));
        number
    }

    /// Adds a place of the plane within what is triangulated; gives the number of an equal one if there is one.
    pub fn add(&mut self, place: ExactPoint) -> u32 {
        let p = self.places.len() as u32;
        self.places.push(place);
        self.on.push(SmallVec::new());
        match self.find(p) {
            Found::Corner(q) => {
                self.places.pop();
                self.on.pop();
                return q;
            }
            Found::Side(t, k) => {
                let line = self.line[t as usize][k];
                self.on[p as usize].extend(Some(line).filter(|l| *l != NONE));
                self.at.push(t);
                self.split_side(t, k, p);
            }
            Found::Inside(t) => {
                self.at.push(t);
                self.split_inside(t, p);
            }
        }
        p
    }

    fn find(&mut self, p: u32) -> Found {
        let mut t = self.last;
        // A straight walk can go round in circles where sides are not Delaunay's: after a while everything is looked at.
        for step in 0..4 * self.triangles.len() {
            let c = self.triangles[t as usize];
            let mut turns = [0; 3];
            let mut out = NONE;
            for i in 0..3 {
                let k = (i + step) % 3;
                turns[k] = self.turn(c[k], c[next(k)], p);
                if turns[k] < 0 && self.across[t as usize][k] != NONE {
                    out = self.across[t as usize][k];
                    break;
                }
            }
            if out == NONE {
                if let Some(found) = self.within(t, turns) {
                    self.last = t;
                    return found;
                }
                break;
            }
            t = out;
        }
        for t in 0..self.triangles.len() as u32 {
            let c = self.triangles[t as usize];
            let turns = [0, 1, 2].map(|k| self.turn(c[k], c[next(k)], p));
            if let Some(found) = self.within(t, turns) {
                self.last = t;
                return found;
            }
        }
        // Beyond the triangulated part: cannot be, by what callers give; the nearest corner keeps the work going.
        Found::Corner(self.triangles[self.last as usize][0])
    }

    fn within(&self, t: u32, turns: [i8; 3]) -> Option<Found> {
        if turns.iter().any(|s| *s < 0) {
            return None;
        }
        let zero: Vec<usize> = (0..3).filter(|&k| turns[k] == 0).collect();
        Some(match zero.as_slice() {
            [] => Found::Inside(t),
            [k] => Found::Side(t, *k),
            // On two sides: in the corner between them.
            [0, 1, ..] => Found::Corner(self.triangles[t as usize][1]),
            [1, 2, ..] => Found::Corner(self.triangles[t as usize][2]),
            _ => Found::Corner(self.triangles[t as usize][0]),
        })
    }

    fn put(&mut self, t: u32, corners: [u32; 3], across: [u32; 3], line: [u32; 3]) {
        if t as usize == self.triangles.len() {
            self.triangles.push(corners);
            self.across.push(across);
            self.line.push(line);
        } else {
            let i = t as usize;
            (self.triangles[i], self.across[i], self.line[i]) = (corners, across, line);
        }
        for k in 0..3 {
            self.at[corners[k] as usize] = t;
            // Neighbours that are yet to be put say themselves what lies across.
            if (across[k] as usize) < self.triangles.len() {
                let back = self.side_of(across[k], corners[next(k)], corners[k]);
                if let Some(back) = back {
                    self.across[across[k] as usize][back] = t;
                }
            }
        }
    }

    fn side_of(&self, t: u32, from: u32, to: u32) -> Option<usize> {
        let c = self.triangles[t as usize];
        (0..3).find(|&k| c[k] == from && c[next(k)] == to)
    }

    fn split_inside(&mut self, t: u32, p: u32) {
        let ([a, b, c], [ab, bc, ca], [lab, lbc, lca]) =
            (self.triangles[t as usize], self.across[t as usize], self.line[t as usize]);
        let (u, v) = (self.triangles.len() as u32, self.triangles.len() as u32 + 1);
        self.put(t, [a, b, p], [ab, u, v], [lab, NONE, NONE]);
        self.put(u, [b, c, p], [bc, v, t], [lbc, NONE, NONE]);
        self.put(v, [c, a, p], [ca, t, u], [lca, NONE, NONE]);
        self.settle(vec![[a, b], [b, c], [c, a]]);
    }

    fn split_side(&mut self, t: u32, k: usize, p: u32) {
        let around = self.halve(t, k, p);
        self.settle(around);
    }

    /// Splits a side; gives the sides around the triangles at it.
    fn halve(&mut self, t: u32, k: usize, p: u32) -> Vec<[u32; 2]> {
        let turned = |x: [u32; 3], k: usize| [x[k], x[next(k)], x[next(next(k))]];
        let [a, b, c] = turned(self.triangles[t as usize], k);
        let [other, bc, ca] = turned(self.across[t as usize], k);
        let [l, lbc, lca] = turned(self.line[t as usize], k);
        let first = self.triangles.len() as u32;
        let mut around = vec![[b, c], [c, a]];
        if other == NONE {
            self.put(t, [a, p, c], [NONE, first, ca], [l, NONE, lca]);
            self.put(first, [p, b, c], [NONE, bc, t], [l, lbc, NONE]);
        } else {
            // Anticlockwise across: b a d.
            let back = self.side_of(other, b, a).unwrap_or(0);
            let d = self.triangles[other as usize][next(next(back))];
            let [_, ad, db] = turned(self.across[other as usize], back);
            let [_, lad, ldb] = turned(self.line[other as usize], back);
            let second = first + 1;
            self.put(t, [a, p, c], [other, first, ca], [l, NONE, lca]);
            self.put(first, [p, b, c], [second, bc, t], [l, lbc, NONE]);
            self.put(other, [p, a, d], [t, ad, second], [l, lad, NONE]);
            self.put(second, [b, p, d], [first, other, db], [l, NONE, ldb]);
            around.extend([[a, d], [d, b]]);
        }
        around
    }

    /// The triangle that runs a side in this direction.
    fn triangle_at(&self, from: u32, to: u32) -> Option<(u32, usize)> {
        self.around(from).into_iter().find_map(|t| self.side_of(t, from, to).map(|k| (t, k)))
    }

    /// All triangles at a place, in no certain order.
    fn around(&self, p: u32) -> SmallVec<[u32; 16]> {
        let start = self.at[p as usize];
        let mut found = smallvec![start];
        let mut t = start;
        // Anticlockwise over the side that ends in p, until the start or a border.
        loop {
            let k = self.corner(t, p);
            t = self.across[t as usize][(k + 2) % 3];
            if t == start {
                return found;
            }
            if t == NONE {
                break;
            }
            found.push(t);
        }
        t = start;
        loop {
            let k = self.corner(t, p);
            t = self.across[t as usize][k];
            if t == NONE || t == start {
                return found;
            }
            found.push(t);
        }
    }

    fn corner(&self, t: u32, p: u32) -> usize {
        self.triangles[t as usize].iter().position(|q| *q == p).unwrap_or(0)
    }

    /// Turns the side `k` of `t` into the other diagonal, if the two triangles form a convex four-sided figure; gives
    /// the new one.
    fn turn_side(&mut self, t: u32, k: usize) -> Option<[u32; 2]> {
        let other = self.across[t as usize][k];
        if other == NONE || self.line[t as usize][k] != NONE {
            return None;
        }
        let [a, b, c] = [0, 1, 2].map(|i| self.triangles[t as usize][(k + i) % 3]);
        let back = self.side_of(other, b, a)?;
        let d = self.triangles[other as usize][(back + 2) % 3];
        if self.turn(a, d, c) <= 0 || self.turn(d, b, c) <= 0 {
            return None;
        }
        let (bc, ca) = (next(k), (k + 2) % 3);
        let (ad, db) = (next(back), (back + 2) % 3);
        let side = |f: &Flat<'a>, t: u32, k: usize| (f.across[t as usize][k], f.line[t as usize][k]);
        let (xbc, xca) = (side(self, t, bc), side(self, t, ca));
        let (xad, xdb) = (side(self, other, ad), side(self, other, db));
        self.put(t, [a, d, c], [xad.0, other, xca.0], [xad.1, NONE, xca.1]);
        self.put(other, [d, b, c], [xdb.0, xbc.0, t], [xdb.1, xbc.1, NONE]);
        Some([d, c])
    }

    /// Whether the corners across a side see it under more than 180° together.
    fn is_bad(&self, t: u32, k: usize) -> bool {
        let other = self.across[t as usize][k];
        if other == NONE || self.line[t as usize][k] != NONE {
            return false;
        }
        let near = |p: u32| self.places[p as usize].near;
        let [a, b, c] = [0, 1, 2].map(|i| self.triangles[t as usize][(k + i) % 3]);
        let Some(back) = self.side_of(other, b, a) else { return false };
        let d = self.triangles[other as usize][(back + 2) % 3];
        let seen = |from: u32| {
            let (u, v) = (sub(near(a), near(from)), sub(near(b), near(from)));
            (norm(cross(u, v)), dot(u, v))
        };
        let ((s, c), (t, d)) = (seen(c), seen(d));
        s * d + t * c < -1e-9 * (s * s + c * c).sqrt() * (t * t + d * d).sqrt()
    }

    /// Turns sides towards Delaunay's condition, beginning with these.
    fn settle(&mut self, mut sides: Vec<[u32; 2]>) {
        // Doubles could turn a side there and back: never more often than this.
        let mut left = 64 + 8 * sides.len();
        while let Some([a, b]) = sides.pop() {
            let Some((t, k)) = self.triangle_at(a, b).or_else(|| self.triangle_at(b, a)) else { continue };
            if left == 0 || !self.is_bad(t, k) {
                continue;
            }
            let c = self.triangles[t as usize];
            let (a, b, c) = (c[k], c[next(k)], c[(k + 2) % 3]);
            if let Some([d, _]) = self.turn_side(t, k) {
                left -= 1;
                sides.extend([[a, d], [d, b], [b, c], [c, a]]);
            }
        }
    }

    /// Makes the segment between two places a line of the triangulation; the facet `across`, of another plane, meets this
    /// one there, if it is not [`FacetId::NONE`].
    pub fn add_line(&mut self, a: u32, b: u32, across: FacetId) {
        let number = self.new_line([a, b], across);
        let mut from = a;
        while from != b {
            from = self.stretch(from, b, number);
        }
    }

    /// Brings in the first stretch of a line, up to the first place on it; gives that place.
    fn stretch(&mut self, a: u32, b: u32, number: u32) -> u32 {
        let mut crossed: VecDeque<[u32; 2]> = VecDeque::new();
        let mut here = None;
        for t in self.around(a) {
            let k = self.corner(t, a);
            let c = self.triangles[t as usize];
            let (p, q) = (c[next(k)], c[(k + 2) % 3]);
            for x in [p, q] {
                if x == b || (self.turn(a, b, x) == 0 && self.ahead(a, b, x)) {
                    self.fix(a, x, number);
                    return x;
                }
            }
            if self.turn(a, b, p) < 0 && self.turn(a, b, q) > 0 {
                here = Some((t, next(k)));
            }
        }
        // Within a convex region the line leaves `a` through some triangle; if not, nothing can be done here.
        let Some((mut t, mut k)) = here else { return b };
        let end = loop {
            let (p, q) = (self.triangles[t as usize][k], self.triangles[t as usize][next(k)]);
            let line = self.line[t as usize][k];
            if line != NONE {
                break self.cut(t, k, line, number);
            }
            crossed.push_back([p, q]);
            let other = self.across[t as usize][k];
            let Some(back) = (if other == NONE { None } else { self.side_of(other, q, p) }) else { return b };
            let d = self.triangles[other as usize][(back + 2) % 3];
            let s = self.turn(a, b, d);
            if d == b || s == 0 {
                break d;
            }
            // Out over the side whose ends lie on both sides of the line: d right of it takes p's place.
            t = other;
            k = if s < 0 { (back + 2) % 3 } else { next(back) };
        };
        let mut fresh = Vec::new();
        let mut idle = 0;
        while let Some([p, q]) = crossed.pop_front() {
            let Some((t, k)) = self.triangle_at(p, q) else { continue };
            match self.turn_side(t, k) {
                Some([d, c]) => {
                    idle = 0;
                    let apart = ![c, d].iter().any(|x| *x == a || *x == end);
                    if apart && self.turn(a, end, c) * self.turn(a, end, d) < 0 {
                        let side = if self.turn(a, end, c) < 0 { [c, d] } else { [d, c] };
                        crossed.push_back(side);
                    } else {
                        fresh.push([d, c]);
                    }
                }
                None => {
                    idle += 1;
                    crossed.push_back([p, q]);
                    if idle > crossed.len() {
                        break;
                    }
                }
            }
        }
        self.fix(a, end, number);
        self.settle(fresh);
        end
    }

    /// Cuts a line's side where a new line crosses it.
    fn cut(&mut self, t: u32, k: usize, line: u32, number: u32) -> u32 {
        let [one, other] = [line, number].map(|l| &self.lines[l as usize]);
        let place = if one.across != FacetId::NONE && other.across != FacetId::NONE {
            let [f, g] = [one, other].map(|l| self.mesh.corners(l.across));
            where_three_meet(self.grid, [self.plane, f, g])
        } else {
            let ends = |l: &Line| l.ends.map(|p| &self.places[p as usize]);
            on_lines(self.grid, &self.plane, self.axis, ends(one), ends(other))
        };
        let x = self.places.len() as u32;
        self.places.push(place);
        self.at.push(t);
        self.on.push(SmallVec::from_slice(&[line, number]));
        // Without turning sides: those that were crossed on the way must stay as they were seen.
        self.halve(t, k, x);
        x
    }

    /// Whether `x`, on the line of `a` and `b`, lies on the side of `a` that `b` is on.
    fn ahead(&self, a: u32, b: u32, x: u32) -> bool {
        let place = |p: u32| &self.places[p as usize];
        let (i, j) = (next(self.axis), next(next(self.axis)));
        [i, j].into_iter().any(|axis| {
            let to = |p: u32| crate::exact_point::direction(self.grid, axis, place(a), place(p));
            to(b) * to(x) > 0
        })
    }

    fn fix(&mut self, a: u32, b: u32, number: u32) {
        for (from, to) in [(a, b), (b, a)] {
            if let Some((t, k)) = self.triangle_at(from, to) {
                let line = &mut self.line[t as usize][k];
                if *line == NONE {
                    *line = number;
                }
            }
        }
    }
}
