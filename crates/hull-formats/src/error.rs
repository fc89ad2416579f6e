//! What can be wrong with a file.

use hull_geometry::Cancelled;
use std::fmt;

/// Where in a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    Line(usize),
    Byte(usize),
    Whole,
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Place::Line(n) => write!(f, ", line {n}"),
            Place::Byte(n) => write!(f, ", byte {n}"),
            Place::Whole => Ok(()),
        }
    }
}

/// Why a file cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReadError {
    #[error("{file}{place}: {reason}")]
    Unusable { file: String, place: Place, reason: String },
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

impl ReadError {
    pub fn at(file: &str, place: Place, reason: impl Into<String>) -> ReadError {
        ReadError::Unusable { file: file.into(), place, reason: reason.into() }
    }

    pub fn whole(file: &str, reason: impl Into<String>) -> ReadError {
        ReadError::at(file, Place::Whole, reason)
    }
}
