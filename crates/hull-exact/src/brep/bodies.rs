//! The bodies of a model: every solid, open shell and bundle of curves in every place, by name.

use crate::edit::without_faces;
use crate::model::{Model, Node, NodeId, Part, PartId};
use crate::parameter_loops::Reader;
use crate::quadrature;
use crate::shape::{Colour, EdgeId, FaceId, Lump, Shape};
use hull_geometry::mesh::Bounds;
use hull_geometry::topology::Topology;
use hull_geometry::{Point, Watch, measure};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use typed_index_collections::{TiVec, ti_vec};

/// One body of a model; lengths in the model's unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct BodyFigures {
    /// The path of names to where it stands.
    pub name: String,
    /// Red, green, blue.
    pub colour: Option<Colour>,
    /// Zero if it is not closed.
    pub volume: f64,
    /// Bodies of one part have the same number.
    pub part: PartId,
    /// Whether it is closed.
    #[serde(default)]
    pub solid: bool,
    /// How many it has.
    #[serde(default)]
    pub faces: usize,
    /// Edges that only one face uses.
    #[serde(default)]
    pub open_edges: usize,
    /// Curves that bound no face; a body has either these or faces.
    #[serde(default)]
    pub curves: usize,
    /// The length of those curves.
    #[serde(default)]
    pub length: f64,
    /// Of its faces.
    #[serde(default)]
    pub area: f64,
    /// How far the volume may be off.
    #[serde(default)]
    pub volume_error: f64,
    /// How far the area may be off.
    #[serde(default)]
    pub area_error: f64,
    /// Of its volume; the origin if there is none.
    #[serde(default)]
    pub centroid: Point,
    /// Of the box of its edges.
    #[serde(default)]
    pub size: [f64; 3],
}

fn shells(lump: &Lump) -> impl Iterator<Item = (FaceId, bool)> + '_ {
    std::iter::once(&lump.outer).chain(&lump.voids).flat_map(|s| s.faces.iter().copied())
}

/// The name of each lump of a part that stands at `path`.
fn lump_names(part: &Part, path: &str) -> Vec<String> {
    let several = part.shape.lumps.len() > 1;
    let own = |(i, lump): (usize, &Lump)| {
        let kind = if lump.closed { "solid" } else { "face" };
        if lump.name.is_empty() { format!("{kind} {}", i + 1) } else { lump.name.clone() }
    };
    let named = part.shape.lumps.iter().enumerate().map(own);
    named.map(|own| if several { format!("{path} / {own}") } else { path.to_string() }).collect()
}

/// The name of the curves of a part that stands at `path`.
fn name_of_curves(part: &Part, path: &str) -> String {
    let alone = part.shape.lumps.is_empty() && part.tessellated.is_empty();
    if alone { path.to_string() } else { format!("{path} / curves") }
}

/// For each face of a part that stands at `path` the name of its body and that one's colour.
pub fn face_bodies(part: &Part, path: &str) -> TiVec<FaceId, Option<(String, Option<Colour>)>> {
    let mut out = ti_vec![None; part.shape.faces.len()];
    for (lump, name) in part.shape.lumps.iter().zip(lump_names(part, path)) {
        for (f, _) in shells(lump) {
            out[f] = Some((name.clone(), lump.colour));
        }
    }
    out
}

/// Figures of a part where it is at home.
pub struct PartFigures {
    /// Faces whose bounds could not be read as they stand.
    pub faces_in_doubt: usize,
    /// Edges that only one face uses.
    pub open_edges: usize,
    bodies: Vec<BodyFigures>,
    /// Points on the edges of each, or its points.
    outlines: Vec<Vec<Point>>,
}

