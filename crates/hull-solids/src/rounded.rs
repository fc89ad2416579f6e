//! Where a line meets a plane, or three planes meet, and how such places turn, in sums of two doubles where these leave no
//! doubt.
//!
//! Sums of two doubles hold about 106 bits; the bounds on each operation are those of M. Joldes, J.-M. Muller and
//! V. Popescu, *Tight and rigorous error bounds for basic building blocks of double-word arithmetic*, 2017, with
//! u = 2^-53: 3 u² of a sum, 5 u² of a product, 15 u² of a quotient.

use hull_geometry::Point;
use twofloat::TwoFloat;

/// Beyond these sizes a step could run over or under.
const RANGE: std::ops::Range<f64> = 1e-180..1e90;

/// A place to about twice the digits of doubles.
#[derive(Clone, Copy, Debug)]
pub struct Fine {
    /// The nearest doubles.
    pub near: Point,
    /// What they leave.
    pub rest: Point,
    /// How far both together may be off in each coordinate.
    pub off: f64,
}

impl Fine {
    /// A place that is its doubles.
    pub fn exactly(near: Point) -> Fine {
        Fine { near, rest: [0.0; 3], off: 0.0 }
    }

    /// Takes a coordinate, if it surely rounds to its first double.
    fn take(&mut self, k: usize, x: TwoFloat, off: f64) -> Option<()> {
        let far = x.lo().abs() * (1.0 + 4.0 * f64::EPSILON) + 2.0 * off;
        if x.hi() + far != x.hi() || x.hi() - far != x.hi() {
            return None;
        }
        self.near[k] = x.hi() + 0.0;
        self.rest[k] = x.lo();
        self.off = self.off.max(off);
        Some(())
    }
}

/// The turn of three places seen along `axis`, if that leaves no doubt.
pub fn turn(axis: usize, [a, b, c]: [Fine; 3]) -> Option<i8> {
    let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
    let sum = |p: &Fine, k: usize| TwoFloat::new_add(p.near[k], p.rest[k]);
    let difference = |p: &Fine, k: usize| sum(p, k) - sum(&c, k);
    let (u, v) = ([difference(&a, i), difference(&a, j)], [difference(&b, i), difference(&b, j)]);
    let det = (u[0] * v[1] - u[1] * v[0]).hi();
    let ways: f64 = [u[0], u[1], v[0], v[1]].iter().map(|x| x.hi().abs()).sum();
    // Differences are off by what both places are and 3 u² of themselves, products by 5 u², the last difference by 3 u²:
    // 14 u² of the product of ways; more than twice that.
    let off = a.off + b.off + c.off;
    let bound = 4.0 * off * (ways + off) + 2f64.powi(-101) * ways * ways;
    (RANGE.contains(&bound) && det.abs() > bound).then_some(if det > 0.0 { 1 } else { -1 })
}

/// Where the line of `p` and `q` meets the plane of `t`, which they lie on either side of; `None` where the nearest
/// doubles are not certain.
pub fn where_line_meets_plane(p: Point, q: Point, t: &[Point; 3]) -> Option<Fine> {
    let across = normal(t);
    let ((hp, sp), (hq, sq)) = (height(&across, difference(p, t[0])), height(&across, difference(q, t[0])));
    let whole = hp - hq;
    let size = sp + sq;
    // How many times more uncertain the quotient is than its parts.
    let worse = size / whole.hi().abs();
    if !(RANGE.contains(&size) && worse < 1e12 && hp.hi() * hq.hi() < 0.0) {
        return None;
    }
    let share = quotient(hp, whole);
    let mut place = Fine::exactly(p.map(|x| x + 0.0));
    for k in 0..3 {
        let along = TwoFloat::new_sub(q[k], p[k]);
        if p[k] != q[k] {
            if !RANGE.contains(&along.hi().abs()) {
                return None;
            }
            // The quotient by 96 u² `worse`, times the way along, and what the last product and sum add: 2^-99 of them
            // at most; twice that.
            let off = 2f64.powi(-98) * (worse * along.hi().abs() + p[k].abs());
            place.take(k, share * along + p[k], off)?;
        }
    }
    Some(place)
}

/// Where three planes meet; `None` where the nearest doubles are not certain.
pub fn where_planes_meet(planes: &[[Point; 3]; 3]) -> Option<Fine> {
    // Seen from a point of the first plane, which then lies at nothing.
    let from = planes[0][0];
    let [n0, n1, n2] = planes.each_ref().map(normal);
    let at = |n: &Sized3, t: &[Point; 3]| height(n, difference(t[0], from));
    let (d1, d2) = (at(&n1, &planes[1]), at(&n2, &planes[2]));
    let (n12, n20, n01) = (cross(&n1, &n2), cross(&n2, &n0), cross(&n0, &n1));
    let whole = n0.0[0] * n12.0[0] + n0.0[1] * n12.0[1] + n0.0[2] * n12.0[2];
    let size: f64 = (0..3).map(|k| n0.1[k] * n12.1[k]).sum();
    let worse = size / whole.hi().abs();
    if !(RANGE.contains(&size) && worse < 1e12) {
        return None;
    }
    let mut place = Fine::exactly(from);
    for (k, origin) in from.into_iter().enumerate() {
        let x = quotient(d1.0 * n20.0[k] + d2.0 * n01.0[k], whole);
        let x_size = (d1.1 * n20.1[k] + d2.1 * n01.1[k]) / whole.hi().abs();
        // Heights are off by 21 u² of their size, normals by 13, crosses of them by 34: products of both by 60, and so
        // is what they are divided by; twice that.
        let off = 2f64.powi(-98) * (x_size + x.hi().abs() * worse + origin.abs());
        if off < RANGE.start {
            return None;
        }
        place.take(k, x + origin, off)?;
    }
    Some(place)
}

/// Three sums, and for each the size of what it was summed up from, for the bound on what it is off by.
type Sized3 = ([TwoFloat; 3], [f64; 3]);

fn difference(a: Point, b: Point) -> [TwoFloat; 3] {
    [0, 1, 2].map(|k| TwoFloat::new_sub(a[k], b[k]))
}

/// The normal of a triangle, off by 13 u² of its size.
fn normal(t: &[Point; 3]) -> Sized3 {
    let exact = |d: [TwoFloat; 3]| (d, d.map(|x| x.hi().abs()));
    cross(&exact(difference(t[1], t[0])), &exact(difference(t[2], t[0])))
}

fn cross((u, su): &Sized3, (v, sv): &Sized3) -> Sized3 {
    let other = |k: usize| ((k + 1) % 3, (k + 2) % 3);
    let x = [0, 1, 2].map(other).map(|(i, j)| u[i] * v[j] - u[j] * v[i]);
    (x, [0, 1, 2].map(other).map(|(i, j)| su[i] * sv[j] + su[j] * sv[i]))
}

/// How high a way goes along a normal, off by 21 u² of the size given with it.
fn height((normal, sizes): &Sized3, way: [TwoFloat; 3]) -> (TwoFloat, f64) {
    let h = normal[0] * way[0] + normal[1] * way[1] + normal[2] * way[2];
    (h, (0..3).map(|k| sizes[k] * way[k].hi().abs()).sum())
}

/// Algorithm 17 of the paper. The crate's own quotient of two such sums (of version 0.8.4) leaves a fused step out, and is
/// no better than one double.
fn quotient(a: TwoFloat, b: TwoFloat) -> TwoFloat {
    let high = a.hi() / b.hi();
    let left = a - b * high;
    TwoFloat::new_add(high, left.hi() / b.hi())
}
