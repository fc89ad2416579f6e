//! Least squares of distances to a shape around an axis, by damped Gauss–Newton steps (K. Levenberg 1944, D. Marquardt 1963).
//!
//! All the shapes are told by a frame and at most two sizes: in the frame a point has a height h along the axis and a radius
//! ρ from it, and its distance is a function of both. Each step moves the frame by three shifts and two tilts and changes the
//! sizes; the frame is then taken as the new one, so that tilts stay small and nothing is singular.

use crate::eigen::{CHUNK, across};
use crate::shape::Kind;
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, dot, scale, sub, unit};
use nalgebra::{SMatrix, SVector};
use rayon::prelude::*;

const N: usize = 7;
type Normal = SMatrix<f64, N, N>;
type Gradient = SVector<f64, N>;

/// A frame with sizes. What the sizes mean depends on the kind: radius; radius at the origin and half angle; major and minor.
#[derive(Clone, Copy, Debug)]
pub(crate) struct State {
    pub at: Point,
    pub axis: V3,
    pub sizes: [f64; 2],
}

/// One distance with its derivatives by ρ, h and both sizes.
struct Row {
    value: f64,
    by_radius: f64,
    by_height: f64,
    by_sizes: [f64; 2],
}

/// The unknowns that a kind has: shifts x, y, z, tilts about x and y, both sizes.
fn free(kind: Kind) -> [bool; N] {
    match kind {
        Kind::Cylinder => [true, true, false, true, true, true, false],
        Kind::Sphere => [true, true, true, false, false, true, false],
        Kind::Circle => [true, true, true, true, true, true, false],
        Kind::Cone => [true, true, false, true, true, true, true],
        Kind::Torus => [true; N],
        Kind::Plane | Kind::Line => [false; N],
    }
}

fn rows(kind: Kind, radius: f64, h: f64, s: [f64; 2]) -> [Option<Row>; 2] {
    let one = |value, by_radius, by_height, by_sizes| Some(Row { value, by_radius, by_height, by_sizes });
    match kind {
        Kind::Cylinder => [one(radius - s[0], 1.0, 0.0, [-1.0, 0.0]), None],
        Kind::Sphere => {
            let r = radius.hypot(h).max(f64::MIN_POSITIVE);
            [one(r - s[0], radius / r, h / r, [-1.0, 0.0]), None]
        }
        Kind::Circle => [one(radius - s[0], 1.0, 0.0, [-1.0, 0.0]), one(h, 0.0, 1.0, [0.0; 2])],
        Kind::Cone => {
            let (sin, cos) = s[1].sin_cos();
            let out = radius - s[0];
            [one(out * cos - h * sin, cos, -sin, [-cos, -out * sin - h * cos]), None]
        }
        Kind::Torus => {
            let out = radius - s[0];
            let r = out.hypot(h).max(f64::MIN_POSITIVE);
            [one(r - s[1], out / r, h / r, [-out / r, -1.0]), None]
        }
        Kind::Plane | Kind::Line => [None, None],
    }
}

/// The sum of squares at a state, with the normal equations of a step.
fn equations(kind: Kind, points: &[Point], state: &State) -> (f64, Normal, Gradient) {
    let [x, y] = across(state.axis);
    let chunk = |points: &[Point]| {
        let mut sum = 0.0;
        let mut normal = Normal::zeros();
        let mut gradient = Gradient::zeros();
        for p in points {
            let v = sub(*p, state.at);
            let (px, py, h) = (dot(v, x), dot(v, y), dot(v, state.axis));
            let radius = px.hypot(py);
            // On the axis itself every direction is as good as any.
            let (cx, cy) = if radius > 0.0 { (px / radius, py / radius) } else { (1.0, 0.0) };
            for row in rows(kind, radius, h, state.sizes).into_iter().flatten() {
                let r = row.by_radius;
                let g = row.by_height;
                let j = Gradient::from([
                    -r * cx,
                    -r * cy,
                    -g,
                    // Tilts about x and y of the frame.
                    r * cy * h - g * py,
                    -r * cx * h + g * px,
                    row.by_sizes[0],
                    row.by_sizes[1],
                ]);
                sum += row.value * row.value;
                gradient += j * row.value;
                normal += j * j.transpose();
            }
        }
        (sum, normal, gradient)
    };
    let parts: Vec<_> = points.par_chunks(CHUNK).map(chunk).collect();
    parts.into_iter().fold((0.0, Normal::zeros(), Gradient::zeros()), |(s, n, g), (t, m, h)| (s + t, n + m, g + h))
}

fn stepped(state: &State, by: &Gradient) -> State {
    let [x, y] = across(state.axis);
    let at = add(state.at, add(add(scale(x, by[0]), scale(y, by[1])), scale(state.axis, by[2])));
    let turn = add(scale(x, by[3]), scale(y, by[4]));
    let axis = unit(add(state.axis, cross(turn, state.axis))).unwrap_or(state.axis);
    State { at, axis, sizes: [state.sizes[0] + by[5], state.sizes[1] + by[6]] }
}

/// Steps until nothing changes, or `most` were taken; the sum of squares beside the state.
pub(crate) fn descend(kind: Kind, points: &[Point], start: State, most: usize) -> (State, f64) {
    let free = free(kind);
    let mut state = start;
    let (mut sum, mut normal, mut gradient) = equations(kind, points, &state);
    let mut damping = 1e-4;
    for _ in 0..most {
        let mut damped = normal;
        for k in 0..N {
            damped[(k, k)] += damping * normal[(k, k)].max(1e-30);
            if !free[k] {
                damped.row_mut(k).fill(0.0);
                damped.column_mut(k).fill(0.0);
                damped[(k, k)] = 1.0;
            }
        }
        let right = Gradient::from_fn(|k, _| if free[k] { -gradient[k] } else { 0.0 });
        let Some(by) = damped.cholesky().map(|c| c.solve(&right)) else {
            damping *= 10.0;
            if damping > 1e12 {
                break;
            }
            continue;
        };
        let next = stepped(&state, &by);
        let (new_sum, n, g) = equations(kind, points, &next);
        if new_sum.is_finite() && new_sum <= sum {
            let gain = sum - new_sum;
            let settled = gain <= 1e-15 * sum && by.amax() < 1e-9;
            (state, sum, normal, gradient) = (next, new_sum, n, g);
            damping = (damping * 0.1).max(1e-15);
            if settled || by.amax() < 1e-15 {
                break;
            }
        } else {
            damping *= 10.0;
            if damping > 1e12 {
                break;
            }
        }
    }
    (state, sum)
}
