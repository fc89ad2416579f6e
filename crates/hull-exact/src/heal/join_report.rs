//! What joining faces did.

use serde::{Deserialize, Serialize};

/// What a join did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct JoinReport {
    pub open_before: usize,
    pub open_after: usize,
    pub edges_joined: usize,
    pub edges_split: usize,
    pub vertices_joined: usize,
    pub faces_turned: usize,
    /// The largest distance between two curves that became one edge, or two points that became one vertex.
    pub largest_gap: f64,
    pub solids: usize,
    pub cavities: usize,
    pub open_shells: usize,
}
