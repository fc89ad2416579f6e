//! Starts for a best fit where none is given. A point of the body with its normal is laid on a point of the target with its
//! normal and turned about it in steps, for a few points of the body and many of the target: one of these starts is near
//! the right place if any part of the two overlaps, whatever their middles and axes are. All are scored on a lattice that
//! knows the nearest point of the target in each cell (as in M. Greenspan and G. Godin, 3DIM 2001); fewer and fewer are
//! fitted with more and more points.

use crate::align::{Rigid, by_pairs};
use crate::eigen::mean;
use crate::register::{Sampled, Target, descend, partners};
use hull_geometry::mesh::Bounds;
use hull_geometry::transform::{Matrix, product};
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Point, Watch};
use kiddo::{ImmutableKdTree, SquaredEuclidean};
use rayon::prelude::*;

/// Points of the body that are laid on points of the target.
const BASES: usize = 20;
/// Points of the target that they are laid on.
const SEATS: usize = 500;
/// Steps of a turn about the normal.
const TURNS: usize = 24;
/// Points of the body that a start is scored by.
const SCORED: usize = 120;
/// Cells of the lattice along the longest side.
const CELLS: usize = 48;
/// Starts that are fitted after the scoring, after a few rounds of few points, and after more rounds of more.
const LEFT: [usize; 3] = [1500, 80, 12];

/// The nearest point of the target for each cell of a lattice around it.
struct Lattice<'a> {
    low: Point,
    cell: f64,
    counts: [usize; 3],
    nearest: Vec<u32>,
    on: &'a Sampled,
}

impl<'a> Lattice<'a> {
    fn of(on: &'a Target, size: f64, watch: &Watch) -> Result<Lattice<'a>, Cancelled> {
        let bounds = Bounds::of(on.on.points.iter().copied());
        let margin = 0.1 * size;
        let low = sub(bounds.min, [margin; 3]);
        let extent = add(sub(bounds.max, bounds.min), [2.0 * margin; 3]);
        let cell = extent.into_iter().fold(0.0, f64::max) / CELLS as f64;
        let counts = extent.map(|x| (x / cell).ceil().max(1.0) as usize);
        let mut nearest = vec![0; counts.iter().product()];
        nearest.par_chunks_mut(counts[0]).enumerate().try_for_each(|(row, cells)| {
            watch.check()?;
            let (j, k) = (row % counts[1], row / counts[1]);
            for (i, nearest) in cells.iter_mut().enumerate() {
                let middle = add(low, [i, j, k].map(|x| (x as f64 + 0.5) * cell));
                *nearest = on.tree.nearest_one::<SquaredEuclidean>(&middle).item as u32;
            }
            Ok(())
        })?;
        Ok(Lattice { low, cell, counts, nearest, on: on.on })
    }

    /// The point of the target that is about the nearest; none outside the lattice.
    fn near(&self, p: Point) -> Option<usize> {
        let mut at = 0;
        for k in (0..3).rev() {
            let x = ((p[k] - self.low[k]) / self.cell).floor();
            if !(x >= 0.0 && x < self.counts[k] as f64) {
                return None;
            }
            at = at * self.counts[k] + x as usize;
        }
        Some(self.nearest[at] as usize)
    }
}

/// Points spread evenly: each is the one farthest from those before it.
fn spread_out(points: &[Point], most: usize) -> Vec<usize> {
    let mut left = vec![f64::INFINITY; points.len()];
    let middle = mean(points);
    let farthest =
        |of: &dyn Fn(usize) -> f64| (0..points.len()).max_by(|&a, &b| of(a).total_cmp(&of(b)).then(b.cmp(&a)));
    let mut out = Vec::new();
    let Some(mut next) = farthest(&|i| distance_squared(points[i], middle)) else { return out };
    while out.len() < most.min(points.len()) {
        out.push(next);
        for (left, p) in left.iter_mut().zip(points) {
            *left = left.min(distance_squared(*p, points[next]));
        }
        let Some(far) = farthest(&|i| left[i]) else { break };
        next = far;
    }
    out
}

fn distance_squared(a: Point, b: Point) -> f64 {
    let d = sub(a, b);
    dot(d, d)
}

/// A rotation that has `z` in its third column.
fn frame(z: V3) -> Matrix {
    let aside = if z[0].abs() < 0.6 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] };
    let x = unit(cross(aside, z)).unwrap_or([1.0, 0.0, 0.0]);
    let y = cross(z, x);
    std::array::from_fn(|i| [x[i], y[i], z[i]])
}

