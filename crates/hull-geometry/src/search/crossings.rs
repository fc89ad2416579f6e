//! Facets that run through each other, touch where they should not, or lie on each other.
//!
//! Every decision is the sign of an exact determinant (J. R. Shewchuk, *Adaptive precision floating-point arithmetic and
//! fast robust geometric predicates*, 1997), so that nearly flat and touching cases are told rightly whatever the
//! coordinates. Facets that share points may meet in those, and in the edge between two of them, and nowhere else.

use crate::mesh::{Bounds, FacetId, Mesh, NONE, Point, PointId};
use crate::monotone::{Facet, monotone_patches};
use crate::tree::{FacetTree, LEAF};
use crate::vector::{area_vector, lerp};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use robust::{Coord, Coord3D, orient2d, orient3d};
use std::ops::Range;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// Two facets that meet where they should not.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crossing {
    /// The lower-numbered one first.
    pub facets: [FacetId; 2],
    /// Whether they lie in one plane and overlap there.
    pub coplanar: bool,
    /// The stretch in which they meet, up to rounding; of coplanar ones a stretch of the overlap.
    pub along: [Point; 2],
}

/// On which side of the plane `a b c` a point lies: positive on the side its normal points to.
#[inline]
fn side([a, b, c]: &[Point; 3], p: Point) -> f64 {
    let coord = |p: Point| Coord3D { x: p[0], y: p[1], z: p[2] };
    // The predicate is positive below the plane.
    -orient3d(coord(*a), coord(*b), coord(*c), coord(p))
}

/// The plane of a facet, with what rounding can do to it: long facets that lie across each other are pairs by the square of
/// their number, and most of them are told apart by this alone.
#[derive(Clone, Copy, Default)]
struct Plane {
    at: Point,
    normal: Point,
    /// The sums of the sizes of the products that each coordinate of the normal is the difference of.
    sizes: Point,
}

impl Plane {
    fn of([a, b, c]: &[Point; 3]) -> Plane {
        let (u, w) = ([0, 1, 2].map(|k| b[k] - a[k]), [0, 1, 2].map(|k| c[k] - a[k]));
        let products = |k: usize| (u[(k + 1) % 3] * w[(k + 2) % 3], u[(k + 2) % 3] * w[(k + 1) % 3]);
        let normal = [0, 1, 2].map(|k| products(k).0 - products(k).1);
        Plane { at: *a, normal, sizes: [0, 1, 2].map(|k| products(k).0.abs() + products(k).1.abs()) }
    }

    /// Whether three points lie on one side of the plane for certain: further than the first bound of Shewchuk's determinant
    /// of differences, (7 + 56 ε) ε times its permanent with ε = 2⁻⁵³.
    #[inline]
    fn clears(&self, points: &[Point; 3]) -> bool {
        // 1 or -1, or 0 where rounding may have decided; of what is no number, too.
        let side = |p: &Point| {
            let d = [0, 1, 2].map(|k| p[k] - self.at[k]);
            let height = self.normal[0] * d[0] + self.normal[1] * d[1] + self.normal[2] * d[2];
            let permanent = self.sizes[0] * d[0].abs() + self.sizes[1] * d[1].abs() + self.sizes[2] * d[2].abs();
            if height.abs() > 4.0 * f64::EPSILON * permanent { height.signum() } else { 0.0 }
        };
        let first = side(&points[0]);
        first != 0.0 && side(&points[1]) == first && side(&points[2]) == first
    }

    /// The coordinate along which the normal is longest: seen along it, the facet is largest.
    fn steepest(&self) -> usize {
        (1..3).fold(0, |m, k| if self.normal[k].abs() > self.normal[m].abs() { k } else { m })
    }
}

