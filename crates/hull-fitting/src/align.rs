//! Motions that bring points, directions or a body's own axes to the coordinate axes.

use crate::eigen::{mean, sorted};
use hull_geometry::transform::{Axis, Matrix, apply};
use hull_geometry::vector::{V3, add, cross, dot, scale, sub, unit};
use hull_geometry::{Mesh, Point};
use nalgebra::Matrix3;
use parry3d_f64::math::Vec3;
use parry3d_f64::transformation::try_convex_hull;
use serde::{Deserialize, Serialize};

/// A turn and a shift: `p` comes to `rotation · p + shift`. Never a mirror.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rigid {
    /// Rows of the rotation.
    pub rotation: Matrix,
    /// Added afterwards.
    pub shift: V3,
}

impl Rigid {
    /// Leaves everything where it is.
    pub const NONE: Rigid = Rigid { rotation: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]], shift: [0.0; 3] };

    /// A rotation about a point that ends elsewhere: `from` comes to `to`.
    pub fn turning(rotation: Matrix, from: Point, to: Point) -> Rigid {
        Rigid { rotation, shift: sub(to, apply(&rotation, from)) }
    }

    /// Where a point comes to.
    pub fn place(&self, p: Point) -> Point {
        add(apply(&self.rotation, p), self.shift)
    }

    /// Where a direction comes to.
    pub fn turn(&self, d: V3) -> V3 {
        apply(&self.rotation, d)
    }

    /// This one after another.
    #[must_use]
    pub fn after(&self, first: &Rigid) -> Rigid {
        Rigid {
            rotation: hull_geometry::transform::product(&self.rotation, &first.rotation),
            shift: add(apply(&self.rotation, first.shift), self.shift),
        }
    }

    /// The turn by degrees about the axis along three numbers, whose length is the angle (O. Rodrigues).
    pub fn turned_by(degrees: V3) -> Rigid {
        let r = nalgebra::Rotation3::new(nalgebra::Vector3::from(degrees.map(f64::to_radians)));
        Rigid { rotation: std::array::from_fn(|i| std::array::from_fn(|j| r[(i, j)])), shift: [0.0; 3] }
    }

    /// The turn as three numbers in degrees: [`Rigid::turned_by`] gives it back.
    pub fn turn_vector(&self) -> V3 {
        let m = Matrix3::from_fn(|i, j| self.rotation[i][j]);
        let q = nalgebra::UnitQuaternion::from_matrix(&m);
        q.scaled_axis().map(f64::to_degrees).into()
    }

    /// What brings everything back.
    pub fn inverse(&self) -> Rigid {
        let r = self.rotation;
        let rotation = [0, 1, 2].map(|i| [r[0][i], r[1][i], r[2][i]]);
        Rigid { rotation, shift: scale(apply(&rotation, self.shift), -1.0) }
    }

    /// The angle of the turn in degrees.
    pub fn angle(&self) -> f64 {
        let trace = self.rotation[0][0] + self.rotation[1][1] + self.rotation[2][2];
        let m = &self.rotation;
        let sine = [m[2][1] - m[1][2], m[0][2] - m[2][0], m[1][0] - m[0][1]];
        // By sine and cosine: the arc cosine alone loses small angles.
        hull_geometry::vector::norm(sine).atan2(trace - 1.0).to_degrees()
    }
}

/// Why nothing can be aligned.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum AlignError {
    /// The two axes to align to are on one line.
    #[error("The two axes lie along one line; choose two different ones.")]
    SameAxis,
    /// The directions to align are on one line.
    #[error("The two directions lie along one line: they do not tell how the body stands. Choose others.")]
    Parallel,
    /// Three points on a line.
    #[error("The three points of the plane lie on one line. Choose points further apart.")]
    OnALine,
    /// Two points in one place.
    #[error("The two points of the line are in one place. Choose points further apart.")]
    OnePoint,
    /// A body of no extent in some direction.
    #[error("The body has no size to tell its axes by.")]
    Flat,
    /// Two lists of points that do not match.
    #[error("At least three pairs of points are needed, not on one line.")]
    Pairs,
}

/// Turns `first` to the axis `up`, and `second`, as far as it is across `first`, to the axis `forward`; puts `origin` at the
/// origin.
///
/// # Errors
/// [`AlignError::SameAxis`], [`AlignError::Parallel`].
pub fn by_directions(first: V3, up: Axis, second: V3, forward: Axis, origin: Point) -> Result<Rigid, AlignError> {
    let (to_a, to_b) = (up.direction(), forward.direction());
    if dot(to_a, to_b) != 0.0 {
        return Err(AlignError::SameAxis);
    }
    let a = unit(first).ok_or(AlignError::Parallel)?;
    let second = unit(second).ok_or(AlignError::Parallel)?;
    let flat = sub(second, scale(a, dot(second, a)));
    let b = unit(flat).filter(|_| dot(flat, flat) > 1e-12).ok_or(AlignError::Parallel)?;
    let (c, to_c) = (cross(a, b), cross(to_a, to_b));
    let row = |i: usize| std::array::from_fn(|j| to_a[i] * a[j] + to_b[i] * b[j] + to_c[i] * c[j]);
    Ok(Rigid::turning([row(0), row(1), row(2)], origin, [0.0; 3]))
}

