//! Round bumps and dents: where a surface leaves, without a sharp edge, the way on which it goes on all around.
//!
//! Around points that stand evenly over the surface a quadric is laid through a ring, by least squares, and what lies
//! within is held against it. A round bump stands further off than the ring is rough, and comes back to the quadric before the
//! ring begins; it goes by setting its points down onto the quadric. Rings of several sizes are tried, since a quadric
//! follows a bent surface only so far; what is left of a round bump is looked at again. Our own method.

use crate::corners::Corners;
use crate::grid;
use crate::mesh::{Bounds, FacetId, Mesh, Point, PointId};
use crate::vector::{add, cross, distance, dot, norm, scale, sub, unit};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashSet};
use typed_index_collections::{TiVec, ti_vec};

/// The ring around a place, in parts of the size that is looked for: a round bump of that size lies within from every place
/// at most half a cell's diagonal off its middle.
const RING: [f64; 2] = [0.72, 1.1];
/// Places stand in cells of this part of the size.
const CELL: f64 = 0.25;
/// A round bump stands out by at least this part of its size.
const STANDS_OUT: f64 = 0.04;
/// And by so many times what the ring is off its quadric, in the mean of squares.
const CLEARLY: f64 = 10.0;
/// A ring rougher than this part of the size tried goes round an edge or a corner.
const ROUGHEST: f64 = 0.012;
/// Of the round bump goes what stands out by more than this part of its height.
const FOOT: f64 = 0.02;
/// And by more than so many times what the ring is off; the next where that would lead into the ring.
const FEET: [f64; 3] = [1.0, 2.0, 4.0];
/// What is left is looked at so often.
const ROUNDS: usize = 3;
/// A ring needs so many points, and some in each of eight directions.
const FEWEST: usize = 24;
/// So many sizes are tried, each this part of the one before.
const SIZES: (i32, f64) = (6, 0.7);

/// Round bumps and dents (whose volume is below zero) no larger than `size`, the highest first; none lies on or close
/// beside another.
///
/// # Errors
/// [`Cancelled`].
pub fn round_bumps(mesh: &Mesh, size: f64, watch: &Watch) -> Result<Vec<RoundBump>, Cancelled> {
    let corners = Corners::new(mesh, |_| false);
    let mut found: Vec<RoundBump> = Vec::new();
    for k in 0..SIZES.0 {
        watch.report(f64::from(k) / f64::from(SIZES.0), "looking for round bumps and dents")?;
        let wide = size * SIZES.1.powi(k);
        let look = |seen: &mut Seen, centre: PointId| {
            watch.check()?;
            let near = Neighbourhood::of(mesh, &corners, centre, wide, seen);
            Ok(near.map_or([None, None], |near| [1.0, -1.0].map(|way| near.round_bump(mesh, &corners, way))))
        };
        let places = places(mesh, wide);
        // Each thread marks what it has seen in a table of its own: few pieces of work, few tables.
        let share = places.len() / (4 * rayon::current_num_threads()) + 1;
        let some: Vec<[Option<RoundBump>; 2]> = places
            .into_par_iter()
            .with_min_len(share)
            .map_init(|| Seen::new(mesh.points.len()), look)
            .collect::<Result<_, Cancelled>>()?;
        found.extend(some.into_iter().flatten().flatten().filter(|s| s.size <= size));
    }
    // The lowest point decides between equals, so that the order does not depend on anything else.
    found.sort_by(|a, b| b.worth.total_cmp(&a.worth).then(a.set_down[0].0.cmp(&b.set_down[0].0)));
    let mut kept: Vec<RoundBump> = Vec::new();
    for round_bump in found {
        if !kept.iter().any(|k| k.is_beside(&round_bump)) {
            kept.push(round_bump);
        }
    }
    Ok(kept)
}

/// Sets round bumps and dents no larger than `size` down; gives how many bumps and dents there were. What is left of one
/// is looked at again.
///
/// # Errors
/// [`Cancelled`].
pub fn set_down(mesh: &mut Mesh, size: f64, watch: &Watch) -> Result<[usize; 2], Cancelled> {
    let mut done: Vec<RoundBump> = Vec::new();
    for _ in 0..ROUNDS {
        let found = round_bumps(mesh, size, watch)?;
        if found.is_empty() {
            break;
        }
        found.iter().flat_map(|s| &s.set_down).for_each(|(p, place)| mesh.points[*p] = *place);
        let new: Vec<RoundBump> = found.into_iter().filter(|s| !done.iter().any(|d| d.is_beside(s))).collect();
        done.extend(new);
    }
    let dents = done.iter().filter(|s| s.volume < 0.0).count();
    Ok([done.len() - dents, dents])
}

