//! Triangulating simple polygons: flat ones by constrained Delaunay triangulation (the `spade` crate),
//! others with the least total area (G. Barequet and M. Sharir, 1995).

use crate::mesh::Point;
use crate::vector::{V3, add, area_vector, cross, distance, dot, norm, scale, sub, unit};
use spade::{ConstrainedDelaunayTriangulation, Point2, Triangulation};
use std::collections::{HashMap, VecDeque};

/// Area vector of a polygon (Newell's method): its length is twice the area enclosed.
pub fn polygon_normal(polygon: &[Point]) -> V3 {
    let origin = polygon.first().copied().unwrap_or_default();
    (0..polygon.len()).fold([0.0; 3], |n, i| {
        let (a, b) = (sub(polygon[i], origin), sub(polygon[(i + 1) % polygon.len()], origin));
        add(n, cross(a, b))
    })
}

/// The largest distance of a corner from the polygon's mean plane.
pub fn out_of_plane(polygon: &[Point]) -> f64 {
    let Some(normal) = unit(polygon_normal(polygon)) else { return 0.0 };
    let centre = scale(polygon.iter().fold([0.0; 3], |s, &p| add(s, p)), 1.0 / polygon.len() as f64);
    polygon.iter().map(|&p| dot(sub(p, centre), normal).abs()).fold(0.0, f64::max)
}

/// Triangles of a face given by its corners in order, as indices into them: quads along their shorter
/// valid diagonal, larger ones by constrained triangulation in their mean plane, or as a fan if they cross
/// themselves there.
pub fn face(polygon: &[Point]) -> Vec<[u32; 3]> {
    match polygon.len() {
        0..=2 => Vec::new(),
        3 => vec![[0, 1, 2]],
        4 => quad([polygon[0], polygon[1], polygon[2], polygon[3]]),
        n => flat(polygon).unwrap_or_else(|| (1..n as u32 - 1).map(|i| [0, i, i + 1]).collect()),
    }
}

fn quad(p: [Point; 4]) -> Vec<[u32; 3]> {
    let normal = polygon_normal(&p);
    let upright = |i: usize, j: usize, k: usize| dot(area_vector(p[i], p[j], p[k]), normal) > 0.0;
    let (first, second) = (upright(0, 1, 2) && upright(0, 2, 3), upright(0, 1, 3) && upright(1, 2, 3));
    if second && (!first || distance(p[1], p[3]) < distance(p[0], p[2])) {
        vec![[0, 1, 3], [1, 2, 3]]
    } else {
        vec![[0, 1, 2], [0, 2, 3]]
    }
}

/// Constrained Delaunay triangulation of a polygon in its mean plane, without new points; `None` if the
/// polygon touches or crosses itself there.
pub fn flat(polygon: &[Point]) -> Option<Vec<[u32; 3]>> {
    flat_between(polygon, &[polygon.len()])
}

/// The same between several loops, the first around the others: `polygon` holds their corners one loop after the other,
/// `lengths` says how many each has.
pub fn flat_between(polygon: &[Point], lengths: &[usize]) -> Option<Vec<[u32; 3]>> {
    let normal = unit(polygon_normal(polygon.get(..*lengths.first()?)?))?;
    let (x, y) = plane_axes(normal);
    let size = polygon.iter().map(|&p| distance(p, polygon[0])).fold(0.0, f64::max);
    let place = |p: Point| {
        // spade refuses numbers too small to multiply; they are zero beside a polygon of size one.
        let settle = |v: f64| if v.abs() < 1e-30 { 0.0 } else { v };
        let d = scale(sub(p, polygon[0]), 1.0 / size);
        Point2::new(settle(dot(d, x)), settle(dot(d, y)))
    };
    let mut cdt = ConstrainedDelaunayTriangulation::<Point2<f64>>::new();
    let mut handles = Vec::with_capacity(polygon.len());
    let mut number = HashMap::new();
    for (i, &p) in polygon.iter().enumerate() {
        let handle = cdt.insert(place(p)).ok()?;
        if number.insert(handle, i as u32).is_some() {
            return None;
        }
        handles.push(handle);
    }
    let mut rest = &handles[..];
    for length in lengths {
        let (ring, others) = rest.split_at_checked(*length)?;
        rest = others;
        for i in 0..ring.len() {
            let (a, b) = (ring[i], ring[(i + 1) % ring.len()]);
            // An edge through another corner, or across another edge: not a simple polygon.
            if !cdt.can_add_constraint(a, b) {
                return None;
            }
            cdt.add_constraint(a, b);
            cdt.get_edge_from_neighbors(a, b)?;
        }
    }
    Some(inner_triangles(&cdt, &number))
}

