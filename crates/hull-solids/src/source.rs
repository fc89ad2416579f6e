//! Where a face of an arrangement comes from.

/// A facet of the input that a face is part of, and whether the face runs as it does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Source {
    /// Which one.
    pub facet: u32,
    /// Whether both run the same way.
    pub same_way: bool,
}
