//! The facets of a face made again where points only added leave slivers: sides are cut, drawn together and turned,
//! and points moved, until sides are as long as the bend allows and their length changes gradually from place to place.
//!
//! The operations are those of M. Botsch and L. Kobbelt, "A remeshing approach to multiresolution modeling", SGP 2004;
//! lengths are measured by what the surface allows in their direction, as in P. Frey and P.-L. George, "Mesh
//! Generation", chapter 10.

use crate::chart::Chart;
use crate::fineness::{Allowed, Fineness};
use crate::locate::Locator;
use crate::patch::{Node, Patch, area2, sharpest};
use crate::refine::SHARP;
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{NONE, Watch};
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Rounds at most; it ends earlier where no facet is a sliver any more, or no fewer are.
pub const ROUNDS: usize = 5;
/// Rounds after which facets can be counted.
pub const COUNTED: usize = 2;
/// Where no more than one in so many facets is cut, sides are as short as they should be.
const FEW: usize = 400;
/// How often sides are cut in one round.
const CUTS: usize = 8;
/// Sides are at most so many times as long along the lesser bend as across the greater one.
const STRETCHED: f64 = 2.5;
/// How fast the shorter side may grow from place to place, per length.
const GROWTH: f64 = 0.3;
/// Sides longer than this, measured by what is allowed, are cut; shorter than the other, drawn together.
const LONG: f64 = 1.6;
const SHORT: f64 = 0.8;
/// A side as long as is let stand would deviate by so many times what one as long as is allowed does, nearly.
const BEYOND: f64 = 2.2;
/// The height of a facet in the plane, in its longest side, under which it is a line.
const FLAT: f64 = 1e-3;
/// Cosine of the angle to the surface that facets may have at their corners, 37°.
const FACING: f64 = 0.8;
/// More points than this are not made of one face.
pub const MOST_POINTS: usize = 400_000;

/// How much is done.
#[derive(Clone, Copy)]
pub struct Pace {
    /// Rounds at most.
    pub rounds: usize,
    /// Points at most, those that are drawn together again among them.
    pub most: usize,
}

/// Makes the inner points of a patch again; points of the bounds stay. After [`COUNTED`] rounds there are about as many
/// facets as after all of them. Once the watch says so, what is made is not finished.
pub fn remesh(patch: &mut Patch, plane: &Chart, locator: &Locator, fineness: &Fineness, pace: Pace, watch: &Watch) {
    let Pace { rounds, most } = pace;
    let fineness = &Fineness {
        deviation: fineness.deviation / BEYOND,
        smallest: Some(fineness.smallest.unwrap_or(2.0 * fineness.deviation)),
        ..*fineness
    };
    let mut slivers = usize::MAX;
    for _ in 0..rounds {
        let mut sizes = Sizes::of(patch, plane, locator, fineness);
        let mut settled = false;
        for _ in 0..CUTS {
            let fresh = cut_long_sides(patch, &mut sizes, most);
            settled = fresh.len() * FEW < patch.triangles.len();
            turn_sides(patch, &sizes, fresh);
            if settled || watch.check().is_err() {
                break;
            }
            sizes.grade(patch);
        }
        if watch.check().is_err() {
            return;
        }
        draw_short_sides_together(patch, &sizes);
        let sizes = Sizes::of(patch, plane, locator, fineness);
        let all = |patch: &Patch| (0..patch.triangles.len() as u32).collect::<Vec<u32>>();
        turn_sides(patch, &sizes, all(patch));
        even_out(patch, plane, locator);
        turn_sides(patch, &sizes, all(patch));
        let left = count_slivers(patch);
        if patch.nodes.len() > most || (settled && (left == 0 || left >= slivers)) {
            return;
        }
        slivers = left;
    }
}

fn turn_sides(patch: &mut Patch, sizes: &Sizes, list: Vec<u32>) {
    patch.settle(list, 4, &|nodes: &[Node], quad: [u32; 4]| sizes.is_better(nodes, quad));
}

/// Facets with an angle below 15°.
pub fn count_slivers(patch: &Patch) -> usize {
    (0..patch.triangles.len() as u32).filter(|&t| !patch.is_flat(t) && sharpest(patch.corners(t)) > SHARP).count()
}

/// How long sides may be at each point of a patch.
struct Sizes<'a> {
    plane: &'a Chart,
    locator: &'a Locator<'a>,
    fineness: &'a Fineness,
    allowed: Vec<Allowed>,
    /// Of the surface, of length one; `None` at poles.
    normals: Vec<Option<V3>>,
    /// The shorter side at each point, grown no faster than [`GROWTH`].
    graded: Vec<f64>,
}

