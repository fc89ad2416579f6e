//! Lines in space: curves that bound no face, with their names, where the model's places put them.
//!
//! A file's model may have such curves beside faces. [`Model::split_wires`] takes them out, so that a body keeps them as
//! geometry of their own, and [`Model::with_wires`] puts them back for a design file. They stay curves; points along them
//! are made on demand.

use crate::curve::Curve;
use crate::fineness::Fineness;
use crate::frame::Motion;
use crate::model::{Model, Node, NodeId, Part, PartId};
use crate::shape::{EdgeId, Shape, VertexId};
use crate::{quadrature, sample};
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use typed_index_collections::{TiVec, ti_vec};

/// The angle in degrees by which pieces of a drawn curve turn at most.
const ANGLE: f64 = 10.0;
/// The name of what stands under a part that has faces and curves: its curves.
const BUNDLE: &str = "curves";

/// Lines in space: a model that has nothing but such curves, and where the body has put it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Wires {
    /// In its file's unit.
    pub model: Model,
    /// From the file's coordinates to the body's.
    pub placed: Motion,
}

/// The shape of a curve, as engineers name it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CurveKind {
    /// A straight line.
    Straight,
    /// A circle or a part of one.
    Arc,
    /// Ellipse, parabola or hyperbola.
    Conic,
    /// A free curve.
    Spline,
    /// Several curves end to end.
    Chain,
    /// A curve that is told through another curve or a surface.
    Derived,
}

impl CurveKind {
    /// What kind a curve is of.
    pub fn of(curve: &Curve) -> CurveKind {
        match curve {
            Curve::Line { .. } => CurveKind::Straight,
            Curve::Ellipse { a, b, .. } if a == b => CurveKind::Arc,
            Curve::Ellipse { .. } | Curve::Hyperbola { .. } | Curve::Parabola { .. } => CurveKind::Conic,
            Curve::Nurbs(_) if curve.is_straight() => CurveKind::Straight,
            Curve::Nurbs(_) => CurveKind::Spline,
            Curve::Chain(pieces) if pieces.len() == 1 => CurveKind::of(&pieces[0].curve),
            Curve::Chain(_) => CurveKind::Chain,
            Curve::Offset { .. } | Curve::OnSurface { .. } => CurveKind::Derived,
        }
    }

    /// All of them.
    pub const ALL: [CurveKind; 6] = [
        CurveKind::Straight,
        CurveKind::Arc,
        CurveKind::Conic,
        CurveKind::Spline,
        CurveKind::Chain,
        CurveKind::Derived,
    ];

    /// Its word for one of it.
    pub fn name(self) -> &'static str {
        match self {
            CurveKind::Straight => "straight line",
            CurveKind::Arc => "arc",
            CurveKind::Conic => "conic",
            CurveKind::Spline => "spline",
            CurveKind::Chain => "chain",
            CurveKind::Derived => "derived curve",
        }
    }
}

/// One line: lengths in the unit that `placed` leads to.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    /// The path of names to where it stands.
    pub bundle: String,
    /// Its shape.
    pub kind: CurveKind,
    /// Along it.
    pub length: f64,
    /// Its middle.
    pub at: Point,
}

impl Wires {
    /// Every line in every place.
    pub fn lines(&self) -> Vec<Line> {
        let mut out = Vec::new();
        for (node, part) in self.model.occurrences() {
            let motion = self.placed.after(&node.placement);
            let bundle = self.model.path(node);
            out.extend(part.shape.wires.iter().map(|&w| {
                let edge = &part.shape.edges[w];
                Line {
                    bundle: bundle.clone(),
                    kind: CurveKind::of(&edge.curve),
                    length: quadrature::length(edge) * motion.scale.abs(),
                    at: motion.point(edge.curve.point(0.5 * (edge.range[0] + edge.range[1]))),
                }
            }));
        }
        out
    }

    /// Without the lines of some kinds that stand under a name, or under any where `bundle` is empty; how many went. A part
    /// that stands under several names loses them under all.
    #[must_use]
    pub fn without(&self, kinds: &[CurveKind], bundle: &str) -> (Wires, usize) {
        let mut out = self.clone();
        let own = |n: &Node| bundle.is_empty() || self.model.path(n) == bundle;
        let parts: BTreeSet<PartId> = self.model.nodes.iter().filter(|n| own(n)).filter_map(|n| n.part).collect();
        for part in parts {
            let shape = &mut out.model.parts[part].shape;
            let kept = |w: &EdgeId| !kinds.contains(&CurveKind::of(&shape.edges[*w].curve));
            let left: Vec<EdgeId> = shape.wires.iter().copied().filter(kept).collect();
            if left.len() < shape.wires.len() {
                *shape = of_edges(shape, &left);
            }
        }
        let gone: TiVec<PartId, bool> = out.model.parts.iter().map(|p| p.shape.wires.is_empty()).collect();
        for node in &mut out.model.nodes {
            node.part = node.part.filter(|p| !gone[*p]);
        }
        out.model.drop_empty_branches();
        out.model.drop_unused_parts();
        let went = self.count() - out.count();
        (out, went)
    }

