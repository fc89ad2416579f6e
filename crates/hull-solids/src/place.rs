//! Places that are known exactly: given points, and points made where facets cross.
//!
//! A given point is its three doubles. A made one is a quotient of whole numbers, in homogeneous coordinates over a
//! common power of two ([`Grid`]), beside its nearest doubles. Signs are taken from doubles with a bound on their error
//! and from the whole numbers where that does not decide: nothing is ever told wrongly, however flat or close.

use dashu_int::ops::BitTest;
use dashu_int::{IBig, Sign};
use hull_geometry::Point;
use hull_geometry::vector::{cross, sub};
use robust::{Coord, Coord3D, orient2d, orient3d};
use std::borrow::Cow;

/// The power of two that makes whole numbers of all given coordinates: `x * 2^shift` is whole.
#[derive(Clone, Copy, Debug)]
pub struct Grid {
    shift: i32,
}

/// Mantissa (odd, or 0) and exponent of a finite double.
fn parts(x: f64) -> (i64, i32) {
    if x == 0.0 {
        return (0, 0);
    }
    let bits = x.to_bits();
    let raw = ((bits >> 52) & 0x7ff) as i32;
    let fraction = (bits & ((1 << 52) - 1)) as i64;
    let (mantissa, exponent) = if raw == 0 { (fraction, -1074) } else { (fraction | (1 << 52), raw - 1075) };
    let zeros = mantissa.trailing_zeros();
    let odd = mantissa >> zeros;
    (if x < 0.0 { -odd } else { odd }, exponent + zeros as i32)
}

impl Grid {
    /// The coarsest grid on which all of these points lie.
    pub fn of(points: impl IntoIterator<Item = Point>) -> Grid {
        let lowest = points.into_iter().flatten().map(|x| if x == 0.0 { i32::MAX } else { parts(x).1 }).min();
        Grid { shift: lowest.filter(|e| *e != i32::MAX).map_or(0, |e| -e) }
    }

    fn whole(self, x: f64) -> IBig {
        let (mantissa, exponent) = parts(x);
        let up = exponent + self.shift;
        debug_assert!(mantissa == 0 || up >= 0);
        IBig::from(mantissa) << up.max(0) as usize
    }

    fn whole_point(self, p: Point) -> [IBig; 3] {
        p.map(|x| self.whole(x))
    }

    /// The double nearest to `n / (d 2^shift)`, `d > 0`.
    fn nearest_double(self, n: &IBig, d: &IBig) -> f64 {
        if *n == IBig::ZERO {
            return 0.0;
        }
        // A quotient of at least 66 bits with a sticky last bit rounds once, and so to the nearest.
        let up = (d.bit_len() as i64 - n.bit_len() as i64 + 66).max(0) as usize;
        let shifted = n.clone() << up;
        let q = &shifted / d;
        let exact = &q * d == shifted;
        let sticky = if exact {
            q << 1_usize
        } else {
            let twice: IBig = q << 1_usize;
            if twice.sign() == Sign::Negative { twice - IBig::ONE } else { twice + IBig::ONE }
        };
        let (bits, dropped) = (sticky.bit_len(), 200_usize);
        // Far beyond 200 bits only with very uneven coordinates: cut down first, keeping the sticky bit.
        let (value, exponent) = if bits > dropped {
            let cut = bits - dropped;
            let low: IBig = sticky.clone() >> cut;
            let marked: IBig = (low << 1_usize) + IBig::ONE;
            (marked.to_f64().value(), cut as i32 - 1)
        } else {
            (sticky.to_f64().value(), 0)
        };
        let power = exponent - 1 - up as i32 - self.shift;
        // In two halves, so that neither overflows before the other brings it back.
        value * 2f64.powi(power / 2) * 2f64.powi(power - power / 2)
    }
}

/// A place in homogeneous whole numbers: `x, y, z` over `w > 0`.
pub type Whole = [IBig; 4];

/// A place, exactly.
#[derive(Clone, Debug)]
pub struct Place {
    /// The nearest doubles; a given point exactly.
    pub near: Point,
    given: bool,
    whole: Option<Box<Whole>>,
}

impl Place {
    pub fn given(p: Point) -> Place {
        Place { near: p.map(|x| x + 0.0), given: true, whole: None }
    }