/// One point for each cell of a grid: the lowest-numbered one.
fn places(mesh: &Mesh, size: f64) -> Vec<PointId> {
    let cell = CELL * size;
    let mut first: BTreeMap<[i64; 3], PointId> = BTreeMap::new();
    for &p in mesh.triangles.iter().flatten() {
        let at = grid::cell(mesh.points[p], cell);
        first.entry(at).and_modify(|q| *q = p.min(*q)).or_insert(p);
    }
    first.into_values().collect()
}

/// A round bump or dent.
pub struct RoundBump {
    /// Its points, and where they come to lie without it; in order.
    pub set_down: Vec<(PointId, Point)>,
    /// The diagonal of its box.
    pub size: f64,
    /// What it encloses with the quadric; below zero for a dent.
    pub volume: f64,
    /// Where it stands furthest off.
    top: Point,
    /// How far off it stands, less some of its ring's roughness: a smaller ring on the side of a round bump takes its top
    /// only, a larger one sees it less clearly.
    worth: f64,
}

impl RoundBump {
    fn is_beside(&self, other: &RoundBump) -> bool {
        distance(self.top, other.top) <= 0.5 * (self.size + other.size)
    }
}

/// Points that were seen from one place: those that bear its number.
struct Seen {
    number: u32,
    of: TiVec<PointId, u32>,
}

impl Seen {
    fn new(points: usize) -> Seen {
        Seen { number: 0, of: ti_vec![0; points] }
    }

    /// Whether a point is seen for the first time from where we are.
    fn first(&mut self, p: PointId) -> bool {
        std::mem::replace(&mut self.of[p], self.number) != self.number
    }
}

/// The points that hang together with one within a ring around it, and the quadric through the ring.
struct Neighbourhood {
    size: f64,
    /// The normal, and two ways across it.
    frame: [Point; 3],
    origin: Point,
    /// Points within the ring.
    within: Vec<PointId>,
    quadric: [f64; 6],
    /// How far the ring does, in the mean of squares.
    roughness: f64,
}

impl Neighbourhood {
    /// `None` where the ring is not whole, or has too few points to lay a quadric through.
    fn of(mesh: &Mesh, corners: &Corners, centre: PointId, size: f64, seen: &mut Seen) -> Option<Neighbourhood> {
        let origin = mesh.points[centre];
        let [inner, outer] = RING.map(|r| r * size);
        let (mut within, mut ring) = (Vec::new(), Vec::new());
        seen.number += 1;
        seen.first(centre);
        let mut waiting = vec![centre];
        let mut normal = [0.0; 3];
        while let Some(p) = waiting.pop() {
            let off = distance(mesh.points[p], origin);
            if off < inner {
                within.push(p)
            } else {
                ring.push(p)
            }
            for &f in corners.at(p) {
                if off >= inner {
                    normal = add(normal, mesh.area_vector(f));
                }
                let beside = mesh.triangles[f];
                let near = |q: &PointId| distance(mesh.points[*q], origin) <= outer;
                waiting.extend(beside.into_iter().filter(near).filter(|q| seen.first(*q)));
            }
        }
        if ring.len() < FEWEST || within.len() < FEWEST / 4 {
            return None;
        }
        let up = unit(normal)?;
        let across = if up[0].abs() < 0.6 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] };
        let x = unit(sub(across, scale(up, dot(across, up))))?;
        let frame = [up, x, cross(up, x)];
        // Each point stands for the surface around it, however many there are.
        let share = |p: PointId| corners.at(p).iter().map(|f| norm(mesh.area_vector(*f))).sum::<f64>();
        let places: Vec<Sample> = ring.iter().map(|&p| (seen_from(mesh, p, origin, &frame, size), share(p))).collect();
        let octants: HashSet<i32> = places.iter().map(|(p, _)| (p[1].atan2(p[0]) / 0.7855).floor() as i32).collect();
        if octants.len() < 8 {
            return None;
        }
        let (quadric, roughness) = fit(&places)?;
        Some(Neighbourhood { size, frame, origin, within, quadric, roughness })
    }

    /// How far a point stands off the quadric.
    fn height(&self, mesh: &Mesh, p: PointId) -> f64 {
        let at = seen_from(mesh, p, self.origin, &self.frame, self.size);
        at[2] - dot6(&self.quadric, &terms(at))
    }

    /// What stands off within the ring, out (`way` 1) or in (-1), and hangs together with its furthest point, if that is a
    /// round bump.
    fn round_bump(&self, mesh: &Mesh, corners: &Corners, way: f64) -> Option<RoundBump> {
        let height = |p: PointId| way * self.height(mesh, p);
        let top = *self.within.iter().max_by(|a, b| height(**a).total_cmp(&height(**b)).then(b.cmp(a)))?;
        let peak = height(top);
        if peak <= CLEARLY * self.roughness || self.roughness > ROUGHEST * self.size {
            return None;
        }
        // As far down as it stands by itself.
        let feet = FEET.map(|times| (FOOT * peak).max(times * self.roughness));
        let points = feet.into_iter().find_map(|foot| self.above(mesh, corners, top, |p| height(p) > foot))?;
        let bounds = Bounds::of(points.iter().map(|p| mesh.points[*p]));
        let size = bounds.diagonal();
        // A single point has no size, and on a plane all is rounding.
        if peak < STANDS_OUT * size.max(0.1 * self.size) {
            return None;
        }
        let facets: BTreeSet<FacetId> = points.iter().flat_map(|p| corners.at(*p)).copied().collect();
        let mean = |f: FacetId| mesh.triangles[f].iter().map(|p| height(*p)).sum::<f64>() / 3.0;
        let shadow = |f: FacetId| dot(mesh.area_vector(f), self.frame[0]) / 2.0;
        let volume = way * facets.iter().map(|&f| mean(f) * shadow(f)).sum::<f64>();
        let down = |p: PointId| (p, sub(mesh.points[p], scale(self.frame[0], way * height(p))));
        Some(RoundBump {
            set_down: points.into_iter().map(down).collect(),
            size,
            volume,
            top: mesh.points[top],
            worth: peak - 8.0 * self.roughness,
        })
    }

    /// What is high and hangs together with a point, in order; `None` if that reaches into the ring.
    fn above(
        &self,
        mesh: &Mesh,
        corners: &Corners,
        top: PointId,
        high: impl Fn(PointId) -> bool,
    ) -> Option<BTreeSet<PointId>> {
        let inner = RING[0] * self.size;
        let mut seen = BTreeSet::from([top]);
        let mut waiting = vec![top];
        while let Some(p) = waiting.pop() {
            if distance(mesh.points[p], self.origin) >= inner {
                return None;
            }
            let beside = corners.at(p).iter().flat_map(|f| mesh.triangles[*f]);
            waiting.extend(beside.filter(|q| high(*q) && seen.insert(*q)));
        }
        Some(seen)
    }
}

