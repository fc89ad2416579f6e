//! Shapes fitted to points by least squares, and bodies brought to a place by them.
//!
//! [`fit`] fits one [`shape::Shape`] to points; [`align`] gives the motion that brings points, directions or a body's own
//! axes to the coordinate axes; [`register`] brings one surface or cloud onto another. Everything is `f64`, in the unit of
//! what is given, and does not depend on the thread count.

pub mod align;
mod descent;
mod directions;
mod eigen;
pub mod fit;
mod linear;
pub mod outline;
pub mod quick;
pub mod register;
pub mod shape;
mod starts;

pub use fit::{Fit, FitError, fit};
pub use shape::{Kind, Shape};
