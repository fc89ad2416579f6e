//! A cylinder told by its facets' normals alone: fast enough to ask of every region of a body.

use crate::eigen::{across, mean, spread};
use crate::linear::solve;
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, dot, scale, sub};

/// The points may be this part of the radius off it.
const OFF: f64 = 0.02;

/// A place on the axis, the axis and the radius, if the points lie on a cylinder and the normals across one axis.
pub fn quick_cylinder(points: &[Point], normals: &[V3]) -> Option<(Point, V3, f64)> {
    if points.len() < 6 || normals.len() < 4 {
        return None;
    }
    let (axes, spreads) = spread(normals, [0.0; 3]);
    // Normals of a plane have one direction, those of a ball three.
    if spreads[1] < 0.02 || spreads[0] > 1e-3 {
        return None;
    }
    let (axis, centre) = (axes[0], mean(points));
    let [x, y] = across(axis);
    let flat: Vec<[f64; 2]> = points.iter().map(|p| sub(*p, centre)).map(|v| [dot(v, x), dot(v, y)]).collect();
    let [a, b, c] = solve(flat.iter().map(|[a, b]| ([2.0 * a, 2.0 * b, 1.0], a * a + b * b)))?;
    let radius = (c + a * a + b * b).max(0.0).sqrt();
    let off = flat.iter().map(|p| ((p[0] - a).hypot(p[1] - b) - radius).abs()).fold(0.0, f64::max);
    (radius > 0.0 && off <= OFF * radius).then(|| (add(centre, add(scale(x, a), scale(y, b))), axis, radius))
}
