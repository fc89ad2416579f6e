//! Curves and surfaces without bounds.

pub mod arc_length;
pub mod curve;
pub mod fit;
pub mod frame;
pub(crate) mod gauss;
pub mod isoline;
pub mod locate;
pub mod nurbs;
pub mod surface;
