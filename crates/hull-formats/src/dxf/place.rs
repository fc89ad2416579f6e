//! Curves under inserts that scale and mirror.

use hull_exact::Frame;
use hull_exact::curve::Curve;
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub};

/// `centre + cos t · u + sin t · v` as an ellipse about its own axes, and how much its parameter lies before `t`.
/// `None` where `u` and `v` span no plane.
pub fn ellipse(centre: Point, u: V3, v: V3) -> Option<(Curve, f64)> {
    // Where the radius is longest, the curve is perpendicular to it: tan 2t = 2 u·v / (u·u - v·v).
    let even = (dot(u, u) - dot(v, v)).abs() <= 1e-12 * dot(u, u) && dot(u, v).abs() <= 1e-12 * dot(u, u);
    let shift = if even { 0.0 } else { 0.5 * (2.0 * dot(u, v)).atan2(dot(u, u) - dot(v, v)) };
    let (s, c) = shift.sin_cos();
    let (a, b) = (add(scale(u, c), scale(v, s)), sub(scale(v, c), scale(u, s)));
    let normal = cross(a, b);
    let (la, lb) = (norm(a), norm(b));
    if !(lb > 0.0 && la.is_finite() && norm(normal) > 1e-12 * la * la) {
        return None;
    }
    let frame = Frame::new(centre, normal, Some(a));
    // A circle stays one: rounding does not make it an ellipse.
    let b = if (la - lb).abs() <= 1e-12 * la { la } else { lb };
    Some((Curve::Ellipse { frame, a: la, b }, shift))
}
