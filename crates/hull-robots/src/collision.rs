//! Light shapes around a link, with what they cost and how far they are off.

use crate::model::{Geometry, Pose, Shape};
use crate::plan::Collision;
use hull_fitting::align::by_smallest_box;
use hull_geometry::deviation::deviation;
use hull_geometry::reduce::reduced;
use hull_geometry::vector::{V3, add, distance, dot, norm, scale, sub};
use hull_geometry::{Cancelled, Mesh, Point, PointId, Watch, measure};
use parry3d_f64::math::Vec3;
use parry3d_f64::transformation::try_convex_hull;
use parry3d_f64::transformation::vhacd::{VHACD, VHACDParameters};
use serde::Serialize;

/// Facets of a reduced mesh.
const FEW: usize = 500;
/// Convex pieces at most.
const MOST_PIECES: u32 = 16;
/// Facets of a mesh that is taken apart, at most.
const MOST_FACETS: usize = 20_000;

/// A shape with a mesh of it, in the link's frame, in metres.
pub struct Made {
    /// As the description has it; a mesh's file is named by whoever writes it.
    pub kind: Kind,
    /// Its surface.
    pub mesh: Mesh,
}

/// What a shape is told as.
pub enum Kind {
    /// A simple shape.
    Simple(Shape),
    /// A file.
    File,
}

/// What the shapes of a link cost, and how well they stand for it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Cost {
    /// How many.
    pub shapes: usize,
    /// Facets of those that are meshes.
    pub facets: usize,
    /// Their volume against that of the link, less one; shapes that overlap count twice.
    pub volume_error: f64,
    /// How far they stand out of the link at most, in m.
    pub sticks_out: f64,
}

/// The shapes of a kind around a mesh in metres; none of those that are [`declared`].
///
/// # Errors
/// A sentence, or cancelled.
pub fn shapes(mesh: &Mesh, kind: Collision, watch: &Watch) -> Result<Vec<Made>, String> {
    let flat = |_| "it has no extent to put a shape around".to_string();
    let simple = |at: Pose, geometry: Geometry, mesh: Mesh| Made {
        kind: Kind::Simple(Shape { at, geometry, colour: None }),
        mesh,
    };
    Ok(match kind {
        Collision::None | Collision::Declared => Vec::new(),
        Collision::Mesh => vec![Made { kind: Kind::File, mesh: reduced(mesh, FEW).mesh }],
        Collision::Hull => vec![Made { kind: Kind::File, mesh: hull(mesh)? }],
        Collision::Pieces => pieces(mesh, watch)?.into_iter().map(|mesh| Made { kind: Kind::File, mesh }).collect(),
        Collision::Sphere => {
            let (centre, radius) = ball(&mesh.points.raw);
            let mut made = hull_geometry::shapes::sphere(radius, 24, 12);
            hull_geometry::transform::translate(&mut made, centre);
            vec![simple(Pose { xyz: centre, rpy: [0.0; 3] }, Geometry::Sphere(radius), made)]
        }
        Collision::Box => {
            let (axes, middle, size) = smallest_box(&mesh.points.raw).map_err(flat)?;
            let mut made = hull_geometry::shapes::cuboid(size);
            for p in &mut made.points {
                let local = sub(*p, scale(size, 0.5));
                *p = add(middle, combine(&axes, local));
            }
            vec![simple(Pose { xyz: middle, rpy: angles(&axes) }, Geometry::Box(size), made)]
        }
        Collision::Capsule => {
            let (axes, _, _) = smallest_box(&mesh.points.raw).map_err(flat)?;
            let best = (0..3)
                .map(|k| capsule(&mesh.points.raw, &[axes[(k + 1) % 3], axes[(k + 2) % 3], axes[k]]))
                .min_by(|a, b| (a.2 * a.2 * (a.3 + 4.0 / 3.0 * a.2)).total_cmp(&(b.2 * b.2 * (b.3 + 4.0 / 3.0 * b.2))));
            let (frame, middle, radius, length) = best.ok_or("it has no extent to put a shape around")?;
            // The description has no capsule: a cylinder between two balls is the same.
            let end = |by: f64| {
                let at = add(middle, scale(frame[2], by * length));
                let mut made = hull_geometry::shapes::sphere(radius, 24, 12);
                hull_geometry::transform::translate(&mut made, at);
                simple(Pose { xyz: at, rpy: [0.0; 3] }, Geometry::Sphere(radius), made)
            };
            let mut all = vec![end(-0.5), end(0.5)];
            if length > 0.0 {
                let made = tube(&frame, middle, radius, length);
                let at = Pose { xyz: middle, rpy: angles(&frame) };
                all.push(simple(at, Geometry::Cylinder(radius, length), made));
            }
            all
        }
        Collision::Cylinder => {
            let (axes, _, _) = smallest_box(&mesh.points.raw).map_err(flat)?;
            let best = (0..3)
                .map(|k| {
                    let frame = [axes[(k + 1) % 3], axes[(k + 2) % 3], axes[k]];
                    around(&mesh.points.raw, &frame)
                })
                .min_by(|a, b| (a.2 * a.2 * a.3).total_cmp(&(b.2 * b.2 * b.3)));
            let (frame, middle, radius, length) = best.ok_or("it has no extent to put a shape around")?;
            let made = tube(&frame, middle, radius, length);
            vec![simple(Pose { xyz: middle, rpy: angles(&frame) }, Geometry::Cylinder(radius, length), made)]
        }
    })
}

