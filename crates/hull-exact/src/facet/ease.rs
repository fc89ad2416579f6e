//! Inner points of a face's facets moved on its surface, so that the least angle around them grows.

use crate::fineness::from_plane;
use crate::patch::{Node, Patch, area2, sharpest};
use crate::refine::{Heights, SHARP, WITHIN};
use hull_geometry::NONE;
use hull_geometry::vector::V3;
use std::f64::consts::TAU;

const ROUNDS: usize = 20;
/// Ways in which a point is tried to be moved, and how far, in parts of the shortest side at it.
const WAYS: usize = 12;
const STEPS: [f64; 4] = [0.4, 0.15, 0.05, 0.02];

/// Moves points at facets with an angle below 15° as long as that helps and leaves no facet there further from the
/// surface than `asked`; sides are turned in between.
pub fn ease(patch: &mut Patch, heights: &Heights, asked: f64, better: &impl Fn(&[Node], [u32; 4]) -> bool) {
    let mut fewest = usize::MAX;
    let mut idle = 0;
    for _ in 0..ROUNDS {
        let sharp: Vec<u32> = (0..patch.triangles.len() as u32)
            .filter(|&t| !patch.is_flat(t) && sharpest(patch.corners(t)) > SHARP)
            .collect();
        // Where bounds meet sharply, or the surface is a strip, nothing helps.
        idle = if sharp.len() < fewest - fewest / 20 { 0 } else { idle + 1 };
        fewest = fewest.min(sharp.len());
        if sharp.is_empty() || idle > 4 || heights.is_cancelled() {
            return;
        }
        let mut star: Vec<Vec<u32>> = vec![Vec::new(); patch.nodes.len()];
        for (t, corners) in patch.triangles.iter().enumerate() {
            corners.iter().for_each(|n| star[*n as usize].push(t as u32));
        }
        let mut nodes: Vec<u32> = sharp.iter().flat_map(|t| patch.triangles[*t as usize]).collect();
        nodes.sort_unstable();
        nodes.dedup();
        nodes.retain(|n| patch.nodes[*n as usize].key == NONE);
        let mut around: Vec<u32> = Vec::new();
        for n in nodes {
            if move_one(patch, n, &star[n as usize], heights, asked) {
                around.extend(&star[n as usize]);
            }
        }
        if around.is_empty() {
            return;
        }
        heights.forget();
        around.sort_unstable();
        around.dedup();
        patch.settle(around, 4, better);
    }
}

fn move_one(patch: &mut Patch, n: u32, star: &[u32], heights: &Heights, asked: f64) -> bool {
    let old = patch.nodes[n as usize];
    let limit = 0.98 * asked;
    let short = star
        .iter()
        .flat_map(|t| patch.triangles[*t as usize])
        .filter(|m| *m != n)
        .map(|m| {
            let xy = patch.nodes[m as usize].xy;
            (xy[0] - old.xy[0]).hypot(xy[1] - old.xy[1])
        })
        .fold(f64::INFINITY, f64::min);
    let mut best = (worst_angle(patch, star), old);
    for step in STEPS {
        for way in 0..WAYS {
            let (s, c) = (TAU * way as f64 / WAYS as f64).sin_cos();
            let xy = [old.xy[0] + c * step * short, old.xy[1] + s * step * short];
            let uv = heights.plane.to_uv(xy);
            patch.nodes[n as usize] = Node { xy, p: heights.locator.surface.point(uv[0], uv[1]), ..old };
            let stands = star.iter().all(|t| {
                let [a, b, c] = patch.plane(*t);
                area2(a, b, c) > 0.0
            });
            if !stands {
                continue;
            }
            let angle = worst_angle(patch, star);
            if angle < best.0 - 1e-4 && star.iter().all(|t| off(patch, *t, heights) <= limit) {
                best = (angle, patch.nodes[n as usize]);
            }
        }
    }
    patch.nodes[n as usize] = best.1;
    best.1.xy != old.xy
}

fn worst_angle(patch: &Patch, star: &[u32]) -> f64 {
    star.iter().filter(|t| !patch.is_flat(**t)).map(|t| sharpest(patch.corners(*t))).fold(-1.0, f64::max)
}

/// How far the surface is from a facet, over it and over its sides.
fn off(patch: &Patch, t: u32, heights: &Heights) -> f64 {
    let (xy, p) = (patch.plane(t), patch.corners(t));
    let at = |w: &[f64; 3]| -> V3 {
        let m = [0, 1].map(|k| w[0] * xy[0][k] + w[1] * xy[1][k] + w[2] * xy[2][k]);
        let uv = heights.plane.to_uv(m);
        heights.locator.surface.point(uv[0], uv[1])
    };
    let over = WITHIN.iter().map(|w| from_plane(at(w), p)).fold(0.0, f64::max);
    (0..3).map(|k| heights.over_side(patch, t, k)).fold(over, f64::max)
}
