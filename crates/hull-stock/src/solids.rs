//! Closed solids of outlines: pushed along z, turned about it, swept along an arc.

use hull_geometry::join::join_equal_points;
use hull_geometry::triangulate::flat_between;
use hull_geometry::{Mesh, Point, PointId};
use std::f64::consts::TAU;

/// An outline in a plane.
pub type Outline = Vec<[f64; 2]>;

/// Sides of a circle so that its chords are within a tolerance of it; at least 12, a multiple of 4.
pub fn sides(radius: f64, tolerance: f64) -> usize {
    let half = (1.0 - (tolerance / radius).clamp(1e-9, 0.5)).acos();
    ((TAU / (2.0 * half)).ceil() as usize).clamp(12, 2000).next_multiple_of(4)
}

/// A circle of `n` corners, against the clock.
pub fn circle(at: [f64; 2], radius: f64, n: usize) -> Outline {
    let corner = |i: usize| {
        let (s, c) = (TAU * i as f64 / n as f64).sin_cos();
        [at[0] + radius * c, at[1] + radius * s]
    };
    (0..n).map(corner).collect()
}

/// A face at a height between an outline and holes in it; it looks up, or down where `up` is false.
pub fn face(mesh: &mut Mesh, outer: &[[f64; 2]], holes: &[Outline], z: f64, up: bool) {
    let loops: Vec<&[[f64; 2]]> = std::iter::once(outer).chain(holes.iter().map(Vec::as_slice)).collect();
    let points: Vec<Point> = loops.iter().flat_map(|l| l.iter().map(|p| [p[0], p[1], z])).collect();
    let lengths: Vec<usize> = loops.iter().map(|l| l.len()).collect();
    let first = mesh.points.next_key();
    // Outlines of tables do not cross themselves.
    for t in flat_between(&points, &lengths).unwrap_or_default() {
        let t = t.map(|p| PointId(p) + first);
        mesh.triangles.push(if up { t } else { [t[0], t[2], t[1]] });
    }
    mesh.points.extend(points);
}

/// The wall between two heights along an outline that runs against the clock; it looks outward, or inward for a hole.
pub fn wall(mesh: &mut Mesh, outline: &[[f64; 2]], from: f64, to: f64, outward: bool) {
    let (n, first) = (outline.len() as u32, mesh.points.next_key());
    for z in [from, to] {
        mesh.points.extend(outline.iter().map(|p| [p[0], p[1], z]));
    }
    for i in 0..n {
        let j = (i + 1) % n;
        for t in [[i, j, n + j], [i, n + j, n + i]] {
            let t = t.map(|p| PointId(p) + first);
            mesh.triangles.push(if outward { t } else { [t[0], t[2], t[1]] });
        }
    }
}

/// A prism with holes, from z = 0 up.
pub fn prism(outer: &[[f64; 2]], holes: &[Outline], height: f64) -> Mesh {
    let mut mesh = Mesh::default();
    face(&mut mesh, outer, holes, 0.0, false);
    face(&mut mesh, outer, holes, height, true);
    wall(&mut mesh, outer, 0.0, height, true);
    holes.iter().for_each(|h| wall(&mut mesh, h, 0.0, height, false));
    closed(mesh)
}

/// Equal points made one.
pub fn closed(mut mesh: Mesh) -> Mesh {
    join_equal_points(&mut mesh);
    mesh.drop_unused_points();
    mesh
}

/// A ring swept along an arc of `angle` degrees about the line x = −radius along y: a piece of pipe that bends.
pub fn bend(outer: f64, inner: f64, radius: f64, angle: f64, tolerance: f64) -> Mesh {
    let n = sides(outer, tolerance);
    let steps = ((sides(radius + outer, tolerance) as f64 * angle / 360.0).ceil() as usize).max(2);
    let mut mesh = Mesh::default();
    let place = |p: [f64; 2], k: usize| -> Point {
        let (s, c) = (angle.to_radians() * k as f64 / steps as f64).sin_cos();
        let r = radius + p[0];
        [r * c - radius, p[1], r * s]
    };
    let rings: [(Outline, bool); 2] = [(circle([0.0; 2], outer, n), true), (circle([0.0; 2], inner, n), false)];
    for (ring, outward) in &rings {
        let first = mesh.points.next_key();
        for k in 0..=steps {
            mesh.points.extend(ring.iter().map(|p| place(*p, k)));
        }
        let m = n as u32;
        for k in 0..steps as u32 {
            for i in 0..m {
                let j = (i + 1) % m;
                let (a, b, c, d) = (k * m + i, k * m + j, (k + 1) * m + i, (k + 1) * m + j);
                for t in [[a, b, d], [a, d, c]] {
                    let t = t.map(|p| PointId(p) + first);
                    mesh.triangles.push(if *outward { t } else { [t[0], t[2], t[1]] });
                }
            }
        }
    }
    for (k, up) in [(0, false), (steps, true)] {
        let first = mesh.points.next_key();
        let m = n as u32;
        mesh.points.extend(rings.iter().flat_map(|r| r.0.iter()).map(|p| place(*p, k)));
        for i in 0..m {
            let j = (i + 1) % m;
            for t in [[i, j, m + j], [i, m + j, m + i]] {
                let t = t.map(|p| PointId(p) + first);
                mesh.triangles.push(if up { t } else { [t[0], t[2], t[1]] });
            }
        }
    }
    closed(mesh)
}
