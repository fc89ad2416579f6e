//! From lines to members: ends that are near become one joint, ends near a member divide it, doubles go.

use crate::model::{Frame, Joint, Member};
use hull_geometry::vector::{add, distance, dot, nearest_on_segment, scale, sub};
use hull_geometry::{Cancelled, Point, Watch};
use rstar::primitives::{GeomWithData, Line};
use rstar::{AABB, RTree};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap, HashSet};

/// A straight piece on a layer.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Piece {
    /// From and to.
    pub ends: [Point; 2],
    /// Of the frame's layers.
    pub layer: u32,
}

/// What was done.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Joined {
    /// Ends that were brought to a joint elsewhere.
    pub ends_moved: usize,
    /// Members that were divided where another one ends on them.
    pub divided: usize,
    /// Members that were divided where they cross.
    pub crossed: usize,
    /// Pieces without length.
    pub too_short: usize,
    /// Pieces that lay on others.
    pub doubles: usize,
}

/// Joints against tolerance, with the tolerance that is proposed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct JointPlot {
    /// Tolerance, and the joints that ends then form.
    pub points: Vec<[f64; 2]>,
    /// In the widest gap between distances that are to be closed and those that are meant.
    pub proposal: Option<f64>,
}

/// Distances up to this share of the middle length of a piece may be gaps.
const GAP: f64 = 0.2;
/// An end on a line misses the end of that by up to this share of what may be a gap; further away it is meant to be there.
const NEAR: f64 = 0.1;

type Stored = GeomWithData<Line<[f64; 3]>, usize>;

fn tree(pieces: &[Piece]) -> RTree<Stored> {
    let line = |(i, p): (usize, &Piece)| Stored::new(Line::new(p.ends[0], p.ends[1]), i);
    RTree::bulk_load(pieces.iter().enumerate().map(line).collect())
}

fn around(p: Point, by: f64) -> AABB<[f64; 3]> {
    AABB::from_corners(p.map(|x| x - by), p.map(|x| x + by))
}

/// How far each end is from the nearest other line that it does not touch, where that is within reach; the plot of it.
///
/// # Errors
/// [`Cancelled`].
pub fn plot(pieces: &[Piece], watch: &Watch) -> Result<JointPlot, Cancelled> {
    let mut lengths: Vec<f64> = pieces.iter().map(|p| distance(p.ends[0], p.ends[1])).filter(|l| *l > 0.0).collect();
    lengths.sort_by(f64::total_cmp);
    let Some(middle) = lengths.get(lengths.len() / 2).copied() else { return Ok(JointPlot::default()) };
    let tree = tree(pieces);
    let reach = GAP * middle;
    let places = Places::of(pieces);
    let mut gaps = Vec::new();
    for (i, piece) in pieces.iter().enumerate() {
        if i.is_multiple_of(1024) {
            watch.check()?;
        }
        for (k, end) in piece.ends.into_iter().enumerate() {
            // Where several ends are at one place, each meets another.
            if places.uses[places.of[i][k] as usize] == 1 {
                gaps.extend(gap_at(&tree, i, end, reach));
            }
        }
    }
    gaps.sort_by(f64::total_cmp);
    let tolerances: Vec<f64> = (0..=24).map(|k| reach * 10_f64.powf(-6.0 + f64::from(k) * 0.25)).collect();
    let joints = places.joints(&tolerances, watch)?;
    let points = tolerances.iter().zip(joints).map(|(t, n)| [*t, n as f64]).collect();
    Ok(JointPlot { points, proposal: proposal(&gaps, reach) })
}

/// The places of ends, each once, in the order in which they are met first.
struct Places {
    at: Vec<Point>,
    /// How many ends are there.
    uses: Vec<u32>,
    /// The place of each end of each piece.
    of: Vec<[u32; 2]>,
}

impl Places {
    fn of(pieces: &[Piece]) -> Places {
        let mut number: HashMap<[u64; 3], u32> = HashMap::new();
        let mut out = Places { at: Vec::new(), uses: Vec::new(), of: Vec::with_capacity(pieces.len()) };
        for piece in pieces {
            // Nought has two signs.
            let own = piece.ends.map(|p| {
                let n = *number.entry(p.map(|x| (x + 0.0).to_bits())).or_insert_with(|| {
                    out.at.push(p);
                    out.uses.push(0);
                    out.at.len() as u32 - 1
                });
                out.uses[n as usize] += 1;
                n
            });
            out.of.push(own);
        }
        out
    }

