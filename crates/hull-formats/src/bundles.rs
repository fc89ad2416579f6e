//! Lines in space as files give them: curves under names.

use hull_exact::curve::{Curve, Piece};
use hull_exact::model::{DeclaredUnit, Node, Part, PartId};
use hull_exact::{Model, Motion, Shape};
use hull_geometry::Point;
use std::collections::HashMap;
use typed_index_collections::TiVec;

/// Collects curves, each under the name of its layer or group, in the order in which the names first appear.
#[derive(Default)]
pub struct Bundles {
    parts: TiVec<PartId, Part>,
    number: HashMap<String, PartId>,
}

impl Bundles {
    /// Adds a curve between two parameters.
    pub fn curve(&mut self, name: &str, curve: Curve, range: [f64; 2]) {
        let (from, to) = (curve.point(range[0]), curve.point(range[1]));
        let shape = self.shape(name);
        let ends = [shape.add_vertex(from), shape.add_vertex(to)];
        let made = shape.add_edge(curve, range, ends);
        shape.wires.push(made);
    }

    /// Adds a straight line; nothing if it has no length.
    pub fn line(&mut self, name: &str, from: Point, to: Point) {
        if from != to {
            let piece = straight(from, to);
            self.curve(name, piece.curve, piece.range);
        }
    }

    /// Adds pieces that follow each other as one line; nothing if there are none.
    pub fn chain(&mut self, name: &str, mut pieces: Vec<Piece>) {
        match pieces.len() {
            0 => {}
            1 => {
                let only = pieces.remove(0);
                self.curve(name, only.curve, only.range);
            }
            n => self.curve(name, Curve::Chain(pieces), [0.0, n as f64]),
        }
    }

    /// Adds straight pieces through points as one line.
    pub fn polyline(&mut self, name: &str, points: &[Point]) {
        let pieces = points.windows(2).filter(|w| w[0] != w[1]).map(|w| straight(w[0], w[1])).collect();
        self.chain(name, pieces);
    }

    /// How many lines there are.
    pub fn count(&self) -> usize {
        self.parts.iter().map(|p| p.shape.wires.len()).sum()
    }

    fn shape(&mut self, name: &str) -> &mut Shape {
        let at = self.number.get(name).copied().unwrap_or_else(|| {
            let made = self.parts.push_and_get_key(Part { name: name.into(), ..Part::default() });
            self.number.insert(name.into(), made);
            made
        });
        &mut self.parts[at].shape
    }

    /// The lines as a model with a part for each name; without parts if there are no lines.
    pub fn finish(self, unit: Option<DeclaredUnit>) -> Model {
        let node = |(i, part): (PartId, &Part)| Node {
            name: part.name.clone(),
            parent: None,
            part: Some(i),
            placement: Motion::NONE,
            colour: None,
        };
        Model { nodes: self.parts.iter_enumerated().map(node).collect(), parts: self.parts, unit }
    }
}

/// A straight piece of parameters 0 to 1.
pub fn straight(from: Point, to: Point) -> Piece {
    let along = hull_geometry::vector::sub(to, from);
    Piece { curve: Curve::Line { origin: from, along }, range: [0.0, 1.0] }
}
