//! Shapes as exchange formats can say them.

pub mod explicit;
pub mod rigid;
