//! Layers of flat cells along walls: walls are divided as triangles beside them should be, their places pushed inward along the
//! walls' directions, and what is left within is meshed as any other region.

use super::sizes::{self, Sizes};
use super::{Asked, Cdt, Layers, PlaneError, Segment, Square, depths, distance, divided, kept, nearest};
use rstar::primitives::Line;
use rstar::{PointDistance, RTree};
use spade::handles::{DirectedEdgeHandle, FixedDirectedEdgeHandle};
use spade::{CdtEdge, Point2, Triangulation};
use std::collections::{HashMap, HashSet};

/// Layers take no more than this part of the way to what lies across.
const SHARE: f64 = 0.35;
/// At corners places are pushed so many times further than beside them, at most.
const MITRE: f64 = 1.4;
/// What is left of a wall's length at the top of its layers, at least.
const LEFT: f64 = 0.3;
const ROUNDS: usize = 200;
/// Layers slide along what turns away from their wall if the sine of the angle is this at least.
const FREE: f64 = 0.5;
/// A top is so many times farther from other lines than from its own wall, at least.
const NEARER: f64 = 1.02;
/// Neighbours' thicknesses differ by this factor at most.
const NEIGHBOUR: f64 = 1.3;

/// All lines, to be found by where they are.
type Lines = RTree<Line<[f64; 2]>>;
type Edge<'a> = DirectedEdgeHandle<'a, Point2<f64>, (), CdtEdge<()>, ()>;

/// A run of wall with a region on its left.
struct Chain {
    places: Vec<[f64; 2]>,
    /// Whether the last place is followed by the first.
    closed: bool,
    /// The direction in which the first and the last place slide, along what is no wall, with the room there; none where that
    /// turns away from the wall: layers end free there.
    slides: [Option<([f64; 2], f64)>; 2],
    /// The name of the wall behind each place.
    names: Vec<u32>,
}

/// The layers of one chain: rows of places from the wall inward.
pub(super) struct Strip {
    pub rows: Vec<Vec<[f64; 2]>>,
    pub closed: bool,
    /// Whether its first and its last side stand in the region, and not along other lines.
    pub free: [bool; 2],
    /// The name of the wall behind each place of the first row.
    pub names: Vec<u32>,
}

/// Layers along all walls, and the lines that bound what is left.
pub(super) struct Layered {
    pub strips: Vec<Strip>,
    /// Lines that are no wall, as far as they are not along layers.
    pub rest: Vec<Segment>,
    /// The tops of layers, from left to right as seen from the wall.
    pub tops: Vec<[[f64; 2]; 2]>,
}

fn minus(a: [f64; 2], b: [f64; 2]) -> [f64; 2] {
    [a[0] - b[0], a[1] - b[1]]
}

fn plus(a: [f64; 2], d: [f64; 2], by: f64) -> [f64; 2] {
    [a[0] + d[0] * by, a[1] + d[1] * by]
}

fn dot(a: [f64; 2], b: [f64; 2]) -> f64 {
    a[0] * b[0] + a[1] * b[1]
}

fn unit(d: [f64; 2]) -> [f64; 2] {
    let l = d[0].hypot(d[1]).max(f64::MIN_POSITIVE);
    [d[0] / l, d[1] / l]
}

/// To the left of a direction.
fn left([x, y]: [f64; 2]) -> [f64; 2] {
    [-y, x]
}

/// The edge of the outline behind one, with the same region on its left.
fn behind<'a>(edge: Edge<'a>) -> Edge<'a> {
    let mut next = edge.next();
    while !next.is_constraint_edge() {
        next = next.rev().next();
    }
    next
}

