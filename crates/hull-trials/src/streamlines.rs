//! Ways that the flow takes, from inlets on. Inside a cell each velocity is linear between its two faces (D. W. Pollock, 1988),
//! so that no way crosses a wall.

use crate::faces::{Faces, Side};
use crate::flow::Field;
use crate::lattice::Lattice;
use hull_geometry::vector::{add, norm, scale};
use hull_geometry::{Cancelled, Point, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// A way of the flow.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Streamline {
    /// Its places.
    pub points: Vec<Point>,
    /// At each place, over the mean speed at the inlets.
    pub speeds: Vec<f64>,
    /// At each place the pressure (or potential), from 1 at inlets to 0 at outlets.
    pub pressures: Vec<f64>,
}

/// Ways at most.
const WAYS: usize = 48;
/// Steps of one way at most, and what of a cell a step is.
const STEPS: usize = 40_000;
const STEP: f64 = 0.25;
/// Places of one way at most.
const PLACES: usize = 300;

/// Ways from the inlets: each stands for the same part of what comes in.
pub fn trace(
    lattice: &Lattice,
    faces: &Faces,
    field: &Field,
    mean: f64,
    watch: &Watch,
) -> Result<Vec<Streamline>, Cancelled> {
    let mut comes_in: Vec<(f64, Point)> = Vec::new();
    for (f, u) in faces.all.iter().zip(&field.flux) {
        let (inward, at) = match f.sides {
            [Side::Opening(_), Side::Cell(_)] => (*u, 0.01),
            [Side::Cell(_), Side::Opening(_)] => (-*u, -0.01),
            _ => continue,
        };
        if inward > 0.0 {
            let mut start = f.at.map(|x| f64::from(x) + 0.5);
            start[f.axis] += at - 0.5;
            comes_in.push((inward, start));
        }
    }
    let total: f64 = comes_in.iter().map(|c| c.0).sum();
    let mut starts = Vec::new();
    let mut sum = 0.0;
    for (flow, start) in comes_in {
        sum += flow;
        if sum >= (starts.len() as f64 + 0.5) * total / WAYS as f64 && starts.len() < WAYS {
            starts.push(start);
        }
    }
    starts
        .into_par_iter()
        .map(|start| {
            watch.check()?;
            Ok(trace_one(lattice, faces, field, start, mean))
        })
        .collect()
}

fn trace_one(lattice: &Lattice, faces: &Faces, field: &Field, start: Point, mean: f64) -> Streamline {
    let cell_at = |p: Point| {
        let inside = (0..3).all(|k| p[k] >= 0.0 && p[k] < lattice.size[k] as f64);
        let cell = p.map(|x| x as usize);
        inside.then(|| faces.reached(lattice.number(cell)).map(|n| (cell, n))).flatten()
    };
    let velocity = |p: Point| cell_at(p).map(|(cell, n)| (faces.velocity_at(&field.flux, cell, p), n));
    let mut line = Streamline { points: Vec::new(), speeds: Vec::new(), pressures: Vec::new() };
    let mut p = start;
    for _ in 0..STEPS {
        let Some((v, cell)) = velocity(p) else { break };
        let speed = norm(v);
        line.points.push(lattice.place(p));
        line.speeds.push(speed / mean);
        line.pressures.push(field.pressure[cell]);
        if speed <= 1e-9 * mean {
            break;
        }
        // The midpoint rule.
        let half = add(p, scale(v, 0.5 * STEP / speed));
        let w = velocity(half).map_or(v, |w| w.0);
        p = add(p, scale(w, STEP / norm(w).max(f64::MIN_POSITIVE)));
    }
    thinned(line)
}

fn thinned(line: Streamline) -> Streamline {
    let n = line.points.len();
    if n <= PLACES {
        return line;
    }
    let at: Vec<usize> = (0..PLACES).map(|i| i * (n - 1) / (PLACES - 1)).collect();
    Streamline {
        points: at.iter().map(|i| line.points[*i]).collect(),
        speeds: at.iter().map(|i| line.speeds[*i]).collect(),
        pressures: at.iter().map(|i| line.pressures[*i]).collect(),
    }
}