fn inner_triangles(
    cdt: &ConstrainedDelaunayTriangulation<Point2<f64>>,
    number: &HashMap<spade::handles::FixedVertexHandle, u32>,
) -> Vec<[u32; 3]> {
    // Crossing a constraint goes in or out; start outside, beyond the hull.
    let mut inside: HashMap<_, bool> = HashMap::new();
    let mut queue = VecDeque::new();
    for edge in cdt.convex_hull() {
        let edge = if edge.is_outer_edge() { edge.rev() } else { edge };
        if let Some(f) = edge.face().as_inner()
            && !inside.contains_key(&f.fix())
        {
            inside.insert(f.fix(), edge.is_constraint_edge());
            queue.push_back(f);
        }
    }
    while let Some(f) = queue.pop_front() {
        let here = inside[&f.fix()];
        for edge in f.adjacent_edges() {
            if let Some(g) = edge.rev().face().as_inner()
                && !inside.contains_key(&g.fix())
            {
                inside.insert(g.fix(), here ^ edge.is_constraint_edge());
                queue.push_back(g);
            }
        }
    }
    cdt.inner_faces()
        .filter(|f| inside.get(&f.fix()) == Some(&true))
        .map(|f| f.vertices().map(|v| number[&v.fix()]))
        .collect()
}

/// Whether a polygon in a plane goes around a place.
pub fn goes_around(polygon: &[[f64; 2]], [x, y]: [f64; 2]) -> bool {
    let n = polygon.len();
    let crossed = |i: &usize| {
        let ([ax, ay], [bx, by]) = (polygon[*i], polygon[(i + 1) % n]);
        (ay > y) != (by > y) && x < ax + (y - ay) / (by - ay) * (bx - ax)
    };
    (0..n).filter(crossed).count() % 2 == 1
}

/// Two unit vectors that span the plane across `normal`, right-handed with it.
pub fn plane_axes(normal: V3) -> (V3, V3) {
    let least = (0..3).min_by(|&i, &j| normal[i].abs().total_cmp(&normal[j].abs())).unwrap_or(0);
    let mut other = [0.0; 3];
    other[least] = 1.0;
    let x = unit(cross(other, normal)).unwrap_or([1.0, 0.0, 0.0]);
    (x, cross(normal, x))
}

/// A triangle is flat where its height is this part of its longest side, or less.
const FLAT: f64 = 1e-9;

/// The triangulation of a loop with the fewest triangles without area and, of those, the least total area, by dynamic
/// programming: n³/6 steps, 12 n² bytes. Pairs of corners for which `taken` holds may not be joined by a new edge.
/// `None` if none is left.
pub fn least_area(polygon: &[Point], taken: impl Fn(usize, usize) -> bool) -> Option<Vec<[u32; 3]>> {
    let n = polygon.len();
    if n < 3 {
        return None;
    }
    // More than the area of any triangulation without folds: corners in a line cost no area, but a facet without any.
    let around: f64 = (0..n).map(|i| distance(polygon[i], polygon[(i + 1) % n])).sum();
    let weight = |[a, b, c]: [Point; 3]| {
        let area = norm(area_vector(a, b, c));
        let longest = distance(a, b).max(distance(b, c)).max(distance(c, a));
        if area > FLAT * longest * longest { area } else { area + around * around }
    };
    let mut cost = vec![f64::INFINITY; n * n];
    let mut split = vec![0u32; n * n];
    for i in 0..n - 1 {
        cost[i * n + i + 1] = 0.0;
    }
    for gap in 2..n {
        for i in 0..n - gap {
            let j = i + gap;
            if !(i == 0 && j == n - 1) && taken(i, j) {
                continue;
            }
            let (mut best, mut at) = (f64::INFINITY, 0);
            for k in i + 1..j {
                let under = cost[i * n + k] + cost[k * n + j];
                if under < best {
                    let total = under + weight([polygon[i], polygon[k], polygon[j]]);
                    if total < best {
                        (best, at) = (total, k);
                    }
                }
            }
            cost[i * n + j] = best;
            split[i * n + j] = at as u32;
        }
    }
    if !cost[n - 1].is_finite() {
        return None;
    }
    let mut triangles = Vec::with_capacity(n - 2);
    let mut open = vec![(0, n - 1)];
    while let Some((i, j)) = open.pop() {
        if j - i < 2 {
            continue;
        }
        let k = split[i * n + j] as usize;
        triangles.push([i as u32, k as u32, j as u32]);
        open.extend([(i, k), (k, j)]);
    }
    Some(triangles)
}
