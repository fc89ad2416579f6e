//! How far points are from their neighbours, by boxes over all of them.

use hull_geometry::mesh::Bounds;
use hull_geometry::{Cancelled, Point, Watch};
use rayon::prelude::*;

/// Points in a leaf.
const LEAF: usize = 16;

/// Lowest and highest coordinates.
type Box3 = [Point; 2];
const NOTHING: Box3 = [[f64::INFINITY; 3], [f64::NEG_INFINITY; 3]];

/// Points with boxes over them: 24 bytes a point for their order, 6 to 12 for the boxes.
pub struct Neighbours<'a> {
    points: &'a [Point],
    /// In the order of the leaves, [`LEAF`] of them to each.
    ordered: Vec<Point>,
    /// A heap: node 1 is the root, node `i` has the children `2 i` and `2 i + 1`; the second half are leaves.
    boxes: Vec<Box3>,
}

impl<'a> Neighbours<'a> {
    /// # Errors
    /// [`Cancelled`] if the watch says so.
    pub fn of(points: &'a [Point], watch: &Watch) -> Result<Neighbours<'a>, Cancelled> {
        let mut ordered = points.to_vec();
        let leaves = ordered.len().div_ceil(LEAF).next_power_of_two();
        let bounds = Bounds::of(points.iter().copied());
        halve(&mut ordered, leaves * LEAF, [bounds.min, bounds.max]);
        watch.check()?;
        let mut boxes = vec![NOTHING; 2 * leaves];
        boxes[leaves..].par_iter_mut().zip(ordered.par_chunks(LEAF)).for_each(|(own, leaf)| {
            *own = leaf.iter().fold(NOTHING, |all, p| around(&all, &[*p, *p]));
        });
        for node in (1..leaves).rev() {
            boxes[node] = around(&boxes[2 * node], &boxes[2 * node + 1]);
        }
        watch.check()?;
        Ok(Neighbours { points, ordered, boxes })
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
        let mut far = self.nth::<2>(self.points.len().div_ceil(sample), watch)?;
        far.sort_by(f64::total_cmp);
        Ok(far.get(far.len() / 2).copied())
    }

    /// The distance of every so many of the points from its fifth nearest other; infinite where there are fewer.
    ///
    /// # Errors
    /// [`Cancelled`] if the watch says so.
    pub fn fifth(&self, every: usize, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
        self.nth::<6>(every, watch)
    }

    /// The distance of every so many of the points from the `N`th nearest of all, itself the first; infinite where there are
    /// fewer.
    fn nth<const N: usize>(&self, every: usize, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
        let asked: Vec<&Point> = self.points.iter().step_by(every).collect();
        let chunks = asked.par_chunks(1 << 12).map(|chunk| {
            watch.check()?;
            Ok(chunk.iter().map(|p| self.squares::<N>(p)[N - 1].sqrt()).collect::<Vec<f64>>())
        });
        Ok(chunks.collect::<Result<Vec<_>, Cancelled>>()?.concat())
    }

    /// The squares of the `N` least distances from a place, in order.
    fn squares<const N: usize>(&self, from: &Point) -> [f64; N] {
        let mut least = [f64::INFINITY; N];
        let leaves = self.boxes.len() / 2;
        let mut waiting = vec![(0.0, 1)];
        while let Some((off, node)) = waiting.pop() {
            if off >= least[N - 1] {
                continue;
            }
            if node >= leaves {
                let first = (node - leaves) * LEAF;
                for p in &self.ordered[first..(first + LEAF).min(self.ordered.len())] {
                    let square = square(&[*p, *p], from);
                    if square < least[N - 1] {
                        let at = least.partition_point(|x| *x <= square);
                        least[at..].rotate_right(1);
                        least[at] = square;
                    }
                }
                continue;
            }
            let [one, other] = [2 * node, 2 * node + 1].map(|n| (square(&self.boxes[n], from), n));
            // The nearer one on top, so that it is looked at first.
            waiting.extend(if one.0 < other.0 { [other, one] } else { [one, other] });
        }
        least
    }
}

fn around(a: &Box3, b: &Box3) -> Box3 {
    let mut all = *a;
    for k in 0..3 {
        all[0][k] = all[0][k].min(b[0][k]);
        all[1][k] = all[1][k].max(b[1][k]);
    }
    all
}

/// The square of a place's distance from a box; infinite from a box of nothing.
fn square(of: &Box3, from: &Point) -> f64 {
    let mut sum = 0.0;
    for k in 0..3 {
        let off = (of[0][k] - from[k]).max(from[k] - of[1][k]).max(0.0);
        sum += off * off;
    }
    sum
}

/// Puts the points of a node's first half first, where `room` is what the node can hold: halved again and again across the
/// longest side of the box that is left of `all` (J. L. Bentley, 1975).
fn halve(points: &mut [Point], room: usize, mut all: Box3) {
    if points.len() <= LEAF {
        return;
    }
    let half = room / 2;
    if points.len() <= half {
        return halve(points, half, all);
    }
    let side = |k: usize| all[1][k] - all[0][k];
    let axis = (1..3).fold(0, |m, k| if side(k) > side(m) { k } else { m });
    points.select_nth_unstable_by(half, |a, b| a[axis].total_cmp(&b[axis]));
    let (first, second) = points.split_at_mut(half);
    let middle = second[0][axis];
    let mut above = all;
    (all[1][axis], above[0][axis]) = (middle, middle);
    if first.len() > 1 << 12 {
        rayon::join(|| halve(first, half, all), || halve(second, half, above));
    } else {
        halve(first, half, all);
        halve(second, half, above);
    }
}
