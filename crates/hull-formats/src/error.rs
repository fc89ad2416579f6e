//! What can be wrong with a file.

use hull_geometry::Cancelled;
use std::fmt;

/// Where in a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Location {
    /// A line of a text file, from 1.
    Line(usize),
    /// A byte, from 0.
    Byte(usize),
    /// The file as a whole.
    Whole,
}

impl fmt::Display for Location {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Location::Line(n) => write!(f, ", line {n}"),
            Location::Byte(n) => write!(f, ", byte {n}"),
            Location::Whole => Ok(()),
        }
    }
}

/// Why a file cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReadError {
    /// The file cannot be used.
    #[error("{file}{place}: {reason}")]
    Unusable {
        /// The file.
        file: String,
        /// Where in it.
        place: Location,
        /// Why.
        reason: String,
    },
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

impl ReadError {
    /// An error at a place.
    pub fn at(file: &str, place: Location, reason: impl Into<String>) -> ReadError {
        ReadError::Unusable { file: file.into(), place, reason: reason.into() }
    }

    /// An error of the file as a whole.
    pub fn whole(file: &str, reason: impl Into<String>) -> ReadError {
        ReadError::at(file, Location::Whole, reason)
    }
}
