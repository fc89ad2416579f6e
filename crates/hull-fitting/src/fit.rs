//! One shape fitted to points: least squares of distances.

use crate::descent::{State, descend};
use crate::directions::half_sphere;
use crate::eigen::{across, mean, spread};
use crate::linear::solve;
use crate::shape::{Kind, Shape};
use hull_geometry::mesh::Bounds;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Point, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Axes are tried along so many directions.
const DIRECTIONS: usize = 96;
/// On so many points.
const SAMPLE: usize = 400;
/// A radius beyond so many times the size of the points is no radius.
const FLATTEST: f64 = 1e4;

/// A fitted shape and how well it fits.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Fit {
    /// The shape.
    pub shape: Shape,
    /// Root mean square of the points' distances from it.
    pub rms: f64,
    /// The largest distance of a point from it.
    pub largest: f64,
    /// How many points it was fitted to.
    pub points: usize,
}

/// Why nothing can be fitted.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum FitError {
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// Fewer points than unknowns.
    #[error("A {kind} needs at least {least} points; there are {points}.")]
    TooFew {
        /// What was asked for.
        kind: &'static str,
        /// What it takes.
        least: usize,
        /// What there is.
        points: usize,
    },
    /// The points do not tell.
    #[error("The points do not determine a {0}: pick more of it, or another kind.")]
    Undetermined(&'static str),
}

/// Fits one shape.
///
/// `normals` are directions of the surface at some of the places, where they are known: they help to find an axis.
/// Planes and lines by the eigenvectors of the spread, the rest by Levenberg–Marquardt on distances from the best of many
/// axes, each started with linear least squares.
///
/// # Errors
/// [`FitError`].
pub fn fit(kind: Kind, points: &[Point], normals: &[V3], watch: &Watch) -> Result<Fit, FitError> {
    let name = kind.name();
    let size = Bounds::of(points.iter().copied()).diagonal();
    if points.len() < kind.least() {
        return Err(FitError::TooFew { kind: name, least: kind.least(), points: points.len() });
    }
    if !(size > 0.0 && size.is_finite()) {
        return Err(FitError::Undetermined(name));
    }
    let centre = mean(points);
    let undetermined = || FitError::Undetermined(name);
    let shape = match kind {
        Kind::Plane | Kind::Line => {
            let (axes, spreads) = spread(points, centre);
            let flat = 1e-24 * size * size;
            match kind {
                Kind::Plane if spreads[1] > flat => Shape::Plane { at: centre, normal: axes[0] },
                Kind::Line if spreads[2] > flat && spreads[2] > spreads[1] => {
                    Shape::Line { at: centre, direction: axes[2] }
                }
                _ => return Err(undetermined()),
            }
        }
        _ => {
            // In the size of the points every number is near one.
            let local: Vec<Point> = points.par_iter().map(|p| scale(sub(*p, centre), 1.0 / size)).collect();
            let state = best(kind, &local, normals, watch)?.ok_or_else(undetermined)?;
            let local = shape_of(kind, &state).ok_or_else(undetermined)?;
            local.moved(|p| add(centre, scale(p, size)), |d| d, size)
        }
    };
    watch.check()?;
    let distances: Vec<(f64, f64)> = points
        .par_chunks(crate::eigen::CHUNK)
        .map(|c| c.iter().map(|p| shape.distance(*p)).fold((0.0, 0.0_f64), |(s, m), d| (s + d * d, m.max(d))))
        .collect();
    let (sum, largest) = distances.into_iter().fold((0.0, 0.0_f64), |(s, m), (t, n)| (s + t, m.max(n)));
    let rms = (sum / points.len() as f64).sqrt();
    Ok(Fit { shape, rms, largest, points: points.len() })
}

/// The state with the least sum of squares over all starts.
fn best(kind: Kind, points: &[Point], normals: &[V3], watch: &Watch) -> Result<Option<State>, Cancelled> {
    let every = points.len().div_ceil(SAMPLE).max(1);
    let sample: Vec<Point> = points.iter().copied().step_by(every).collect();
    let sample = if sample.len() < kind.least() { points.to_vec() } else { sample };
    let (axes, _) = spread(points, [0.0; 3]);
    let mut directions: Vec<V3> = axes.to_vec();
    if !normals.is_empty() {
        // Normals of a cylinder are across its axis, those of a cone at one angle with it.
        directions.extend(spread(normals, [0.0; 3]).0);
        directions.extend(spread(normals, mean(normals)).0);
    }
    if kind == Kind::Circle || kind == Kind::Sphere {
        directions.truncate(1);
    } else {
        directions.extend(half_sphere(DIRECTIONS));
    }
    let starts: Vec<State> = directions.iter().flat_map(|d| starts(kind, &sample, *d)).collect();
    let mut tried: Vec<(f64, State)> = starts
        .into_par_iter()
        .map(|s| {
            let (state, sum) = descend(kind, &sample, s, 12);
            (sum, state)
        })
        .filter(|(sum, state)| sum.is_finite() && shape_of(kind, state).is_some())
        .collect();
    watch.check()?;
    tried.sort_by(|a, b| a.0.total_cmp(&b.0));
    tried.truncate(3);
    let mut found: Option<(f64, State)> = None;
    for (_, start) in tried {
        watch.check()?;
        let (state, sum) = descend(kind, points, start, 200);
        if shape_of(kind, &state).is_some() && found.is_none_or(|(least, _)| sum < least * (1.0 - 1e-9)) {
            found = Some((sum, state));
        }
    }
    Ok(found.map(|(_, state)| state))
}