impl PartFigures {
    /// Measures a part.
    pub fn of(part: &Part, reader: Reader) -> PartFigures {
        let shape = &part.shape;
        let (faces, faces_in_doubt) = quadrature::of_faces(shape, reader);
        let uses = shape.uses_of_edges();
        let mut out = PartFigures {
            faces_in_doubt,
            open_edges: shape.open_edges().len(),
            bodies: Vec::with_capacity(shape.lumps.len()),
            outlines: Vec::with_capacity(shape.lumps.len()),
        };
        for lump in &shape.lumps {
            let sum = quadrature::of_lump(shape, &faces, lump);
            let own: Vec<FaceId> = shells(lump).map(|f| f.0).collect();
            let edges = edges_of(shape, &own);
            out.bodies.push(BodyFigures {
                colour: lump.colour,
                volume: sum.volume,
                solid: lump.closed,
                faces: own.len(),
                open_edges: edges.iter().filter(|&&e| uses[e] == 1).count(),
                area: sum.area,
                volume_error: sum.volume_error,
                area_error: sum.area_error,
                centroid: quadrature::centroid(shape, &sum),
                ..BodyFigures::default()
            });
            out.outlines.push(points_along(shape, edges));
        }
        for t in &part.tessellated {
            let bounds = t.mesh.bounds();
            let mass = measure::mass(&t.mesh, &bounds);
            let closed = Topology::of(&t.mesh, &Watch::default()).is_ok_and(|x| x.is_closed());
            out.bodies.push(BodyFigures {
                name: t.name.clone(),
                colour: t.colour,
                volume: if closed { mass.volume } else { 0.0 },
                area: mass.area,
                ..BodyFigures::default()
            });
            out.outlines.push(t.mesh.points.raw.clone());
        }
        if !shape.wires.is_empty() {
            let length = shape.wires.iter().map(|w| quadrature::length(&shape.edges[*w])).sum();
            out.bodies.push(BodyFigures { curves: shape.wires.len(), length, ..BodyFigures::default() });
            out.outlines.push(points_along(shape, shape.wires.iter().copied()));
        }
        out
    }

    /// The bodies of the part where a node puts it.
    pub fn placed(&self, model: &Model, node: &Node, number: PartId) -> Vec<BodyFigures> {
        let part = &model.parts[number];
        let path = model.path(node);
        let mut names = lump_names(part, &path);
        names.extend(part.tessellated.iter().map(|t| tessellated_name(&path, &t.name)));
        names.push(name_of_curves(part, &path));
        let s = node.placement.scale;
        let placed = |((body, outline), name): ((&BodyFigures, &Vec<Point>), String)| BodyFigures {
            name,
            colour: body.colour.or(node.colour),
            volume: body.volume * s.powi(3),
            area: body.area * s * s,
            volume_error: body.volume_error * s.abs().powi(3),
            area_error: body.area_error * s * s,
            centroid: if body.volume == 0.0 { [0.0; 3] } else { node.placement.point(body.centroid) },
            length: body.length * s,
            part: number,
            size: Bounds::of(outline.iter().map(|p| node.placement.point(*p))).size(),
            ..body.clone()
        };
        self.bodies.iter().zip(&self.outlines).zip(names).map(placed).collect()
    }
}

/// The name of facets that came as facets.
pub fn tessellated_name(path: &str, own: &str) -> String {
    if own.is_empty() { path.to_string() } else { format!("{path} / {own}") }
}

fn points_along(shape: &Shape, edges: impl IntoIterator<Item = EdgeId>) -> Vec<Point> {
    let along = |e: EdgeId| {
        let e = &shape.edges[e];
        (0..=8).map(move |i| e.curve.point(e.range[0] + (e.range[1] - e.range[0]) * f64::from(i) / 8.0))
    };
    edges.into_iter().flat_map(along).collect()
}

fn edges_of(shape: &Shape, faces: &[FaceId]) -> BTreeSet<EdgeId> {
    faces.iter().flat_map(|f| &shape.faces[*f].loops).flat_map(|l| &l.uses).map(|u| u.edge).collect()
}

/// What goes of a part when bodies of some names do.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Taken {
    faces: BTreeSet<FaceId>,
    tessellated: BTreeSet<usize>,
    wires: bool,
}

