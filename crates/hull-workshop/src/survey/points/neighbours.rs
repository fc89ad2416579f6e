//! How far points are from their neighbours, by one tree over all of them.

use hull_geometry::mesh::Bounds;
use hull_geometry::{Cancelled, Point, Watch};
use kiddo::{ImmutableKdTree, SquaredEuclidean};
use rayon::prelude::*;
use std::num::NonZero;

/// More points than this are put into the order of a space-filling curve before their tree is built: it picks medians through
/// numbers of points, which takes most of its time where neighbours lie far apart in memory.
const MANY: usize = 200_000;
/// Steps along each axis of the curve, as a power of two.
const BITS: u32 = 20;

/// Points with the tree over them.
pub struct Neighbours<'a> {
    points: &'a [Point],
    tree: ImmutableKdTree<f64, 3>,
}

impl<'a> Neighbours<'a> {
    /// # Errors
    /// [`Cancelled`] if the watch says so.
    pub fn of(points: &'a [Point], watch: &Watch) -> Result<Neighbours<'a>, Cancelled> {
        let tree = match points.len() > MANY {
            true => ImmutableKdTree::new_from_slice(&along_curve(points)),
            false => ImmutableKdTree::new_from_slice(points),
        };
        watch.check()?;
        Ok(Neighbours { points, tree })
    }

    /// The median distance of a point from its nearest other, over so many at most, taken evenly.
    ///
    /// # Errors
    /// [`Cancelled`] if the watch says so.
    pub fn spacing(&self, sample: usize, watch: &Watch) -> Result<Option<f64>, Cancelled> {
        if self.points.len() < 2 {
            return Ok(None);
        }
        // The nearest of all is the point itself, or one that lies on it.
        let mut far = self.nth(2, self.points.len().div_ceil(sample), watch)?;
        far.sort_by(f64::total_cmp);
        Ok(far.get(far.len() / 2).copied())
    }

    /// The distance of every so many of the points from its fifth nearest other; infinite where there are fewer.
    ///
    /// # Errors
    /// [`Cancelled`] if the watch says so.
    pub fn fifth(&self, every: usize, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
        self.nth(6, every, watch)
    }

    /// The distance of every so many of the points from the nth nearest of all, itself the first.
    fn nth(&self, n: usize, every: usize, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
        let most = NonZero::new(n).unwrap_or(NonZero::<usize>::MIN);
        let asked: Vec<&Point> = self.points.iter().step_by(every).collect();
        let far = |p: &&Point| match self.tree.nearest_n::<SquaredEuclidean>(p, most).as_slice() {
            found if found.len() == n => found[n - 1].distance.sqrt(),
            _ => f64::INFINITY,
        };
        let chunks = asked.par_chunks(1 << 12).map(|chunk| {
            watch.check()?;
            Ok(chunk.iter().map(far).collect::<Vec<f64>>())
        });
        Ok(chunks.collect::<Result<Vec<_>, Cancelled>>()?.concat())
    }
}

/// The points in the order of Z curves (G. M. Morton, 1966): what is near in space is mostly near in the list.
fn along_curve(points: &[Point]) -> Vec<Point> {
    let bounds = Bounds::of(points.iter().copied());
    let extent = bounds.size().into_iter().fold(0.0, f64::max);
    let steps = if extent > 0.0 { f64::from((1_u32 << BITS) - 1) / extent } else { 0.0 };
    let key = |p: &Point| (0..3).fold(0, |key, k| key | spread(((p[k] - bounds.min[k]) * steps) as u64) << k);
    let mut keyed: Vec<(u64, Point)> = points.par_iter().map(|p| (key(p), *p)).collect();
    keyed.par_sort_unstable_by_key(|k| k.0);
    keyed.into_iter().map(|k| k.1).collect()
}

/// The bits of a number, two noughts between each and the next.
fn spread(x: u64) -> u64 {
    let x = x & 0x1f_ffff;
    let x = (x | x << 32) & 0x1f_0000_0000_ffff;
    let x = (x | x << 16) & 0x1f_0000_ff00_00ff;
    let x = (x | x << 8) & 0x100f_00f0_0f00_f00f;
    let x = (x | x << 4) & 0x10c3_0c30_c30c_30c3;
    (x | x << 2) & 0x1249_2492_4924_9249
}
