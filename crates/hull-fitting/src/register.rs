//! Best fit of one surface or cloud to another: point to plane (Y. Chen and G. Medioni 1991), trimmed for partial overlap
//! (D. Chetverikov et al. 2002), and from scratch by many starts.

use crate::align::Rigid;
use crate::eigen::{CHUNK, mean, spread};
use crate::starts::from_scratch;
use hull_geometry::mesh::{Bounds, FacetId};
use hull_geometry::transform::Matrix;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, Point, Watch};
use kiddo::{ImmutableKdTree, SquaredEuclidean};
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::num::NonZeroUsize;
use typed_index_collections::TiVec;

/// Points that are fitted in the end, at most.
const MOST: usize = 40_000;
/// Points of a target, at most.
const MOST_OF_TARGET: usize = 200_000;
const ROUNDS: usize = 120;

/// Points with the direction of the surface at each.
#[derive(Clone, Debug, Default)]
pub struct Sampled {
    /// Places.
    pub points: Vec<Point>,
    /// Of length one, as many as places.
    pub normals: Vec<V3>,
    /// Whether normals tell on which side of the surface one is; those that follow from neighbours do not.
    pub facing: bool,
}

impl Sampled {
    /// About `most` points spread over a surface evenly by area, the same for the same surface.
    pub fn of_mesh(mesh: &Mesh, most: usize) -> Sampled {
        let areas: TiVec<FacetId, f64> = mesh.triangles.keys().map(|f| 0.5 * norm(mesh.area_vector(f))).collect();
        let total: f64 = areas.iter().sum();
        let mut out = Sampled { facing: true, ..Sampled::default() };
        let mut due = 0.5;
        let mut number = 0_u32;
        for (f, area) in areas.iter_enumerated() {
            due += area / total.max(f64::MIN_POSITIVE) * most as f64;
            let Some(n) = unit(mesh.area_vector(f)) else { continue };
            let [a, b, c] = mesh.corners(f);
            while due >= 1.0 {
                due -= 1.0;
                number += 1;
                // An additive sequence in two dimensions (M. Roberts, 2018), folded onto the triangle.
                let (u, v) = (f64::from(number) * 0.754_877_666_246_693, f64::from(number) * 0.569_840_290_998_053);
                let (u, v) = (u.fract(), v.fract());
                let (u, v) = if u + v > 1.0 { (1.0 - u, 1.0 - v) } else { (u, v) };
                out.points.push(add(a, add(scale(sub(b, a), u), scale(sub(c, a), v))));
                out.normals.push(n);
            }
        }
        out
    }

    /// At most `most` of the points of a cloud; normals that are not given, or of which some have no length, are those of the
    /// planes through 12 neighbours.
    pub fn of_points(points: &[Point], normals: &[[f32; 3]], most: usize) -> Sampled {
        let every = points.len().div_ceil(most.max(1)).max(1);
        let chosen: Vec<Point> = points.iter().copied().step_by(every).collect();
        let given = || normals.iter().step_by(every).map(|n| unit(n.map(f64::from))).collect::<Option<Vec<V3>>>();
        if let Some(normals) = given().filter(|_| normals.len() == points.len()) {
            return Sampled { points: chosen, normals, facing: true };
        }
        let Some(neighbours) = NonZeroUsize::new(12) else { return Sampled::default() };
        let tree: ImmutableKdTree<f64, 3> = ImmutableKdTree::new_from_slice(&chosen);
        let normals = chosen
            .par_iter()
            .map(|p| {
                let near = tree.nearest_n::<SquaredEuclidean>(p, neighbours);
                let near: Vec<Point> = near.iter().map(|n| chosen[n.item as usize]).collect();
                spread(&near, mean(&near)).0[0]
            })
            .collect();
        Sampled { points: chosen, normals, facing: false }
    }

    /// Every so many of the points, at most `most`.
    pub(crate) fn thinned(&self, most: usize) -> Sampled {
        let every = self.points.len().div_ceil(most.max(1)).max(1);
        Sampled {
            points: self.points.iter().copied().step_by(every).collect(),
            normals: self.normals.iter().copied().step_by(every).collect(),
            facing: self.facing,
        }
    }
}

/// How the fit is made.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Options {
    /// The part of the body that lies on the other one, 0 to 1: the nearest of its points are used, the others are not.
    pub overlap: f64,
    /// Whether where the body is now says nothing.
    pub from_scratch: bool,
}

/// A fit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Registered {
    /// What brings the body to the other.
    pub motion: Rigid,
    /// Root mean square of the distances of the points that were used.
    pub rms: f64,
    /// The root mean square before each round.
    pub rounds: Vec<f64>,
    /// How many points were used.
    pub points: usize,
}

/// What is fitted to.
pub(crate) struct Target<'a> {
    pub(crate) tree: ImmutableKdTree<f64, 3>,
    pub(crate) on: &'a Sampled,
}

