//! Robots: links with mass, joints between them, meshes beside them, in metres, kilograms and radians.
//!
//! [`plan`] is a robot as it is composed of bodies, [`build`] makes the robot of it (or keeps the mass properties that a description declares), with [`collision`] shapes; [`sides`] mirrors them; [`motion`] moves its joints, [`dynamics`] and [`contact`] try how it moves and stands, [`cameras`] look at it.
//! [`urdf`] reads and writes the description, [`usd`] writes a stage; [`checks`] tells what keeps a robot from being ready for a
//! simulator.

mod articulated;
pub mod build;
pub mod cameras;
pub mod checks;
pub mod collision;
pub mod contact;
pub mod dynamics;
pub mod ellipsoid;
pub mod follow;
mod inertia;
pub mod model;
pub mod motion;
pub mod plan;
pub mod sides;
pub mod urdf;
pub mod usd;

pub use model::{Geometry, Inertia, Joint, JointKind, Link, Pose, Robot, Shape};