/// Shapes that are there already, with their surfaces.
pub fn declared(all: &[Shape]) -> Vec<Made> {
    let made = all.iter().filter_map(|shape| {
        let mut mesh = surface(&shape.geometry)?;
        let place = crate::motion::rigid(&shape.at);
        mesh.points.iter_mut().for_each(|p| *p = place.place(*p));
        Some(Made { kind: Kind::Simple(shape.clone()), mesh })
    });
    made.collect()
}

/// A simple shape's surface in its own frame; `None` of a mesh.
pub fn surface(geometry: &Geometry) -> Option<Mesh> {
    match geometry {
        Geometry::Box(size) => {
            let mut mesh = hull_geometry::shapes::cuboid(*size);
            hull_geometry::transform::translate(&mut mesh, scale(*size, -0.5));
            Some(mesh)
        }
        Geometry::Sphere(radius) => Some(hull_geometry::shapes::sphere(*radius, 32, 16)),
        Geometry::Cylinder(radius, length) => Some(cylinder(*radius, *length)),
        Geometry::Mesh { .. } => None,
    }
}

/// What shapes cost and how far they are off a link's mesh.
///
/// # Errors
/// [`Cancelled`].
pub fn cost(mesh: &Mesh, made: &[Made], watch: &Watch) -> Result<Cost, Cancelled> {
    let own = measure::mass(mesh, &mesh.bounds()).volume;
    let volume: f64 = made.iter().map(|m| measure::mass(&m.mesh, &m.mesh.bounds()).volume).sum();
    let mut out: f64 = 0.0;
    for m in made {
        out = out.max(deviation(&m.mesh, mesh, watch)?.largest);
    }
    let facets = made.iter().filter(|m| matches!(m.kind, Kind::File)).map(|m| m.mesh.triangles.len()).sum();
    let volume_error = if own > 0.0 && !made.is_empty() { volume / own - 1.0 } else { 0.0 };
    Ok(Cost { shapes: made.len(), facets, volume_error, sticks_out: out })
}

fn given(points: &[Point]) -> Vec<Vec3> {
    points.iter().map(|p| Vec3::new(p[0], p[1], p[2])).collect()
}

fn taken(points: &[Vec3], triangles: Vec<[u32; 3]>) -> Mesh {
    Mesh::from_arrays(points.iter().map(|p| [p.x, p.y, p.z]).collect(), triangles)
}

/// The convex hull, facing outward.
///
/// # Errors
/// If the points lie in a plane.
pub fn hull(mesh: &Mesh) -> Result<Mesh, String> {
    let found = try_convex_hull(&given(&mesh.points.raw));
    let (points, triangles) = found.map_err(|_| "it lies in a plane: there is no hull around it".to_string())?;
    Ok(taken(&points, triangles))
}

fn pieces(mesh: &Mesh, watch: &Watch) -> Result<Vec<Mesh>, String> {
    watch.check().map_err(|e| e.to_string())?;
    let small = reduced(mesh, MOST_FACETS).mesh;
    let parameters = VHACDParameters { max_convex_hulls: MOST_PIECES, ..VHACDParameters::default() };
    let (points, corners) = (given(&small.points.raw), small.corner_numbers().collect::<Vec<_>>());
    let done = VHACD::decompose(&parameters, &points, &corners, true);
    watch.check().map_err(|e| e.to_string())?;
    let hulls = done.compute_exact_convex_hulls(&points, &corners);
    let made: Vec<Mesh> =
        hulls.into_iter().filter(|h| h.1.len() > 3).map(|(points, triangles)| taken(&points, triangles)).collect();
    if made.is_empty() { Err("it could not be taken apart into convex pieces".into()) } else { Ok(made) }
}

/// The smallest box: its axes, longest first and right-handed, its middle, its sides.
fn smallest_box(points: &[Point]) -> Result<([V3; 3], Point, V3), hull_fitting::align::AlignError> {
    let turn = by_smallest_box(points)?;
    let bounds = hull_geometry::mesh::Bounds::of(points.iter().map(|p| turn.place(*p)));
    let axes = turn.rotation;
    let middle = sub(bounds.centre(), turn.shift);
    Ok((axes, combine(&axes, middle), bounds.size()))
}

