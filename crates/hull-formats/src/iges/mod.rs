//! IGES 5.3: fixed-form files to exact models, and back.

mod brep;
mod geometry;
mod record;
mod splines;
mod structure;
mod uneven;
mod write;

pub use structure::read;
pub use write::write;
