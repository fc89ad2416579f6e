//! Where a face of an arrangement comes from.

use crate::handles::InputId;

/// A facet that a face is part of (of the input, where nothing else is said), and whether the face runs as it does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Source<F = InputId> {
    /// Which one.
    pub facet: F,
    /// Whether both run the same way.
    pub same_way: bool,
}