fn transposed(m: &Matrix) -> Matrix {
    std::array::from_fn(|i| std::array::from_fn(|j| m[j][i]))
}

/// How well a start fits, higher is better: the sum of what each point says that comes near the target, less where the
/// surfaces face differently.
fn score(points: &[(Point, V3)], lattice: &Lattice, motion: &Rigid, near: f64, facing: bool) -> f32 {
    let mut sum = 0.0;
    for (p, n) in points {
        let q = motion.place(*p);
        let Some(i) = lattice.near(q) else { continue };
        let d = distance_squared(q, lattice.on.points[i]) / (near * near);
        if d < 1.0 {
            let agree = dot(motion.turn(*n), lattice.on.normals[i]);
            sum += (1.0 - d) * if facing { agree } else { agree.abs() }.max(0.0);
        }
    }
    sum as f32
}

/// The best start for `body` on a target, whatever lies where.
///
/// # Errors
/// [`Cancelled`].
pub(crate) fn from_scratch(
    body: &Sampled,
    on: &Target,
    overlap: f64,
    size: f64,
    watch: &Watch,
) -> Result<Rigid, Cancelled> {
    let lattice = Lattice::of(on, size, watch)?;
    let facing = body.facing && on.on.facing;
    let some = body.thinned(4_000);
    let chosen = spread_out(&some.points, SCORED);
    let scored: Vec<(Point, V3)> = chosen.iter().map(|&i| (some.points[i], some.normals[i])).collect();
    let on_some = on.on.thinned(4_000);
    let seats = spread_out(&on_some.points, SEATS);
    // Two points that are laid on each other are as far apart as the seats lie, at most.
    let gap = seat_gap(&seats.iter().map(|&i| on_some.points[i]).collect::<Vec<_>>());
    let near = (1.5 * gap).max(0.03 * size);
    watch.report(0.1, "trying starts")?;

    let ways: &[f64] = if facing { &[1.0] } else { &[1.0, -1.0] };
    let bases = &scored[..BASES.min(scored.len())];
    let mut starts: Vec<(f32, Rigid)> = bases
        .par_iter()
        .map(|(p, n)| {
            watch.check()?;
            let back = transposed(&frame(*n));
            let mut best: Vec<(f32, Rigid)> = Vec::new();
            for &seat in &seats {
                for way in ways {
                    let to = frame(scale(on_some.normals[seat], *way));
                    // Of the turns about one normal the best few are enough.
                    let mut here: Vec<(f32, Rigid)> = (0..TURNS)
                        .map(|t| {
                            let (s, c) = (t as f64 * std::f64::consts::TAU / TURNS as f64).sin_cos();
                            let about = [[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]];
                            let rotation = product(&product(&to, &about), &back);
                            let motion = Rigid::turning(rotation, *p, on_some.points[seat]);
                            (score(&scored, &lattice, &motion, near, facing), motion)
                        })
                        .collect();
                    here.sort_by(|a, b| b.0.total_cmp(&a.0));
                    best.extend(here.into_iter().take(4));
                }
            }
            best.sort_by(|a, b| b.0.total_cmp(&a.0));
            best.truncate(LEFT[0]);
            Ok(best)
        })
        .collect::<Result<Vec<_>, Cancelled>>()?
        .concat();
    starts.sort_by(|a, b| b.0.total_cmp(&a.0));
    starts.truncate(LEFT[0]);

    watch.report(0.2, "trying starts")?;
    let few = chosen_of(&some, &chosen);
    let starts =
        fitted(starts.into_iter().map(|s| s.1), LEFT[1], size, |start| coarse(&few, on, start, overlap, 10, watch))?;
    watch.report(0.35, "trying starts")?;
    let more = body.thinned(500);
    let starts = fitted(starts.into_iter(), LEFT[2], size, |start| {
        let fit = descend(&more, on, start, overlap, size, 15, watch)?;
        Ok((left_over(&more, on, &fit.motion, overlap), fit.motion))
    })?;
    watch.report(0.45, "trying starts")?;
    let finer = body.thinned(2_000);
    let best = fitted(starts.into_iter(), 1, size, |start| {
        let fit = descend(&finer, on, start, overlap, size, 30, watch)?;
        Ok((left_over(&finer, on, &fit.motion, overlap), fit.motion))
    })?;
    Ok(best.first().copied().unwrap_or(Rigid::NONE))
}