impl<'a> Sizes<'a> {
    fn of(patch: &Patch, plane: &'a Chart, locator: &'a Locator<'a>, fineness: &'a Fineness) -> Sizes<'a> {
        let mut out = Sizes { plane, locator, fineness, allowed: Vec::new(), normals: Vec::new(), graded: Vec::new() };
        for node in &patch.nodes {
            out.push(node);
        }
        for (t, across) in patch.across.iter().enumerate() {
            for k in (0..3).filter(|&k| across[k] == NONE) {
                let [a, b] = [k, (k + 1) % 3].map(|c| patch.triangles[t][c] as usize);
                let side = distance(patch.nodes[a].p, patch.nodes[b].p);
                for n in [a, b].into_iter().filter(|_| side > 0.0) {
                    out.graded[n] = out.graded[n].min(0.5 * side);
                }
            }
        }
        out.grade(patch);
        out
    }

    fn push(&mut self, node: &Node) {
        let uv = self.plane.to_uv(node.xy);
        let allowed = self.fineness.on_surface(&self.locator.surface.jet(uv[0], uv[1]));
        self.graded.push(allowed.tight);
        self.normals.push(allowed.normal().and_then(unit));
        self.allowed.push(allowed);
    }

    /// Lets sizes grow from the small ones along the sides of the patch.
    fn grade(&mut self, patch: &Patch) {
        let mut star: Vec<Vec<u32>> = vec![Vec::new(); patch.nodes.len()];
        for [a, b, c] in &patch.triangles {
            for (x, y) in [(a, b), (b, c), (c, a)] {
                star[*x as usize].push(*y);
                star[*y as usize].push(*x);
            }
        }
        // Positive numbers are ordered as their bits are.
        let mut list: BinaryHeap<(Reverse<u64>, u32)> =
            self.graded.iter().enumerate().map(|(n, g)| (Reverse(g.to_bits()), n as u32)).collect();
        while let Some((Reverse(bits), n)) = list.pop() {
            let size = f64::from_bits(bits);
            if size > self.graded[n as usize] {
                continue;
            }
            for &m in &star[n as usize] {
                let grown = size + GROWTH * distance(patch.nodes[n as usize].p, patch.nodes[m as usize].p);
                if grown < self.graded[m as usize] {
                    self.graded[m as usize] = grown;
                    list.push((Reverse(grown.to_bits()), m));
                }
            }
        }
    }

    /// Whether turning a side makes the least angle greater, and no facet that faces as the surface does at its corners
    /// faces away from it.
    fn is_better(&self, nodes: &[Node], quad: [u32; 4]) -> bool {
        let [a, b, c, d] = quad;
        let (old, new) = ([[a, b, c], [b, a, d]], [[a, d, c], [d, b, c]]);
        let line = |pair: [[u32; 3]; 2]| pair.iter().any(|t| is_line_on_bounds(nodes, *t));
        if line(old) != line(new) {
            return line(old);
        }
        let sharp =
            |pair: [[u32; 3]; 2]| pair.iter().map(|t| sharpest(t.map(|n| nodes[n as usize].p))).fold(-1.0, f64::max);
        let facing = |pair: [[u32; 3]; 2]| pair.iter().map(|t| self.facing(nodes, *t)).fold(1.0, f64::min);
        sharp(new) < sharp(old) - 1e-6 && facing(new) >= facing(old).min(FACING)
    }

    /// The cosine of the largest angle between a facet and the surface at its corners.
    fn facing(&self, nodes: &[Node], corners: [u32; 3]) -> f64 {
        let [a, b, c] = corners.map(|n| nodes[n as usize].p);
        let facing = cross(sub(b, a), sub(c, a));
        let length = norm(facing);
        let cosine = |n: u32| match self.normals[n as usize] {
            Some(normal) if length > 0.0 => dot(facing, normal) / length,
            _ => 1.0,
        };
        corners.into_iter().map(cosine).fold(1.0, f64::min)
    }

    /// A side in lengths that are allowed: one is as long as it may be.
    fn length(&self, nodes: &[Node], a: u32, b: u32) -> f64 {
        let along = sub(nodes[b as usize].p, nodes[a as usize].p);
        // A side may be longer than what is allowed by what is cut only beyond it, but not longer than was asked.
        let longest = self.fineness.largest.map_or(f64::INFINITY, |l| l / LONG);
        let rate = |n: u32| {
            let most = (STRETCHED * self.graded[n as usize]).min(longest);
            1.0 / self.allowed[n as usize].along(along).min(most)
        };
        0.5 * norm(along) * (rate(a) + rate(b))
    }
}