/// 3-2-1: three points fix a plane, two a direction in it, one the origin. The plane's normal, towards `inside`, turns to `up`.
///
/// # Errors
/// [`AlignError`].
pub fn by_points(
    plane: [Point; 3],
    up: Axis,
    line: [Point; 2],
    forward: Axis,
    origin: Point,
    inside: Point,
) -> Result<Rigid, AlignError> {
    let normal = unit(cross(sub(plane[1], plane[0]), sub(plane[2], plane[0]))).ok_or(AlignError::OnALine)?;
    let ahead = dot(sub(inside, plane[0]), normal) >= 0.0;
    let direction = unit(sub(line[1], line[0])).ok_or(AlignError::OnePoint)?;
    let rigid = by_directions(scale(normal, if ahead { 1.0 } else { -1.0 }), up, direction, forward, origin)?;
    // The origin is the point's foot in the plane: three, two, one.
    let above = dot(sub(origin, plane[0]), normal);
    Ok(Rigid::turning(rigid.rotation, sub(origin, scale(normal, above)), [0.0; 3]))
}

/// Eigenvectors of a symmetric matrix, right-handed, with its eigenvalues, the least first.
pub fn symmetric_axes(m: Matrix) -> ([V3; 3], [f64; 3]) {
    sorted(Matrix3::from_fn(|i, j| m[i][j]))
}

/// The second moments of a surface's area about its centre, with that centre.
fn surface_spread(mesh: &Mesh) -> (Point, Matrix3<f64>) {
    let mut area = 0.0;
    let mut first = [0.0; 3];
    let base = mesh.bounds().centre();
    let mut second = Matrix3::zeros();
    for f in mesh.triangles.keys() {
        let corners = mesh.corners(f).map(|p| sub(p, base));
        let a = 0.5 * hull_geometry::vector::norm(mesh.area_vector(f));
        let sum = add(add(corners[0], corners[1]), corners[2]);
        area += a;
        first = add(first, scale(sum, a / 3.0));
        // Over a triangle the mean of v vᵀ is (Σ vᵢ vᵢᵀ + s sᵀ) / 12 with s the sum of the corners.
        for v in corners.iter().chain([&sum]) {
            let v = nalgebra::Vector3::from(*v);
            second += v * v.transpose() * (a / 12.0);
        }
    }
    let m = nalgebra::Vector3::from(scale(first, 1.0 / area.max(f64::MIN_POSITIVE)));
    (add(base, m.into()), second / area.max(f64::MIN_POSITIVE) - m * m.transpose())
}

/// Turns the direction of the largest spread to +x and that of the least to +z about the centre, which stays; of surfaces by
/// area, of points by number. What points up or to +x already stays on that side.
///
/// # Errors
/// [`AlignError::Flat`].
pub fn by_principal_axes(mesh: &Mesh, points: &[Point]) -> Result<Rigid, AlignError> {
    let (centre, axes) = if mesh.triangles.is_empty() {
        let centre = mean(points);
        (centre, crate::eigen::spread(points, centre).0)
    } else {
        let (centre, m) = surface_spread(mesh);
        (centre, sorted(m).0)
    };
    if axes.iter().flatten().any(|x| !x.is_finite()) {
        return Err(AlignError::Flat);
    }
    let rigid = by_directions(towards(axes[0], 2), Axis::PlusZ, towards(axes[2], 0), Axis::PlusX, centre)?;
    Ok(Rigid::turning(rigid.rotation, centre, centre))
}

/// A direction or its opposite, so that it points along a coordinate axis and what comes there is not turned over.
fn towards(d: V3, axis: usize) -> V3 {
    if d[axis] < 0.0 { scale(d, -1.0) } else { d }
}