/// A place in a frame of these axes.
fn combine(axes: &[V3; 3], local: V3) -> V3 {
    (0..3).fold([0.0; 3], |p, k| add(p, scale(axes[k], local[k])))
}

/// A cylinder around points along the third axis of a frame: the frame, its middle, radius, length.
fn around(points: &[Point], frame: &[V3; 3]) -> ([V3; 3], Point, f64, f64) {
    let local: Vec<V3> = points.iter().map(|p| [0, 1, 2].map(|k| dot(*p, frame[k]))).collect();
    let low = local.iter().fold(f64::INFINITY, |m, p| m.min(p[2]));
    let high = local.iter().fold(f64::NEG_INFINITY, |m, p| m.max(p[2]));
    let flat: Vec<Point> = local.iter().map(|p| [p[0], p[1], 0.0]).collect();
    let (c, radius) = ball(&flat);
    (*frame, combine(frame, [c[0], c[1], 0.5 * (low + high)]), radius, high - low)
}

/// A capsule around points along the third axis of a frame: the frame, its middle, radius, length between its balls.
fn capsule(points: &[Point], frame: &[V3; 3]) -> ([V3; 3], Point, f64, f64) {
    let (_, middle, radius, _) = around(points, frame);
    let local = |p: &Point| [0, 1, 2].map(|k| dot(sub(*p, middle), frame[k]));
    // Each point allows the balls to begin no nearer to the middle than this, up or down.
    let reach = |p: &Point| {
        let [x, y, z] = local(p);
        (z, (radius * radius - x * x - y * y).max(0.0).sqrt())
    };
    let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
    for (z, half) in points.iter().map(reach) {
        low = low.min(z + half);
        high = high.max(z - half);
    }
    // One ball is enough where it holds all.
    let (low, high) = if low > high { (0.5 * (low + high), 0.5 * (low + high)) } else { (low, high) };
    (*frame, add(middle, scale(frame[2], 0.5 * (low + high))), radius, high - low)
}

/// A cylinder along z about the origin, as facets.
fn cylinder(radius: f64, length: f64) -> Mesh {
    tube(&[[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]], [0.0; 3], radius, length)
}

fn tube(frame: &[V3; 3], middle: Point, radius: f64, length: f64) -> Mesh {
    let n = 32_u32;
    let mut mesh = Mesh::default();
    for h in [-0.5 * length, 0.5 * length] {
        for i in 0..n {
            let (s, c) = (std::f64::consts::TAU * f64::from(i) / f64::from(n)).sin_cos();
            mesh.points.push(add(middle, combine(frame, [radius * c, radius * s, h])));
        }
    }
    for i in 0..n {
        let j = (i + 1) % n;
        let mut add = |facets: [[u32; 3]; 2]| mesh.triangles.extend(facets.map(|t| t.map(PointId)));
        add([[i, j, n + j], [i, n + j, n + i]]);
        if i > 0 && j > 0 {
            add([[0, j, i], [n, n + i, n + j]]);
        }
    }
    mesh
}

/// The least ball around points, to a millionth: steps towards the farthest point (M. Bădoiu and K. Clarkson, 2003), never too small.
fn ball(points: &[Point]) -> (Point, f64) {
    let Some(&first) = points.first() else { return ([0.0; 3], 0.0) };
    let farthest = |c: Point| {
        points.iter().copied().map(|p| (p, distance(p, c))).fold((first, -1.0), |m, x| if x.1 > m.1 { x } else { m })
    };
    let mut centre = scale(points.iter().fold([0.0; 3], |s, p| add(s, *p)), 1.0 / points.len() as f64);
    let mut best = (centre, farthest(centre).1);
    for i in 1..4000 {
        let (p, far) = farthest(centre);
        if far < best.1 {
            best = (centre, far);
        }
        centre = add(centre, scale(sub(p, centre), 1.0 / (f64::from(i) + 1.0)));
    }
    best
}

/// Roll, pitch and yaw of a frame: the turn that brings x, y and z to its axes.
pub fn angles(axes: &[V3; 3]) -> [f64; 3] {
    let m = |i: usize, j: usize| axes[j][i];
    let flat = norm([m(0, 0), m(1, 0), 0.0]);
    if flat < 1e-12 {
        return [m(0, 1).atan2(m(1, 1)) * if m(2, 0) < 0.0 { 1.0 } else { -1.0 }, (-m(2, 0)).atan2(flat), 0.0];
    }
    [m(2, 1).atan2(m(2, 2)), (-m(2, 0)).atan2(flat), m(1, 0).atan2(m(0, 0))]
}
