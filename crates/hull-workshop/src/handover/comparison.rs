//! What was sent against what was read back.

use serde::{Deserialize, Serialize};

/// One figure as it was sent and as it was read back from the files.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct Comparison {
    pub figure: String,
    pub sent: String,
    pub read_back: String,
    pub same: bool,
}

/// Why nothing was handed over.
#[derive(Debug, thiserror::Error)]
pub enum HandoverError {
    /// The phrases of the requirements that are short.
    #[error("not ready: {}", .0.join("; "))]
    Short(Vec<String>),
    #[error("the files read back differently: {0}")]
    Different(String),
    #[error("{0}")]
    Failed(String),
}