/// Whether a side of `t` parts it from `u` for certain, seen along an axis: facets of one plane are told apart by that, whose
/// places above each other are all nought.
fn side_parts(axis: usize, t: &[Point; 3], u: &[Point; 3]) -> bool {
    let flat = |p: &Point| [p[(axis + 1) % 3], p[(axis + 2) % 3]];
    let (t, u) = (t.each_ref().map(flat), u.each_ref().map(flat));
    (0..3).any(|k| {
        let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
        let edge = [b[0] - a[0], b[1] - a[1]];
        // 1 or -1, or 0 where rounding may have decided: more than the first bound of the turn, (3 + 16 ε) ε times the sum.
        let turn = |p: &[f64; 2]| {
            let (left, right) = (edge[0] * (p[1] - a[1]), edge[1] * (p[0] - a[0]));
            let sure = (left - right).abs() > 4.0 * f64::EPSILON * (left.abs() + right.abs());
            if sure { (left - right).signum() } else { 0.0 }
        };
        let own = turn(&c);
        own != 0.0 && u.iter().all(|p| turn(p) == -own)
    })
}

/// A box as lowest and negated highest coordinates, rounded outward to single precision, so that one comparison of eight
/// lanes tells whether two meet.
type Lanes = [f32; 8];

fn lanes(corners: &[Point; 3]) -> Lanes {
    box_lanes(&around(corners))
}

fn box_lanes([low, high]: &[Point; 2]) -> Lanes {
    // The nearest single may lie inside; the next one does not.
    let down = |x: f64| if f64::from(x as f32) <= x { x as f32 } else { (x as f32).next_down() };
    [down(low[0]), down(low[1]), down(low[2]), 0.0, down(-high[0]), down(-high[1]), down(-high[2]), 0.0]
}

/// What another box's lanes must not exceed for the two to meet.
fn turn_lanes(b: &Lanes) -> Lanes {
    [-b[4], -b[5], -b[6], 0.0, -b[0], -b[1], -b[2], 0.0]
}

#[inline]
fn lanes_meet(turned: &Lanes, b: &Lanes) -> bool {
    (0..8).fold(true, |all, k| all & (b[k] <= turned[k]))
}

/// Leaves that are looked at together, pair by pair.
const GROUP: usize = 8;
/// Groups of which it is asked first whether they lie in one monotone patch with what is near them; then half as many and so on.
const BLOCK: usize = 8;

/// All crossings, in the order of their facets. Facets without area are left out: they have a finding of their own.
///
/// # Errors
/// [`Cancelled`].
pub fn crossings(mesh: &Mesh, watch: &Watch) -> Result<Vec<Crossing>, Cancelled> {
    let flat = mesh.flat_facets();
    crossings_among(mesh, &flat, watch)
}

/// All crossings, or `None` as soon as there are more than `most`: of two surfaces that run along each other there may
/// be as many as pairs of facets.
///
/// # Errors
/// [`Cancelled`].
pub fn crossings_if_few(mesh: &Mesh, most: usize, watch: &Watch) -> Result<Option<Vec<Crossing>>, Cancelled> {
    look(mesh, &FacetTree::of(mesh), &mesh.flat_facets(), Limits { most, pairs: usize::MAX }, watch)
}

/// As [`crossings_if_few`], and `None` too once more than `pairs` pairs of facets with boxes that meet have been looked at:
/// long facets that lie across each other are as many pairs as crossings, without crossing.
///
/// # Errors
/// [`Cancelled`].
pub fn crossings_if_quick(
    mesh: &Mesh,
    most: usize,
    pairs: usize,
    watch: &Watch,
) -> Result<Option<Vec<Crossing>>, Cancelled> {
    look(mesh, &FacetTree::of(mesh), &mesh.flat_facets(), Limits { most, pairs }, watch)
}

/// All crossings between facets for which `flat` does not hold, in the order of their facets.
///
/// # Errors
/// [`Cancelled`].
pub fn crossings_among(mesh: &Mesh, flat: &TiSlice<FacetId, bool>, watch: &Watch) -> Result<Vec<Crossing>, Cancelled> {
    crossings_in(mesh, &FacetTree::of(mesh), flat, watch)
}

