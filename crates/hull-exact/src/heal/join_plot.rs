//! How a tolerance for joining is found: open edges left against it.

use crate::join::{Probe, join, join_edges};
use crate::shape::Shape;
use hull_geometry::{Cancelled, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// One tolerance that was tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Trial {
    /// That was tried.
    pub tolerance: f64,
    /// Edges that were left open.
    pub open: usize,
    /// That was closed.
    pub largest_gap: f64,
}

/// Open edges left at each of a range of tolerances, and the one to propose: where they stop falling.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct JoinPlot {
    /// Edges open as they came.
    pub open_before: usize,
    /// Each tolerance that was tried, the smallest first.
    pub trials: Vec<Trial>,
    /// Where open edges stop falling.
    pub proposal: Option<f64>,
}

/// Tries tolerances from 1e-6 to 1e-2 of the shape's size; where nothing is open and yet not all is solid, proposes
/// the least of them.
///
/// # Errors
/// [`Cancelled`].
pub fn join_plot(shape: &Shape, watch: &Watch) -> Result<JoinPlot, Cancelled> {
    let size = shape.rough_size();
    let open_before = shape.open_edges().len();
    if open_before == 0 || size <= 0.0 {
        // Loose faces that close by themselves still have to become a solid.
        let loose = size > 0.0 && shape.lumps.iter().any(|l| !l.closed);
        let proposal = loose.then(|| hull_geometry::plot::round_up(size * 1e-6));
        return Ok(JoinPlot { open_before, trials: Vec::new(), proposal });
    }
    let shortest = shortest_edge(shape);
    const TRIALS: u32 = 25;
    let trials: Vec<Trial> = (0..TRIALS)
        .into_par_iter()
        .map(|i| {
            let tolerance =
                hull_geometry::plot::round_up(size * 1e-6 * 10f64.powf(4.0 * f64::from(i) / f64::from(TRIALS - 1)));
            let (_, report) = join_edges(shape, tolerance, watch)?;
            Ok(Trial { tolerance, open: report.open_after, largest_gap: report.largest_gap })
        })
        .collect::<Result<_, Cancelled>>()?;
    // Beyond half the shortest edge faces themselves are at stake.
    let within = || trials.iter().filter(|t| t.tolerance <= 0.5 * shortest);
    let fewest = within().map(|t| t.open).min();
    let first = within().find(|t| Some(t.open) == fewest).filter(|t| t.open < open_before);
    // The widest gap that was bridged needs little more than itself.
    let proposal = match first {
        None => None,
        Some(t) => {
            let tight = hull_geometry::plot::round_up(t.largest_gap * 1.05);
            let as_good = tight > 0.0 && tight < t.tolerance && join_edges(shape, tight, watch)?.1.open_after <= t.open;
            Some(if as_good { tight } else { t.tolerance })
        }
    };
    Ok(JoinPlot { open_before, trials, proposal })
}

fn shortest_edge(shape: &Shape) -> f64 {
    let open = shape.open_edges();
    open.iter().map(|&e| Probe::of(shape, e).length).filter(|l| *l > 0.0).fold(f64::INFINITY, f64::min)
}

/// Joins the faces of a shape at the tolerance that [`join_plot`] proposes; the shape as it is where there is none.
///
/// # Errors
/// [`Cancelled`].
pub fn join_as_proposed(shape: &Shape, watch: &Watch) -> Result<Shape, Cancelled> {
    Ok(match join_plot(shape, watch)?.proposal {
        Some(tolerance) => join(shape, tolerance, watch)?.0,
        None => shape.clone(),
    })
}
