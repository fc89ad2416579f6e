//! Places that are known exactly: given points, and points made where facets cross.
//!
//! A given point is its three doubles. A made one is known by what it was made of and by its nearest doubles; as a quotient
//! of whole numbers, in homogeneous coordinates over a common power of two ([`Grid`]), once somebody asks. Signs are taken
//! from doubles with a bound on their error, from what places were made of, and from the whole numbers where neither
//! decides: nothing is ever told wrongly, however flat or close.

use crate::rounded::{self, Fine, where_line_meets_plane, where_planes_meet};
use dashu_int::ops::BitTest;
use dashu_int::{IBig, Sign};
use hull_geometry::Point;
use hull_geometry::vector::{cross, sub};
use robust::{Coord, Coord3D, orient2d, orient3d};
use std::borrow::Cow;
use std::sync::{Arc, OnceLock};

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
pub struct ExactPoint {
    /// The nearest doubles; a given point exactly.
    pub near: Point,
    made: Option<Arc<Made>>,
}

/// What a made place is.
#[derive(Debug)]
struct Made {
    crossed: Crossed,
    /// The place to more digits, if they are certain.
    fine: Option<Fine>,
    whole: OnceLock<Whole>,
}

/// What meets in a made place.
#[derive(Debug, PartialEq)]
enum Crossed {
    /// The line of two given points, and the plane of three.
    Line([Point; 2], [Point; 3]),
    /// Three planes, in a certain order.
    Planes([[Point; 3]; 3]),
    /// Something else: such places come with their whole numbers.
    Other,
}

impl ExactPoint {
    /// A point of the input.
    pub fn given(p: Point) -> ExactPoint {
        ExactPoint { near: p.map(|x| x + 0.0), made: None }
    }

    fn made(grid: Grid, whole: Whole) -> ExactPoint {
        let whole = upright(whole);
        ExactPoint {
            near: near(grid, &whole),
            made: Some(Arc::new(Made { crossed: Crossed::Other, fine: None, whole: whole.into() })),
        }
    }

    /// A place by what meets there.
    fn where_meet(grid: Grid, crossed: Crossed, fine: Option<Fine>) -> ExactPoint {
        let made = Made { crossed, fine, whole: OnceLock::new() };
        let near = fine.map_or_else(|| near(grid, made.whole(grid)), |fine| fine.near);
        ExactPoint { near, made: Some(Arc::new(made)) }
    }

    /// Whether it is a point of the input.
    pub fn is_given(&self) -> bool {
        self.made.is_none()
    }

    fn whole(&self, grid: Grid) -> Cow<'_, Whole> {
        match &self.made {
            Some(made) => Cow::Borrowed(made.whole(grid)),
            None => {
                let [x, y, z] = grid.whole_point(self.near);
                Cow::Owned([x, y, z, IBig::ONE])
            }
        }
    }

    /// The place to more digits than its nearest doubles, if they are certain.
    fn fine(&self) -> Option<Fine> {
        match &self.made {
            None => Some(Fine::exactly(self.near)),
            Some(made) => made.fine,
        }
    }

    fn crossed(&self) -> Option<&Crossed> {
        self.made.as_ref().map(|made| &made.crossed).filter(|crossed| **crossed != Crossed::Other)
    }

    /// Whether two places are the same one.
    pub fn same(&self, other: &ExactPoint, grid: Grid) -> bool {
        if self.near.map(f64::to_bits) != other.near.map(f64::to_bits) {
            return false;
        }
        let alike = self.crossed().is_some_and(|c| Some(c) == other.crossed());
        if alike || (self.is_given() && other.is_given()) {
            return true;
        }
        let (a, b) = (self.whole(grid), other.whole(grid));
        (0..3).all(|k| &a[k] * &b[3] == &b[k] * &a[3])
    }

    /// The line of given points that the place was made on.
    fn made_on(&self) -> Option<&[Point; 2]> {
        match self.crossed() {
            Some(Crossed::Line(ends, _)) => Some(ends),
            _ => None,
        }
    }

    /// Whether the place lies on a line of given points by what it is.
    fn is_on(&self, ends: &[Point; 2]) -> bool {
        self.made_on() == Some(ends) || (self.is_given() && ends.contains(&self.near))
    }

    /// The middle of three places.
    pub fn middle(grid: Grid, corners: [&ExactPoint; 3]) -> ExactPoint {
        let [a, b, c] = corners.map(|p| p.whole(grid));
        let (ab, bc, ca) = (&a[3] * &b[3], &b[3] * &c[3], &c[3] * &a[3]);
        let sum = |k: usize| &a[k] * &bc + &b[k] * &ca + &c[k] * &ab;
        let w: IBig = &ab * &c[3] * IBig::from(3);
        ExactPoint::made(grid, [sum(0), sum(1), sum(2), w])
    }
}

