//! Trials: small solvers that run a prepared model once, to show that it will run.
//!
//! [`flow`] asks whether a closed region lets something through: potential or creeping flow between its openings, on a lattice
//! in which walls are immersed. What a trial is not: a simulation. It knows no inertia, no turbulence and no layer at the wall.

mod creeping;
mod faces;
pub mod flow;
mod lattice;
mod multigrid;
mod passages;
pub mod plane;
mod potential;
mod streamlines;

pub use lattice::{Kind, MOST_CELLS};
pub use streamlines::Streamline;
