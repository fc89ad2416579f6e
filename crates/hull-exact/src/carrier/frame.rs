//! A placement in space: an origin and three axes of length one.

use hull_geometry::vector::{V3, add, cross, dot, scale, sub, unit};
use hull_geometry::{Mesh, Point};
use serde::{Deserialize, Serialize};

/// An origin with three perpendicular axes of length one, right-handed unless it was mirrored.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Frame {
    /// Where it stands.
    pub origin: Point,
    /// First axis, of length one.
    pub x: V3,
    /// Second axis.
    pub y: V3,
    /// Third axis.
    pub z: V3,
}

impl Frame {
    /// At the origin, along the coordinate axes.
    pub const WORLD: Frame = Frame { origin: [0.0; 3], x: [1.0, 0.0, 0.0], y: [0.0, 1.0, 0.0], z: [0.0, 0.0, 1.0] };

    /// The frame whose z axis is `axis` and whose x axis is `towards` made perpendicular to it. A missing or
    /// parallel `towards` is replaced as ISO 10303-42 does in `first_proj_axis`: by x, or by y where the axis
    /// is x itself.
    pub fn new(origin: Point, axis: V3, towards: Option<V3>) -> Frame {
        let z = unit(axis).unwrap_or([0.0, 0.0, 1.0]);
        let square = |v: V3| {
            let rest = sub(v, scale(z, dot(v, z)));
            unit(v).and_then(|_| unit(rest)).filter(|_| dot(rest, rest) > 1e-18 * dot(v, v))
        };
        let x = towards
            .and_then(square)
            .or_else(|| if z[0].abs() < 1.0 - 1e-9 { square([1.0, 0.0, 0.0]) } else { None })
            .or_else(|| square([0.0, 1.0, 0.0]))
            .unwrap_or([1.0, 0.0, 0.0]);
        Frame { origin, x, y: cross(z, x), z }
    }

    /// Local coordinates to space.
    #[inline]
    pub fn place(&self, p: V3) -> Point {
        add(self.origin, self.turn(p))
    }

    /// A local direction to space.
    #[inline]
    pub fn turn(&self, p: V3) -> V3 {
        add(add(scale(self.x, p[0]), scale(self.y, p[1])), scale(self.z, p[2]))
    }

    /// Space to local coordinates.
    #[inline]
    pub fn local(&self, p: Point) -> V3 {
        let d = sub(p, self.origin);
        [dot(d, self.x), dot(d, self.y), dot(d, self.z)]
    }

    /// Whether the axes are left-handed.
    pub fn is_mirrored(&self) -> bool {
        dot(cross(self.x, self.y), self.z) < 0.0
    }

    /// This frame put into another one.
    pub fn within(&self, outer: &Frame) -> Frame {
        Frame { origin: outer.place(self.origin), x: outer.turn(self.x), y: outer.turn(self.y), z: outer.turn(self.z) }
    }

    /// The frame that undoes this one.
    pub fn inverse(&self) -> Frame {
        let column = |k: usize| [self.x[k], self.y[k], self.z[k]];
        Frame { origin: scale(self.local([0.0; 3]), 1.0), x: column(0), y: column(1), z: column(2) }
    }
}

/// A rigid motion with a uniform scale: `p ↦ frame.place(scale · p)`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Motion {
    /// Turns, mirrors and moves.
    pub frame: Frame,
    /// Scales first.
    pub scale: f64,
}

impl Motion {
    /// Leaves everything where it is.
    pub const NONE: Motion = Motion { frame: Frame::WORLD, scale: 1.0 };

    /// Scales about the origin.
    pub fn scaling(scale: f64) -> Motion {
        Motion { frame: Frame::WORLD, scale }
    }

    /// Where a point comes to.
    #[inline]
    pub fn point(&self, p: Point) -> Point {
        self.frame.place(scale(p, self.scale))
    }

    /// A direction: turned, not scaled.
    #[inline]
    pub fn direction(&self, v: V3) -> V3 {
        self.frame.turn(v)
    }

    /// Where a frame comes to.
    pub fn frame(&self, f: &Frame) -> Frame {
        Frame { origin: self.point(f.origin), x: self.direction(f.x), y: self.direction(f.y), z: self.direction(f.z) }
    }

    /// Facets, moved; those of a closed surface still turn outwards if this is a mirror.
    pub fn mesh(&self, m: &Mesh) -> Mesh {
        let turn = self.frame.is_mirrored();
        Mesh {
            points: m.points.iter().map(|p| self.point(*p)).collect(),
            triangles: m.triangles.iter().map(|&[a, b, c]| if turn { [a, c, b] } else { [a, b, c] }).collect(),
        }
    }

    /// First `inner`, then this.
    pub fn after(&self, inner: &Motion) -> Motion {
        Motion { frame: self.frame(&inner.frame), scale: self.scale * inner.scale }
    }
}
