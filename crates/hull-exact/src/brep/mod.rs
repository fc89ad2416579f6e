//! The B-rep: what bounds curves and surfaces, parts, and their places.

pub mod assembly;
pub mod bodies;
pub mod bounds;
pub(crate) mod face_integral;
pub mod model;
pub mod parameter_loops;
pub mod prism;
pub mod quadrature;
pub mod readings;
pub mod shape;
pub mod wires;