/// As [`crossings_among`], for who has the tree of the mesh already.
///
/// # Errors
/// [`Cancelled`].
pub fn crossings_in(
    mesh: &Mesh,
    tree: &FacetTree,
    flat: &TiSlice<FacetId, bool>,
    watch: &Watch,
) -> Result<Vec<Crossing>, Cancelled> {
    let limits = Limits { most: usize::MAX, pairs: usize::MAX };
    Ok(look(mesh, tree, flat, limits, watch)?.unwrap_or_default())
}

/// When a search gives up.
#[derive(Clone, Copy)]
struct Limits {
    /// Crossings.
    most: usize,
    /// Pairs of facets whose boxes meet.
    pairs: usize,
}

/// How much of [`Limits`] is used.
#[derive(Default)]
struct Used {
    crossings: AtomicUsize,
    pairs: AtomicUsize,
}

impl Used {
    fn is_above(&self, limits: Limits) -> bool {
        self.crossings.load(Relaxed) > limits.most || self.pairs.load(Relaxed) > limits.pairs
    }
}

/// All crossings; `None` above the limits, whatever the order in which they were found.
fn look(
    mesh: &Mesh,
    tree: &FacetTree,
    flat: &TiSlice<FacetId, bool>,
    limits: Limits,
    watch: &Watch,
) -> Result<Option<Vec<Crossing>>, Cancelled> {
    watch.check()?;
    // In the order of the leaves, so that what is looked at together lies together: 32 bytes a facet for as long as this
    // takes.
    let boxes: Vec<Lanes> = tree.order.par_iter().map(|&f| lanes(&mesh.corners(f))).collect();
    let search = Search { mesh, flat, tree, boxes, limits };
    let (groups, used) = (search.tree.leaf_count().div_ceil(GROUP), Used::default());
    let found: Vec<Vec<Crossing>> = (0..groups.div_ceil(BLOCK))
        .into_par_iter()
        .map(|block| {
            let mut out = Vec::new();
            let mut left = vec![(block * BLOCK, ((block + 1) * BLOCK).min(groups))];
            while let Some((first, end)) = left.pop() {
                if watch.check().is_err() || used.is_above(limits) {
                    break;
                }
                let near = search.near(first..end);
                let monotone = search.monotone(&near, end - first);
                if monotone.as_ref().is_some_and(|s| s.count == 1) {
                    continue;
                }
                if monotone.is_none() && end - first > 1 {
                    let middle = first.midpoint(end);
                    left.extend([(middle, end), (first, middle)]);
                    continue;
                }
                let before = out.len();
                for g in first..end {
                    let pairs = search.among(g, &search.near(g..g + 1), monotone.as_ref(), &mut out);
                    used.pairs.fetch_add(pairs, Relaxed);
                }
                used.crossings.fetch_add(out.len() - before, Relaxed);
            }
            out
        })
        .collect();
    watch.check()?;
    if used.is_above(limits) {
        return Ok(None);
    }
    let mut all: Vec<Crossing> = found.into_iter().flatten().collect();
    all.par_sort_unstable_by_key(|c| c.facets);
    Ok(Some(all))
}

/// What is asked while looking for crossings.
struct Search<'a> {
    mesh: &'a Mesh,
    flat: &'a TiSlice<FacetId, bool>,
    tree: &'a FacetTree,
    boxes: Vec<Lanes>,
    limits: Limits,
}

/// The monotone patches in which the facets of some leaves lie.
struct MonotonePatches {
    /// In order.
    leaves: Vec<usize>,
    /// For each facet of the leaves, one behind the other.
    of: Vec<u32>,
    count: usize,
}

impl MonotonePatches {
    /// The monotone patches of the facets of a leaf.
    fn in_leaf(&self, leaf: usize) -> &[u32] {
        let at = self.leaves.binary_search(&leaf).map_or(self.of.len(), |i| i * LEAF);
        &self.of[at..(at + LEAF).min(self.of.len())]
    }