/// Turns the body so that the box around it is the smallest of those that lie flat on a face of its convex hull: longest side
/// to x, shortest to z. The box's middle stays.
///
/// # Errors
/// [`AlignError::Flat`].
pub fn by_smallest_box(points: &[Point]) -> Result<Rigid, AlignError> {
    let given: Vec<Vec3> = points.iter().map(|p| Vec3::new(p[0], p[1], p[2])).collect();
    let (hull, faces) = try_convex_hull(&given).map_err(|_| AlignError::Flat)?;
    let hull: Vec<Point> = hull.iter().map(|p| [p.x, p.y, p.z]).collect();
    let mut best: Option<(f64, [V3; 3], V3, Point)> = None;
    let mut normals: Vec<V3> = Vec::new();
    for f in &faces {
        let [a, b, c] = f.map(|i| hull[i as usize]);
        let Some(n) = unit(cross(sub(b, a), sub(c, a))) else { continue };
        if !normals.iter().any(|m| dot(*m, n).abs() > 1.0 - 1e-12) {
            normals.push(n);
        }
    }
    for n in normals {
        let [x, y] = crate::eigen::across(n);
        let flat: Vec<[f64; 2]> = hull.iter().map(|p| [dot(*p, x), dot(*p, y)]).collect();
        let outline = outline(flat);
        let heights = extent(hull.iter().map(|p| dot(*p, n)));
        // Of flat outlines the smallest rectangle has a side along one of the outline (H. Freeman and R. Shapira, 1975).
        for k in 0..outline.len() {
            let (p, q) = (outline[k], outline[(k + 1) % outline.len()]);
            let (dx, dy) = (q[0] - p[0], q[1] - p[1]);
            let length = dx.hypot(dy);
            if length <= 0.0 {
                continue;
            }
            let (c, s) = (dx / length, dy / length);
            let along = extent(outline.iter().map(|p| c * p[0] + s * p[1]));
            let beside = extent(outline.iter().map(|p| c * p[1] - s * p[0]));
            let size = [along, beside, heights].map(|e| e[1] - e[0]);
            let volume = size[0] * size[1] * size[2];
            if best.as_ref().is_none_or(|b| volume < b.0 * (1.0 - 1e-12)) {
                let u = add(scale(x, c), scale(y, s));
                let axes = [u, cross(n, u), n];
                let middle = [along, beside, heights].map(|e| 0.5 * (e[0] + e[1]));
                let at = (0..3).fold([0.0; 3], |p, k| add(p, scale(axes[k], middle[k])));
                best = Some((volume, axes, size, at));
            }
        }
    }
    let (_, axes, size, at) = best.ok_or(AlignError::Flat)?;
    let mut order = [0, 1, 2];
    order.sort_by(|&a, &b| size[b].total_cmp(&size[a]));
    let (up, along) = (towards(axes[order[2]], 2), towards(axes[order[0]], 0));
    let rigid = by_directions(up, Axis::PlusZ, along, Axis::PlusX, at)?;
    Ok(Rigid::turning(rigid.rotation, at, at))
}

fn extent(values: impl Iterator<Item = f64>) -> [f64; 2] {
    values.fold([f64::INFINITY, f64::NEG_INFINITY], |e, v| [e[0].min(v), e[1].max(v)])
}

/// The convex outline of points in a plane, counterclockwise (A. Andrew, 1979).
fn outline(mut points: Vec<[f64; 2]>) -> Vec<[f64; 2]> {
    points.sort_by(|a, b| a[0].total_cmp(&b[0]).then(a[1].total_cmp(&b[1])));
    points.dedup();
    let turn = |a: [f64; 2], b: [f64; 2], c: [f64; 2]| (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
    let half = |list: &mut dyn Iterator<Item = &[f64; 2]>| {
        let mut out: Vec<[f64; 2]> = Vec::new();
        for p in list {
            while out.len() > 1 && turn(out[out.len() - 2], out[out.len() - 1], *p) <= 0.0 {
                out.pop();
            }
            out.push(*p);
        }
        out.pop();
        out
    };
    let mut out = half(&mut points.iter());
    out.extend(half(&mut points.iter().rev()));
    out
}

/// The motion that brings points nearest to their partners, by least squares (K. Arun et al. 1987, S. Umeyama 1991), with the
/// root mean square that is left.
///
/// # Errors
/// [`AlignError::Pairs`].
pub fn by_pairs(from: &[Point], to: &[Point]) -> Result<(Rigid, f64), AlignError> {
    if from.len() != to.len() || from.len() < 3 {
        return Err(AlignError::Pairs);
    }
    let (a, b) = (mean(from), mean(to));
    let mut m = Matrix3::zeros();
    for (p, q) in from.iter().zip(to) {
        m += nalgebra::Vector3::from(sub(*q, b)) * nalgebra::Vector3::from(sub(*p, a)).transpose();
    }
    let svd = m.svd(true, true);
    let (Some(u), Some(vt)) = (svd.u, svd.v_t) else { return Err(AlignError::Pairs) };
    let order = |k: usize| svd.singular_values[k];
    let largest = (0..3).map(order).fold(0.0, f64::max);
    let determined = (0..3).filter(|k| order(*k) > 1e-12 * largest).count();
    if determined < 2 || largest <= 0.0 {
        return Err(AlignError::Pairs);
    }
    let least = (0..3).min_by(|i, j| order(*i).total_cmp(&order(*j))).unwrap_or(2);
    let mut flip = Matrix3::identity();
    if (u * vt).determinant() < 0.0 {
        flip[(least, least)] = -1.0;
    }
    let r = u * flip * vt;
    let rotation = std::array::from_fn(|i| std::array::from_fn(|j| r[(i, j)]));
    let rigid = Rigid::turning(rotation, a, b);
    let sum: f64 = from.iter().zip(to).map(|(p, q)| hull_geometry::vector::distance(rigid.place(*p), *q).powi(2)).sum();
    Ok((rigid, (sum / from.len() as f64).sqrt()))
}
