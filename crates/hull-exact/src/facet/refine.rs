//! Making the facets of a face better: sides turned, points added where the surface is too far, slivers cut.

use crate::chart::Chart;
use crate::fineness::Fineness;
use crate::locate::Locator;
use crate::patch::{Node, Patch, from_facet, sharpest};
use crate::shape::EdgeId;
use hull_geometry::mesh::spans_no_area;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{V3, cross, distance, dot, lerp, nearest_on_segment, norm, sub, unit};
use hull_geometry::{Mesh, NONE, Watch};
use std::cell::RefCell;
use std::collections::HashMap;

fn middle(a: [f64; 2], b: [f64; 2]) -> [f64; 2] {
    [0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])]
}

/// Whether the side a–b is better turned to c–d: nearer to the surface where one is too far, else less tilted against
/// it where one is more so than the asked angle between facets allows, else with the greater least angle; and never folded over.
pub fn is_better(nodes: &[Node], quad: [u32; 4], heights: &Heights, fineness: &Fineness) -> bool {
    let [a, b, c, d] = quad.map(|n| &nodes[n as usize]);
    let [ab, cd] = [(quad[0], quad[1]), (quad[2], quad[3])];
    let before = sharpest([a.p, b.p, c.p]).max(sharpest([b.p, a.p, d.p]));
    let after = sharpest([a.p, d.p, c.p]).max(sharpest([d.p, b.p, c.p]));
    let fold = |n: V3, m: V3| dot(n, m) < 0.2 * norm(n) * norm(m);
    let old = [normal_of(a.p, b.p, c.p), normal_of(b.p, a.p, d.p)];
    let new = [normal_of(a.p, d.p, c.p), normal_of(d.p, b.p, c.p)];
    let folded_before = fold(old[0], old[1]);
    if fold(new[0], new[1]) && !folded_before {
        return false;
    }
    let gap = |(x, y): (u32, u32)| heights.of(nodes, x, y);
    if folded_before && !fold(new[0], new[1]) {
        return after < 0.9998;
    }
    let steepest = |facets: [[u32; 3]; 2]| facets.into_iter().map(|t| heights.tilt(nodes, t)).fold(0.0, f64::max);
    let [qa, qb, qc, qd] = quad;
    let (now, then) = ([[qa, qb, qc], [qb, qa, qd]], [[qa, qd, qc], [qd, qb, qc]]);
    // Two facets of a surface that turns by the angle between them are tilted by half of it.
    let most = if fineness.even { TILT_EVEN } else { TILT } * fineness.radians();
    let allowed = 1.0 - most.cos();
    let bent = dot(old[0], old[1]) < (1.0 - allowed) * norm(old[0]) * norm(old[1]);
    if bent && after <= before.max(if fineness.even { SHARP } else { 0.9998 }) {
        let tilt = steepest(now);
        if tilt > allowed && steepest(then) < 0.8 * tilt {
            return gap(cd) <= fineness.deviation.max(gap(ab));
        }
    }
    let better = if after < before - 1e-6 {
        gap(cd) <= fineness.deviation.max(gap(ab))
    } else {
        after < (before + 0.05).clamp(SHARP, 0.995) && gap(ab) > fineness.deviation && gap(cd) < 0.7 * gap(ab)
    };
    better && steepest(then) <= allowed.max(1.02 * steepest(now))
}

/// How much of the asked angle between facets one may be tilted against the surface at its corners.
const TILT: f64 = 0.6;
/// Where facets are not to be slivers there is less choice.
const TILT_EVEN: f64 = 1.0;

/// Heights of the surface over the sides of a patch, and its normals at the points, each worked out once.
pub struct Heights<'a> {
    /// The plane of the face.
    pub plane: &'a Chart,
    /// Finds points on the surface.
    pub locator: &'a Locator<'a>,
    known: RefCell<HashMap<(u32, u32), f64>>,
    normals: RefCell<Vec<Option<V3>>>,
    watch: &'a Watch,
}

