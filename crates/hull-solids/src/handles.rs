//! The numbers of an arrangement's parts, a type for each kind of part.
use hull_geometry::{FacetId, PointId};

hull_geometry::handles! {
    /// A place of an arrangement. Those of its mesh's points come first, in the same order.
    PlaceId,
    /// A facet of the input. [`hull_geometry::FacetId`] is one of an arrangement's mesh, which is the input with every facet once.
    InputId,
    /// A face of an arrangement: a facet of its mesh, or a piece of one.
    FaceId,
    /// Faces that hang together by plain edges.
    PatchId,
    /// What lies between patches.
    CellId,
    /// One of the bodies that are combined.
    BodyId,
}

impl From<InputId> for FacetId {
    fn from(facet: InputId) -> FacetId {
        FacetId(facet.0)
    }
}

impl From<FacetId> for InputId {
    fn from(facet: FacetId) -> InputId {
        InputId(facet.0)
    }
}

impl From<PointId> for PlaceId {
    fn from(point: PointId) -> PlaceId {
        PlaceId(point.0)
    }
}