impl Taken {
    fn of(part: &Part, path: &str, gone: &BTreeSet<String>) -> Taken {
        let names = lump_names(part, path);
        let lumps = part.shape.lumps.iter().zip(&names).filter(|(_, n)| gone.contains(*n));
        let pieces = part.tessellated.iter().enumerate();
        Taken {
            faces: lumps.flat_map(|(l, _)| shells(l).map(|f| f.0)).collect(),
            tessellated: pieces
                .filter(|(_, t)| gone.contains(&tessellated_name(path, &t.name)))
                .map(|(k, _)| k)
                .collect(),
            wires: !part.shape.wires.is_empty() && gone.contains(&name_of_curves(part, path)),
        }
    }

    fn is_all_of(&self, part: &Part) -> bool {
        self.faces.len() == part.shape.faces.len()
            && self.tessellated.len() == part.tessellated.len()
            && (self.wires || part.shape.wires.is_empty())
    }

    /// What is left of the part.
    fn from(&self, part: &Part) -> Part {
        let mut shape = without_faces(&part.shape, &self.faces);
        if self.wires {
            shape.wires.clear();
        }
        let kept = part.tessellated.iter().enumerate().filter(|(k, _)| !self.tessellated.contains(k));
        Part { name: part.name.clone(), shape, tessellated: kept.map(|(_, t)| t.clone()).collect() }
    }
}

impl Model {
    /// The model without the bodies of some names, and for each face that is left, counted through all places, the
    /// number that it had. Where a part loses one of its bodies in one place only, that place gets a part of its own.
    pub fn without_bodies(&self, gone: &BTreeSet<String>) -> (Model, Vec<u32>) {
        let mut out = Model { parts: self.parts.clone(), ..self.clone() };
        let mut old = Vec::new();
        let mut first = 0;
        let mut made: BTreeMap<(PartId, Taken), PartId> = BTreeMap::new();
        for (i, node) in self.nodes.iter_enumerated() {
            let Some(number) = node.part else { continue };
            let part = &self.parts[number];
            let taken = Taken::of(part, &self.path(node), gone);
            let count = part.shape.faces.len() as u32;
            old.extend((0..count).filter(|f| !taken.faces.contains(&FaceId(*f))).map(|f| first + f));
            first += count;
            out.nodes[i].part = if taken == Taken::default() {
                Some(number)
            } else if taken.is_all_of(part) {
                None
            } else {
                Some(
                    *made
                        .entry((number, taken))
                        .or_insert_with_key(|(_, taken)| out.parts.push_and_get_key(taken.from(part))),
                )
            };
        }
        out.drop_empty_branches();
        out.drop_unused_parts();
        (out, old)
    }

    /// Drops nodes that neither place a part nor have a child that does.
    pub fn drop_empty_branches(&mut self) {
        let mut used: TiVec<NodeId, bool> = ti_vec![false; self.nodes.len()];
        for (i, node) in self.nodes.iter_enumerated().rev() {
            used[i] |= node.part.is_some();
            if let (true, Some(parent)) = (used[i], node.parent) {
                used[parent] = true;
            }
        }
        let mut number: TiVec<NodeId, NodeId> = ti_vec![NodeId(0); self.nodes.len()];
        for (i, node) in std::mem::take(&mut self.nodes).into_iter_enumerated() {
            if used[i] {
                let parent = node.parent.map(|p| number[p]);
                number[i] = self.nodes.push_and_get_key(Node { parent, ..node });
            }
        }
    }

    /// Drops parts that stand nowhere.
    pub fn drop_unused_parts(&mut self) {
        let used: BTreeSet<PartId> = self.nodes.iter().filter_map(|n| n.part).collect();
        let number: BTreeMap<PartId, PartId> = used.iter().enumerate().map(|(new, old)| (*old, new.into())).collect();
        let parts = std::mem::take(&mut self.parts).into_iter_enumerated();
        self.parts = parts.filter(|(i, _)| used.contains(i)).map(|(_, p)| p).collect();
        for node in &mut self.nodes {
            node.part = node.part.and_then(|p| number.get(&p).copied());
        }
    }
}