/// States to start from with the axis along `d`, by linear least squares.
fn starts(kind: Kind, points: &[Point], d: V3) -> Vec<State> {
    let [x, y] = across(d);
    let local = |p: &Point| [dot(*p, x), dot(*p, y), dot(*p, d)];
    let place = |a: f64, b: f64, h: f64| add(add(scale(x, a), scale(y, b)), scale(d, h));
    let circle = || {
        let found = solve(points.iter().map(|p| {
            let [a, b, _] = local(p);
            ([2.0 * a, 2.0 * b, 1.0], a * a + b * b)
        }))?;
        let r2 = found[2] + found[0] * found[0] + found[1] * found[1];
        (r2 > 0.0).then(|| (found[0], found[1], r2.sqrt()))
    };
    let state = |at, sizes| State { at, axis: d, sizes };
    match kind {
        Kind::Sphere => {
            let found = solve(points.iter().map(|p| ([2.0 * p[0], 2.0 * p[1], 2.0 * p[2], 1.0], dot(*p, *p))));
            let Some([a, b, c, k]) = found else { return Vec::new() };
            let r2 = k + a * a + b * b + c * c;
            if r2 > 0.0 { vec![state([a, b, c], [r2.sqrt(), 0.0])] } else { Vec::new() }
        }
        Kind::Circle | Kind::Cylinder => {
            circle().map(|(a, b, r)| state(place(a, b, 0.0), [r, 0.0])).into_iter().collect()
        }
        Kind::Cone => {
            // x² + y² = 2 a x + 2 b y + k² h² + 2 r k h + r² − a² − b²: linear in a, b, k², r k and the rest.
            let found = solve(points.iter().map(|p| {
                let [a, b, h] = local(p);
                ([2.0 * a, 2.0 * b, h * h, 2.0 * h, 1.0], a * a + b * b)
            }));
            let Some([a, b, kk, rk, c]) = found else { return Vec::new() };
            let rr = c + a * a + b * b;
            if !(rr > 0.0 && kk > 0.0) {
                return Vec::new();
            }
            let angle = kk.sqrt().atan() * rk.signum();
            vec![state(place(a, b, 0.0), [rr.sqrt(), angle])]
        }
        Kind::Torus => circle()
            .into_iter()
            .flat_map(|(a, b, r)| {
                let h: f64 = points.iter().map(|p| local(p)[2]).sum::<f64>() / points.len() as f64;
                let at = place(a, b, h);
                let spread = points.iter().map(|p| {
                    let v = sub(*p, at);
                    let up = dot(v, d);
                    let out = norm(sub(v, scale(d, up))) - r;
                    out * out + up * up
                });
                let minor = (spread.sum::<f64>() / points.len() as f64).sqrt();
                [1.0, 0.6, 1.6].map(|f| state(at, [r * f, minor]))
            })
            .collect(),
        Kind::Plane | Kind::Line => Vec::new(),
    }
}

/// The shape of a state; `None` where its sizes mean nothing.
fn shape_of(kind: Kind, s: &State) -> Option<Shape> {
    let up = |d: V3| {
        // One of the two ways is chosen by the largest part, so that a fit does not turn round by a hair.
        let largest = d.iter().copied().fold(0.0, |m: f64, v| if v.abs() > m.abs() + 1e-9 { v } else { m });
        if largest < 0.0 { scale(d, -1.0) } else { d }
    };
    let sizes_hold = s.sizes[0].abs() < FLATTEST && s.sizes[0].is_finite();
    let along = |at: Point| add(at, scale(s.axis, -dot(at, s.axis)));
    match kind {
        _ if !sizes_hold => None,
        Kind::Circle if s.sizes[0] > 0.0 => Some(Shape::Circle { at: s.at, normal: up(s.axis), radius: s.sizes[0] }),
        Kind::Cylinder if s.sizes[0] > 0.0 => {
            Some(Shape::Cylinder { at: along(s.at), direction: up(s.axis), radius: s.sizes[0] })
        }
        Kind::Sphere if s.sizes[0] > 0.0 => Some(Shape::Sphere { at: s.at, radius: s.sizes[0] }),
        Kind::Cone => {
            let angle = s.sizes[1];
            let tan = angle.tan();
            if !(angle.abs() > 1e-6 && angle.abs() < 1.5607) {
                return None;
            }
            let apex = add(s.at, scale(s.axis, -s.sizes[0] / tan));
            let direction = scale(s.axis, angle.signum());
            Some(Shape::Cone { at: apex, direction, half_angle: angle.abs().to_degrees() })
        }
        Kind::Torus if s.sizes[0] > 0.0 && s.sizes[1] > 0.0 && s.sizes[1] < FLATTEST => {
            Some(Shape::Torus { at: s.at, direction: up(s.axis), major: s.sizes[0], minor: s.sizes[1] })
        }
        _ => None,
    }
}

/// A plane through three points.
pub fn plane_through([a, b, c]: [Point; 3]) -> Option<Shape> {
    let normal = unit(cross(sub(b, a), sub(c, a)))?;
    Some(Shape::Plane { at: scale(add(add(a, b), c), 1.0 / 3.0), normal })
}
