//! Solids that a stage tells by their measures (`UsdGeom`, *from memory*), as facets: boxes, balls, cylinders, capsules, cones.

use hull_geometry::{Mesh, Point, PointId};
use std::f64::consts::{PI, TAU};

/// Facets around an axis.
const AROUND: usize = 48;

/// The surface of a solid of a type, in its own frame; `number` gives an attribute or what holds where it is not told, and
/// `axis` is 0 for x, 1 for y, 2 for z. `None` of any other type.
pub fn surface(type_name: &str, axis: usize, number: impl Fn(&str, f64) -> f64) -> Option<Mesh> {
    let arc = |radius: f64, middle: f64, from: f64, to: f64| {
        let steps = (AROUND as f64 * (to - from) / TAU).round() as usize;
        (0..=steps).map(move |i| {
            let (s, c) = (from + (to - from) * i as f64 / steps as f64).sin_cos();
            [radius * c, middle + radius * s]
        })
    };
    let profile: Vec<[f64; 2]> = match type_name {
        "Cube" => return Some(cube(number("size", 2.0))),
        "Sphere" => arc(number("radius", 1.0), 0.0, -PI / 2.0, PI / 2.0).collect(),
        "Cylinder" => {
            let (r, h) = (number("radius", 1.0), number("height", 2.0) / 2.0);
            vec![[0.0, -h], [r, -h], [r, h], [0.0, h]]
        }
        "Cone" => {
            let (r, h) = (number("radius", 1.0), number("height", 2.0) / 2.0);
            vec![[0.0, -h], [r, -h], [0.0, h]]
        }
        "Capsule" => {
            let (r, h) = (number("radius", 0.5), number("height", 1.0) / 2.0);
            arc(r, -h, -PI / 2.0, 0.0).chain(arc(r, h, 0.0, PI / 2.0)).collect()
        }
        _ => return None,
    };
    let mut mesh = turned(&profile);
    // Along z so far; x, y, z change places in a circle, so that facets face outward still.
    for p in &mut mesh.points {
        let [x, y, z] = *p;
        p[(axis + 1) % 3] = x;
        p[(axis + 2) % 3] = y;
        p[axis] = z;
    }
    Some(mesh)
}

fn cube(size: f64) -> Mesh {
    let mut mesh = hull_geometry::shapes::cuboid([size; 3]);
    mesh.points.raw.as_flattened_mut().iter_mut().for_each(|x| *x -= size / 2.0);
    mesh
}

/// A profile of distances from the axis and heights, from the lowest place on the axis to the highest, turned about z.
fn turned(profile: &[[f64; 2]]) -> Mesh {
    let rings = profile.len() - 1;
    let mut mesh = Mesh::default();
    mesh.points.push([0.0, 0.0, profile[0][1]]);
    for [radius, height] in &profile[1..rings] {
        for i in 0..AROUND {
            let (s, c) = (TAU * i as f64 / AROUND as f64).sin_cos();
            mesh.points.push([radius * c, radius * s, *height] as Point);
        }
    }
    let top = mesh.points.push_and_get_key([0.0, 0.0, profile[rings][1]]);
    let at = |ring: usize, i: usize| PointId::from(1 + (ring - 1) * AROUND + i % AROUND);
    for i in 0..AROUND {
        mesh.triangles.push([PointId(0), at(1, i + 1), at(1, i)]);
        for ring in 1..rings - 1 {
            let [a, b, c, d] = [at(ring, i), at(ring, i + 1), at(ring + 1, i + 1), at(ring + 1, i)];
            mesh.triangles.extend([[a, b, c], [a, c, d]]);
        }
        mesh.triangles.push([top, at(rings - 1, i), at(rings - 1, i + 1)]);
    }
    mesh
}