    /// How many joints there are for each of some rising tolerances: pairs of places are joined in the order of their distance.
    fn joints(&self, tolerances: &[f64], watch: &Watch) -> Result<Vec<usize>, Cancelled> {
        let most = tolerances.last().copied().unwrap_or(0.0);
        let tree = RTree::bulk_load(
            self.at.iter().enumerate().map(|(i, p)| GeomWithData::new(*p, i as u32)).collect::<Vec<_>>(),
        );
        let mut pairs: Vec<(f64, u32, u32)> = Vec::new();
        for (i, p) in self.at.iter().enumerate() {
            if i.is_multiple_of(1024) {
                watch.check()?;
            }
            let near = tree.locate_within_distance(*p, most * most).filter(|q| q.data > i as u32);
            pairs.extend(near.map(|q| (distance(*p, *q.geom()), i as u32, q.data)));
        }
        pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
        let mut parent: Vec<u32> = (0..self.at.len() as u32).collect();
        let (mut left, mut next) = (self.at.len(), 0);
        let mut out = Vec::with_capacity(tolerances.len());
        for tolerance in tolerances {
            while let Some((_, i, j)) = pairs.get(next).filter(|p| p.0 <= *tolerance) {
                let (a, b) = (root(&mut parent, *i), root(&mut parent, *j));
                parent[a.max(b) as usize] = a.min(b);
                left -= usize::from(a != b);
                next += 1;
            }
            out.push(left);
        }
        Ok(out)
    }
}

/// How far an end is from what it should meet: nothing where it meets another end. One that lies on a line may still miss the
/// end of it by a little.
fn gap_at(tree: &RTree<Stored>, own: usize, end: Point, reach: f64) -> Option<f64> {
    let exact = 1e-12 * (1.0 + end.iter().fold(0.0_f64, |m, x| m.max(x.abs())));
    let (mut line, mut joint) = (f64::INFINITY, f64::INFINITY);
    for s in tree.locate_in_envelope_intersecting(around(end, reach)).filter(|s| s.data != own) {
        let (from, to) = (s.geom().from, s.geom().to);
        line = line.min(nearest_on_segment(end, from, to).1.sqrt());
        joint = joint.min(distance(end, from)).min(distance(end, to));
    }
    match (line, joint) {
        (_, d) if d <= exact => None,
        (d, near) if d <= exact => Some(near).filter(|n| *n <= NEAR * reach),
        (d, near) => Some(d.min(near)).filter(|d| *d <= reach),
    }
}

/// In the middle of the widest step between two gaps, or to the end of what may be one; `None` without gaps.
fn proposal(gaps: &[f64], reach: f64) -> Option<f64> {
    let last = *gaps.last()?;
    let steps = gaps.windows(2).map(|w| (w[1] / w[0].max(1e-300), w[0], w[1]));
    let all = steps.chain([(reach / last.max(1e-300), last, reach)]);
    let (_, low, high) = all.fold((0.0, 0.0, 0.0), |best, s| if s.0 > best.0 { s } else { best });
    Some((low * high).sqrt().min(1.5 * low))
}

/// The joint of each end within a tolerance, and how many joints there are.
fn clusters(pieces: &[Piece], tolerance: f64) -> (Vec<[u32; 2]>, usize) {
    let places = Places::of(pieces);
    if tolerance == 0.0 {
        return (places.of, places.at.len());
    }
    let mut parent: Vec<u32> = (0..places.at.len() as u32).collect();
    let cell = |p: Point| p.map(|x| (x / tolerance.max(f64::MIN_POSITIVE)).floor().clamp(-9e15, 9e15) as i64);
    let mut grid: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
    for (i, p) in places.at.iter().enumerate() {
        let c = cell(*p);
        for k in 0..27_i64 {
            let near = [c[0] + k % 3 - 1, c[1] + k / 3 % 3 - 1, c[2] + k / 9 - 1];
            for &j in grid.get(&near).into_iter().flatten() {
                if distance(*p, places.at[j as usize]) <= tolerance {
                    let (a, b) = (root(&mut parent, i as u32), root(&mut parent, j));
                    // The lower number leads: the same at every run.
                    parent[a.max(b) as usize] = a.min(b);
                }
            }
        }
        grid.entry(c).or_default().push(i as u32);
    }
    let mut number = HashMap::new();
    let joint: Vec<u32> = (0..places.at.len() as u32)
        .map(|i| {
            let next = number.len() as u32;
            *number.entry(root(&mut parent, i)).or_insert(next)
        })
        .collect();
    (places.of.iter().map(|ends| ends.map(|p| joint[p as usize])).collect(), number.len())
}

