//! The facet nearest to a place.

use crate::mesh::{FacetId, Mesh, Point};
use crate::vector::{add, dot, scale, sub};
use rayon::prelude::*;

/// The point of triangle `a b c` nearest to `p` (C. Ericson, Real-Time Collision Detection, 2005, 5.1.5).
pub fn nearest_on_triangle(p: Point, [a, b, c]: [Point; 3]) -> Point {
    let (ab, ac, ap) = (sub(b, a), sub(c, a), sub(p, a));
    let (d1, d2) = (dot(ab, ap), dot(ac, ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = sub(p, b);
    let (d3, d4) = (dot(ab, bp), dot(ac, bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 && d1 > d3 {
        return add(a, scale(ab, d1 / (d1 - d3)));
    }
    let cp = sub(p, c);
    let (d5, d6) = (dot(ab, cp), dot(ac, cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 && d2 > d6 {
        return add(a, scale(ac, d2 / (d2 - d6)));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 && (d4 - d3) + (d5 - d6) > 0.0 {
        return add(b, scale(sub(c, b), (d4 - d3) / ((d4 - d3) + (d5 - d6))));
    }
    let sum = va + vb + vc;
    if sum == 0.0 {
        return a;
    }
    add(a, add(scale(ab, vb / sum), scale(ac, vc / sum)))
}

/// The facet nearest to `p` and its distance; the lowest-numbered of equals. `None` for an empty mesh.
pub fn nearest_facet(mesh: &Mesh, p: Point) -> Option<(FacetId, f64)> {
    mesh.par_facets()
        .with_min_len(1 << 12)
        .map(|f| {
            let d = sub(p, nearest_on_triangle(p, mesh.corners(f)));
            (f, dot(d, d))
        })
        .reduce_with(|a, b| if b.1 < a.1 || (b.1 == a.1 && b.0 < a.0) { b } else { a })
        .map(|(f, d2)| (f, d2.sqrt()))
}
