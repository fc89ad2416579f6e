//! A reduced body to draw while the view moves: points gathered in cells (J. Rossignac and P. Borrel, 1993).
//! For drawing only; it keeps neither closure nor detail.

use crate::join::Joiner;
use crate::mesh::{Mesh, Point, PointId, Rebuilt};
use crate::vector::{add, scale};
use typed_index_collections::{TiVec, ti_vec};

/// At most `target` facets of the same overall shape, with their origins.
pub fn reduced(mesh: &Mesh, target: usize) -> Rebuilt {
    if mesh.triangles.len() <= target {
        return Rebuilt { mesh: mesh.clone(), origin: mesh.triangles.keys().collect() };
    }
    let bounds = mesh.bounds();
    let mut cell = bounds.diagonal() / (target as f64).sqrt();
    loop {
        let found = gathered(mesh, cell);
        if found.mesh.triangles.len() <= target || cell > bounds.diagonal() {
            return found;
        }
        cell *= (found.mesh.triangles.len() as f64 / target as f64).sqrt().max(1.05);
    }
}

fn gathered(mesh: &Mesh, cell: f64) -> Rebuilt {
    let mut joiner = Joiner::with_capacity(1024);
    let number: TiVec<PointId, PointId> =
        mesh.points.iter().map(|p| joiner.number(p.map(|x| (x / cell).floor()))).collect();
    let mut points: TiVec<PointId, Point> = ti_vec![[0.0; 3]; joiner.into_points().len()];
    let mut members = ti_vec![0u32; points.len()];
    for (p, &n) in mesh.points.iter().zip(&number) {
        points[n] = add(points[n], *p);
        members[n] += 1;
    }
    for (p, m) in points.iter_mut().zip(members) {
        *p = scale(*p, 1.0 / f64::from(m));
    }
    let mut origin = TiVec::new();
    let mut triangles = TiVec::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        let t = t.map(|p| number[p]);
        if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
            triangles.push(t);
            origin.push(f);
        }
    }
    Rebuilt { mesh: Mesh { points, triangles }, origin }
}