impl<'a> Heights<'a> {
    /// Makes ready to measure.
    pub fn new(plane: &'a Chart, locator: &'a Locator<'a>, watch: &'a Watch) -> Heights<'a> {
        Heights { plane, locator, known: RefCell::default(), normals: RefCell::default(), watch }
    }

    /// Whether what is being made is not wanted any more.
    pub fn is_cancelled(&self) -> bool {
        self.watch.check().is_err()
    }

    /// The height over a side as it is now.
    pub(crate) fn over_side(&self, patch: &Patch, t: u32, k: usize) -> f64 {
        let [a, b] = [k, (k + 1) % 3].map(|c| patch.nodes[patch.triangles[t as usize][c] as usize]);
        height(self.locator, self.plane.to_uv(middle(a.xy, b.xy)), a.p, b.p)
    }

    /// To be said when points have moved.
    pub(crate) fn forget(&self) {
        self.known.borrow_mut().clear();
        self.normals.borrow_mut().clear();
    }

    /// The surface's normal at a point, of length one; nothing at poles and on creases.
    fn normal(&self, nodes: &[Node], n: u32) -> V3 {
        let mut known = self.normals.borrow_mut();
        let most = nodes.len().max(known.len());
        known.resize(most, None);
        *known[n as usize].get_or_insert_with(|| {
            let xy = nodes[n as usize].xy;
            if self.plane.on_crease(xy, xy) {
                return [0.0; 3];
            }
            let uv = self.plane.to_uv(xy);
            let [_, su, sv] = self.locator.surface.first(uv[0], uv[1]);
            unit(cross(su, sv)).unwrap_or([0.0; 3])
        })
    }

    /// How far a facet is tilted against the surface at the corner where it is most: one less the angle's cosine.
    fn tilt(&self, nodes: &[Node], t: [u32; 3]) -> f64 {
        let [a, b, c] = t.map(|n| nodes[n as usize].p);
        let Some(own) = unit(normal_of(a, b, c)) else { return 0.0 };
        let at = |n: u32| {
            let there = self.normal(nodes, n);
            if there == [0.0; 3] { 0.0 } else { 1.0 - dot(own, there) }
        };
        t.into_iter().map(at).fold(0.0, f64::max)
    }

    fn of(&self, nodes: &[Node], x: u32, y: u32) -> f64 {
        let key = (x.min(y), x.max(y));
        if let Some(&known) = self.known.borrow().get(&key) {
            return known;
        }
        let (a, b) = (&nodes[key.0 as usize], &nodes[key.1 as usize]);
        let found = height(self.locator, self.plane.to_uv(middle(a.xy, b.xy)), a.p, b.p);
        self.known.borrow_mut().insert(key, found);
        found
    }
}

/// How high the surface stands over a chord at `uv`, along its own normal: what it runs beside the chord is no
/// deviation, there the neighbour's facet is.
fn height(locator: &Locator, uv: [f64; 2], a: V3, b: V3) -> f64 {
    let [p, su, sv] = locator.surface.first(uv[0], uv[1]);
    let n = cross(su, sv);
    let length = norm(n);
    let t = nearest_on_segment(p, a, b).0;
    let off = sub(p, lerp(a, b, t));
    if length > 0.0 { (dot(off, n) / length).abs() } else { norm(off) }
}

fn normal_of(a: V3, b: V3, c: V3) -> V3 {
    cross(sub(b, a), sub(c, a))
}

/// Places in a facet where its distance is taken, as weights of its corners.
pub(crate) const WITHIN: [[f64; 3]; 6] =
    [[0.2, 0.2, 0.6], [0.2, 0.4, 0.4], [0.2, 0.6, 0.2], [0.4, 0.2, 0.4], [0.4, 0.4, 0.2], [0.6, 0.2, 0.2]];