    fn made(grid: Grid, [x, y, z, w]: Whole) -> Place {
        let [x, y, z, w] = if w.sign() == Sign::Negative { [-x, -y, -z, -w] } else { [x, y, z, w] };
        let near = [&x, &y, &z].map(|n| grid.nearest_double(n, &w) + 0.0);
        Place { near, given: false, whole: Some(Box::new([x, y, z, w])) }
    }

    pub fn is_given(&self) -> bool {
        self.given
    }

    /// The same place with its whole numbers at hand, for work that asks for them often.
    pub fn prepared(mut self, grid: Grid) -> Place {
        if self.whole.is_none() {
            self.whole = Some(Box::new(self.whole(grid).into_owned()));
        }
        self
    }

    fn whole(&self, grid: Grid) -> Cow<'_, Whole> {
        match &self.whole {
            Some(w) => Cow::Borrowed(w),
            None => {
                let [x, y, z] = grid.whole_point(self.near);
                Cow::Owned([x, y, z, IBig::ONE])
            }
        }
    }

    /// Whether two places are the same one.
    pub fn same(&self, other: &Place, grid: Grid) -> bool {
        if self.near.map(f64::to_bits) != other.near.map(f64::to_bits) {
            return false;
        }
        if self.is_given() && other.is_given() {
            return true;
        }
        let (a, b) = (self.whole(grid), other.whole(grid));
        (0..3).all(|k| &a[k] * &b[3] == &b[k] * &a[3])
    }

    /// The middle of three places.
    pub fn middle(grid: Grid, corners: [&Place; 3]) -> Place {
        let [a, b, c] = corners.map(|p| p.whole(grid));
        let (ab, bc, ca) = (&a[3] * &b[3], &b[3] * &c[3], &c[3] * &a[3]);
        let sum = |k: usize| &a[k] * &bc + &b[k] * &ca + &c[k] * &ab;
        let w: IBig = &ab * &c[3] * IBig::from(3);
        Place::made(grid, [sum(0), sum(1), sum(2), w])
    }
}

/// A plane through three given points: normal (not of length one) and the sum it gives at the plane, in whole numbers.
struct Plane {
    normal: [IBig; 3],
    at: IBig,
}

fn whole_normal(grid: Grid, t: &[Point; 3]) -> [IBig; 3] {
    let [a, b, c] = t.map(|p| grid.whole_point(p));
    let [u, v] = [&b, &c].map(|p| [0, 1, 2].map(|k| &p[k] - &a[k]));
    [&u[1] * &v[2] - &u[2] * &v[1], &u[2] * &v[0] - &u[0] * &v[2], &u[0] * &v[1] - &u[1] * &v[0]]
}

fn plane(grid: Grid, t: &[Point; 3]) -> Plane {
    let normal = whole_normal(grid, t);
    let a = grid.whole_point(t[0]);
    let at = &normal[0] * &a[0] + &normal[1] * &a[1] + &normal[2] * &a[2];
    Plane { normal, at }
}

fn sign(x: &IBig) -> i8 {
    if *x == IBig::ZERO { 0 } else { if x.sign() == Sign::Negative { -1 } else { 1 } }
}

fn sign_of(x: f64) -> i8 {
    if x > 0.0 { 1 } else { -i8::from(x < 0.0) }
}

/// Where the line of the given points `p`, `q` meets the plane of a triangle that it crosses.
pub fn on_plane(grid: Grid, p: Point, q: Point, t: &[Point; 3]) -> Place {
    let Plane { normal, at } = plane(grid, t);
    let (p, q) = (grid.whole_point(p), grid.whole_point(q));
    let height = |x: &[IBig; 3]| &normal[0] * &x[0] + &normal[1] * &x[1] + &normal[2] * &x[2] - &at;
    let (sp, sq) = (height(&p), height(&q));
    let x = |k: usize| &sp * &q[k] - &sq * &p[k];
    let w = &sp - &sq;
    Place::made(grid, [x(0), x(1), x(2), w])
}

