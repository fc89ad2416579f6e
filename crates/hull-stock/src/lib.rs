//! Two stand-ins for what lies outside: [`parts`], a small catalogue of stock parts made from tables of dimensions, and [`bench`], a
//! scanner that sees a body from stations.
//!
//! Lengths are in millimetres.

pub mod bench;
pub mod outlines;
pub mod parts;
pub mod solids;
