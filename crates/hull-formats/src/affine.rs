//! Affine maps: how files place what they hold.

use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, dot, scale, unit};

/// An affine map: three columns and an origin.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Affine {
    /// What the unit vectors become.
    pub columns: [V3; 3],
    /// What the origin becomes.
    pub origin: Point,
}

impl Affine {
    /// Nothing moves.
    pub const NONE: Affine = Affine { columns: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]], origin: [0.0; 3] };

    /// The object coordinates of a normal: their x axis lies in the plane of world x and y, or is perpendicular to
    /// world y where the normal is within 1/64 of world z (DXF reference, “arbitrary axis algorithm”).
    pub fn of_normal(normal: V3) -> Affine {
        let z = unit(normal).unwrap_or([0.0, 0.0, 1.0]);
        let steep = z[0].abs() < 1.0 / 64.0 && z[1].abs() < 1.0 / 64.0;
        let x = cross(if steep { [0.0, 1.0, 0.0] } else { [0.0, 0.0, 1.0] }, z);
        let x = unit(x).unwrap_or([1.0, 0.0, 0.0]);
        Affine { columns: [x, cross(z, x), z], origin: [0.0; 3] }
    }

    /// A direction.
    pub fn direction(&self, v: V3) -> V3 {
        let [x, y, z] = self.columns;
        add(add(scale(x, v[0]), scale(y, v[1])), scale(z, v[2]))
    }

    /// A point.
    pub fn point(&self, p: Point) -> Point {
        add(self.origin, self.direction(p))
    }

    /// First `inner`, then this one.
    pub fn after(&self, inner: &Affine) -> Affine {
        Affine { columns: inner.columns.map(|c| self.direction(c)), origin: self.point(inner.origin) }
    }

    /// Scales along the axes, then a turn about z in degrees, then a shift.
    pub fn insert(scales: V3, degrees: f64, at: Point) -> Affine {
        let (s, c) = degrees.to_radians().sin_cos();
        let columns =
            [[c * scales[0], s * scales[0], 0.0], [-s * scales[1], c * scales[1], 0.0], [0.0, 0.0, scales[2]]];
        Affine { columns, origin: at }
    }

    /// A turn by degrees about an axis of any length; none about one of no length (Rodrigues' formula).
    pub fn turned(axis: V3, degrees: f64) -> Affine {
        let Some(k) = unit(axis) else { return Affine::NONE };
        let (s, c) = degrees.to_radians().sin_cos();
        let turned = |v: V3| add(add(scale(v, c), scale(cross(k, v), s)), scale(k, dot(k, v) * (1.0 - c)));
        Affine { columns: Affine::NONE.columns.map(turned), origin: [0.0; 3] }
    }

    /// Whether left becomes right.
    pub fn mirrors(&self) -> bool {
        let [x, y, z] = self.columns;
        dot(cross(x, y), z) < 0.0
    }
}

impl Affine {
    /// From a matrix of four columns whose last is the origin.
    pub fn of_columns(m: &[[f64; 3]; 4]) -> Affine {
        Affine { columns: [m[0], m[1], m[2]], origin: m[3] }
    }
}