impl Made {
    fn whole(&self, grid: Grid) -> &Whole {
        self.whole.get_or_init(|| match &self.crossed {
            Crossed::Line(ends, plane) => upright(on_line(grid, ends, plane)),
            Crossed::Planes(planes) => upright(on_planes(grid, planes)),
            Crossed::Other => [IBig::ZERO, IBig::ZERO, IBig::ZERO, IBig::ONE],
        })
    }
}

/// The same place over a positive number.
fn upright([x, y, z, w]: Whole) -> Whole {
    if w.sign() == Sign::Negative { [-x, -y, -z, -w] } else { [x, y, z, w] }
}

fn near(grid: Grid, [x, y, z, w]: &Whole) -> Point {
    [x, y, z].map(|n| grid.nearest_double(n, w) + 0.0)
}

/// A plane through three given points: normal (not of length one) and the sum it gives at the plane, in whole numbers.
struct Plane {
    normal: [IBig; 3],
    at: IBig,
}

fn whole_normal(grid: Grid, t: &[Point; 3]) -> [IBig; 3] {
    let [a, b, c] = t.map(|p| grid.whole_point(p));
    let [u, v] = [&b, &c].map(|p| [0, 1, 2].map(|k| &p[k] - &a[k]));
    big_cross(&u, &v)
}

fn plane(grid: Grid, t: &[Point; 3]) -> Plane {
    let normal = whole_normal(grid, t);
    let at = dot(&normal, &grid.whole_point(t[0]));
    Plane { normal, at }
}

fn sign(x: &IBig) -> i8 {
    if *x == IBig::ZERO { 0 } else { if x.sign() == Sign::Negative { -1 } else { 1 } }
}

fn sign_of(x: f64) -> i8 {
    if x > 0.0 { 1 } else { -i8::from(x < 0.0) }
}

/// Where the line of the given points `p`, `q` meets the plane of a triangle that they lie on either side of.
pub fn on_plane(grid: Grid, p: Point, q: Point, t: &[Point; 3]) -> ExactPoint {
    ExactPoint::where_meet(grid, Crossed::Line([p, q], *t), where_line_meets_plane(p, q, t))
}

fn on_line(grid: Grid, ends: &[Point; 2], t: &[Point; 3]) -> Whole {
    let Plane { normal, at } = plane(grid, t);
    let [p, q] = ends.map(|p| grid.whole_point(p));
    let height = |x: &[IBig; 3]| dot(&normal, x) - &at;
    let (sp, sq) = (height(&p), height(&q));
    let x = |k: usize| &sp * &q[k] - &sq * &p[k];
    let w = &sp - &sq;
    [x(0), x(1), x(2), w]
}

/// Where three planes meet, each through three given points; they must meet in one place.
pub fn where_three_meet(grid: Grid, mut planes: [[Point; 3]; 3]) -> ExactPoint {
    // Whoever asks first: the same three make the same place.
    planes.sort_unstable_by_key(|t| t.map(|p| p.map(f64::to_bits)));
    let fine = where_planes_meet(&planes);
    ExactPoint::where_meet(grid, Crossed::Planes(planes), fine)
}

fn on_planes(grid: Grid, planes: &[[Point; 3]; 3]) -> Whole {
    let [a, b, c] = planes.each_ref().map(|t| plane(grid, t));
    let [bc, ca, ab] = [(&b, &c), (&c, &a), (&a, &b)].map(|(p, q)| big_cross(&p.normal, &q.normal));
    let x = |k: usize| &a.at * &bc[k] + &b.at * &ca[k] + &c.at * &ab[k];
    [x(0), x(1), x(2), dot(&a.normal, &bc)]
}

fn dot(a: &[IBig; 3], b: &[IBig; 3]) -> IBig {
    &a[0] * &b[0] + &a[1] * &b[1] + &a[2] * &b[2]
}

