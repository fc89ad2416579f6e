//! What joining faces did.

use serde::{Deserialize, Serialize};

/// What a join did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct JoinReport {
    /// Open edges as they came.
    pub open_before: usize,
    /// Open edges that are left.
    pub open_after: usize,
    /// Pairs of edges that became one.
    pub edges_joined: usize,
    /// Edges that were cut where others end.
    pub edges_split: usize,
    /// Points that became one with others.
    pub vertices_joined: usize,
    /// Faces that were turned to agree with their neighbours.
    pub faces_turned: usize,
    /// The largest distance between two curves that became one edge, or two points that became one vertex.
    pub largest_gap: f64,
    /// Closed shells that were made.
    pub solids: usize,
    /// Of them.
    pub cavities: usize,
    /// Shells that stay open.
    pub open_shells: usize,
}