fn root(parent: &mut [u32], mut i: u32) -> u32 {
    while parent[i as usize] != i {
        parent[i as usize] = parent[parent[i as usize] as usize];
        i = parent[i as usize];
    }
    i
}

/// The frame of some lines: ends within `tolerance` are one joint, where most of them are; ends within it of a member are
/// brought onto it and divide it; members that cross within it are divided there if `crossings` says so.
///
/// # Errors
/// [`Cancelled`].
pub fn frame_of(
    pieces: &[Piece],
    layers: Vec<String>,
    tolerance: f64,
    crossings: bool,
    watch: &Watch,
) -> Result<(Frame, Joined), Cancelled> {
    let mut done = Joined::default();
    let long = |p: &&Piece| distance(p.ends[0], p.ends[1]) > tolerance;
    let all = pieces.len();
    let mut pieces: Vec<Piece> = pieces.iter().filter(long).copied().collect();
    done.too_short = all - pieces.len();
    let mut count = pieces.len();
    watch.report(0.1, "joining ends")?;
    done.ends_moved += together(&mut pieces, tolerance);
    watch.report(0.3, "dividing members")?;
    if crossings {
        done.crossed = divide(&mut pieces, tolerance, true, watch)?;
        count += done.crossed;
    }
    done.divided = divide(&mut pieces, tolerance, false, watch)?;
    count += done.divided;
    done.ends_moved += together(&mut pieces, tolerance);
    let (ends, joints) = clusters(&pieces, 0.0);
    let mut frame = Frame { layers, joints: vec![Joint::default(); joints], ..Frame::default() };
    let mut seen = HashSet::new();
    for (piece, ends) in pieces.iter().zip(ends) {
        for (joint, at) in ends.iter().zip(piece.ends) {
            frame.joints[*joint as usize].at = at;
        }
        if ends[0] != ends[1] && seen.insert([ends[0].min(ends[1]), ends[0].max(ends[1])]) {
            frame.members.push(Member { ends, layer: piece.layer, ..Member::default() });
        }
    }
    done.doubles = count.saturating_sub(frame.members.len());
    Ok((frame, done))
}

/// Brings ends that are near each other to the place where most of them are, the first of those; gives how many moved.
fn together(pieces: &mut [Piece], tolerance: f64) -> usize {
    let (ends, joints) = clusters(pieces, tolerance);
    let mut places: Vec<BTreeMap<[u64; 3], (usize, usize)>> = vec![BTreeMap::new(); joints];
    for (i, (piece, own)) in pieces.iter().zip(&ends).enumerate() {
        for k in 0..2 {
            let place = places[own[k] as usize].entry(piece.ends[k].map(f64::to_bits)).or_insert((0, 2 * i + k));
            place.0 += 1;
        }
    }
    let most = |all: &BTreeMap<[u64; 3], (usize, usize)>| {
        let found = all.iter().max_by(|a, b| a.1.0.cmp(&b.1.0).then(b.1.1.cmp(&a.1.1)));
        found.map(|(bits, _)| bits.map(f64::from_bits))
    };
    let at: Vec<Option<Point>> = places.iter().map(most).collect();
    let mut moved = 0;
    for (piece, own) in pieces.iter_mut().zip(&ends) {
        for k in 0..2 {
            if let Some(p) = at[own[k] as usize].filter(|p| *p != piece.ends[k]) {
                piece.ends[k] = p;
                moved += 1;
            }
        }
    }
    moved
}

