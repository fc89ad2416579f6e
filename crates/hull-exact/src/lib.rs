//! Exact geometry of Ready Hull: curves, surfaces, and the B-rep made of them.
//!
//! A [`shape::Shape`] is the exact geometry of one part; [`parameter_loops`] brings a face's bounds into its surface's
//! parameters, on which [`quadrature`] integrates and [`facet`] makes facets. Nothing here knows of files.

mod brep;
mod carrier;
mod exchange;
pub mod facet;
mod heal;
mod planar;

// What the crate offers, by the folder it stands in.
pub(crate) use brep::face_integral;
pub use brep::{assembly, bodies, bounds, model, parameter_loops, prism, quadrature, readings, shape, wires};
pub(crate) use carrier::gauss;
pub use carrier::{arc_length, curve, fit, frame, isoline, locate, nurbs, surface};
pub use exchange::{as_spline, explicit, pcurve, rigid};
pub use facet::{chart, ease, fineness, patch, refine, sample};
pub(crate) use heal::recognise;
pub use heal::{edit, join, join_plot, join_report, simplify};
pub use planar::{outlines, sheets};

pub use curve::Curve;
pub use frame::{Frame, Motion};
pub use model::Model;
pub use shape::Shape;
pub use surface::Surface;
