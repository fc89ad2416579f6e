//! STEP: ISO 10303-21 files of AP203, AP214 and AP242 to exact models, and back.

pub mod geometry;
mod looks;
pub mod part21;
pub mod structure;
pub mod topology;
mod units;
pub mod write;

pub use structure::read;
pub use write::{Schema, write};