/// The distance between neighbours among points, in the middle of them.
fn seat_gap(points: &[Point]) -> f64 {
    let tree: ImmutableKdTree<f64, 3> = ImmutableKdTree::new_from_slice(points);
    let Some(two) = std::num::NonZeroUsize::new(2) else { return 0.0 };
    let mut gaps: Vec<f64> =
        points.iter().filter_map(|p| tree.nearest_n::<SquaredEuclidean>(p, two).last().map(|n| n.distance)).collect();
    gaps.sort_by(f64::total_cmp);
    gaps.get(gaps.len() / 2).map_or(0.0, |d| d.sqrt())
}

fn chosen_of(of: &Sampled, chosen: &[usize]) -> Sampled {
    Sampled {
        points: chosen.iter().map(|&i| of.points[i]).collect(),
        normals: chosen.iter().map(|&i| of.normals[i]).collect(),
        facing: of.facing,
    }
}

/// The best of what comes of starts by what is left over, at most `most`, each in another place.
fn fitted(
    starts: impl Iterator<Item = Rigid>,
    most: usize,
    size: f64,
    fit: impl Fn(Rigid) -> Result<(f64, Rigid), Cancelled> + Sync + Send,
) -> Result<Vec<Rigid>, Cancelled> {
    let starts: Vec<Rigid> = starts.collect();
    let mut done: Vec<(f64, Rigid)> = starts.into_par_iter().map(fit).collect::<Result<_, _>>()?;
    done.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut out: Vec<Rigid> = Vec::new();
    for (_, motion) in done {
        let is_there = |other: &Rigid| {
            let between = motion.after(&other.inverse());
            between.angle() < 2.0 && norm(sub(motion.shift, other.shift)) < 0.02 * size
        };
        if !out.iter().any(is_there) {
            out.push(motion);
            if out.len() == most {
                break;
            }
        }
    }
    Ok(out)
}

/// The mean squared distance of the points that are used.
fn left_over(body: &Sampled, on: &Target, motion: &Rigid, overlap: f64) -> f64 {
    let pairs = partners(&body.points, on, motion, overlap);
    pairs.iter().map(|p| p.0).sum::<f64>() / pairs.len().max(1) as f64
}

/// A few rounds from point to point: slow near the end, but from far away it goes the right way.
fn coarse(
    body: &Sampled,
    on: &Target,
    start: Rigid,
    overlap: f64,
    rounds: usize,
    watch: &Watch,
) -> Result<(f64, Rigid), Cancelled> {
    let mut motion = start;
    let mut sum = f64::INFINITY;
    for _ in 0..rounds {
        watch.check()?;
        let pairs = partners(&body.points, on, &motion, overlap);
        let now: f64 = pairs.iter().map(|p| p.0).sum();
        let from: Vec<Point> = pairs.iter().map(|p| p.1).collect();
        let to: Vec<Point> = pairs.iter().map(|p| on.on.points[p.2 as usize]).collect();
        let Ok((by, _)) = by_pairs(&from, &to) else { break };
        motion = by.after(&motion);
        if now > sum * 0.999 {
            break;
        }
        sum = now;
    }
    Ok((sum, motion))
}
