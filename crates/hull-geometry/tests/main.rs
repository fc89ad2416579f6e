//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod closed_forms;
mod coarsening;
mod crossings;
mod depth;
mod deviation;
mod properties;
mod repairs;
mod round_bumps;
mod searches;
mod section;
mod stitching;
mod voxels;
