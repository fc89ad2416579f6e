//! Solids that tests drill and fill.

use hull_geometry::vector::{V3, cross};
use hull_geometry::{Mesh, NONE, Point, PointId, Watch};
use hull_workshop::body::Columns;
use hull_workshop::combine::{Together, together};
use hull_workshop::steps::{self, Step};
use hull_workshop::{Body, Destination, StepError, apply};
use std::f64::consts::TAU;
use typed_index_collections::ti_vec;

/// A body of facets without names.
pub fn body(mesh: Mesh) -> Body {
    let columns = Columns { boundary: ti_vec![NONE; mesh.triangles.len()], ..Columns::default() };
    Body { columns, mesh, ..Body::default() }
}

/// A closed cylinder of `n` sides from a place along a direction; its first corner stands towards `x`.
pub fn cylinder(from: Point, [along, x]: [V3; 2], length: f64, radius: f64, n: u32) -> Mesh {
    let y = cross(along, x);
    let mut mesh = Mesh::default();
    for end in [0.0, length] {
        for i in 0..n {
            let (s, c) = (TAU * f64::from(i) / f64::from(n)).sin_cos();
            mesh.points.push([0, 1, 2].map(|k| from[k] + end * along[k] + radius * (c * x[k] + s * y[k])));
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

/// A solid less others, without labels.
pub fn less(whole: Mesh, tools: Vec<Mesh>) -> Body {
    let parts: Vec<(String, Body)> =
        std::iter::once(whole).chain(tools).enumerate().map(|(i, m)| (format!("part {i}"), body(m))).collect();
    let mut made = together(&parts, Together::Subtract, &Watch::default()).expect("closed parts").0;
    made.facts.labels.clear();
    made.columns.label.clear();
    made
}

/// Runs an operation with what is typed into its fields: the body after it with what was said, or why not.
pub fn run(body: &Body, id: &str, typed: &[(&str, &str)]) -> Result<(Body, String), String> {
    let typed: Vec<(String, String)> = typed.iter().map(|(k, v)| (k.to_string(), v.to_string())).collect();
    let step: Step = steps::read(id, &typed, None).map_err(|s| s.text(body.facts.length_unit()))?;
    match apply(body, &step, &Destination::asking_nothing(), &Watch::default()) {
        Ok((after, change)) => Ok((after, change.sentence)),
        Err(StepError::Refused(s)) => Err(s),
        Err(StepError::Cancelled(_)) => Err("cancelled".into()),
    }
}