/// Adds points until no facet is too far from the surface; whether that was reached before there were too many.
pub fn refine(patch: &mut Patch, heights: &Heights, asked: f64, better: &impl Fn(&[Node], [u32; 4]) -> bool) -> bool {
    let most = (patch.nodes.len() * 8 + 20_000).min(patch.nodes.len() * 3 / 2 + MOST_ADDED);
    refine_with(patch, heights, asked, most, better)
}

/// [`refine`] with the most points that the patch may come to.
pub fn refine_with(
    patch: &mut Patch,
    heights: &Heights,
    asked: f64,
    most: usize,
    better: &impl Fn(&[Node], [u32; 4]) -> bool,
) -> bool {
    let limit = asked * 0.98;
    let (plane, locator) = (heights.plane, heights.locator);
    let mut list: Vec<u32> = (0..patch.triangles.len() as u32).collect();
    while let Some(t) = list.pop() {
        let [a, b, c] = patch.corners(t);
        let longest = distance(a, b).max(distance(b, c)).max(distance(c, a));
        // A point between corners that lie on one line only makes more of them.
        let idle = patch.is_flat(t) || longest <= limit || spans_no_area([a, b, c]);
        if patch.nodes.len() > most || heights.is_cancelled() {
            return false;
        }
        if idle {
            continue;
        }
        let Some((place, side)) = worst(patch, t, heights, limit) else { continue };
        let uv = plane.to_uv(place);
        let node = Node { xy: place, p: locator.surface.point(uv[0], uv[1]), key: NONE };
        if !splits_well(patch, t, side, node.p) {
            continue;
        }
        let fresh: Vec<u32> = match side {
            Some(k) => patch.split_side(t, k, node).map_or(Vec::new(), |f| f.to_vec()),
            None => patch.split_triangle(t, node).to_vec(),
        };
        let touched = patch.settle(fresh.clone(), 4, better);
        list.extend(fresh);
        list.extend(touched);
    }
    true
}

/// The most points that are added to a face at once, whatever its surface seems to ask for.
const MOST_ADDED: usize = 50_000;

/// Whether a point would leave only facets with an area: near poles it may fall on a corner.
fn splits_well(patch: &Patch, t: u32, side: Option<usize>, n: V3) -> bool {
    let p = patch.corners(t);
    let Some(k) = side else {
        return (0..3).all(|k| !spans_no_area([p[k], p[(k + 1) % 3], n]));
    };
    let (a, b, c) = (p[k], p[(k + 1) % 3], p[(k + 2) % 3]);
    let Some((other, d)) = patch.opposite(t, k) else { return false };
    let thin = |t: [V3; 3]| spans_no_area(t);
    // Of a flat facet across, one half stays flat and is left out; the other must not be.
    let beyond =
        if patch.is_flat(other) { thin([a, n, d]) && thin([n, b, d]) } else { thin([a, n, d]) || thin([n, b, d]) };
    !thin([a, n, c]) && !thin([n, b, c]) && !beyond
}

/// Cosine of the least angle that a facet should have, a little over 15°.
pub(crate) const SHARP: f64 = 0.9655;

