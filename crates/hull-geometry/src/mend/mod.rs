//! Mending a surface.

pub mod cleanup;
pub mod handles;
pub mod orient;
pub mod plot;
pub mod stitch;
pub mod tangle;
pub mod thin;