    /// The monotone patch in which a leaf lies with all its facets, or [`NONE`].
    fn of_leaf(&self, leaf: usize) -> u32 {
        let [first, others @ ..] = self.in_leaf(leaf) else { return NONE };
        if others.iter().all(|s| s == first) { *first } else { NONE }
    }
}

impl Search<'_> {
    /// Leaves, from the first of some groups on, that are near the groups.
    fn near(&self, groups: Range<usize>) -> Vec<usize> {
        let mut near = Vec::new();
        let last = (groups.end * GROUP).min(self.tree.leaf_count());
        self.tree.leaves_near(groups.start * GROUP..last, |j| near.push(j));
        near.sort_unstable();
        near
    }

    /// The monotone patches that all that is near some groups, they themselves with it, lies in.
    fn monotone(&self, near: &[usize], groups: usize) -> Option<MonotonePatches> {
        // Around few large facets there may be everything.
        if near.len() > 8 * GROUP * groups {
            return None;
        }
        let patch = |&f: &FacetId| Facet { points: self.mesh.triangles[f], corners: self.mesh.corners(f) };
        let patches: Vec<Facet> = near.iter().flat_map(|&j| self.tree.leaf(j).iter().map(patch)).collect();
        let (of, count) = monotone_patches(&patches)?;
        Some(MonotonePatches { leaves: near.to_vec(), of, count })
    }

    /// The crossings of facets of a group with those in the same or later leaves, and how many pairs were looked at; `near`
    /// as [`Search::near`] gives it.
    fn among(
        &self,
        group: usize,
        near: &[usize],
        monotone: Option<&MonotonePatches>,
        out: &mut Vec<Crossing>,
    ) -> usize {
        let mut pairs = 0;
        let (mesh, flat) = (self.mesh, self.flat);
        // Side by side in memory, so that every pair finds both at hand.
        let mut list: Vec<Listed> = Vec::with_capacity(LEAF * near.len());
        for &j in near {
            let known = monotone.map_or(&[][..], |s| s.in_leaf(j));
            list.extend(self.tree.leaf(j).iter().enumerate().map(|(k, &f)| Listed {
                lanes: self.boxes[j * LEAF + k],
                patch: known.get(k).copied().unwrap_or(NONE),
                facet: f,
                points: mesh.triangles[f],
                corners: mesh.corners(f),
            }));
        }
        let leaf_lanes: Vec<Lanes> = near.iter().map(|&j| box_lanes(self.tree.leaf_box(j))).collect();
        let leaf_patches: Vec<u32> = near.iter().map(|&j| monotone.map_or(NONE, |s| s.of_leaf(j))).collect();
        // All leaves but the last one of the tree are full, so that a leaf's facets lie at its place in the list.
        let of_leaf = |l: usize| &list[l * LEAF..((l + 1) * LEAF).min(list.len())];
        for l in (0..near.len()).take_while(|&l| near[l] < (group + 1) * GROUP) {
            let own = of_leaf(l);
            let turned: [Lanes; LEAF] = std::array::from_fn(|k| own.get(k).map_or([0.0; 8], |o| turn_lanes(&o.lanes)));
            let planes: [Plane; LEAF] =
                std::array::from_fn(|k| own.get(k).map_or(Plane::default(), |o| Plane::of(&o.corners)));
            let whole = turn_lanes(&leaf_lanes[l]);
            if out.len() > self.limits.most || pairs > self.limits.pairs {
                break;
            }
            let beside = |m: &usize| leaf_patches[l] == NONE || leaf_patches[l] != leaf_patches[*m];
            for m in (l..near.len()).filter(beside).filter(|&m| lanes_meet(&whole, &leaf_lanes[m])) {
                for (k, other) in of_leaf(m).iter().enumerate().filter(|(_, o)| lanes_meet(&whole, &o.lanes)) {
                    // Within one leaf each pair once.
                    let before = if l == m { k } else { own.len() };
                    for ((one, lanes), plane) in own[..before].iter().zip(&turned).zip(&planes) {
                        let beside = one.patch == NONE || one.patch != other.patch;
                        if lanes_meet(lanes, &other.lanes) && beside && !flat[one.facet] && !flat[other.facet] {
                            pairs += 1;
                            let (t, u) = (&one.corners, &other.corners);
                            let axis = plane.steepest();
                            if plane.clears(u)
                                || Plane::of(u).clears(t)
                                || side_parts(axis, t, u)
                                || side_parts(axis, u, t)
                            {
                                continue;
                            }
                            out.extend(if one.facet < other.facet { between(one, other) } else { between(other, one) });
                        }
                    }
                }
            }
        }
        pairs
    }
}

