//! Finding what is near or in the way.

pub mod clearance;
pub mod crossings;
pub mod deviation;
pub mod hausdorff;
pub mod monotone;
pub mod nearest;
pub mod tree;