    /// How many lines there are, in all places.
    pub fn count(&self) -> usize {
        self.model.occurrences().map(|(_, part)| part.shape.wires.len()).sum()
    }

    /// The paths of names under which lines stand, in order, each once.
    pub fn bundles(&self) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for path in self.model.occurrences().map(|(node, _)| self.model.path(node)) {
            if !out.contains(&path) {
                out.push(path);
            }
        }
        out
    }

    /// Points along each line: no curve is further than `deviation` from them, in the unit that `placed` leads to.
    pub fn along(&self, deviation: f64) -> Vec<Vec<Point>> {
        let mut out = Vec::new();
        for (node, part) in self.model.occurrences() {
            let motion = self.placed.after(&node.placement);
            let deviation = (deviation / motion.scale.abs()).max(f64::MIN_POSITIVE);
            let fineness = Fineness { deviation, angle: ANGLE, largest: None, smallest: None, even: false };
            out.extend(part.shape.wires.iter().map(|&w| {
                let points = sample::along(&part.shape.edges[w], &fineness);
                points.into_iter().map(|p| motion.point(p)).collect::<Vec<_>>()
            }));
        }
        out
    }

    /// Points along each line that divide every curve of it into so many pieces of equal parameter; straight ones stay whole.
    pub fn in_pieces(&self, number: usize) -> Vec<Vec<Point>> {
        let mut out = Vec::new();
        for (node, part) in self.model.occurrences() {
            let motion = self.placed.after(&node.placement);
            out.extend(part.shape.wires.iter().map(|&w| {
                let edge = &part.shape.edges[w];
                let points = divided(&edge.curve, edge.range, number.max(1));
                points.into_iter().map(|p| motion.point(p)).collect::<Vec<_>>()
            }));
        }
        out
    }

    /// The box, as points along the lines tell it.
    pub fn bounds(&self) -> Bounds {
        let rough = self.model.rough_bounds().diagonal() * self.placed.scale.abs();
        Bounds::of(self.along(1e-4 * rough).into_iter().flatten())
    }
}

/// Points of a curve from end to end.
fn divided(curve: &Curve, [from, to]: [f64; 2], number: usize) -> Vec<Point> {
    if let Curve::Chain(pieces) = curve {
        let mut out: Vec<Point> = Vec::new();
        for (i, piece) in pieces.iter().enumerate() {
            let (a, b) = ((from - i as f64).clamp(0.0, 1.0), (to - i as f64).clamp(0.0, 1.0));
            if a < b {
                let at = |s: f64| piece.range[0] + (piece.range[1] - piece.range[0]) * s;
                let own = divided(&piece.curve, [at(a), at(b)], number);
                out.extend(&own[usize::from(!out.is_empty())..]);
            }
        }
        return out;
    }
    let number = if CurveKind::of(curve) == CurveKind::Straight { 1 } else { number };
    (0..=number).map(|k| curve.point(from + (to - from) * k as f64 / number as f64)).collect()
}

impl Model {
    /// The model without the curves that bound no face, and those by themselves: a part that has both leaves its curves in
    /// a place below its own. Either may have no parts.
    pub fn split_wires(self) -> (Model, Model) {
        let mut rest = self;
        let mut wires = Model { parts: TiVec::new(), nodes: rest.nodes.clone(), unit: rest.unit.clone() };
        if rest.parts.iter().all(|p| p.shape.wires.is_empty()) {
            return (rest, Model { nodes: TiVec::new(), ..wires });
        }
        let mut number: BTreeMap<PartId, (PartId, bool)> = BTreeMap::new();
        for (i, part) in rest.parts.iter_mut_enumerated().filter(|(_, p)| !p.shape.wires.is_empty()) {
            let alone = part.shape.faces.is_empty() && part.tessellated.is_empty();
            let uses = part.shape.uses_of_edges();
            let own: Vec<EdgeId> = part.shape.wires.iter().copied().filter(|w| uses[*w] == 0).collect();
            let made = wires.parts.push_and_get_key(Part {
                name: part.name.clone(),
                shape: of_edges(&part.shape, &own),
                tessellated: Vec::new(),
            });
            number.insert(i, (made, alone));
            part.shape = without_wires(&part.shape);
        }
        let mut below: Vec<Node> = Vec::new();
        for (n, node) in wires.nodes.iter_mut_enumerated() {
            let known = node.part.take().and_then(|p| number.get(&p).copied());
            match known {
                Some((part, true)) => node.part = Some(part),
                Some((part, false)) => below.push(Node {
                    name: BUNDLE.into(),
                    parent: Some(n),
                    part: Some(part),
                    placement: node.placement,
                    colour: node.colour,
                }),
                None => {}
            }
        }
        wires.nodes.extend(below);
        for node in &mut rest.nodes {
            node.part = node.part.filter(|p| !number.get(p).is_some_and(|known| known.1));
        }
        for model in [&mut rest, &mut wires] {
            model.drop_empty_branches();
            model.drop_unused_parts();
        }
        (rest, wires)
    }

