//! Exact geometry of Ready Hull: curves, surfaces, and the B-rep made of them.
//!
//! A [`shape::Shape`] is the exact geometry of one part; [`lift`] brings a face's bounds into its surface's
//! parameters, on which [`quadrature`] integrates and [`facet`] makes facets. Nothing here knows of files.

pub mod arc_length;
pub mod assembly;
pub mod bodies;
pub mod bounds;
pub mod chart;
pub mod curve;
pub mod ease;
pub mod edit;
pub mod explicit;
pub mod facet;
pub mod fineness;
pub mod fit;
pub mod frame;
pub mod isoline;
pub mod join;
pub mod join_plot;
pub mod lift;
pub mod locate;
pub mod model;
pub mod nurbs;
pub mod outlines;
pub mod patch;
pub mod quadrature;
pub mod readings;
mod recognise;
pub mod refine;
mod remesh;
pub mod rigid;
pub mod sample;
pub mod shape;
pub mod sheets;
pub mod simplify;
pub mod surface;
pub mod wires;

pub use curve::Curve;
pub use frame::{Frame, Motion};
pub use model::Model;
pub use shape::Shape;
pub use surface::Surface;
