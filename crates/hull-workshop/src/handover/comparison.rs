//! What was sent against what was read back.

use serde::{Deserialize, Serialize};

/// One figure as it was sent and as it was read back from the files.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct Comparison {
    /// What is compared.
    pub figure: String,
    /// As it was sent.
    pub sent: String,
    /// As it was read back.
    pub read_back: String,
    /// Whether the two agree.
    pub same: bool,
}

/// Why nothing was handed over.
#[derive(Debug, thiserror::Error)]
pub enum HandoverError {
    /// The phrases of the requirements that are short.
    #[error("not ready: {}", .0.join("; "))]
    Short(Vec<String>),
    /// What was read back is not what was sent.
    #[error("the files read back differently: {0}")]
    Different(String),
    /// It could not be written.
    #[error("{0}")]
    Failed(String),
}