/// Where two lines of the plane of `t` meet, each through two places; `axis` is dropped to look at them.
pub fn on_lines(grid: Grid, t: &[Point; 3], axis: usize, one: [&Place; 2], other: [&Place; 2]) -> Place {
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    let line = |ends: [&Place; 2]| {
        let [a, b] = ends.map(|p| p.whole(grid));
        [&a[j] * &b[3] - &a[3] * &b[j], &a[3] * &b[i] - &a[i] * &b[3], &a[i] * &b[j] - &a[j] * &b[i]]
    };
    let (l, m) = (line(one), line(other));
    let x: IBig = &l[1] * &m[2] - &l[2] * &m[1];
    let y: IBig = &l[2] * &m[0] - &l[0] * &m[2];
    let w: IBig = &l[0] * &m[1] - &l[1] * &m[0];
    // The dropped coordinate from the plane: n·p = at.
    let Plane { normal, at } = plane(grid, t);
    let z = &at * &w - &normal[i] * &x - &normal[j] * &y;
    let n = &normal[axis];
    let mut whole = [IBig::ZERO, IBig::ZERO, IBig::ZERO, &w * n];
    whole[i] = x * n;
    whole[j] = y * n;
    whole[axis] = z;
    Place::made(grid, whole)
}

/// The turn of `a b c` seen along an axis: 1 anticlockwise, -1 clockwise, 0 on one line.
pub fn turn(grid: Grid, axis: usize, a: &Place, b: &Place, c: &Place) -> i8 {
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    let flat = |p: &Place| Coord { x: p.near[i], y: p.near[j] };
    if a.is_given() && b.is_given() && c.is_given() {
        return sign_of(orient2d(flat(a), flat(b), flat(c)));
    }
    let (u, v) = (sub(a.near, c.near), sub(b.near, c.near));
    let det = u[i] * v[j] - u[j] * v[i];
    let largest = [a, b, c].iter().fold(0.0_f64, |m, p| m.max(p.near[i].abs()).max(p.near[j].abs()));
    // Every coordinate is off by half a step of its size at most, every difference by four of the largest.
    let off = 4.0 * f64::EPSILON * largest;
    let sum = u[i].abs() + u[j].abs() + v[i].abs() + v[j].abs();
    let bound = 2.0 * (off * sum + 2.0 * off * off + f64::EPSILON * ((u[i] * v[j]).abs() + (u[j] * v[i]).abs()));
    if det.abs() > bound && bound > f64::MIN_POSITIVE {
        return sign_of(det);
    }
    let [a, b, c] = [a, b, c].map(|p| p.whole(grid));
    let minor = |p: &Whole, q: &Whole, k: usize, l: usize| &p[k] * &q[l] - &p[l] * &q[k];
    sign(&(&a[3] * minor(&b, &c, i, j) - &b[3] * minor(&a, &c, i, j) + &c[3] * minor(&a, &b, i, j)))
}

/// On which side of a given triangle's plane a place lies: 1 where its normal points to.
pub fn side(grid: Grid, t: &[Point; 3], p: &Place) -> i8 {
    let coord = |p: Point| Coord3D { x: p[0], y: p[1], z: p[2] };
    if p.is_given() {
        return -sign_of(orient3d(coord(t[0]), coord(t[1]), coord(t[2]), coord(p.near)));
    }
    let (u, v, w) = (sub(t[1], t[0]), sub(t[2], t[0]), sub(p.near, t[0]));
    let n = cross(u, v);
    let det = n[0] * w[0] + n[1] * w[1] + n[2] * w[2];
    let largest = t.iter().chain([&p.near]).flatten().fold(0.0_f64, |m, x| m.max(x.abs()));
    let size = |x: Point| x.iter().fold(0.0_f64, |m, x| m.max(x.abs()));
    let (su, sv, sw) = (size(u), size(v), size(w));
    let off = 4.0 * f64::EPSILON * largest;
    // Six products of three differences, each off by `off` at most.
    let bound = 16.0 * (off * (su * sv + sv * sw + sw * su) + off * off * (su + sv + sw) + f64::EPSILON * su * sv * sw);
    if det.abs() > bound && bound > f64::MIN_POSITIVE {
        return sign_of(det);
    }
    let Plane { normal, at } = plane(grid, t);
    let q = p.whole(grid);
    sign(&(&normal[0] * &q[0] + &normal[1] * &q[1] + &normal[2] * &q[2] - at * &q[3]))
}

/// The sign of one coordinate of the difference `b - a`.
pub fn direction(grid: Grid, axis: usize, a: &Place, b: &Place) -> i8 {
    // Rounding to the nearest keeps the order.
    let near = sign_of(b.near[axis] - a.near[axis]);
    if near != 0 || (a.is_given() && b.is_given()) {
        return near;
    }
    let (a, b) = (a.whole(grid), b.whole(grid));
    sign(&(&b[axis] * &a[3] - &a[axis] * &b[3]))
}

