//! Finding what is wrong with a surface.

pub mod doubles;
pub mod folds;
pub mod nesting;
pub mod sharp_loops;
pub mod spikes;
pub mod walls;
