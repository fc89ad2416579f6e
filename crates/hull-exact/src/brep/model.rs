//! Parts and where they stand: what a design file holds.

use crate::frame::Motion;
use crate::shape::{Colour, Shape};
use hull_geometry::Mesh;
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiVec, ti_vec};

hull_geometry::handles! {
    /// A part of a model.
    #[derive(Serialize, Deserialize)]
    PartId,
    /// A place in the assembly.
    #[derive(Serialize, Deserialize)]
    NodeId,
}

/// Facets that came as facets, beside or instead of exact geometry.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Tessellated {
    /// As the file names it.
    pub name: String,
    /// Red, green, blue.
    pub colour: Option<Colour>,
    /// The facets.
    pub mesh: Mesh,
}

/// One part, stored once however often it stands in the assembly.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Part {
    /// As the file names it.
    pub name: String,
    /// Its exact geometry.
    pub shape: Shape,
    /// What came as facets.
    pub tessellated: Vec<Tessellated>,
}

/// A place in the assembly.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Node {
    /// Of this place.
    pub name: String,
    /// The place above.
    pub parent: Option<NodeId>,
    /// The part that stands here.
    pub part: Option<PartId>,
    /// From the part's coordinates to those of the whole.
    pub placement: Motion,
    /// For what has none of its own here.
    pub colour: Option<Colour>,
}

/// A length unit that a file declares.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DeclaredUnit {
    /// As the file has it.
    pub name: String,
    /// Millimetres in one of it.
    pub millimetres: f64,
}

/// The exact content of a file, in the unit it declares.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Model {
    /// Each once, however often it stands somewhere.
    pub parts: TiVec<PartId, Part>,
    /// Parents before their children.
    pub nodes: TiVec<NodeId, Node>,
    /// What the file's numbers are.
    pub unit: Option<DeclaredUnit>,
}

impl Model {
    /// A model of one part, standing where its shape is.
    pub fn of_part(name: &str, shape: Shape) -> Model {
        let part = Part { name: name.into(), shape, tessellated: Vec::new() };
        let node =
            Node { name: name.into(), parent: None, part: Some(PartId(0)), placement: Motion::NONE, colour: None };
        Model { parts: ti_vec![part], nodes: ti_vec![node], unit: None }
    }

    /// Nodes that place a part.
    pub fn occurrences(&self) -> impl Iterator<Item = (&Node, &Part)> {
        self.nodes.iter().filter_map(|n| Some((n, &self.parts[n.part?])))
    }

    /// Lets the places of a part have their colours instead of its bodies: those without one get the bodies'. Whether that
    /// could be, which takes bodies of one colour.
    pub fn colour_places(&mut self, part: PartId) -> bool {
        let own = &mut self.parts[part];
        let colours: Vec<&mut Option<Colour>> = (own.shape.lumps.iter_mut().map(|l| &mut l.colour))
            .chain(own.tessellated.iter_mut().map(|t| &mut t.colour))
            .collect();
        let first = colours.first().and_then(|c| **c);
        if colours.iter().any(|c| **c != first) {
            return false;
        }
        colours.into_iter().for_each(|c| *c = None);
        for node in self.nodes.iter_mut().filter(|n| n.part == Some(part)) {
            node.colour = node.colour.or(first);
        }
        true
    }

    /// The names from the root to a node, joined.
    pub fn path(&self, node: &Node) -> String {
        let mut names = vec![node.name.as_str()];
        let mut at = node.parent;
        while let Some(i) = at {
            let parent = &self.nodes[i];
            names.push(&parent.name);
            at = parent.parent;
        }
        names.reverse();
        names.join(" / ")
    }
}