/// Cuts the longest sides of slivers in two until their least angle is 15° or the side belongs to the bounds.
///
/// Gives whether that was reached before there were too many.
pub fn cut_slivers(
    patch: &mut Patch,
    plane: &Chart,
    locator: &Locator,
    better: &impl Fn(&[Node], [u32; 4]) -> bool,
) -> bool {
    let mut list: Vec<u32> = (0..patch.triangles.len() as u32).rev().collect();
    let most = (patch.nodes.len() * 6 + 10_000).min(patch.nodes.len() * 3 / 2 + 2 * MOST_ADDED);
    while let Some(t) = list.pop() {
        if patch.nodes.len() > most {
            return false;
        }
        let p = patch.corners(t);
        if patch.is_flat(t) || sharpest(p) <= SHARP || spans_no_area(p) {
            continue;
        }
        let long = |k: usize| distance(p[k], p[(k + 1) % 3]);
        let k = (0..3).fold(0, |best, k| if long(k) > long(best) { k } else { best });
        let (short, middle_side) = (long(0).min(long(1)).min(long(2)), long((k + 1) % 3).max(long((k + 2) % 3)));
        // Only needles: cutting a flat one across its long side makes no better ones.
        if patch.across[t as usize][k] == NONE || long(k) < 2.0 * short || middle_side < 0.8 * long(k) {
            continue;
        }
        let xy = patch.plane(t);
        let place = middle(xy[k], xy[(k + 1) % 3]);
        let uv = plane.to_uv(place);
        let node = Node { xy: place, p: locator.surface.point(uv[0], uv[1]), key: NONE };
        if !splits_well(patch, t, Some(k), node.p) {
            continue;
        }
        let fresh = patch.split_side(t, k, node).map_or(Vec::new(), |f| f.to_vec());
        let touched = patch.settle(fresh.clone(), 4, better);
        list.extend(fresh);
        list.extend(touched);
    }
    true
}

/// Cuts sides that are longer than was asked; those of the bounds are not, as edges are sampled so.
pub fn cut_longer(patch: &mut Patch, plane: &Chart, locator: &Locator, largest: f64) {
    let mut list: Vec<u32> = (0..patch.triangles.len() as u32).rev().collect();
    while let Some(t) = list.pop() {
        let p = patch.corners(t);
        let long = |k: usize| distance(p[k], p[(k + 1) % 3]);
        let free = (0..3).filter(|&k| patch.across[t as usize][k] != NONE).map(|k| (long(k), k));
        let Some((length, k)) = free.max_by(|a, b| a.0.total_cmp(&b.0)) else { continue };
        if length <= largest || patch.is_flat(t) {
            continue;
        }
        let xy = patch.plane(t);
        let place = middle(xy[k], xy[(k + 1) % 3]);
        let uv = plane.to_uv(place);
        let node = Node { xy: place, p: locator.surface.point(uv[0], uv[1]), key: NONE };
        let nearer = distance(node.p, p[k]).max(distance(node.p, p[(k + 1) % 3])) < length;
        if nearer && splits_well(patch, t, Some(k), node.p) {
            list.extend(patch.split_side(t, k, node).into_iter().flatten());
        }
    }
}

/// What bounds a face: an edge, or a cut, of which both sides are in the face.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bound {
    /// An edge of the shape.
    Edge(EdgeId),
    /// What opens a band that goes round its surface.
    Cut,
}

/// Cuts sides between two points of one edge that are not neighbours on it: the face across that edge may have the
/// same side, and four facets would share it.
pub fn cut_chords(patch: &mut Patch, bounds_at: &HashMap<u32, Vec<Bound>>, heights: &Heights) {
    let mut t = 0;
    while t < patch.triangles.len() {
        let chord = (0..3).find(|&k| {
            let [x, y] = [k, (k + 1) % 3].map(|c| patch.nodes[patch.triangles[t][c] as usize].key);
            let shared = |a: &[Bound], b: &[Bound]| a.iter().any(|e| b.contains(e));
            patch.across[t][k] != NONE
                && x != y
                && bounds_at.get(&x).zip(bounds_at.get(&y)).is_some_and(|(a, b)| shared(a, b))
        });
        // What is left of a cut facet is looked at again.
        let Some(k) = chord else {
            t += 1;
            continue;
        };
        let [x, y] = [k, (k + 1) % 3].map(|c| patch.nodes[patch.triangles[t][c] as usize]);
        let place = middle(x.xy, y.xy);
        let uv = heights.plane.to_uv(place);
        let p = heights.locator.surface.point(uv[0], uv[1]);
        if !splits_well(patch, t as u32, Some(k), p) {
            t += 1;
            continue;
        }
        if patch.split_side(t as u32, k, Node { xy: place, p, key: NONE }).is_none() {
            t += 1;
        }
    }
}