/// A point in the frame of a place: across it in sizes, and along the normal.
fn seen_from(mesh: &Mesh, p: PointId, origin: Point, frame: &[Point; 3], size: f64) -> Point {
    let d = sub(mesh.points[p], origin);
    [dot(d, frame[1]) / size, dot(d, frame[2]) / size, dot(d, frame[0])]
}

/// The terms of a quadric over a plane.
fn terms([x, y, _]: Point) -> [f64; 6] {
    [1.0, x, y, x * x, x * y, y * y]
}

fn dot6(a: &[f64; 6], b: &[f64; 6]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

/// A place over a plane, and how much it counts.
type Sample = (Point, f64);

/// The quadric nearest to places over a plane, and the root of the mean square that they are off. Places far off are left
/// out and a second one laid, so that a round bump beside does not bend it.
fn fit(places: &[Sample]) -> Option<([f64; 6], f64)> {
    let off = |q: &[f64; 6], p: &Point| (p[2] - dot6(q, &terms(*p))).abs();
    let weight = |some: &[Sample]| some.iter().map(|s| s.1).sum::<f64>();
    let rough = |q: &[f64; 6], some: &[Sample]| {
        (some.iter().map(|(p, w)| w * off(q, p).powi(2)).sum::<f64>() / weight(some)).sqrt()
    };
    let first = least_squares(places)?;
    let limit = 2.0 * rough(&first, places);
    let kept: Vec<Sample> = places.iter().copied().filter(|(p, _)| off(&first, p) <= limit).collect();
    if weight(&kept) < 0.75 * weight(places) {
        return None;
    }
    let second = least_squares(&kept)?;
    Some((second, rough(&second, &kept)))
}

/// Solves the normal equations by Gaussian elimination; `None` where places do not fix a quadric.
fn least_squares(places: &[Sample]) -> Option<[f64; 6]> {
    let mut rows = [[0.0; 7]; 6];
    for (p, weight) in places {
        let t = terms(*p);
        for (row, a) in rows.iter_mut().zip(t) {
            t.iter().chain([&p[2]]).zip(row).for_each(|(b, x)| *x += weight * a * b);
        }
    }
    // Places on one circle do not tell how far the middle is off.
    let least = 2e-3 * rows[0][0];
    for k in 0..6 {
        let pivot = (k..6).max_by(|&i, &j| rows[i][k].abs().total_cmp(&rows[j][k].abs()))?;
        rows.swap(k, pivot);
        let row = rows[k];
        if row[k].abs() <= least {
            return None;
        }
        for (_, other) in rows.iter_mut().enumerate().filter(|(i, _)| *i != k) {
            let share = other[k] / row[k];
            other.iter_mut().zip(row).for_each(|(x, r)| *x -= share * r);
        }
    }
    Some(std::array::from_fn(|k| rows[k][6] / rows[k][k]))
}
