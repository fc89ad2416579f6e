//! Bodies to try things on: clean shapes, and dirt for them.

pub mod dirt;
pub mod shapes;
