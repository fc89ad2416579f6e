//! What flow asks of geometry: the far field and its blockage, the first layer at a wall, ways through a wall, and regions in
//! the plane with their mesh.
//!
//! Lengths are in millimetres unless a name says otherwise; flow itself is counted in SI units.

pub mod far_field;
pub mod first_layer;
pub mod leaks;
pub mod plane;
