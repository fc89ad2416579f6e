//! IGES 5.3: fixed-form files to exact models, and back.

mod geometry;
mod record;
mod splines;
mod structure;

pub use structure::read;
