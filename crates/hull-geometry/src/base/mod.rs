//! Numbers and motions that everything stands on.

pub mod grid;
mod handles;
pub mod sets;
pub mod transform;
pub mod units;
pub mod vector;
pub mod watch;

pub use handles::Handle;
