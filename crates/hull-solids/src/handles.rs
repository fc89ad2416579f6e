//! The numbers of an arrangement's parts, a type for each kind of part.

hull_geometry::handles! {
    /// A place of an arrangement. Those of its mesh's points come first, in the same order.
    PlaceId,
    /// A facet of the input.
    InputId,
    /// A facet of an arrangement's mesh, which is the input with every facet once.
    FacetId,
    /// A face of an arrangement: a facet of its mesh, or a piece of one.
    FaceId,
    /// Faces that hang together by plain edges.
    PatchId,
    /// What lies between patches.
    CellId,
    /// One of the bodies that are combined.
    BodyId,
}