/// Fits `body` to `target`.
///
/// # Errors
/// [`Cancelled`].
pub fn register(body: &Sampled, target: &Sampled, how: Options, watch: &Watch) -> Result<Registered, Cancelled> {
    let target = target.thinned(MOST_OF_TARGET);
    let on = Target { tree: ImmutableKdTree::new_from_slice(&target.points), on: &target };
    let size = Bounds::of(target.points.iter().copied()).diagonal();
    let overlap = how.overlap.clamp(0.05, 1.0);
    let start = if how.from_scratch {
        watch.report(0.05, "trying starts")?;
        from_scratch(body, &on, overlap, size, watch)?
    } else {
        Rigid::NONE
    };
    let mut fit = Registered { motion: start, rms: 0.0, rounds: Vec::new(), points: 0 };
    for (most, part) in [(2_000, 0.5), (MOST, 0.7)] {
        watch.report(part, "best fit")?;
        let some = body.thinned(most);
        let before = std::mem::take(&mut fit.rounds);
        fit = descend(&some, &on, fit.motion, overlap, size, ROUNDS, watch)?;
        fit.rounds.splice(0..0, before);
    }
    Ok(fit)
}

/// Nearest partners of the moved points, the nearest part of them: squared distance, place, partner.
pub(crate) fn partners(points: &[Point], on: &Target, motion: &Rigid, overlap: f64) -> Vec<(f64, Point, u32)> {
    let mut found: Vec<(f64, Point, u32)> = points
        .par_iter()
        .map(|p| {
            let q = motion.place(*p);
            let near = on.tree.nearest_one::<SquaredEuclidean>(&q);
            (near.distance, q, near.item as u32)
        })
        .collect();
    let keep = ((found.len() as f64 * overlap).ceil() as usize).clamp(3.min(found.len()), found.len());
    if keep < found.len() {
        found.select_nth_unstable_by(keep, |a, b| a.0.total_cmp(&b.0));
        found.truncate(keep);
        // In the order of the points again: which of them stand first must not depend on the selection.
        found.sort_by(|a, b| a.1[0].total_cmp(&b.1[0]).then(a.1[1].total_cmp(&b.1[1])).then(a.1[2].total_cmp(&b.1[2])));
    }
    found
}

/// Rounds from points to planes.
pub(crate) fn descend(
    body: &Sampled,
    on: &Target,
    start: Rigid,
    overlap: f64,
    size: f64,
    rounds: usize,
    watch: &Watch,
) -> Result<Registered, Cancelled> {
    let mut motion = start;
    let mut out = Registered { motion, rms: f64::INFINITY, rounds: Vec::new(), points: 0 };
    for _ in 0..rounds {
        watch.check()?;
        let pairs = partners(&body.points, on, &motion, overlap);
        let plane = |(_, q, n): &(f64, Point, u32)| {
            let n = *n as usize;
            let normal = on.on.normals[n];
            (dot(sub(*q, on.on.points[n]), normal), normal)
        };
        let parts: Vec<(Matrix6<f64>, Vector6<f64>, f64)> = pairs
            .par_chunks(CHUNK)
            .map(|c| {
                c.iter().fold((Matrix6::zeros(), Vector6::zeros(), 0.0), |(m, r, s), pair| {
                    let (d, n) = plane(pair);
                    let t = cross(scale(pair.1, 1.0 / size), n);
                    let j = Vector6::new(t[0], t[1], t[2], n[0], n[1], n[2]);
                    (m + j * j.transpose(), r - j * d, s + d * d)
                })
            })
            .collect();
        let (mut m, r, sum) = parts
            .into_iter()
            .fold((Matrix6::zeros(), Vector6::zeros(), 0.0), |(a, b, c), (x, y, z)| (a + x, b + y, c + z));
        let rms = (sum / pairs.len().max(1) as f64).sqrt();
        out.rounds.push(rms);
        (out.rms, out.points, out.motion) = (rms, pairs.len(), motion);
        // What the surface does not hold, as a turn about its own axis, is left as it is.
        let least = 1e-9 * m.trace();
        for k in 0..6 {
            m[(k, k)] += least;
        }
        let Some(step) = m.cholesky().map(|c| c.solve(&r)) else { break };
        let turn = [step[0] / size, step[1] / size, step[2] / size];
        let by = Rigid { rotation: rotation_of(turn), shift: [step[3], step[4], step[5]] };
        motion = by.after(&motion);
        if norm(turn) < 1e-11 && norm(by.shift) < 1e-11 * size {
            break;
        }
    }
    Ok(out)
}

/// The rotation by a vector's length about its direction (O. Rodrigues).
fn rotation_of(v: V3) -> Matrix {
    let r = nalgebra::Rotation3::new(nalgebra::Vector3::from(v));
    std::array::from_fn(|i| std::array::from_fn(|j| r[(i, j)]))
}