/// Divides pieces where ends of others lie within a tolerance of them, or where others cross them; gives by how many they grew.
fn divide(pieces: &mut Vec<Piece>, tolerance: f64, crossings: bool, watch: &Watch) -> Result<usize, Cancelled> {
    let tree = tree(pieces);
    // By piece: how far along, and the place.
    let mut cuts: Vec<Vec<(f64, Point)>> = vec![Vec::new(); pieces.len()];
    let mut onto: Vec<(usize, usize, Point)> = Vec::new();
    let places = Places::of(pieces);
    let mut met: Vec<Option<Vec<(usize, f64, Point)>>> = vec![None; places.at.len()];
    for (i, piece) in pieces.iter().enumerate() {
        if i.is_multiple_of(1024) {
            watch.check()?;
        }
        let [a, b] = piece.ends;
        if crossings {
            let (low, high) =
                ([0, 1, 2].map(|k| a[k].min(b[k]) - tolerance), [0, 1, 2].map(|k| a[k].max(b[k]) + tolerance));
            for other in tree.locate_in_envelope_intersecting(AABB::from_corners(low, high)).filter(|s| s.data > i) {
                let [c, d] = pieces[other.data].ends;
                if let Some((s, t, p)) = crossing([a, b], [c, d], tolerance) {
                    cuts[i].push((s, p));
                    cuts[other.data].push((t, p));
                }
            }
            continue;
        }
        for (k, end) in piece.ends.into_iter().enumerate() {
            // All ends at one place meet the same lines: none of them is a line that begins or ends there.
            let met = &mut met[places.of[i][k] as usize];
            let met = met.get_or_insert_with(|| {
                let found = passing(&tree, end, tolerance);
                found.iter().for_each(|(other, t, p)| cuts[*other].push((*t, *p)));
                found
            });
            onto.extend(met.iter().map(|(_, _, p)| (i, k, *p)));
        }
    }
    for (i, k, p) in onto {
        pieces[i].ends[k] = p;
    }
    let mut out = Vec::with_capacity(pieces.len());
    for (piece, mut own) in pieces.iter().zip(cuts) {
        own.sort_by(|x, y| x.0.total_cmp(&y.0));
        let mut from = piece.ends[0];
        for (_, p) in own.into_iter().chain([(1.0, piece.ends[1])]) {
            if distance(from, p) > tolerance || p == piece.ends[1] && from != p {
                out.push(Piece { ends: [from, p], ..*piece });
                from = p;
            }
        }
    }
    let grew = out.len().saturating_sub(pieces.len());
    *pieces = out;
    Ok(grew)
}

/// The lines that pass a place within a tolerance, away from their ends: which, how far along, and the place on it.
fn passing(tree: &RTree<Stored>, end: Point, tolerance: f64) -> Vec<(usize, f64, Point)> {
    let on = |s: &Stored| {
        let (c, d) = (s.geom().from, s.geom().to);
        let (t, squared) = nearest_on_segment(end, c, d);
        let (apart, length) = (squared.sqrt(), distance(c, d));
        let inside = t * length > tolerance && (1.0 - t) * length > tolerance;
        let p = add(c, scale(sub(d, c), t));
        // One that lies on it up to rounding stays where it is.
        let p = if apart <= 1e-12 * (1.0 + length) { end } else { p };
        (apart <= tolerance && inside).then_some((s.data, t, p))
    };
    tree.locate_in_envelope_intersecting(around(end, tolerance)).filter_map(on).collect()
}

/// Where two pieces pass each other within a tolerance, away from all ends: shares along both, and the place on the first.
fn crossing([a, b]: [Point; 2], [c, d]: [Point; 2], tolerance: f64) -> Option<(f64, f64, Point)> {
    let (u, v, w) = (sub(b, a), sub(d, c), sub(a, c));
    let (uu, uv, vv) = (dot(u, u), dot(u, v), dot(v, v));
    let det = uu * vv - uv * uv;
    if det <= 1e-12 * uu * vv {
        return None;
    }
    let (s, t) = ((uv * dot(v, w) - vv * dot(u, w)) / det, (uu * dot(v, w) - uv * dot(u, w)) / det);
    let inside = |s: f64, length: f64| s * length > tolerance && (1.0 - s) * length > tolerance;
    let (p, q) = (add(a, scale(u, s)), add(c, scale(v, t)));
    (inside(s, uu.sqrt()) && inside(t, vv.sqrt()) && distance(p, q) <= tolerance).then_some((s, t, p))
}
