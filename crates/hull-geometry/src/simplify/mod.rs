//! Less of a surface: details away, fewer facets, slices.

pub mod bumps;
pub mod coarsen;
pub mod reduce;
pub mod round_bumps;
pub mod section;
pub mod slice;
