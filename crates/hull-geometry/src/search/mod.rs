//! Finding what is near or in the way.

pub mod apart;
pub mod crossings;
pub mod hausdorff;
pub mod nearest;
pub mod sheet;
pub mod tree;