/// Whether any of `suspects` crosses another facet. Quick where they are few.
///
/// # Errors
/// [`Cancelled`].
pub fn any_crosses(mesh: &Mesh, suspects: &[FacetId], watch: &Watch) -> Result<bool, Cancelled> {
    if suspects.is_empty() {
        return Ok(false);
    }
    let triangles = suspects.iter().map(|&f| mesh.triangles[f]).collect();
    let some = Mesh { points: mesh.points.clone(), triangles };
    let tree = FacetTree::of(&some);
    let mut suspected: TiVec<FacetId, bool> = ti_vec![false; mesh.triangles.len()];
    suspects.iter().for_each(|f| suspected[*f] = true);
    watch.check()?;
    Ok(mesh.par_facets().any(|f| {
        let corners = mesh.corners(f);
        let own = around(&corners);
        let mut crosses = false;
        tree.in_box(&Bounds { min: own[0], max: own[1] }, |k| {
            let g = suspects[usize::from(k)];
            // Of two suspects the higher-numbered one asks.
            if f > g || !suspected[f] {
                let other = mesh.corners(g);
                crosses |= boxes_meet(&own, &around(&other)) && crossing(mesh, f.min(g), f.max(g)).is_some();
            }
        });
        crosses
    }))
}

/// Whether and where two facets meet where they should not.
pub fn crossing(mesh: &Mesh, f: FacetId, g: FacetId) -> Option<Crossing> {
    let (t, u) = (mesh.corners(f), mesh.corners(g));
    let listed = |f: FacetId, c: &[Point; 3]| Listed {
        lanes: lanes(c),
        patch: NONE,
        facet: f,
        points: mesh.triangles[f],
        corners: *c,
    };
    boxes_meet(&around(&t), &around(&u)).then(|| between(&listed(f, &t), &listed(g, &u)))?
}

fn around([a, b, c]: &[Point; 3]) -> [Point; 2] {
    [[0, 1, 2].map(|k| a[k].min(b[k]).min(c[k])), [0, 1, 2].map(|k| a[k].max(b[k]).max(c[k]))]
}

fn boxes_meet(a: &[Point; 2], b: &[Point; 2]) -> bool {
    (0..3).all(|k| a[0][k] <= b[1][k] && b[0][k] <= a[1][k])
}

/// A facet with all that is asked of it.
struct Listed {
    lanes: Lanes,
    /// The monotone patch it is known to lie in, or [`NONE`].
    patch: u32,
    facet: FacetId,
    points: [PointId; 3],
    corners: [Point; 3],
}

