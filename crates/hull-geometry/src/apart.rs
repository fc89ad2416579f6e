//! How far one surface is from another.

use crate::mesh::{Mesh, Point};
use crate::tree::FacetTree;
use crate::vector::{add, norm, scale};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Distances from one surface to another, measured at every point and the middle of every facet; the mean, the root of
/// the mean square and the 95 % value weigh each facet's middle by its area.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Apart {
    pub largest: f64,
    /// Where on the first surface that is.
    pub largest_at: Point,
    pub mean: f64,
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
            let mut last: Option<u32> = None;
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
pub fn apart(from: &Mesh, to: &Mesh, watch: &Watch) -> Result<Apart, Cancelled> {
    let tree = FacetTree::of(to);
    watch.report(0.1, "measuring the distance")?;
    let at_points = distances(&from.points, to, &tree, watch)?;
    let facets = 0..from.triangles.len() as u32;
    let middles: Vec<Point> = facets
        .clone()
        .map(|f| {
            let [a, b, c] = from.corners(f);
            scale(add(a, add(b, c)), 1.0 / 3.0)
        })
        .collect();
    let at_middles = distances(&middles, to, &tree, watch)?;
    let mut out = Apart::default();
    let all = at_points.iter().zip(&from.points).chain(at_middles.iter().zip(&middles));
    for (&d, &p) in all {
        if d > out.largest {
            (out.largest, out.largest_at) = (d, p);
        }
    }
    let areas: Vec<f64> = facets.map(|f| norm(from.area_vector(f)) / 2.0).collect();
    let total: f64 = areas.iter().sum();
    if total > 0.0 {
        let weighed =
            |g: &dyn Fn(f64) -> f64| at_middles.iter().zip(&areas).map(|(d, a)| g(*d) * a).sum::<f64>() / total;
        out.mean = weighed(&|d| d);
        out.rms = weighed(&|d| d * d).sqrt();
        let mut order: Vec<usize> = (0..areas.len()).collect();
        order.sort_by(|&i, &j| at_middles[i].total_cmp(&at_middles[j]));
        let mut sum = 0.0;
        let reached = order.iter().find(|&&i| {
            sum += areas[i];
            sum >= 0.95 * total
        });
        out.within_95 = reached.map_or(out.largest, |&i| at_middles[i]);
    }
    Ok(out)
}