/// Normals of two given triangles: the signs of the coordinates of their cross product, and of their dot product.
pub fn between_normals(grid: Grid, s: &[Point; 3], t: &[Point; 3], axis: usize) -> (i8, i8) {
    let normal = |t: &[Point; 3]| {
        let (u, v) = (sub(t[1], t[0]), sub(t[2], t[0]));
        let largest = t.iter().flatten().fold(0.0_f64, |m, x| m.max(x.abs()));
        let size = u.iter().chain(&v).fold(0.0_f64, |m, x| m.max(x.abs()));
        let off = 2.0 * f64::EPSILON * largest;
        (cross(u, v), 8.0 * (off * size + off * off + f64::EPSILON * size * size))
    };
    let ((m, em), (n, en)) = (normal(s), normal(t));
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    let sizes = |x: Point| x.iter().fold(0.0_f64, |m, x| m.max(x.abs()));
    let (sm, sn) = (sizes(m), sizes(n));
    let bound = 8.0 * (em * sn + en * sm + em * en + f64::EPSILON * sm * sn);
    let (c, d) = (m[i] * n[j] - m[j] * n[i], m[0] * n[0] + m[1] * n[1] + m[2] * n[2]);
    if c.abs() > bound && d.abs() > bound && bound > f64::MIN_POSITIVE {
        return (sign_of(c), sign_of(d));
    }
    let (m, n) = (whole_normal(grid, s), whole_normal(grid, t));
    (sign(&(&m[i] * &n[j] - &m[j] * &n[i])), sign(&(&m[0] * &n[0] + &m[1] * &n[1] + &m[2] * &n[2])))
}

/// The coordinate along which a given triangle's normal is longest, by doubles, among those that are not zero exactly;
/// `None` if the three points lie on one line.
pub fn flattest(t: &[Point; 3]) -> Option<usize> {
    let n = cross(sub(t[1], t[0]), sub(t[2], t[0])).map(f64::abs);
    let mut order = [0, 1, 2];
    order.sort_by(|&a, &b| n[b].total_cmp(&n[a]));
    let flat = |p: Point, k: usize| Coord { x: p[(k + 1) % 3], y: p[(k + 2) % 3] };
    order.into_iter().find(|&k| orient2d(flat(t[0], k), flat(t[1], k), flat(t[2], k)) != 0.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn coordinate() -> impl Strategy<Value = f64> {
        prop_oneof![-4i32..5, -1_000_000..1_000_000].prop_map(f64::from).prop_flat_map(|x| {
            prop_oneof![Just(x), Just(x * 2f64.powi(-40)), Just(x * 1e-12), Just(x * 1e12), Just(x + 0.1)]
        })
    }

    fn point() -> impl Strategy<Value = Point> {
        [coordinate(), coordinate(), coordinate()]
    }

    proptest! {
        /// A made place lies on both sides of nothing: on the plane and on the line it was made from, exactly, and the
        /// filtered signs agree with those of whole numbers.
        #[test]
        fn made_places_lie_where_they_were_made(p in point(), q in point(), t in [point(), point(), point()], o in point()) {
            let grid = Grid::of([p, q, o].into_iter().chain(t));
            let [sp, sq] = [p, q].map(|x| side(grid, &t, &Place::given(x)));
            prop_assume!(sp * sq < 0);
            let x = on_plane(grid, p, q, &t);
            prop_assert_eq!(side(grid, &t, &x), 0);
            let (a, b, o) = (Place::given(p), Place::given(q), Place::given(o));
            for axis in 0..3 {
                prop_assert_eq!(turn(grid, axis, &a, &b, &x), 0);
                // Turns add up: the made place between p and q sees o on the same side as they do.
                prop_assert_eq!(turn(grid, axis, &a, &x, &o), turn(grid, axis, &a, &b, &o));
            }
            // The nearest doubles are as near as doubles can be.
            for k in 0..3 {
                let up = Place::given([f64::next_up(x.near[0]), f64::next_up(x.near[1]), f64::next_up(x.near[2])]);
                let down = Place::given([f64::next_down(x.near[0]), f64::next_down(x.near[1]), f64::next_down(x.near[2])]);
                let fine = Grid::of([p, q, up.near, down.near].into_iter().chain(t));
                let y = on_plane(fine, p, q, &t);
                prop_assert!(direction(fine, k, &y, &up) >= 0 && direction(fine, k, &down, &y) >= 0);
            }
        }
    }
}