/// The walls of a plane that lines divide, with regions on their left, as runs.
fn chains(met: &Cdt, joined: &[Segment], asked: &Asked, sizes: &Sizes, square: &Square, walls: &[u32]) -> Vec<Chain> {
    let depth = depths(met);
    let in_region = |e: &Edge| e.face().as_inner().is_some_and(|f| kept(depth[f.fix().index()].0, asked.holes));
    let at = |e: &Edge| e.vertices().map(|v| square.back(v.position()));
    let name = |e: &Edge| {
        let [a, b] = at(e);
        nearest(joined, [0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])])
    };
    let mut wall: HashMap<FixedDirectedEdgeHandle, u32> = HashMap::new();
    let mut order = Vec::new();
    for edge in met.directed_edges().filter(|e| e.is_constraint_edge()).filter(in_region) {
        let own = name(&edge);
        if walls.contains(&own) {
            wall.insert(edge.fix(), own);
            order.push(edge.fix());
        }
    }
    let next: HashMap<FixedDirectedEdgeHandle, FixedDirectedEdgeHandle> =
        order.iter().map(|e| (*e, behind(met.directed_edge(*e)).fix())).collect();
    let followed: HashSet<FixedDirectedEdgeHandle> = next.values().copied().filter(|e| wall.contains_key(e)).collect();
    let mut done: HashSet<FixedDirectedEdgeHandle> = HashSet::new();
    let mut out = Vec::new();
    // Runs that begin somewhere first, then those that close.
    let begins = order.iter().filter(|e| !followed.contains(e));
    for start in begins.chain(&order).copied().collect::<Vec<_>>() {
        if done.contains(&start) {
            continue;
        }
        let mut run = Vec::new();
        let mut edge = start;
        while wall.contains_key(&edge) && done.insert(edge) {
            run.push(edge);
            edge = next[&edge];
        }
        let closed = edge == start;
        let mut chain = Chain { places: Vec::new(), closed, slides: [None, None], names: Vec::new() };
        for e in &run {
            let mut fine = Vec::new();
            let [from, to] = at(&met.directed_edge(*e));
            // Both sides of a wall are divided alike.
            let ends = if from <= to { [from, to] } else { [to, from] };
            sizes::pieces(&Segment { ends, name: wall[e] }, sizes, &mut fine);
            if ends[0] != from {
                fine.reverse();
                fine.iter_mut().for_each(|s| s.ends.reverse());
            }
            chain.places.extend(fine.iter().map(|s| s.ends[0]));
            chain.names.extend(fine.iter().map(|s| s.name));
        }
        if !closed {
            let (first, last) = (met.directed_edge(run[0]), met.directed_edge(run[run.len() - 1]));
            chain.places.push(at(&last)[1]);
            chain.names.push(wall[&run[run.len() - 1]]);
            let after = at(&behind(last));
            // Walked backwards: the outline before the first edge ends where that begins.
            let mut before = first.prev();
            while !before.is_constraint_edge() {
                before = before.rev().prev();
            }
            let before = at(&before);
            let [start, end] = [at(&first), at(&last)].map(|[a, b]| unit(minus(b, a)));
            let slide = |[from, to]: [[f64; 2]; 2], wall: [f64; 2], onward: f64| {
                let way = unit(minus(to, from));
                let (rise, run) = (dot(way, left(wall)), onward * dot(way, wall));
                (rise > 0.0 && (run <= 0.0 || rise >= FREE)).then(|| (way, distance(from, to)))
            };
            chain.slides = [slide([before[1], before[0]], start, -1.0), slide(after, end, 1.0)];
        }
        out.push(chain);
    }
    out
}

impl Chain {
    fn direction(&self, i: usize) -> [f64; 2] {
        unit(minus(self.places[(i + 1) % self.places.len()], self.places[i]))
    }

    /// How many walls there are: places, or one less where the run ends.
    fn walls(&self) -> usize {
        self.places.len() - usize::from(!self.closed)
    }

