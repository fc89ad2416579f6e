//! A model in which every placement only turns and moves: scales and mirrors go into the parts.

use crate::frame::{Frame, Motion};
use crate::model::{Model, Node, Part, PartId, Tessellated};
use hull_geometry::vector::scale;
use std::collections::HashMap;
use typed_index_collections::TiVec;

impl Model {
    /// The whole moved by `placed`, with placements that turn and move only.
    ///
    /// A part is stored once for each scale and hand in which it stands; one at the root is moved itself.
    pub fn rigid(&self, placed: &Motion) -> Model {
        let mut out =
            Model { parts: TiVec::new(), nodes: TiVec::with_capacity(self.nodes.len()), unit: self.unit.clone() };
        let mut known: HashMap<(PartId, u64, bool), PartId> = HashMap::new();
        for node in &self.nodes {
            let whole = placed.after(&node.placement);
            let at_root = node.parent.is_none();
            let (frame, mirrored) = right_handed(&whole.frame);
            let inner = if at_root && node.part.is_some() { whole } else { into_part(whole.scale, mirrored) };
            let part = node.part.map(|p| {
                let add = |parts: &mut TiVec<PartId, Part>| parts.push_and_get_key(moved(&self.parts[p], &inner));
                if at_root {
                    return add(&mut out.parts);
                }
                *known.entry((p, whole.scale.to_bits(), mirrored)).or_insert_with(|| add(&mut out.parts))
            });
            // Nothing places a root: what is below it has its place in the whole.
            let frame = if at_root { Frame::WORLD } else { frame };
            out.nodes.push(Node { part, placement: Motion { frame, scale: 1.0 }, ..node.clone() });
        }
        out
    }
}

/// What a part itself takes of a placement: its scale, and a mirror where that has one.
fn into_part(by: f64, mirrored: bool) -> Motion {
    let x = if mirrored { scale(Frame::WORLD.x, -1.0) } else { Frame::WORLD.x };
    Motion { frame: Frame { x, ..Frame::WORLD }, scale: by }
}

/// The frame with its first axis turned round where it is left-handed.
fn right_handed(f: &Frame) -> (Frame, bool) {
    let mirrored = f.is_mirrored();
    (if mirrored { Frame { x: scale(f.x, -1.0), ..*f } } else { *f }, mirrored)
}

fn moved(part: &Part, by: &Motion) -> Part {
    if *by == Motion::NONE {
        return part.clone();
    }
    Part {
        name: part.name.clone(),
        shape: part.shape.moved(by),
        tessellated: part.tessellated.iter().map(|t| Tessellated { mesh: by.mesh(&t.mesh), ..t.clone() }).collect(),
    }
}
