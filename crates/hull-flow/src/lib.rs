//! What flow asks of geometry: the far field and its blockage, the first layer at a wall, ways through a wall, passages that cells of a size would close, and regions in
//! the plane with their mesh.
//!
//! Lengths are in millimetres unless a name says otherwise; flow itself is counted in SI units.

pub mod far_field;
pub mod first_layer;
mod lattice;
pub mod leaks;
pub mod passages;
pub mod plane;
pub mod tightness;
