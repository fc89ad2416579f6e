//! Mending exact geometry: joining, recognising, taking away.

pub mod edit;
pub mod join;
pub mod join_plot;
pub mod join_report;
pub(crate) mod recognise;
pub mod simplify;