    /// For each place the way inward for one unit of height.
    fn ways(&self) -> Vec<[f64; 2]> {
        let n = self.places.len();
        (0..n)
            .map(|i| {
                let end = if self.closed { None } else { [0, n - 1].iter().position(|e| *e == i) };
                if let Some(end) = end {
                    let wall = left(self.direction(if end == 0 { 0 } else { n - 2 }));
                    let Some((way, _)) = self.slides[end] else { return wall };
                    // Along what is no wall, so far that the height is met.
                    let rise = dot(way, wall).max(1.0 / MITRE);
                    return [way[0] / rise, way[1] / rise];
                }
                let [before, after] = [(i + n - 1) % n, i].map(|k| left(self.direction(k)));
                let middle = unit([before[0] + after[0], before[1] + after[1]]);
                let stretch = (1.0 / dot(middle, after).max(1e-9)).min(MITRE);
                [middle[0] * stretch, middle[1] * stretch]
            })
            .collect()
    }

    /// How thick layers may be at each place: no more than wished, than the room lets them, than keeps the walls' order.
    fn thickness(&self, ways: &[[f64; 2]], wished: f64, lines: &Lines) -> Vec<f64> {
        let n = self.places.len();
        let mut thick: Vec<f64> = (0..n)
            .map(|i| {
                let end = if self.closed { None } else { [0, n - 1].iter().position(|e| *e == i) };
                let reach = ways[i][0].hypot(ways[i][1]);
                if let Some((_, room)) = end.and_then(|e| self.slides[e]) {
                    return wished.min(SHARE * room / reach);
                }
                let across = across(lines, self.places[i], ways[i], wished / SHARE);
                wished.min(SHARE * across)
            })
            .collect();
        for _ in 0..ROUNDS {
            let mut changed = false;
            for i in 0..n {
                if thick[i] > 0.0 && !self.has_room(i, ways[i], thick[i], lines) {
                    (thick[i], changed) = (0.8 * thick[i], true);
                }
            }
            for i in (0..self.walls()).chain((0..self.walls()).rev()) {
                let j = (i + 1) % n;
                let (a, b) = (plus(self.places[i], ways[i], thick[i]), plus(self.places[j], ways[j], thick[j]));
                let (wall, top) = (minus(self.places[j], self.places[i]), minus(b, a));
                if dot(top, wall) < LEFT * dot(wall, wall) {
                    (thick[i], thick[j], changed) = (0.8 * thick[i], 0.8 * thick[j], true);
                }
                let (low, high) = (thick[i].min(thick[j]), thick[i].max(thick[j]));
                if high > NEIGHBOUR * low * (1.0 + 1e-9) {
                    let most = NEIGHBOUR * low;
                    (thick[i], thick[j], changed) = (thick[i].min(most), thick[j].min(most), true);
                }
            }
            if !changed {
                break;
            }
        }
        thick
    }

    /// Whether the top over a place is nearer to its own wall than to any other, and on the inner side of what its layers end
    /// at: then no two layers meet.
    fn has_room(&self, i: usize, way: [f64; 2], thick: f64, lines: &Lines) -> bool {
        let (place, n) = (self.places[i], self.places.len());
        let top = plus(place, way, thick);
        let walls: Vec<[f64; 2]> = [(i + n - 1) % n, i]
            .into_iter()
            .filter(|k| self.closed || (*k < n - 1 && (i > 0 || *k == i)))
            .map(|k| self.direction(k))
            .collect();
        let rise = walls.iter().map(|w| dot(way, left(*w))).fold(f64::INFINITY, f64::min);
        let near = NEARER * rise.max(0.0) * thick;
        // What begins, ends or passes here is the wall itself, or what layers slide along.
        let own = |l: &Line<[f64; 2]>| l.distance_2(&place) <= (1e-9 * (thick + near)).powi(2);
        let ends = [0, n - 1].into_iter().zip(self.slides).zip([-1.0, 1.0]);
        let slides: Vec<([f64; 2], [f64; 2])> = ends
            .filter(|((at, _), _)| !self.closed && *at != i)
            .filter_map(|((at, slide), side)| slide.map(|(way, _)| (self.places[at], scaled(left(way), side))))
            .collect();
        // Nor is what touches a place where layers slide: being on the inner side of that is asked below.
        let is_slide =
            |l: &Line<[f64; 2]>| slides.iter().any(|(at, _)| l.distance_2(at) <= (1e-9 * (thick + near)).powi(2));
        let inside = slides.iter().all(|(at, inward)| {
            let (now, before) = (dot(minus(top, *at), *inward), dot(minus(place, *at), *inward));
            before <= 0.0 || now >= LEFT * before
        });
        let mut close = lines.locate_within_distance(top, near * near);
        inside && close.all(|l| own(l) || is_slide(l))
    }
}

