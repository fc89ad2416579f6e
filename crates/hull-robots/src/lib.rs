//! Robots: links with mass, joints between them, meshes beside them, in metres, kilograms and radians.
//!
//! [`urdf`] reads and writes the description; [`checks`] tells what keeps a robot from being ready for a simulator.

pub mod checks;
pub mod model;
pub mod urdf;

pub use model::{Geometry, Inertia, Joint, JointKind, Link, Pose, Robot, Shape};