/// The two ends of a side in space: shared points by their key, inner ones by their number.
type SideInSpace = [(u8, u32); 2];

/// Cuts sides that are one in space though not in the plane (at poles and cuts), where more than two facets would
/// share them.
pub fn cut_doubles(patch: &mut Patch, heights: &Heights) {
    for _ in 0..6 {
        let id = |n: u32, node: &Node| if node.key == NONE { (1_u8, n) } else { (0, node.key) };
        let mut sides: HashMap<SideInSpace, Vec<(u32, usize)>> = HashMap::new();
        for t in (0..patch.triangles.len() as u32).filter(|&t| !patch.is_flat(t)) {
            let corners = patch.triangles[t as usize];
            for k in 0..3 {
                let [x, y] = [corners[k], corners[(k + 1) % 3]].map(|n| id(n, &patch.nodes[n as usize]));
                sides.entry([x.min(y), x.max(y)]).or_default().push((t, k));
            }
        }
        let mut bad: Vec<(u32, u32)> = Vec::new();
        for (t, k) in sides.into_values().filter(|uses| uses.len() > 2).flatten() {
            let other = patch.across[t as usize][k];
            if other != NONE && !patch.is_flat(other) && t < other {
                bad.push((t, other));
            }
        }
        if bad.is_empty() {
            return;
        }
        bad.sort_unstable();
        for (t, other) in bad {
            // Earlier cuts may have moved the side to another facet.
            let Some(k) = patch.across[t as usize].iter().position(|&o| o == other) else { continue };
            let [x, y] = [k, (k + 1) % 3].map(|c| patch.nodes[patch.triangles[t as usize][c] as usize]);
            let place = middle(x.xy, y.xy);
            let uv = heights.plane.to_uv(place);
            let p = heights.locator.surface.point(uv[0], uv[1]);
            patch.split_side(t, k, Node { xy: place, p, key: NONE });
        }
    }
}

/// Turns the longest sides of facets whose corners lie on one line in space.
pub fn turn_flattened(patch: &mut Patch) {
    for t in 0..patch.triangles.len() as u32 {
        let p = patch.corners(t);
        if patch.is_flat(t) || !spans_no_area(p) {
            continue;
        }
        let long = |k: usize| distance(p[k], p[(k + 1) % 3]);
        let k = (0..3).fold(0, |best, k| if long(k) > long(best) { k } else { best });
        patch.turn(t, k, &|nodes: &[Node], q: [u32; 4]| {
            let [a, b, c, d] = q.map(|n| nodes[n as usize].p);
            !spans_no_area([a, d, c]) && !spans_no_area([d, b, c])
        });
    }
}

/// Turns sides of facets that face away from the surface, as long thin ones do whose points stand beside each other's
/// chords: each facet then faces as the surface does in its middle, as far as turning can do it.
pub fn turn_folded(patch: &mut Patch, heights: &Heights, asked: f64) {
    let facing = |nodes: &[Node], t: [u32; 3]| {
        let [a, b, c] = t.map(|n| &nodes[n as usize]);
        let uv = heights.plane.to_uv([0, 1].map(|k| (a.xy[k] + b.xy[k] + c.xy[k]) / 3.0));
        let [_, su, sv] = heights.locator.surface.first(uv[0], uv[1]);
        match (unit(normal_of(a.p, b.p, c.p)), unit(cross(su, sv))) {
            (Some(own), Some(surface)) if !spans_no_area([a.p, b.p, c.p]) => dot(own, surface),
            _ => 1.0,
        }
    };
    for _ in 0..FOLDED_ROUNDS {
        let folded: Vec<u32> = (0..patch.triangles.len() as u32)
            .filter(|&t| !patch.is_flat(t) && facing(&patch.nodes, patch.triangles[t as usize]) < FOLDED)
            .collect();
        let mut turned = false;
        for t in folded {
            for k in 0..3 {
                let done = patch.turn(t, k, &|nodes: &[Node], [a, b, c, d]: [u32; 4]| {
                    let least = |pair: [[u32; 3]; 2]| pair.into_iter().map(|t| facing(nodes, t)).fold(1.0, f64::min);
                    let thin = |t: [u32; 3]| spans_no_area(t.map(|n| nodes[n as usize].p));
                    let (old, new) = ([[a, b, c], [b, a, d]], [[a, d, c], [d, b, c]]);
                    let near = || heights.of(nodes, c, d) <= asked.max(heights.of(nodes, a, b));
                    !new.into_iter().any(thin) && least(new) > least(old) + 1e-3 && near()
                });
                turned |= done.is_some();
            }
        }
        if !turned {
            return;
        }
    }
}