fn scaled([x, y]: [f64; 2], by: f64) -> [f64; 2] {
    [x * by, y * by]
}

/// How far it is from a place along a way to the nearest line across, in lengths of the way; at most `most`.
fn across(lines: &Lines, from: [f64; 2], way: [f64; 2], most: f64) -> f64 {
    let to = plus(from, way, most);
    let low = [from[0].min(to[0]), from[1].min(to[1])];
    let high = [from[0].max(to[0]), from[1].max(to[1])];
    let hit = |l: &Line<[f64; 2]>| {
        let (a, b) = (l.from, l.to);
        let (d, w) = (minus(b, a), minus(a, from));
        let det = way[0] * d[1] - way[1] * d[0];
        let t = (w[0] * d[1] - w[1] * d[0]) / det;
        let s = (w[0] * way[1] - w[1] * way[0]) / det;
        // What begins or ends here is no line across.
        (det != 0.0 && t > 1e-9 * most && (-1e-9..=1.0 + 1e-9).contains(&s)).then_some(t)
    };
    lines.locate_in_envelope_intersecting(rstar::AABB::from_corners(low, high)).filter_map(hit).fold(most, f64::min)
}

/// Heights of the rows over a place where layers are `thick` together. Where there is less room than wished they grow less, so
/// that the first is as high as asked; where even equal ones of that height have no room, they are equal and lower.
fn heights(layers: &Layers, thick: f64) -> Vec<f64> {
    let wished = whole(layers);
    let even = layers.first * layers.count as f64;
    let (first, growth) = if thick >= wished || layers.growth <= 1.0 {
        (layers.first * thick / wished, layers.growth)
    } else if thick <= even {
        (thick / layers.count as f64, 1.0)
    } else {
        let (mut low, mut high) = (1.0, layers.growth);
        for _ in 0..60 {
            let growth = 0.5 * (low + high);
            let fits = whole(&Layers { growth, along: Vec::new(), ..*layers }) <= thick;
            (low, high) = if fits { (growth, high) } else { (low, growth) };
        }
        (layers.first, low)
    };
    let mut at = vec![0.0];
    let mut step = first;
    for _ in 0..layers.count {
        at.push(at[at.len() - 1] + step);
        step *= growth;
    }
    // What rounding leaves: the top is where the room was looked at.
    at[layers.count] = thick;
    at
}

/// How thick all layers are together.
fn whole(layers: &Layers) -> f64 {
    (0..layers.count).map(|k| layers.first * layers.growth.powi(k as i32)).sum()
}

