//! Potential flow: the flow without friction and without turning, along the gradient of a potential that no wall lets through.
//!
//! Finite volumes on the lattice's cells. What of a face lies inside is told from the lines along its middle.

use crate::faces::{Face, Faces, Side, line_at};
use crate::flow::Field;
use crate::lattice::{Kind, Lattice};
use crate::multigrid::{Multigrid, Sparse};

use hull_geometry::{Cancelled, Watch};

/// The part of a face that lies inside: the product of what of its two middle lines does.
fn open_part(lattice: &Lattice, axis: usize, face: [usize; 3]) -> f64 {
    let across = [(axis + 1) % 3, (axis + 2) % 3];
    across
        .iter()
        .map(|&d| {
            let middle = face[d] as f64 + 0.5;
            let line = line_at(lattice, axis, face, d);
            let reach = |way: f64| {
                let walls = line.iter().filter(|c| !matches!(c.1, Kind::Opening(_)));
                let ahead = walls.map(|c| way * (f64::from(c.0) - middle)).filter(|t| *t > 0.0);
                // A wall before the next face's middle bounds this one: what lies up to there is nobody else's.
                Some(ahead.fold(f64::INFINITY, f64::min)).filter(|t| *t < 1.0).unwrap_or(0.5)
            };
            reach(1.0) + reach(-1.0)
        })
        .product()
}

/// Solves for the potential between openings at given ones; velocities are fluxes through whole faces.
pub fn solve(lattice: &Lattice, faces: &Faces, pressures: &[f64], watch: &Watch) -> Result<Field, Cancelled> {
    watch.report(0.1, "setting up the potential")?;
    // In single precision everywhere, as the matrix is: what leaves a cell comes into the next.
    let weight: Vec<f32> = faces
        .all
        .iter()
        .map(|f| (open_part(lattice, f.axis, faces.inner_face(f)) / f64::from(f.length)) as f32)
        .collect();
    let around = faces.around();
    let matrix = Sparse::of_rows(faces.cells.len(), |c, out| {
        let mut diagonal = 0.0;
        for &(face, other) in &around[c] {
            let w = weight[face as usize];
            diagonal += f64::from(w);
            out.extend(other.map(|o| (o, -w)));
        }
        diagonal
    });
    let mut right = vec![0.0; faces.cells.len()];
    for (f, w) in faces.all.iter().zip(&weight) {
        if let Some((cell, opening)) = f.opening() {
            right[cell as usize] += f64::from(*w) * pressures[opening as usize];
        }
    }
    let places = faces.cells.iter().map(|n| lattice.cell_of(*n as usize).map(|x| x as u16)).collect();
    watch.report(0.3, "solving for the potential")?;
    let potential = Multigrid::new(matrix, places).solve(&right, 1e-10, 400, watch)?;
    let at = |f: &Face, k: usize| match f.sides[k] {
        Side::Cell(c) => potential[c as usize],
        Side::Opening(o) => pressures[o as usize],
    };
    let flux = faces.all.iter().zip(&weight).map(|(f, w)| f64::from(*w) * (at(f, 0) - at(f, 1))).collect();
    Ok(Field { flux, pressure: potential })
}
