//! Where a plane meets a surface: outlines, and the figures of the area in them.

use crate::mesh::{Mesh, Point, PointId};
use crate::vector::{V3, add, cross, distance, dot, lerp, scale, sub, unit};
use smallvec::SmallVec;
use std::collections::HashMap;
use typed_index_collections::TiVec;

/// One outline: points in order; the material lies on the left, seen against the normal.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline {
    /// Places; of a closed outline the first is not repeated.
    pub points: Vec<Point>,
    /// Whether it ends where it begins.
    pub closed: bool,
}

/// The outlines of a section. Points in the plane count as ahead of it, so that every closed surface gives closed outlines, also one
/// with edges of four facets and more, at which several outlines meet.
pub fn outlines(mesh: &Mesh, at: Point, normal: V3) -> Vec<Outline> {
    let ahead: TiVec<PointId, f64> = mesh.points.iter().map(|p| dot(sub(*p, at), normal)).collect();
    let is_ahead = |p: PointId| ahead[p] >= 0.0;
    let mut next: HashMap<[PointId; 2], SmallVec<[[PointId; 2]; 1]>> = HashMap::new();
    let mut order = Vec::new();
    for t in &mesh.triangles {
        let sides = t.map(is_ahead);
        let count = sides.iter().filter(|s| **s).count();
        if count == 0 || count == 3 {
            continue;
        }
        // The corner that is alone on its side, and the two edges that leave it.
        let k = (0..3).find(|&k| sides[k] != sides[(k + 1) % 3] && sides[k] != sides[(k + 2) % 3]).unwrap_or(0);
        let edge = |j: usize| {
            let (a, b) = (t[k], t[(k + j) % 3]);
            [a.min(b), a.max(b)]
        };
        let (from, to) = if sides[k] { (edge(1), edge(2)) } else { (edge(2), edge(1)) };
        next.entry(from).or_default().push(to);
        order.push(from);
    }
    let place = |[a, b]: [PointId; 2]| {
        let (p, q) = (ahead[a], ahead[b]);
        lerp(mesh.points[a], mesh.points[b], p / (p - q))
    };
    let entered: std::collections::HashSet<[PointId; 2]> = next.values().flatten().copied().collect();
    // Open lines first, from their beginnings; what is left runs round.
    let starts: Vec<[PointId; 2]> =
        order.iter().filter(|e| !entered.contains(*e)).chain(order.iter()).copied().collect();
    let mut out = Vec::new();
    for start in starts {
        let mut points = Vec::new();
        let mut edge = start;
        let mut closed = false;
        while let Some(to) = next.get_mut(&edge).and_then(SmallVec::pop) {
            points.push(place(edge));
            edge = to;
            closed = edge == start;
        }
        if points.is_empty() {
            continue;
        }
        if !closed {
            points.push(place(edge));
        }
        points.dedup();
        if closed && points.len() > 1 && points.first() == points.last() {
            points.pop();
        }
        if points.len() > 1 {
            out.push(Outline { points, closed });
        }
    }
    out
}

/// The figures of a section's area, in the plane's own directions.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Figures {
    /// What the closed outlines enclose, holes taken off.
    pub area: f64,
    /// Along all outlines.
    pub perimeter: f64,
    /// In space.
    pub centroid: Point,
    /// Second moments about the centroid: ∫y², ∫x² and ∫xy in the plane.
    pub second: [f64; 3],
    /// The larger and the smaller principal second moment.
    pub principal: [f64; 2],
}

/// The directions x and y of a section's plane: of planes across an axis the next two axes.
pub fn directions(normal: V3) -> [V3; 2] {
    let axis = (0..3).find(|&k| normal[k].abs() > 0.999_999);
    let x = match axis {
        Some(k) => {
            let mut x = [0.0; 3];
            x[(k + 1) % 3] = 1.0;
            x
        }
        None => {
            let aside = if normal[2].abs() < 0.9 { [0.0, 0.0, 1.0] } else { [1.0, 0.0, 0.0] };
            unit(cross(aside, normal)).unwrap_or([1.0, 0.0, 0.0])
        }
    };
    [x, cross(normal, x)]
}

/// Area, centroid and second moments by sums along the outlines (C. Steger, On the Calculation of Moments of Polygons, 1996).
pub fn figures(outlines: &[Outline], at: Point, normal: V3) -> Figures {
    let [x, y] = directions(normal);
    let (mut area, mut first, mut second, mut perimeter) = (0.0, [0.0; 2], [0.0; 3], 0.0);
    for o in outlines {
        let n = o.points.len();
        for i in 0..if o.closed { n } else { n - 1 } {
            let (p, q) = (o.points[i], o.points[(i + 1) % n]);
            perimeter += distance(p, q);
            if !o.closed {
                continue;
            }
            let [a, b] = [p, q].map(|p| [dot(sub(p, at), x), dot(sub(p, at), y)]);
            let c = a[0] * b[1] - b[0] * a[1];
            area += c / 2.0;
            first[0] += c * (a[0] + b[0]) / 6.0;
            first[1] += c * (a[1] + b[1]) / 6.0;
            second[0] += c * (a[1] * a[1] + a[1] * b[1] + b[1] * b[1]) / 12.0;
            second[1] += c * (a[0] * a[0] + a[0] * b[0] + b[0] * b[0]) / 12.0;
            second[2] += c * (a[0] * b[1] + 2.0 * a[0] * a[1] + 2.0 * b[0] * b[1] + b[0] * a[1]) / 24.0;
        }
    }
    let mut out = Figures { area, perimeter, ..Figures::default() };
    if area.abs() > 0.0 {
        let (u, v) = (first[0] / area, first[1] / area);
        out.centroid = add(at, add(scale(x, u), scale(y, v)));
        out.second = [second[0] - area * v * v, second[1] - area * u * u, second[2] - area * u * v];
        let (mean, half) = (0.5 * (out.second[0] + out.second[1]), 0.5 * (out.second[0] - out.second[1]));
        let radius = half.hypot(out.second[2]);
        out.principal = [mean + radius, mean - radius];
    }
    out
}