/// Lays layers along walls.
///
/// # Errors
/// [`PlaneError`]: lines cannot be worked with, or none of them is a wall of a region.
pub(super) fn laid(
    joined: &[Segment],
    (asked, thinner): (&Asked, f64),
    layers: &Layers,
    sizes: &Sizes,
    square: &Square,
) -> Result<Layered, PlaneError> {
    let met = divided(joined, square)?;
    let chains = chains(&met, joined, asked, sizes, square, &layers.along);
    if chains.is_empty() {
        return Err(PlaneError::NoWalls);
    }
    let all: Vec<Segment> = met
        .undirected_edges()
        .filter(|e| e.is_constraint_edge())
        .map(|e| {
            let ends = e.vertices().map(|v| square.back(v.position()));
            let name = nearest(joined, [0.5 * (ends[0][0] + ends[1][0]), 0.5 * (ends[0][1] + ends[1][1])]);
            Segment { ends, name }
        })
        .collect();
    let stored = all.iter().map(|s| Line::new(s.ends[0], s.ends[1])).collect();
    let lines = RTree::bulk_load(stored);
    let mut out = Layered { strips: Vec::new(), rest: Vec::new(), tops: Vec::new() };
    // How much of what is no wall is taken at an end of it.
    let mut taken: HashMap<[[u64; 2]; 2], f64> = HashMap::new();
    let bits = |p: [f64; 2]| p.map(f64::to_bits);
    for chain in chains {
        let ways = chain.ways();
        let thick = chain.thickness(&ways, whole(layers), &lines).into_iter().map(|t| thinner * t).collect::<Vec<_>>();
        let n = chain.places.len();
        for (end, i) in [0, n - 1].into_iter().enumerate() {
            if let Some((way, room)) = chain.slides[end].filter(|_| !chain.closed) {
                let far = plus(chain.places[i], way, room);
                let by = thick[i] * ways[i][0].hypot(ways[i][1]);
                taken.insert([bits(chain.places[i]), bits_near(&all, chain.places[i], far)], by);
            }
        }
        let heights: Vec<Vec<f64>> = thick.iter().map(|t| heights(layers, *t)).collect();
        let row = |k: usize| (0..n).map(|i| plus(chain.places[i], ways[i], heights[i][k])).collect::<Vec<_>>();
        let rows: Vec<Vec<[f64; 2]>> = (0..=layers.count).map(row).collect();
        let top = &rows[rows.len() - 1];
        out.tops.extend((0..chain.walls()).map(|i| [top[i], top[(i + 1) % n]]));
        let free = chain.slides.map(|s| s.is_none() && !chain.closed);
        // Up one free side and down the other.
        for pair in rows.windows(2) {
            out.tops.extend(free[0].then(|| [pair[0][0], pair[1][0]]));
            out.tops.extend(free[1].then(|| [pair[1][n - 1], pair[0][n - 1]]));
        }
        out.strips.push(Strip { rows, closed: chain.closed, free, names: chain.names });
    }
    for s in all.into_iter().filter(|s| !layers.along.contains(&s.name)) {
        let [a, b] = s.ends;
        let cut = |from: [f64; 2], to: [f64; 2]| taken.get(&[bits(from), bits(to)]).copied().unwrap_or(0.0);
        let (way, [first, last]) = (unit(minus(b, a)), [cut(a, b), cut(b, a)]);
        out.rest.push(Segment { ends: [plus(a, way, first), plus(b, way, -last)], ..s });
    }
    // The ends of rests and of tops are the same places, digit for digit.
    let ends: Vec<[f64; 2]> = out.strips.iter().flat_map(ends_of).collect();
    for p in out.rest.iter_mut().flat_map(|s| &mut s.ends) {
        let near = ends.iter().min_by(|q, r| distance(**q, *p).total_cmp(&distance(**r, *p)));
        if let Some(q) = near.filter(|q| distance(**q, *p) <= 1e-9 * square.size) {
            *p = *q;
        }
    }
    Ok(out)
}

/// The ends of the top row of a strip that ends.
fn ends_of(strip: &Strip) -> Vec<[f64; 2]> {
    let top = &strip.rows[strip.rows.len() - 1];
    if strip.closed { Vec::new() } else { vec![top[0], top[top.len() - 1]] }
}

/// The far end of the line from one place towards another, digit for digit.
fn bits_near(all: &[Segment], from: [f64; 2], to: [f64; 2]) -> [u64; 2] {
    let ends = all.iter().flat_map(|s| [s.ends, [s.ends[1], s.ends[0]]]).filter(|e| e[0] == from).map(|e| e[1]);
    let near = ends.min_by(|a, b| distance(*a, to).total_cmp(&distance(*b, to)));
    near.unwrap_or(to).map(f64::to_bits)
}
