//! Parts and where they stand: what a design file holds.

use crate::frame::Motion;
use crate::shape::{Colour, Shape};
use hull_geometry::Mesh;
use serde::{Deserialize, Serialize};

/// Facets that came as facets, beside or instead of exact geometry.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Tessellated {
    pub name: String,
    pub colour: Option<Colour>,
    pub mesh: Mesh,
}

/// One part, stored once however often it stands in the assembly.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Part {
    pub name: String,
    pub shape: Shape,
    pub tessellated: Vec<Tessellated>,
}

/// A place in the assembly.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Node {
    pub name: String,
    pub parent: Option<u32>,
    pub part: Option<u32>,
    /// From the part's coordinates to those of the whole.
    pub placement: Motion,
    pub colour: Option<Colour>,
}

/// A length unit that a file declares.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DeclaredUnit {
    pub name: String,
    /// Millimetres in one of it.
    pub millimetres: f64,
}

/// The exact content of a file, in the unit it declares.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Model {
    pub parts: Vec<Part>,
    /// Parents before their children.
    pub nodes: Vec<Node>,
    pub unit: Option<DeclaredUnit>,
}

impl Model {
    /// Nodes that place a part.
    pub fn occurrences(&self) -> impl Iterator<Item = (&Node, &Part)> {
        self.nodes.iter().filter_map(|n| Some((n, &self.parts[n.part? as usize])))
    }

    /// The names from the root to a node, joined.
    pub fn path(&self, node: &Node) -> String {
        let mut names = vec![node.name.as_str()];
        let mut at = node.parent;
        while let Some(i) = at {
            let parent = &self.nodes[i as usize];
            names.push(&parent.name);
            at = parent.parent;
        }
        names.reverse();
        names.join(" / ")
    }
}