/// Two facets whose boxes meet.
fn between(one: &Listed, other: &Listed) -> Option<Crossing> {
    let (facets, t, u) = ([one.facet, other.facet], &one.corners, &other.corners);
    let [i, j] = [one.points, other.points];
    let mut shared = [(0, 0); 3];
    let mut count = 0;
    for (a, p) in i.iter().enumerate() {
        if let Some(b) = j.iter().position(|q| p == q) {
            shared[count] = (a, b);
            count += 1;
        }
    }
    let made = |(coplanar, along)| Crossing { facets, coplanar, along };
    match shared[..count] {
        [] => apart(t, u).map(made),
        [(a, b)] => {
            let turn = |c: &[Point; 3], k: usize| [c[k], c[(k + 1) % 3], c[(k + 2) % 3]];
            one_shared(&turn(t, a), &turn(u, b)).map(made)
        }
        [(a, b), (c, d)] => {
            let (p, q) = (t[3 - a - c], u[3 - b - d]);
            folded(t[a], t[c], p, q).then(|| made((true, [lerp(t[a], t[c], 0.5), lerp(p, q, 0.5)])))
        }
        // Facets that are there twice are told as such.
        _ => None,
    }
}

type Meeting = (bool, [Point; 2]);

/// Two facets over one edge `a b`, whether the second lies on the first.
fn folded(a: Point, b: Point, p: Point, q: Point) -> bool {
    // Seen along the normal of the first: across the edge from each other they do not lie on each other, in one plane or
    // not. That is told from most pairs at once; flat surfaces would else ask for the exact sign at every edge.
    let axis = flattest(&[a, b, p]);
    let turn = |c: Point| flat_side(axis, a, b, c);
    let (one, other) = (turn(p), turn(q));
    other != 0.0 && (one > 0.0) == (other > 0.0) && side(&[a, b, p], q) == 0.0
}

/// The coordinate that changes least across a triangle: dropping it keeps the others apart.
fn flattest([a, b, c]: &[Point; 3]) -> usize {
    let n = area_vector(*a, *b, *c).map(f64::abs);
    let best = (0..3).fold(0, |best, k| if n[k] > n[best] { k } else { best });
    let largest = a.iter().chain(b).chain(c).fold(0.0_f64, |m, x| m.max(x.abs()));
    if n[best] > 1e-14 * largest * largest {
        return best;
    }
    // A needle whose normal may be nothing but rounding: one along which its area is not zero exactly.
    (0..3).map(|k| (best + k) % 3).find(|&k| flat_side(k, *a, *b, *c) != 0.0).unwrap_or(best)
}

/// The turn of `a b c` seen along an axis.
fn flat_side(axis: usize, a: Point, b: Point, c: Point) -> f64 {
    let coord = |p: Point| Coord { x: p[(axis + 1) % 3], y: p[(axis + 2) % 3] };
    orient2d(coord(a), coord(b), coord(c))
}

/// Facets without a common point.
fn apart(t: &[Point; 3], u: &[Point; 3]) -> Option<Meeting> {
    let of_u = u.map(|p| side(t, p));
    if same_side(&of_u) {
        return None;
    }
    if of_u == [0.0; 3] {
        return flat_meeting(t, u, &[[0, 1], [1, 2], [2, 0]], &[[0, 1], [1, 2], [2, 0]]);
    }
    let of_t = t.map(|p| side(u, p));
    if same_side(&of_t) {
        return None;
    }
    let mut places = Vec::new();
    for k in 0..3 {
        let n = (k + 1) % 3;
        places.extend(pierces(t[k], t[n], of_t[k], of_t[n], u));
        places.extend(pierces(u[k], u[n], of_u[k], of_u[n], t));
    }
    widest(&places).map(|along| (false, along))
}

/// Facets whose first corner is common.
fn one_shared(t: &[Point; 3], u: &[Point; 3]) -> Option<Meeting> {
    let of_u = [side(t, u[1]), side(t, u[2])];
    if of_u == [0.0; 2] {
        return flat_meeting(t, u, &[[1, 2]], &[[1, 2]]);
    }
    if same_side(&of_u) {
        return None;
    }
    let of_t = [side(u, t[1]), side(u, t[2])];
    if same_side(&of_t) {
        return None;
    }
    let mut places: Vec<Point> = Vec::new();
    places.extend(pierces(t[1], t[2], of_t[0], of_t[1], u));
    places.extend(pierces(u[1], u[2], of_u[0], of_u[1], t));
    if places.is_empty() {
        return None;
    }
    places.push(t[0]);
    widest(&places).map(|along| (false, along))
}

