//! Shapes as exchange formats can say them.

pub mod as_spline;
pub mod explicit;
pub mod pcurve;
pub mod rigid;
