//! A stand-in for a scanner: a body seen from stations, with noise, drop-out and what hides behind itself left out.

use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, Point, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// How a body is scanned.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Scan {
    /// Where the scanner stands; it looks at the body's middle.
    pub stations: Vec<Point>,
    /// Rays across and down from each station.
    pub rays: usize,
    /// Standard deviation along the ray, in the body's unit.
    pub noise: f64,
    /// The part of rays that come back with nothing, 0 to 1.
    pub lost: f64,
    /// Makes other noise.
    pub seed: u64,
}

/// Points that were seen, with the direction of the surface at each.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Seen {
    /// Places.
    pub points: Vec<Point>,
    /// Of length one.
    pub normals: Vec<V3>,
}

/// Rays steeper to the surface than this many degrees from its normal do not come back.
const STEEPEST: f64 = 82.0;

/// Numbers that follow from a place in the scan: the same for the same seed, whatever the thread count.
fn number(seed: u64, n: u64) -> f64 {
    // The finalizer of SplitMix64 (G. Steele, D. Lea and C. Flood, 2014).
    let mut x = seed.wrapping_add(n.wrapping_mul(0x9e37_79b9_7f4a_7c15));
    x = (x ^ (x >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    x = (x ^ (x >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((x ^ (x >> 31)) >> 11) as f64 / (1_u64 << 53) as f64
}

/// Scans a body.
///
/// # Errors
/// [`Cancelled`].
pub fn scan(mesh: &Mesh, how: &Scan, watch: &Watch) -> Result<Seen, Cancelled> {
    let tree = FacetTree::of(mesh);
    let bounds = mesh.bounds();
    let (middle, reach) = (bounds.centre(), 0.55 * bounds.diagonal());
    let mut out = Seen::default();
    for (s, station) in how.stations.iter().enumerate() {
        watch.report(s as f64 / how.stations.len() as f64, "scanning")?;
        let Some(ahead) = unit(sub(middle, *station)) else { continue };
        let aside = unit(cross(ahead, if ahead[2].abs() < 0.9 { [0.0, 0.0, 1.0] } else { [1.0, 0.0, 0.0] }));
        let aside = aside.unwrap_or([1.0, 0.0, 0.0]);
        let up = cross(aside, ahead);
        let rows: Vec<Vec<(Point, V3)>> = (0..how.rays)
            .into_par_iter()
            .map(|j| {
                let one = |i: usize| {
                    let n = ((s * how.rays + j) * how.rays + i) as u64 * 4;
                    let at = |k: usize| (2.0 * (k as f64 + 0.5) / how.rays as f64 - 1.0) * reach;
                    let target = add(middle, add(scale(aside, at(i)), scale(up, at(j))));
                    let ray = unit(sub(target, *station))?;
                    if number(how.seed, n) < how.lost {
                        return None;
                    }
                    let far = norm(sub(middle, *station)) + 2.0 * reach;
                    let (facet, t) = first(&tree, mesh, *station, ray, far)?;
                    let normal = unit(mesh.area_vector(facet))?;
                    let slope = dot(normal, ray);
                    if slope.abs() < STEEPEST.to_radians().cos() {
                        return None;
                    }
                    // Normal distribution (G. Box and M. Muller, 1958).
                    let (u, v) = (number(how.seed, n + 1).max(1e-300), number(how.seed, n + 2));
                    let off = how.noise * (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos();
                    Some((add(*station, scale(ray, t + off)), if slope > 0.0 { scale(normal, -1.0) } else { normal }))
                };
                (0..how.rays).filter_map(one).collect()
            })
            .collect();
        for (p, n) in rows.into_iter().flatten() {
            out.points.push(p);
            out.normals.push(n);
        }
    }
    Ok(out)
}

/// The first facet that a ray meets, and how far it is.
fn first(tree: &FacetTree, mesh: &Mesh, from: Point, ray: V3, far: f64) -> Option<(u32, f64)> {
    tree.first_hit(mesh, from, ray, far, |_| true, &mut 0)
}
