//! Splats: the ellipsoids of a capture, each with an opacity and a colour that may change with the direction of view.

use crate::vector::{V3, cross, dot, scale};
use serde::{Deserialize, Serialize};

/// What a splat is besides its place. 80 bytes.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Splat {
    /// Standard deviations along its own axes, as lengths.
    pub axes: [f32; 3],
    /// How its axes are turned: a quaternion of length one, the real part first.
    pub turn: [f32; 4],
    /// From 0, clear, to 1.
    pub opacity: f32,
    /// Red, green and blue from 0 to 1, as seen from all directions together; may lie a little outside.
    pub colour: [f32; 3],
    /// Of each colour, what is added for a direction of view of length one: the scalar product with it.
    pub sheen: [[f32; 3]; 3],
}

/// Columns of a rotation, from a quaternion of length one.
pub fn columns([w, x, y, z]: [f64; 4]) -> [V3; 3] {
    [
        [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)],
        [2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x)],
        [2.0 * (x * z + w * y), 2.0 * (y * z - w * x), 1.0 - 2.0 * (x * x + y * y)],
    ]
}

/// The quaternion of a rotation with these columns (S. W. Shepperd, 1978: from the largest of its four squares).
pub fn quaternion([a, b, c]: [V3; 3]) -> [f64; 4] {
    let squares =
        [1.0 + a[0] + b[1] + c[2], 1.0 + a[0] - b[1] - c[2], 1.0 - a[0] + b[1] - c[2], 1.0 - a[0] - b[1] + c[2]];
    let largest = (0..4).fold(0, |best, k| if squares[k] > squares[best] { k } else { best });
    let q = match largest {
        0 => [squares[0], b[2] - c[1], c[0] - a[2], a[1] - b[0]],
        1 => [b[2] - c[1], squares[1], b[0] + a[1], c[0] + a[2]],
        2 => [c[0] - a[2], b[0] + a[1], squares[2], c[1] + b[2]],
        _ => [a[1] - b[0], c[0] + a[2], c[1] + b[2], squares[3]],
    };
    let length = q.iter().map(|x| x * x).sum::<f64>().sqrt();
    let sign = if q[0] < 0.0 { -1.0 } else { 1.0 };
    q.map(|x| sign * x / length)
}

impl Splat {
    /// The directions of its axes, of length one.
    pub fn directions(&self) -> [V3; 3] {
        columns(self.turn.map(f64::from))
    }

    /// Its longest standard deviation.
    pub fn size(&self) -> f32 {
        self.axes.into_iter().fold(0.0, f32::max)
    }

    /// The same splat after a motion whose part without shift turns or mirrors directions by `turn`, which keeps lengths, and
    /// makes lengths `factor` times as long.
    #[must_use]
    pub fn moved(&self, turn: impl Fn(V3) -> V3, factor: f64) -> Splat {
        let [a, b, mut c] = self.directions().map(&turn);
        // A mirrored ellipsoid is the ellipsoid with one axis the other way, which is a rotation again.
        if dot(cross(a, b), c) < 0.0 {
            c = scale(c, -1.0);
        }
        Splat {
            axes: self.axes.map(|x| (f64::from(x) * factor) as f32),
            turn: quaternion([a, b, c]).map(|x| x as f32),
            sheen: self.sheen.map(|v| turn(v.map(f64::from)).map(|x| x as f32)),
            ..*self
        }
    }

    /// The colour as bytes, seen along a direction of length one.
    pub fn seen_along(&self, direction: V3) -> [u8; 3] {
        [0, 1, 2].map(|k| {
            let x = f64::from(self.colour[k]) + dot(self.sheen[k].map(f64::from), direction);
            (x * 255.0).round().clamp(0.0, 255.0) as u8
        })
    }

    /// The same with a quaternion of length one; `None` if it has none, or if an axis is no length.
    #[must_use]
    pub fn settled(mut self) -> Option<Splat> {
        let length = self.turn.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>().sqrt();
        let all = self.axes.iter().chain(&self.colour).chain(self.sheen.as_flattened()).chain([&self.opacity]);
        let holds = all.into_iter().all(|x| x.is_finite()) && self.axes.iter().all(|x| *x >= 0.0);
        if !(holds && length.is_finite() && length > 1e-12) {
            return None;
        }
        self.turn = self.turn.map(|x| (f64::from(x) / length) as f32);
        Some(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::vector::norm;
    use proptest::prelude::*;

    /// How dense a splat is at a place relative to its middle, 1 in the middle.
    fn density(splat: &Splat, at: V3) -> f64 {
        let parts =
            splat.directions().iter().zip(splat.axes).map(|(d, s)| (dot(*d, at) / f64::from(s)).powi(2)).sum::<f64>();
        (-0.5 * parts).exp()
    }

    fn splats() -> impl Strategy<Value = Splat> {
        let numbers = prop::array::uniform4(-1.0f32..1.0);
        (prop::array::uniform3(0.1f32..2.0), numbers, 0.0f32..1.0, prop::array::uniform3(0.0f32..1.0)).prop_filter_map(
            "no rotation",
            |(axes, turn, opacity, colour)| {
                Splat { axes, turn, opacity, colour, sheen: [[0.1, 0.2, -0.3]; 3] }.settled()
            },
        )
    }

    proptest! {
        #[test]
        fn a_moved_splat_is_as_dense_where_its_places_went(splat in splats(), mirror: bool, at in prop::array::uniform3(-2.0..2.0f64)) {
            let [a, b, c] = columns([0.5, 0.5, -0.5, 0.5]);
            let side = if mirror { -1.0 } else { 1.0 };
            let turn = |v: V3| [0, 1, 2].map(|k| side * (a[k] * v[0] + b[k] * v[1] + c[k] * v[2]));
            let there = splat.moved(turn, 2.5);
            let (before, after) = (density(&splat, at), density(&there, scale(turn(at), 2.5)));
            prop_assert!((before - after).abs() < 1e-5 * (before + 1e-3), "{before} {after}");
            // Whoever looks the same way sees the same colour.
            let gaze = scale(at, 1.0 / norm(at).max(1e-9));
            let off = splat.seen_along(gaze).iter().zip(there.seen_along(turn(gaze))).map(|(x, y)| x.abs_diff(y)).max();
            prop_assert!(off <= Some(1));
        }
    }
}
