//! Spikes: points drawn far out of the ring around them; and creases folded over.

use crate::corners::Corners;
use crate::mesh::{Mesh, Point, PointId};
use crate::vector::{add, distance, dot, scale, sub, unit};
use serde::{Deserialize, Serialize};

/// A spike is at least this many times as high as its ring is wide on average.
const STEEP: f64 = 2.5;

/// A point that stands far off the ring of points around it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Spike {
    /// The tip.
    pub point: PointId,
    /// How far it stands off the middle of its ring.
    pub height: f64,
    /// The middle of its ring.
    pub foot: Point,
}

/// All spikes, the highest first: points whose ring is narrow against their height, and that stand on a surface which
/// goes on across their foot. The tip of a cone or of a pin is none: the surface beyond its ring faces another way.
pub fn spikes(mesh: &Mesh) -> Vec<Spike> {
    let corners = Corners::new(mesh, |f| mesh.is_zero_area(f));
    let mut found: Vec<Spike> = mesh
        .points
        .keys()
        .filter_map(|p| {
            let ring = ring(mesh, &corners, p)?;
            let foot = scale(ring.iter().fold([0.0; 3], |s, q| add(s, *q)), 1.0 / ring.len() as f64);
            let at = mesh.points[p];
            let height = distance(at, foot);
            let width = ring.iter().map(|q| distance(*q, foot)).sum::<f64>() / ring.len() as f64;
            // The ring must lie across the spike: all of it well below the tip.
            let up = unit(sub(at, foot))?;
            let below = ring.iter().all(|q| dot(sub(*q, foot), up) < 0.4 * height);
            let spike = height > STEEP * width && below && stands_on(mesh, &corners, p, up, foot);
            spike.then_some(Spike { point: p, height, foot })
        })
        .collect();
    found.sort_by(|a, b| b.height.total_cmp(&a.height).then(a.point.cmp(&b.point)));
    found
}

/// Whether the facets beyond the ring of `p` face along the spike, to the side to which its own facets face out.
fn stands_on(mesh: &Mesh, corners: &Corners, p: PointId, up: Point, foot: Point) -> bool {
    let own = corners.at(p);
    let mut out = 0.0;
    let mut beyond = [0.0; 3];
    for &f in own {
        let [a, b, c] = mesh.corners(f);
        let middle = scale(add(a, add(b, c)), 1.0 / 3.0);
        let away = sub(middle, foot);
        let radial = sub(away, scale(up, dot(away, up)));
        out += dot(mesh.area_vector(f), radial);
        for q in mesh.triangles[f].into_iter().filter(|q| *q != p) {
            for &g in corners.at(q).iter().filter(|g| !own.contains(g)) {
                beyond = add(beyond, unit(mesh.area_vector(g)).unwrap_or_default());
            }
        }
    }
    unit(beyond).is_some_and(|n| dot(n, up) * out.signum() > 0.3)
}

/// The points around one whose facets form one closed fan.
fn ring(mesh: &Mesh, corners: &Corners, p: PointId) -> Option<Vec<Point>> {
    let facets = corners.at(p);
    if facets.len() < 3 {
        return None;
    }
    let mut others: Vec<PointId> = facets.iter().flat_map(|&f| mesh.triangles[f]).filter(|q| *q != p).collect();
    others.sort_unstable();
    let closed = others.chunk_by(|a, b| a == b).all(|run| run.len() == 2);
    others.dedup();
    closed.then(|| others.into_iter().map(|q| mesh.points[q]).collect())
}

/// Puts every spike's tip on the middle of its ring; gives the furthest move.
pub fn flatten(mesh: &mut Mesh, spikes: &[Spike]) -> f64 {
    let mut furthest = 0.0_f64;
    for s in spikes {
        furthest = furthest.max(distance(mesh.points[s.point], s.foot));
        mesh.points[s.point] = s.foot;
    }
    furthest
}