/// Cosine of the angle to the surface beyond which a facet is folded over.
const FOLDED: f64 = 0.5;
const FOLDED_ROUNDS: usize = 8;

/// The place of a facet that is furthest from the surface, if that is beyond `limit`, and the side it lies on.
fn worst(patch: &Patch, t: u32, heights: &Heights, limit: f64) -> Option<([f64; 2], Option<usize>)> {
    let (plane, locator) = (heights.plane, heights.locator);
    let (xy, p) = (patch.plane(t), patch.corners(t));
    let mut found = (limit, None);
    for k in 0..3 {
        if patch.across[t as usize][k] == NONE {
            continue;
        }
        let m = middle(xy[k], xy[(k + 1) % 3]);
        let [x, y] = [k, (k + 1) % 3].map(|c| patch.triangles[t as usize][c]);
        let gap = heights.of(&patch.nodes, x, y);
        if gap > found.0 {
            found = (gap, Some((m, Some(k))));
        }
    }
    for w in WITHIN {
        let m = [0, 1].map(|axis| w[0] * xy[0][axis] + w[1] * xy[1][axis] + w[2] * xy[2][axis]);
        let uv = plane.to_uv(m);
        let gap = crate::fineness::from_plane(locator.surface.point(uv[0], uv[1]), p);
        // A side's middle is the better place to cut unless the inside is clearly worse.
        if gap > found.0 * if found.1.is_some() { 1.3 } else { 1.0 } {
            found = (gap, Some((m, None)));
        }
    }
    found.1
}

/// The largest distance of the surface from its facets, taken at six places over each facet: first from the facet
/// there and its neighbours, and where that is more than was asked, from all of them.
pub fn measure(patch: &Patch, plane: &Chart, locator: &Locator, asked: f64) -> f64 {
    let mut worst = 0.0_f64;
    let mut far: Vec<V3> = Vec::new();
    for t in 0..patch.triangles.len() as u32 {
        if patch.is_flat(t) {
            continue;
        }
        let (xy, p) = (patch.plane(t), patch.corners(t));
        for w in WITHIN {
            let m = [0, 1].map(|axis| w[0] * xy[0][axis] + w[1] * xy[1][axis] + w[2] * xy[2][axis]);
            let uv = plane.to_uv(m);
            let s = locator.surface.point(uv[0], uv[1]);
            let own = from_facet(s, p);
            if own <= worst {
                continue;
            }
            let near = patch.across[t as usize].iter().filter(|n| **n != NONE);
            let least = near.fold(own, |d, &n| d.min(from_facet(s, patch.corners(n))));
            if least > asked && far.len() < 500 {
                far.push(s);
            } else {
                worst = worst.max(least);
            }
        }
    }
    if far.is_empty() {
        return worst;
    }
    let points = patch.nodes.iter().map(|n| n.p).collect();
    let facets = Mesh::from_arrays(points, patch.triangles.clone());
    let tree = FacetTree::of(&facets);
    let from_all =
        |s: V3| tree.nearest(&facets, s, f64::INFINITY).map_or(f64::INFINITY, |(_, squared, _)| squared.sqrt());
    far.into_iter().fold(worst, |w, s| w.max(from_all(s)))
}