    /// The model with lines that [`Model::split_wires`] took out: where they stood below a part that is still there in all
    /// the same places, in that part again, else as parts of their own.
    #[must_use]
    pub fn with_wires(&self, wires: &Model) -> Model {
        let mut out = self.clone();
        let own_path = |node: &Node| {
            let path = wires.path(node);
            path.strip_suffix(BUNDLE).and_then(|p| p.strip_suffix(" / ")).map(str::to_string)
        };
        // For each part of lines the part that it belongs into, by path and place.
        let places = |model: &Model, part: PartId| -> Vec<(String, Motion)> {
            let of = model.nodes.iter().filter(|n| n.part == Some(part));
            of.map(|n| (model.path(n), n.placement)).collect()
        };
        let homes: TiVec<PartId, Option<PartId>> = wires
            .parts
            .keys()
            .map(|part| {
                let of = wires.nodes.iter().filter(|n| n.part == Some(part));
                let mine: Option<Vec<(String, Motion)>> = of.map(|n| Some((own_path(n)?, n.placement))).collect();
                let mine = mine?;
                self.parts.keys().find(|p| places(self, *p) == mine)
            })
            .collect();
        for (part, home) in wires.parts.iter().zip(&homes) {
            if let Some(home) = home {
                out.parts[*home].shape.append(part.shape.clone());
            }
        }
        // What has no home is put beside: with the branches that lead to it.
        let mut rest = wires.clone();
        for node in &mut rest.nodes {
            node.part = node.part.filter(|p| homes[*p].is_none());
        }
        rest.drop_empty_branches();
        rest.drop_unused_parts();
        out.append(rest);
        out
    }

    /// Puts another model beside this one; branches of equal path and place become one.
    fn append(&mut self, other: Model) {
        let parts = self.parts.next_key();
        let mut number: TiVec<NodeId, NodeId> = TiVec::with_capacity(other.nodes.len());
        for node in &other.nodes {
            let parent = node.parent.map(|p| number[p]);
            let same = |n: &Node| (n.parent, &n.name, n.placement) == (parent, &node.name, node.placement);
            let at = self.nodes.position(|n| node.part.is_none() && same(n)).unwrap_or_else(|| {
                self.nodes.push_and_get_key(Node { parent, part: node.part.map(|p| p + parts), ..node.clone() })
            });
            number.push(at);
        }
        self.parts.extend(other.parts);
        self.unit = self.unit.take().or(other.unit);
    }
}

/// A shape of some edges as lines.
fn of_edges(shape: &Shape, edges: &[EdgeId]) -> Shape {
    let mut out = Shape { tolerance: shape.tolerance, ..Shape::default() };
    let mut vertex: BTreeMap<VertexId, VertexId> = BTreeMap::new();
    for &e in edges {
        let edge = &shape.edges[e];
        let ends = edge.ends.map(|v| *vertex.entry(v).or_insert_with(|| out.add_vertex(shape.vertices[v])));
        let made = out.add_edge(edge.curve.clone(), edge.range, ends);
        out.wires.push(made);
        if let Some(name) = shape.edge_names.get(&e) {
            out.edge_names.insert(made, name.clone());
        }
    }
    out
}

/// The same shape without lines; edges that only they used go.
fn without_wires(shape: &Shape) -> Shape {
    let mut out = shape.clone();
    out.wires.clear();
    let uses = out.uses_of_edges();
    let mut number: TiVec<EdgeId, EdgeId> = ti_vec![EdgeId(0); out.edges.len()];
    for (e, edge) in std::mem::take(&mut out.edges).into_iter_enumerated() {
        number[e] = out.edges.next_key();
        if uses[e] > 0 {
            out.edges.push(edge);
        }
    }
    for u in out.faces.iter_mut().flat_map(|f| &mut f.loops).flat_map(|l| &mut l.uses) {
        u.edge = number[u.edge];
    }
    let names = std::mem::take(&mut out.edge_names).into_iter();
    out.edge_names = names.filter(|(e, _)| uses[*e] > 0).map(|(e, n)| (number[e], n)).collect();
    out
}
