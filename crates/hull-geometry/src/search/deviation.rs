//! How far one surface is from another.

use crate::hausdorff::one_sided;
use crate::join::Coordinates;
use crate::mesh::{FacetId, Mesh, Point};
use crate::tree::FacetTree;
use crate::vector::{add, norm, scale, sub};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// The whole surface is divided into at least so many parts for what is said by area.
const FINE: usize = 20_000;
/// A side is divided into no more parts than this.
const MOST_ALONG: f64 = 200.0;

/// Distances from one surface to another: the largest with a bound, and by area the mean, the root of the mean square and
/// what 95 % are within, of places spread evenly enough that large facets do not count as one.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Deviation {
    /// Of all distances.
    pub largest: f64,
    /// Where on the first surface that is.
    pub largest_at: Point,
    /// No place of the first surface is further than this.
    #[serde(default)]
    pub largest_bound: f64,
    /// By area.
    pub mean: f64,
    /// Root of the mean square, by area.
    pub rms: f64,
    /// 95 % of the area is no further than this.
    pub within_95: f64,
}

/// Distance of each place from a surface.
///
/// # Errors
/// [`Cancelled`].
pub fn distances(places: &[Point], to: &Mesh, tree: &FacetTree, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
    places
        .par_chunks(1 << 12)
        .map(|chunk| {
            watch.check()?;
            let mut last: Option<FacetId> = None;
            Ok(chunk
                .iter()
                .map(|&p| {
                    // Neighbours in the list are often near each other: the last facet bounds the search.
                    let bound = last.map_or(f64::INFINITY, |f| {
                        let off = crate::vector::sub(p, crate::nearest::nearest_on_triangle(p, to.corners(f)));
                        crate::vector::dot(off, off)
                    });
                    let found = tree.nearest(to, p, bound);
                    last = found.map(|f| f.0).or(last);
                    found.map_or(f64::INFINITY, |f| f.1.sqrt())
                })
                .collect::<Vec<f64>>())
        })
        .collect::<Result<Vec<_>, Cancelled>>()
        .map(|parts| parts.concat())
}

/// How far `from` is from `to`. Both must have facets.
///
/// # Errors
/// [`Cancelled`].
pub fn deviation(from: &Mesh, to: &Mesh, watch: &Watch) -> Result<Deviation, Cancelled> {
    let all: Vec<FacetId> = from.triangles.keys().collect();
    deviation_of(from, &all, to, watch)
}

/// How far two states of a surface are from each other, both ways.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct TwoSidedDeviation {
    /// From the first to the second.
    pub there: Deviation,
    /// From the second to the first.
    pub back: Deviation,
}

impl TwoSidedDeviation {
    /// No place is further than this, whichever way.
    pub fn bound(&self) -> f64 {
        self.there.largest_bound.max(self.back.largest_bound)
    }

    /// The largest distance, whichever way.
    pub fn largest(&self) -> f64 {
        self.there.largest.max(self.back.largest)
    }
}

/// How far two states of a surface are from each other; facets that stand in both as they are need no measuring. `None`
/// where all facets do.
///
/// # Errors
/// [`Cancelled`].
pub fn two_sided(before: &Mesh, after: &Mesh, watch: &Watch) -> Result<Option<TwoSidedDeviation>, Cancelled> {
    if before.triangles.is_empty() || after.triangles.is_empty() {
        return Ok(None);
    }
    let (known_before, known_after) = (keys(before), keys(after));
    let sorted = |keys: &[u64]| {
        let mut list = keys.to_vec();
        list.par_sort_unstable();
        list
    };
    let (sorted_before, sorted_after) = (sorted(&known_before), sorted(&known_after));
    let absent = |keys: &[u64], other: &[u64]| -> Vec<FacetId> {
        (0..keys.len()).filter(|&f| other.binary_search(&keys[f]).is_err()).map(FacetId::from).collect()
    };
    let (gone, fresh) = (absent(&known_before, &sorted_after), absent(&known_after, &sorted_before));
    if gone.is_empty() && fresh.is_empty() {
        return Ok(None);
    }
    let there = deviation_of(before, &gone, after, watch)?;
    let back = deviation_of(after, &fresh, before, watch)?;
    Ok(Some(TwoSidedDeviation { there, back }))
}

