//! What a body holds besides its surface.

use crate::Body;
use crate::body::Facts;
use crate::exact_facts::Exact;
use crate::pieces::Piece;
use hull_exact::wires::Wires;
use hull_frames::Frame;
use hull_geometry::cloud::Cloud;
use std::sync::Arc;

impl Body {
    /// The points without facets, where there are some.
    pub fn cloud(&self) -> Option<&Cloud> {
        self.pieces.iter().find_map(|piece| if let Piece::Points(cloud) = piece { Some(cloud.as_ref()) } else { None })
    }

    /// The same, to be changed.
    pub(crate) fn cloud_mut(&mut self) -> Option<&mut Cloud> {
        let cloud =
            |piece| if let &mut Piece::Points(ref mut cloud) = piece { Some(Arc::make_mut(cloud)) } else { None };
        self.pieces.iter_mut().find_map(cloud)
    }

    /// The lines in space, where there are some.
    pub fn wires(&self) -> Option<&Wires> {
        self.pieces.iter().find_map(|piece| if let Piece::Lines(wires) = piece { Some(wires.as_ref()) } else { None })
    }

    /// Puts lines in the place of those that there were; a model without parts takes them away.
    pub(crate) fn set_wires(&mut self, wires: Wires) {
        self.pieces.retain(|piece| !matches!(piece, Piece::Lines(_)));
        if !wires.model.parts.is_empty() {
            self.pieces.push(Piece::Lines(Arc::new(wires)));
        }
    }

    /// The frame, where there is one.
    pub fn frame(&self) -> Option<&Frame> {
        self.pieces.iter().find_map(|piece| if let Piece::Members(frame) = piece { Some(frame.as_ref()) } else { None })
    }

    /// The same, to be changed.
    pub(crate) fn frame_mut(&mut self) -> Option<&mut Frame> {
        let frame =
            |piece| if let &mut Piece::Members(ref mut frame) = piece { Some(Arc::make_mut(frame)) } else { None };
        self.pieces.iter_mut().find_map(frame)
    }

    /// Puts a frame in the place of the lines it was made of.
    pub(crate) fn set_frame(&mut self, frame: Frame) {
        self.pieces.retain(|piece| !matches!(piece, Piece::Lines(_) | Piece::Members(_)));
        self.pieces.push(Piece::Members(Arc::new(frame)));
    }

    /// Lines of a body that was stored while they stood in its exact geometry become a piece.
    pub fn lines_to_pieces(&mut self) {
        let has = |e: &&mut Arc<Exact>| e.model.parts.iter().any(|p| !p.shape.wires.is_empty());
        let Some(exact) = self.exact.as_mut().filter(has) else { return };
        let exact = Arc::make_mut(exact);
        let (model, wires) = std::mem::take(&mut exact.model).split_wires();
        let (placed, none_left) = (exact.placed, model.parts.is_empty());
        exact.model = model;
        self.set_wires(Wires { model: wires, placed });
        if none_left {
            (self.exact, self.facts.exact) = (None, None);
        }
    }

    /// Takes the surface away with all that is known of it, so that the pieces are left.
    pub(crate) fn drop_surface(&mut self) {
        let facts = std::mem::take(&mut self.facts);
        let pieces = std::mem::take(&mut self.pieces);
        *self = Body {
            facts: Facts { exact: None, labels: Vec::new(), boundaries: Vec::new(), ..facts },
            pieces,
            ..Body::default()
        };
    }

    /// Whether there is a surface.
    pub fn has_surface(&self) -> bool {
        !self.mesh.triangles.is_empty()
    }

    /// What there is instead of a surface: the kinds of the pieces in words; `None` where there is a surface.
    pub fn instead_of_surface(&self) -> Option<String> {
        let kinds: Vec<&str> = self.pieces.iter().map(Piece::kind).collect();
        match kinds.as_slice() {
            _ if self.has_surface() => None,
            [] => Some("nothing".into()),
            kinds => Some(kinds.join(" and ")),
        }
    }
}