/// Cuts long sides in two, the longest first, each facet at most once; returns the pieces.
fn cut_long_sides(patch: &mut Patch, sizes: &mut Sizes, most: usize) -> Vec<u32> {
    let mut long: Vec<(f64, u32, usize)> = Vec::new();
    for (t, corners) in patch.triangles.iter().enumerate() {
        for k in (0..3).filter(|&k| patch.across[t][k] != NONE && (t as u32) < patch.across[t][k]) {
            let length = sizes.length(&patch.nodes, corners[k], corners[(k + 1) % 3]);
            if length > LONG {
                long.push((length, t as u32, k));
            }
        }
    }
    long.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut busy = vec![false; patch.triangles.len()];
    let mut pieces = Vec::new();
    for (_, t, k) in long {
        let other = patch.across[t as usize][k];
        let pair = [t, other];
        // Those made in this pass have no place in the list.
        let is_free = |t: u32| busy.get(t as usize) == Some(&false);
        let free = pair.iter().all(|t| {
            is_free(*t) && !patch.is_flat(*t) && !is_line_on_bounds(&patch.nodes, patch.triangles[*t as usize])
        });
        if !free || patch.nodes.len() > most {
            continue;
        }
        let corners = patch.triangles[t as usize];
        let [a, b] = [corners[k], corners[(k + 1) % 3]].map(|n| patch.nodes[n as usize]);
        let node = between(&a, &b, sizes);
        if let Some(fresh) = patch.split_side(t, k, node) {
            sizes.push(&node);
            pair.iter().for_each(|t| busy[*t as usize] = true);
            pieces.extend(fresh);
        }
    }
    pieces
}

/// The height of a facet in the plane in its longest side, about; not above zero if it does not stand upright.
fn height([a, b, c]: [[f64; 2]; 3]) -> f64 {
    let side = |p: [f64; 2], q: [f64; 2]| (p[0] - q[0]).powi(2) + (p[1] - q[1]).powi(2);
    area2(a, b, c) / side(a, b).max(side(b, c)).max(side(c, a)).max(f64::MIN_POSITIVE)
}

/// Three points of straight bounds may lie on one line: what is put between them would lie on the bounds.
fn is_line_on_bounds(nodes: &[Node], corners: [u32; 3]) -> bool {
    let corners = corners.map(|n| nodes[n as usize]);
    corners.iter().all(|n| n.key != NONE) && height(corners.map(|n| n.xy)) < FLAT
}

/// The least height of some facets in the plane, as far as it is too little.
fn least_height(patch: &Patch, star: &[u32]) -> f64 {
    star.iter().map(|t| height(patch.plane(*t))).fold(FLAT, f64::min)
}

/// The place on the surface between two points that is as far from both.
fn between(a: &Node, b: &Node, sizes: &Sizes) -> Node {
    let at = |s: f64| {
        let xy = [0, 1].map(|k| a.xy[k] + s * (b.xy[k] - a.xy[k]));
        let uv = sizes.plane.to_uv(xy);
        Node { xy, p: sizes.locator.surface.point(uv[0], uv[1]), key: NONE }
    };
    let (mut low, mut high) = (0.1, 0.9);
    for _ in 0..6 {
        let s = 0.5 * (low + high);
        let p = at(s).p;
        if distance(p, a.p) < distance(p, b.p) { low = s } else { high = s }
    }
    at(0.5 * (low + high))
}

fn stars(patch: &Patch) -> Vec<Vec<u32>> {
    let mut star: Vec<Vec<u32>> = vec![Vec::new(); patch.nodes.len()];
    for (t, corners) in patch.triangles.iter().enumerate() {
        corners.iter().for_each(|n| star[*n as usize].push(t as u32));
    }
    star
}

