//! What is drawn in one plane.

pub mod outlines;
pub mod sheets;
