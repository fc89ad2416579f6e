//! Rotations, translations and uniform scales of points.

use crate::mesh::{Mesh, Point};
use crate::vector::{V3, add, cross, dot, scale};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// One of the six signed coordinate axes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Axis {
    /// Along x.
    #[serde(rename = "+x")]
    PlusX,
    /// Against x.
    #[serde(rename = "-x")]
    MinusX,
    /// Along y.
    #[serde(rename = "+y")]
    PlusY,
    /// Against y.
    #[serde(rename = "-y")]
    MinusY,
    /// Along z.
    #[serde(rename = "+z")]
    PlusZ,
    /// Against z.
    #[serde(rename = "-z")]
    MinusZ,
}

impl Axis {
    /// All six.
    pub const ALL: [Axis; 6] = [Axis::PlusX, Axis::MinusX, Axis::PlusY, Axis::MinusY, Axis::PlusZ, Axis::MinusZ];

    /// Of length one.
    pub fn direction(self) -> V3 {
        match self {
            Axis::PlusX => [1.0, 0.0, 0.0],
            Axis::MinusX => [-1.0, 0.0, 0.0],
            Axis::PlusY => [0.0, 1.0, 0.0],
            Axis::MinusY => [0.0, -1.0, 0.0],
            Axis::PlusZ => [0.0, 0.0, 1.0],
            Axis::MinusZ => [0.0, 0.0, -1.0],
        }
    }

    /// As it is written: `+x`.
    pub fn symbol(self) -> &'static str {
        match self {
            Axis::PlusX => "+x",
            Axis::MinusX => "-x",
            Axis::PlusY => "+y",
            Axis::MinusY => "-y",
            Axis::PlusZ => "+z",
            Axis::MinusZ => "-z",
        }
    }
}

/// Rows of a 3×3 matrix.
pub type Matrix = [V3; 3];

/// The proper rotation (never a mirror) that turns the body's `up` axis into +z and its `forward` axis
/// into +x; `None` if the two lie along one line.
pub fn rotation(up: Axis, forward: Axis) -> Option<Matrix> {
    let (z, x) = (up.direction(), forward.direction());
    (dot(z, x) == 0.0).then(|| [x, cross(z, x), z])
}

/// A matrix times a point.
pub fn apply(m: &Matrix, p: Point) -> Point {
    // Adding 0 turns -0 into 0, so that equal points stay equal bit by bit.
    [dot(m[0], p) + 0.0, dot(m[1], p) + 0.0, dot(m[2], p) + 0.0]
}

/// The rotation `a` after the rotation `b`.
pub fn product(a: &Matrix, b: &Matrix) -> Matrix {
    std::array::from_fn(|i| std::array::from_fn(|j| (0..3).map(|k| a[i][k] * b[k][j]).sum::<f64>() + 0.0))
}

/// Turns every point of a mesh.
pub fn rotate(mesh: &mut Mesh, m: &Matrix) {
    mesh.points.raw.par_iter_mut().for_each(|p| *p = apply(m, *p));
}

/// Moves every point of a mesh.
pub fn translate(mesh: &mut Mesh, by: V3) {
    mesh.points.raw.par_iter_mut().for_each(|p| *p = add(*p, by));
}

/// Scales every point of a mesh about the origin.
pub fn enlarge(mesh: &mut Mesh, factor: f64) {
    mesh.points.raw.par_iter_mut().for_each(|p| *p = scale(*p, factor));
}