/// Lets inner points go into a neighbour where the side between them is short, no side becomes long, and no facet is
/// turned over.
fn draw_short_sides_together(patch: &mut Patch, sizes: &Sizes) {
    let star = stars(patch);
    let mut becomes: Vec<u32> = (0..patch.nodes.len() as u32).collect();
    let mut busy = vec![false; patch.nodes.len()];
    for n in 0..patch.nodes.len() as u32 {
        if patch.nodes[n as usize].key != NONE || busy[n as usize] {
            continue;
        }
        let mut around: Vec<u32> =
            star[n as usize].iter().flat_map(|t| patch.triangles[*t as usize]).filter(|m| *m != n).collect();
        around.sort_unstable();
        around.dedup();
        if around.iter().any(|m| busy[*m as usize]) {
            continue;
        }
        let nearest = around.iter().map(|&m| (sizes.length(&patch.nodes, n, m), m));
        let Some((length, to)) = nearest.min_by(|a, b| a.0.total_cmp(&b.0)) else { continue };
        if length < SHORT && may_go(patch, sizes, &star, n, to, &around) {
            becomes[n as usize] = to;
            around.iter().for_each(|m| busy[*m as usize] = true);
            busy[n as usize] = true;
        }
    }
    patch.draw_together(&becomes);
}

fn may_go(patch: &Patch, sizes: &Sizes, star: &[Vec<u32>], n: u32, to: u32, around: &[u32]) -> bool {
    // The two share no neighbours but those of the two facets at the side between them.
    let beside = |m: u32| star[m as usize].iter().flat_map(|t| patch.triangles[*t as usize]).any(|k| k == to);
    if around.iter().filter(|m| **m != to && beside(**m)).count() != 2 {
        return false;
    }
    // Points that are nearly one become one whatever the sides.
    let most = if sizes.length(&patch.nodes, n, to) < 0.3 { 2.0 * LONG } else { LONG };
    if around.iter().any(|m| *m != to && sizes.length(&patch.nodes, to, *m) > most) {
        return false;
    }
    let least = least_height(patch, &star[n as usize]).max(f64::MIN_POSITIVE);
    let left = star[n as usize].iter().filter(|t| !patch.triangles[**t as usize].contains(&to));
    left.map(|t| patch.triangles[*t as usize]).all(|old| {
        let new = old.map(|m| if m == n { to } else { m });
        let [a, b, c] = new.map(|m| patch.nodes[m as usize]);
        // Thin facets face anywhere, so what they did before says nothing: the surface does.
        let stands = sizes.facing(&patch.nodes, new) > 0.3;
        let keys = [a.key, b.key, c.key];
        let alone = |k: &u32| *k == NONE || keys.iter().filter(|other| *other == k).count() == 1;
        stands && height([a.xy, b.xy, c.xy]) >= least && keys.iter().all(alone)
    })
}

/// Moves inner points towards the middle of their neighbours, where no angle becomes sharper by it.
fn even_out(patch: &mut Patch, plane: &Chart, locator: &Locator) {
    let star = stars(patch);
    for (n, star) in star.iter().enumerate() {
        let old = patch.nodes[n];
        if old.key != NONE || star.is_empty() {
            continue;
        }
        let mut sum = ([0.0; 3], 0.0);
        for &t in star {
            let [a, b, c] = patch.corners(t);
            let weight = norm(cross(sub(b, a), sub(c, a))).sqrt();
            let middle = scale(add(add(a, b), c), 1.0 / 3.0);
            sum = (add(sum.0, scale(middle, weight)), sum.1 + weight);
        }
        let by = sub(scale(sum.0, 1.0 / sum.1.max(f64::MIN_POSITIVE)), old.p);
        let uv = plane.to_uv(old.xy);
        let [_, u, v] = locator.surface.first(uv[0], uv[1]);
        let (e, f, g) = (dot(u, u), dot(u, v), dot(v, v));
        let det = e * g - f * f;
        if det <= 0.0 {
            continue;
        }
        let (x, y) = (dot(by, u), dot(by, v));
        let step = [(g * x - f * y) / det, (e * y - f * x) / det];
        let before = (sharpest_around(patch, star), least_height(patch, star).max(f64::MIN_POSITIVE));
        for part in [1.0, 0.5, 0.25] {
            let uv = [uv[0] + part * step[0], uv[1] + part * step[1]];
            patch.nodes[n] = Node { xy: plane.to_plane(uv), p: locator.surface.point(uv[0], uv[1]), ..old };
            let upright = least_height(patch, star) >= before.1;
            if upright && sharpest_around(patch, star) <= before.0.max(GOOD) {
                break;
            }
            patch.nodes[n] = old;
        }
    }
}

/// The cosine of an angle that is good enough, 30°.
const GOOD: f64 = 0.866;

fn sharpest_around(patch: &Patch, star: &[u32]) -> f64 {
    star.iter().filter(|t| !patch.is_flat(**t)).map(|t| sharpest(patch.corners(*t))).fold(-1.0, f64::max)
}