/// A number for each facet that tells its three places, in whatever order, from those of others.
fn keys(mesh: &Mesh) -> Vec<u64> {
    let of = |p: Point| p.settled().hash();
    mesh.triangles
        .raw
        .par_iter()
        .map(|t| {
            let mut corners = t.map(|p| of(mesh.points[p]));
            corners.sort_unstable();
            corners.into_iter().fold(0, |h: u64, c| (h.rotate_left(23) ^ c).wrapping_mul(0x9e37_79b9_7f4a_7c15))
        })
        .collect()
}

/// Places spread over facets, each the middle of a triangle with its area: a facet that has more than its part of the
/// whole surface's is divided.
fn spread(from: &Mesh, facets: &[FacetId], total: f64) -> (Vec<Point>, Vec<f64>) {
    let fine = total / FINE as f64;
    let parts: Vec<(Vec<Point>, f64)> = facets
        .par_iter()
        .map(|&f| {
            let own = norm(from.area_vector(f)) / 2.0;
            let n = (own / fine).sqrt().ceil().clamp(1.0, MOST_ALONG) as usize;
            let [a, b, c] = from.corners(f);
            let (u, v) = (scale(sub(b, a), 1.0 / n as f64), scale(sub(c, a), 1.0 / n as f64));
            let at = |i: f64, j: f64| add(a, add(scale(u, i), scale(v, j)));
            let (third, mut places) = (1.0 / 3.0, Vec::with_capacity(n * n));
            for i in 0..n {
                for j in 0..n - i {
                    let (x, y) = (i as f64, j as f64);
                    places.push(at(x + third, y + third));
                    if i + j + 1 < n {
                        places.push(at(x + 2.0 * third, y + 2.0 * third));
                    }
                }
            }
            (places, own / (n * n) as f64)
        })
        .collect();
    let areas = parts.iter().flat_map(|(p, a)| std::iter::repeat_n(*a, p.len())).collect();
    (parts.into_iter().flat_map(|p| p.0).collect(), areas)
}

/// How far the facets `facets` of `from` are from `to`; all others count as at no distance.
fn deviation_of(from: &Mesh, facets: &[FacetId], to: &Mesh, watch: &Watch) -> Result<Deviation, Cancelled> {
    let mut out = Deviation::default();
    if facets.is_empty() {
        return Ok(out);
    }
    let tree = FacetTree::of(to);
    watch.report(0.1, "measuring the distance")?;
    let area = |f: FacetId| norm(from.area_vector(f)) / 2.0;
    let total: f64 = from.triangles.keys().map(area).sum();
    let (places, areas) = spread(from, facets, total);
    let at_places = distances(&places, to, &tree, watch)?;
    let known = (0..places.len()).max_by(|&i, &j| at_places[i].total_cmp(&at_places[j]).then(j.cmp(&i)));
    let known = known.map_or((0.0, from.corners(facets[0])[0]), |i| (at_places[i], places[i]));
    let found = one_sided(from, facets, (to, &tree), known, watch)?;
    (out.largest, out.largest_at, out.largest_bound) = (found.distance, found.at, found.bound);
    if total > 0.0 {
        let weighed =
            |g: &dyn Fn(f64) -> f64| at_places.iter().zip(&areas).map(|(d, a)| g(*d) * a).sum::<f64>() / total;
        out.mean = weighed(&|d| d);
        out.rms = weighed(&|d| d * d).sqrt();
        let mut order: Vec<usize> = (0..areas.len()).collect();
        order.sort_by(|&i, &j| at_places[i].total_cmp(&at_places[j]));
        // All other facets, at no distance, come first.
        let measured: f64 = areas.iter().sum();
        let mut sum = total - measured;
        let reached = order.iter().find(|&&i| {
            sum += areas[i];
            sum >= 0.95 * total * (1.0 - 1e-12)
        });
        out.within_95 = reached.map_or(out.largest, |&i| at_places[i]);
        if total - measured >= 0.95 * total {
            out.within_95 = 0.0;
        }
    }
    Ok(out)
}
