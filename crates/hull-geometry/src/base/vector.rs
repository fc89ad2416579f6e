//! Plain three-component vector arithmetic on arrays.

/// A point or a vector.
pub type V3 = [f64; 3];

/// a + b.
#[inline]
pub fn add(a: V3, b: V3) -> V3 {
    [a[0] + b[0], a[1] + b[1], a[2] + b[2]]
}

/// a − b.
#[inline]
pub fn sub(a: V3, b: V3) -> V3 {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

/// a times s.
#[inline]
pub fn scale(a: V3, s: f64) -> V3 {
    [a[0] * s, a[1] * s, a[2] * s]
}

/// The scalar product.
#[inline]
pub fn dot(a: V3, b: V3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

/// The vector product.
#[inline]
pub fn cross(a: V3, b: V3) -> V3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

/// The length.
#[inline]
pub fn norm(a: V3) -> f64 {
    dot(a, a).sqrt()
}

/// The distance.
#[inline]
pub fn distance(a: V3, b: V3) -> f64 {
    norm(sub(a, b))
}

/// The point at `t` of the way from a to b.
#[inline]
pub fn lerp(a: V3, b: V3, t: f64) -> V3 {
    add(a, scale(sub(b, a), t))
}

/// The vector of length one along `a`, or `None` if `a` has no length.
#[inline]
pub fn unit(a: V3) -> Option<V3> {
    let n = norm(a);
    (n > 0.0 && n.is_finite()).then(|| scale(a, 1.0 / n))
}

/// Twice the area vector of the triangle `a b c`.
#[inline]
pub fn area_vector(a: V3, b: V3, c: V3) -> V3 {
    cross(sub(b, a), sub(c, a))
}

/// The point of the segment `a b` nearest to `p`, as its parameter in `0..=1` and its squared distance.
#[inline]
pub fn nearest_on_segment(p: V3, a: V3, b: V3) -> (f64, f64) {
    let ab = sub(b, a);
    let length2 = dot(ab, ab);
    let t = if length2 > 0.0 { (dot(sub(p, a), ab) / length2).clamp(0.0, 1.0) } else { 0.0 };
    let d = sub(p, lerp(a, b, t));
    (t, dot(d, d))
}

/// The solid angle under which a triangle is seen from a point, above zero from behind (A. Van Oosterom and J. Strackee, 1983). Summed
/// over a closed surface that faces outward it is 4π inside and 0 outside.
pub fn solid_angle(from: V3, corners: [V3; 3]) -> f64 {
    let [a, b, c] = corners.map(|q| sub(q, from));
    let (la, lb, lc) = (norm(a), norm(b), norm(c));
    2.0 * dot(a, cross(b, c)).atan2(la * lb * lc + dot(a, b) * lc + dot(b, c) * la + dot(c, a) * lb)
}
