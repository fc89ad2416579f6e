//! What was sent against what was read back.

use crate::numbers::count;
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

impl Comparison {
    /// A figure as text.
    pub fn told(figure: &str, sent: String, read_back: String, same: bool) -> Comparison {
        Comparison { figure: figure.into(), sent, read_back, same }
    }

    /// A count.
    pub fn number(figure: &str, sent: usize, read_back: usize) -> Comparison {
        Comparison::told(figure, count(sent), count(read_back), sent == read_back)
    }
}

/// Why nothing was handed over.
#[derive(Debug, thiserror::Error)]
pub enum HandoverError {
    /// The phrases of the requirements that are short.
    #[error("not ready: {}", .0.join("; "))]
    NotReady(Vec<String>),
    /// What was read back is not what was sent.
    #[error("the files read back differently: {0}")]
    Different(String),
    /// It could not be written.
    #[error("{0}")]
    Failed(String),
}