fn same_side(s: &[f64]) -> bool {
    s.iter().all(|x| *x > 0.0) || s.iter().all(|x| *x < 0.0)
}

/// Where the segment `p q`, whose ends lie on sides `sp` and `sq` of a triangle's plane, meets the triangle.
fn pierces(p: Point, q: Point, sp: f64, sq: f64, t: &[Point; 3]) -> Option<Point> {
    if same_side(&[sp, sq]) {
        return None;
    }
    if sp == 0.0 && sq == 0.0 {
        // In the plane: told by the other facet's edges, or by the ends.
        return [p, q].into_iter().find(|x| holds(t, *x)).or_else(|| {
            let axis = flattest(t);
            (0..3).find_map(|k| flat_cut(axis, p, q, t[k], t[(k + 1) % 3]))
        });
    }
    let turns = [0, 1, 2].map(|k| {
        let line = [p, q, t[k]];
        side(&line, t[(k + 1) % 3])
    });
    let inside = turns.iter().all(|x| *x >= 0.0) || turns.iter().all(|x| *x <= 0.0);
    inside.then(|| lerp(p, q, if sp == sq { 0.5 } else { sp / (sp - sq) }))
}

/// Whether a point of a triangle's plane lies in it.
fn holds(t: &[Point; 3], p: Point) -> bool {
    let axis = flattest(t);
    let turns = [0, 1, 2].map(|k| flat_side(axis, t[k], t[(k + 1) % 3], p));
    turns.iter().all(|x| *x >= 0.0) || turns.iter().all(|x| *x <= 0.0)
}

/// Where two segments of one plane meet.
fn flat_cut(axis: usize, a: Point, b: Point, c: Point, d: Point) -> Option<Point> {
    let (sa, sb) = (flat_side(axis, c, d, a), flat_side(axis, c, d, b));
    let (sc, sd) = (flat_side(axis, a, b, c), flat_side(axis, a, b, d));
    let opposite = |x: f64, y: f64| (x >= 0.0 && y <= 0.0) || (x <= 0.0 && y >= 0.0);
    if !opposite(sa, sb) || !opposite(sc, sd) {
        return None;
    }
    if sa == 0.0 && sb == 0.0 {
        // On one line: they meet if an end of one lies within the other.
        let along = (0..3).fold(0, |m, k| if (b[k] - a[k]).abs() > (b[m] - a[m]).abs() { k } else { m });
        let within =
            |x: Point, p: Point, q: Point| x[along] >= p[along].min(q[along]) && x[along] <= p[along].max(q[along]);
        return [a, b].into_iter().find(|x| within(*x, c, d)).or_else(|| [c, d].into_iter().find(|x| within(*x, a, b)));
    }
    Some(lerp(a, b, if sa == sb { 0.5 } else { sa / (sa - sb) }))
}

/// Facets of one plane: whether some edges of one meet the other facet.
fn flat_meeting(t: &[Point; 3], u: &[Point; 3], of_t: &[[usize; 2]], of_u: &[[usize; 2]]) -> Option<Meeting> {
    let mut places = Vec::new();
    for (edges, own, other) in [(of_t, t, u), (of_u, u, t)] {
        for e in edges {
            places.extend(pierces(own[e[0]], own[e[1]], 0.0, 0.0, other));
        }
    }
    widest(&places).map(|along| (true, along))
}

/// The two places furthest from each other.
fn widest(places: &[Point]) -> Option<[Point; 2]> {
    let first = *places.first()?;
    let far = |from: Point| {
        let d = |p: &Point| crate::vector::distance(*p, from);
        places.iter().copied().max_by(|a, b| d(a).total_cmp(&d(b))).unwrap_or(from)
    };
    let one = far(first);
    Some([one, far(one)])
}
