//! Surfaces with closed forms, for tests, benchmarks and demo data.

use crate::mesh::{Mesh, Point, PointId};
use crate::vector::{add, scale};
use std::collections::{BTreeSet, HashMap};
use std::f64::consts::TAU;

/// A box from the origin to `size`, two facets a side, outward.
pub fn cuboid(size: Point) -> Mesh {
    let points = (0..8).map(|i| std::array::from_fn(|k| if i >> k & 1 == 1 { size[k] } else { 0.0 })).collect();
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let triangles = quads.into_iter().flat_map(|[a, b, c, d]| [[a, b, c], [a, c, d]]).collect();
    Mesh::from_arrays(points, triangles)
}

/// A surface over a grid of `u` by `v` cells that closes on itself both ways.
fn closed_grid(u: usize, v: usize, place: impl Fn(f64, f64) -> Point) -> Mesh {
    let points = (0..u * v).map(|k| place((k / v) as f64 / u as f64, (k % v) as f64 / v as f64)).collect();
    let at = |i: usize, j: usize| (i % u * v + j % v) as u32;
    let triangles = (0..u * v)
        .flat_map(|k| {
            let (i, j) = (k / v, k % v);
            let [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
            [[a, b, c], [a, c, d]]
        })
        .collect();
    Mesh::from_arrays(points, triangles)
}

/// A torus about z with `u` by `v` quads, outward.
pub fn torus(major: f64, minor: f64, u: usize, v: usize) -> Mesh {
    closed_grid(u, v, |s, t| {
        let (a, b) = (s * TAU, t * TAU);
        let r = major + minor * b.cos();
        [r * a.cos(), r * a.sin(), minor * b.sin()]
    })
}

/// A sphere with `u` meridians and `v` bands, outward: `2 u (v - 1)` facets.
pub fn sphere(radius: f64, u: usize, v: usize) -> Mesh {
    let mut points = vec![[0.0, 0.0, -radius], [0.0, 0.0, radius]];
    for j in 1..v {
        let a = std::f64::consts::PI * j as f64 / v as f64;
        for i in 0..u {
            let b = TAU * i as f64 / u as f64;
            points.push([radius * a.sin() * b.cos(), radius * a.sin() * b.sin(), -radius * a.cos()]);
        }
    }
    let at = |i: usize, j: usize| (2 + (j - 1) * u + i % u) as u32;
    let mut triangles = Vec::with_capacity(2 * u * (v - 1));
    for i in 0..u {
        triangles.push([0, at(i + 1, 1), at(i, 1)]);
        for j in 1..v - 1 {
            let [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
            triangles.extend([[a, b, c], [a, c, d]]);
        }
        triangles.push([1, at(i, v - 1), at(i + 1, v - 1)]);
    }
    Mesh::from_arrays(points, triangles)
}

/// A cone on the plane z = 0 with its tip on the z axis, `n` facets around, outward.
pub fn cone(radius: f64, height: f64, n: usize) -> Mesh {
    let mut points = vec![[0.0; 3], [0.0, 0.0, height]];
    points.extend((0..n).map(|i| {
        let a = TAU * i as f64 / n as f64;
        [radius * a.cos(), radius * a.sin(), 0.0]
    }));
    let at = |i: usize| (2 + i % n) as u32;
    let triangles = (0..n).flat_map(|i| [[0, at(i + 1), at(i)], [1, at(i), at(i + 1)]]).collect();
    Mesh::from_arrays(points, triangles)
}

/// `mesh` with its facets cut into `patches` runs of equal length, each with points of its own and moved
/// apart by at most `gap` in a direction of its own.
pub fn torn(mesh: &Mesh, patches: usize, gap: f64) -> Mesh {
    let share = mesh.triangles.len().div_ceil(patches);
    let mut out = Mesh::default();
    for (k, run) in mesh.triangles.chunks(share).enumerate() {
        let a = k as f64 * 2.399_963; // the golden angle: directions that do not repeat
        let by = scale([a.cos() * 0.6, a.sin() * 0.6, (a * 1.7).cos() * 0.5], gap * 0.5);
        let mut number = std::collections::HashMap::new();
        for t in run {
            let t = t.map(|p| *number.entry(p).or_insert_with(|| out.points.push_and_get_key(add(mesh.points[p], by))));
            out.triangles.push(t);
        }
    }
    out
}

/// The surface of some unit cubes, each told by its lowest corner: two facets for each side that has no cube beside it. Cubes that
/// touch in an edge or a corner alone share its points, so that more than two facets meet there.
pub fn cubes(of: &BTreeSet<[i32; 3]>) -> Mesh {
    let mut mesh = Mesh::default();
    let mut known: HashMap<[i32; 3], PointId> = HashMap::new();
    for cube in of {
        for (axis, up) in (0..3).flat_map(|axis| [(axis, false), (axis, true)]) {
            let mut beside = *cube;
            beside[axis] += if up { 1 } else { -1 };
            if of.contains(&beside) {
                continue;
            }
            let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
            let [p, q, r, s] = [[0, 0], [1, 0], [1, 1], [0, 1]].map(|[a, b]| {
                let mut at = *cube;
                at[axis] += i32::from(up);
                at[i] += a;
                at[j] += b;
                *known.entry(at).or_insert_with(|| mesh.points.push_and_get_key(at.map(f64::from)))
            });
            mesh.triangles.extend(if up { [[p, q, r], [p, r, s]] } else { [[p, r, q], [p, s, r]] });
        }
    }
    mesh
}