fn big_cross(u: &[IBig; 3], v: &[IBig; 3]) -> [IBig; 3] {
    [&u[1] * &v[2] - &u[2] * &v[1], &u[2] * &v[0] - &u[0] * &v[2], &u[0] * &v[1] - &u[1] * &v[0]]
}

/// Where two lines of the plane of `t` meet, each through two places; `axis` is dropped to look at them.
pub fn on_lines(grid: Grid, t: &[Point; 3], axis: usize, one: [&ExactPoint; 2], other: [&ExactPoint; 2]) -> ExactPoint {
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    let line = |ends: [&ExactPoint; 2]| {
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
    ExactPoint::made(grid, whole)
}

/// The turn of `a b c` seen along an axis: 1 anticlockwise, -1 clockwise, 0 on one line.
pub fn turn(grid: Grid, axis: usize, a: &ExactPoint, b: &ExactPoint, c: &ExactPoint) -> i8 {
    turn_by_doubles(axis, a, b, c).unwrap_or_else(|| turn_exactly(grid, axis, a, b, c))
}

/// The turn, if doubles leave no doubt.
pub fn turn_by_doubles(axis: usize, a: &ExactPoint, b: &ExactPoint, c: &ExactPoint) -> Option<i8> {
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    let flat = |p: &ExactPoint| Coord { x: p.near[i], y: p.near[j] };
    if a.is_given() && b.is_given() && c.is_given() {
        return Some(sign_of(orient2d(flat(a), flat(b), flat(c))));
    }
    let (u, v) = (sub(a.near, c.near), sub(b.near, c.near));
    let det = u[i] * v[j] - u[j] * v[i];
    let largest = [a, b, c].iter().fold(0.0_f64, |m, p| m.max(p.near[i].abs()).max(p.near[j].abs()));
    // Every coordinate is off by half a step of its size at most, every difference by four of the largest.
    let off = 4.0 * f64::EPSILON * largest;
    let sum = u[i].abs() + u[j].abs() + v[i].abs() + v[j].abs();
    let bound = 2.0 * (off * sum + 2.0 * off * off + f64::EPSILON * ((u[i] * v[j]).abs() + (u[j] * v[i]).abs()));
    (det.abs() > bound && bound > f64::MIN_POSITIVE).then(|| sign_of(det))
}

/// The turn by what the places are made of, by more digits, and in whole numbers.
pub fn turn_exactly(grid: Grid, axis: usize, a: &ExactPoint, b: &ExactPoint, c: &ExactPoint) -> i8 {
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    // Corners and places made on one side of a facet are asked about over and over.
    let all = [a, b, c];
    if all.iter().filter_map(|p| p.made_on()).any(|ends| all.iter().all(|p| p.is_on(ends))) {
        return 0;
    }
    // Neighbouring facets that hardly turn make places that hardly do.
    if let [Some(a), Some(b), Some(c)] = all.map(ExactPoint::fine)
        && let Some(turn) = rounded::turn(axis, [a, b, c])
    {
        return turn;
    }
    let [a, b, c] = all.map(|p| p.whole(grid));
    let minor = |p: &Whole, q: &Whole, k: usize, l: usize| &p[k] * &q[l] - &p[l] * &q[k];
    sign(&(&a[3] * minor(&b, &c, i, j) - &b[3] * minor(&a, &c, i, j) + &c[3] * minor(&a, &b, i, j)))
}

/// On which side of a given triangle's plane a place lies: 1 where its normal points to.
pub fn side(grid: Grid, t: &[Point; 3], p: &ExactPoint) -> i8 {
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
    let made_on_it = match p.crossed() {
        Some(Crossed::Line(_, plane)) => plane == t,
        Some(Crossed::Planes(planes)) => planes.contains(t),
        _ => false,
    };
    if made_on_it {
        return 0;
    }
    let Plane { normal, at } = plane(grid, t);
    let q = p.whole(grid);
    sign(&(&normal[0] * &q[0] + &normal[1] * &q[1] + &normal[2] * &q[2] - at * &q[3]))
}

/// The sign of one coordinate of the difference `b - a`.
pub fn direction(grid: Grid, axis: usize, a: &ExactPoint, b: &ExactPoint) -> i8 {
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
    (sign(&(&m[i] * &n[j] - &m[j] * &n[i])), sign(&dot(&m, &n)))
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
        #![proptest_config(ProptestConfig { max_global_rejects: 1 << 16, ..ProptestConfig::default() })]

        /// A made place lies on both sides of nothing: on the plane and on the line it was made from, exactly, and the
        /// filtered signs agree with those of whole numbers.
        #[test]
        fn made_places_lie_where_they_were_made(p in point(), q in point(), t in [point(), point(), point()], o in point()) {
            let grid = Grid::of([p, q, o].into_iter().chain(t));
            let [sp, sq] = [p, q].map(|x| side(grid, &t, &ExactPoint::given(x)));
            prop_assume!(sp * sq < 0);
            let x = on_plane(grid, p, q, &t);
            prop_assert_eq!(x.near.map(f64::to_bits), near(grid, &x.whole(grid)).map(f64::to_bits));
            // Told from what it was made of, and from the numbers alone.
            prop_assert_eq!(side(grid, &t, &x), 0);
            let x = ExactPoint::made(grid, x.whole(grid).into_owned());
            prop_assert_eq!(side(grid, &t, &x), 0);
            let (a, b, o) = (ExactPoint::given(p), ExactPoint::given(q), ExactPoint::given(o));
            for axis in 0..3 {
                prop_assert_eq!(turn(grid, axis, &a, &b, &x), 0);
                // Turns add up: the made place between p and q sees o on the same side as they do.
                prop_assert_eq!(turn(grid, axis, &a, &x, &o), turn(grid, axis, &a, &b, &o));
            }
            // The nearest doubles are as near as doubles can be.
            for k in 0..3 {
                let up = ExactPoint::given([f64::next_up(x.near[0]), f64::next_up(x.near[1]), f64::next_up(x.near[2])]);
                let down = ExactPoint::given([f64::next_down(x.near[0]), f64::next_down(x.near[1]), f64::next_down(x.near[2])]);
                let fine = Grid::of([p, q, up.near, down.near].into_iter().chain(t));
                let y = on_plane(fine, p, q, &t);
                prop_assert!(direction(fine, k, &y, &up) >= 0 && direction(fine, k, &down, &y) >= 0);
            }
        }

        /// Where three planes meet lies on all three, whoever is named first.
        #[test]
        fn three_planes_meet_on_each(t in [point(), point(), point()], u in [point(), point(), point()], v in [point(), point(), point()]) {
            let grid = Grid::of(t.into_iter().chain(u).chain(v));
            prop_assume!(on_planes(grid, &[t, u, v])[3] != IBig::ZERO);
            let x = where_three_meet(grid, [t, u, v]);
            prop_assert_eq!(x.near.map(f64::to_bits), near(grid, &x.whole(grid)).map(f64::to_bits));
            prop_assert!(x.same(&where_three_meet(grid, [v, t, u]), grid));
            let by_numbers = ExactPoint::made(grid, x.whole(grid).into_owned());
            for plane in [&t, &u, &v] {
                prop_assert_eq!(side(grid, plane, &x), 0);
                prop_assert_eq!(side(grid, plane, &by_numbers), 0);
            }
        }

        /// Places that lie all but on one line turn as whole numbers say.
        #[test]
        fn what_hardly_turns_is_told_rightly(p in point(), q in point(), nudge in -9i32..10, by in 10i32..60, t in proptest::array::uniform3([point(), point(), point()])) {
            let beside = q.map(|x| x + x * f64::from(nudge) * 2f64.powi(-by));
            let beside = [q[0], beside[1], beside[2]];
            let grid = Grid::of([p, q, beside].into_iter().chain(t.into_iter().flatten()));
            let across = |q: Point, t: &[Point; 3]| side(grid, t, &ExactPoint::given(p)) * side(grid, t, &ExactPoint::given(q)) < 0;
            prop_assume!(across(q, &t[0]) && across(q, &t[1]) && across(beside, &t[2]));
            let places = [on_plane(grid, p, q, &t[0]), on_plane(grid, p, q, &t[1]), on_plane(grid, p, beside, &t[2])];
            let numbers = places.each_ref().map(|x| ExactPoint::made(grid, x.whole(grid).into_owned()));
            for axis in 0..3 {
                let [told, exact] = [&places, &numbers].map(|[a, b, c]| turn_exactly(grid, axis, a, b, c));
                prop_assert_eq!(told, exact);
            }
        }
    }
}
