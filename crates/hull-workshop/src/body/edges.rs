//! Exact edges by place: their figures and their names.

use crate::Body;
use crate::body::EdgeName;
pub use crate::exact_facts::EdgeFigures;
use hull_exact::model::PartId;
use hull_exact::shape::EdgeId;
use hull_exact::{Model, Motion, Shape, outlines, quadrature, sheets};
use hull_geometry::vector::distance;
use hull_geometry::{Cancelled, Point, Watch};
use typed_index_collections::TiVec;

/// Edges that are listed at most.
pub const MOST: usize = 400;

fn length_and_middle(shape: &Shape, edge: EdgeId) -> (f64, Point) {
    let e = &shape.edges[edge];
    (quadrature::length(e), e.curve.point(0.5 * (e.range[0] + e.range[1])))
}

/// A model, and where the body has put it.
pub type Placed<'a> = (&'a Model, &'a Motion);

impl Body {
    /// What of the body has edges: its exact geometry and its lines.
    pub fn models(&self) -> Vec<Placed<'_>> {
        let exact = self.exact.as_deref().map(|e| (&e.model, &e.placed));
        exact.into_iter().chain(self.wires().map(|w| (&w.model, &w.placed))).collect()
    }
}

/// Every edge of a face and every line, in every place: part, edge, and its figures.
fn all((model, placed): Placed) -> Vec<(PartId, EdgeId, EdgeFigures)> {
    let of_parts: TiVec<PartId, Vec<(EdgeId, u32, f64, Point)>> = model
        .parts
        .iter()
        .map(|p| {
            let uses = p.shape.uses_of_edges();
            let used = uses.keys().filter(|e| uses[*e] > 0);
            let bare = p.shape.wires.iter().copied().filter(|w| uses[*w] == 0);
            used.chain(bare)
                .map(|e| {
                    let (length, at) = length_and_middle(&p.shape, e);
                    (e, uses[e], length, at)
                })
                .collect()
        })
        .collect();
    let mut out = Vec::new();
    for node in &model.nodes {
        let Some(part) = node.part else { continue };
        let by = placed.after(&node.placement);
        out.extend(of_parts[part].iter().map(|&(edge, faces, length, at)| {
            (part, edge, EdgeFigures { length: length * by.scale, at: by.point(at), faces })
        }));
    }
    out
}

/// Edges that only one face uses and lines, the longest first; of regions in a plane all edges.
pub fn listed(of: Placed) -> Vec<EdgeFigures> {
    let sheet = is_sheet(of.0);
    let mut out: Vec<EdgeFigures> = all(of).into_iter().map(|e| e.2).filter(|e| sheet || e.faces < 2).collect();
    out.sort_by(|a, b| b.length.total_cmp(&a.length));
    out.truncate(MOST);
    out
}

/// Whether the model is nothing but regions in a plane.
pub fn is_sheet(model: &Model) -> bool {
    !model.parts.is_empty() && model.parts.iter().all(|p| sheets::common_plane(&p.shape).is_some())
}

/// Parts that are regions in a plane, connected; lines that enclose some make them. Lines with free ends do so only where all
/// lines of the model lie in one plane, as in a drawing.
///
/// # Errors
/// [`Cancelled`].
pub fn connect_sheets(model: &Model, watch: &Watch) -> Result<Model, Cancelled> {
    let drawing = outlines::are_in_one_plane(model);
    model.with_parts(|part| {
        let shape = match outlines::regions(&part.shape, drawing) {
            Some(shape) => Some(shape),
            None => sheets::connected(&part.shape, watch)?.map(|found| found.0),
        };
        Ok(shape.map_or_else(|| part.clone(), |shape| hull_exact::model::Part { shape, ..part.clone() }))
    })
}

/// The names that a file gave to its edges, by place.
pub fn names_of(of: Placed) -> Vec<EdgeName> {
    let named = |(part, edge, figures): (PartId, EdgeId, EdgeFigures)| {
        let name = of.0.parts[part].shape.edge_names.get(&edge)?;
        Some(EdgeName { name: name.clone(), at: figures.at })
    };
    all(of).into_iter().filter_map(named).collect()
}

/// The model with names on the edges whose middles are nearest to their places.
pub fn with_names(mut out: Model, placed: &Motion, names: &[EdgeName]) -> Model {
    out.parts.iter_mut().for_each(|p| p.shape.edge_names.clear());
    if names.is_empty() {
        return out;
    }
    let edges = all((&out, placed));
    for n in names {
        let nearest = edges.iter().min_by(|a, b| distance(a.2.at, n.at).total_cmp(&distance(b.2.at, n.at)));
        if let Some((part, edge, _)) = nearest {
            out.parts[*part].shape.edge_names.insert(*edge, n.name.clone());
        }
    }
    out
}

/// Names one edge, or takes its name away where the name is empty; `None` if there is no edge.
pub fn name_edge(body: &mut Body, name: &str, at: Point) -> Option<f64> {
    let edges: Vec<_> = body.models().into_iter().flat_map(all).collect();
    let names = &mut body.facts.edge_names;
    let near = |p: Point| edges.iter().map(|e| &e.2).min_by(|a, b| distance(a.at, p).total_cmp(&distance(b.at, p)));
    let edge = near(at)?.clone();
    names.retain(|n| near(n.at).is_none_or(|e| e.at != edge.at));
    if !name.is_empty() {
        names.push(EdgeName { name: name.into(), at: edge.at });
    }
    Some(edge.length)
}

/// The name whose place is the middle of an edge, up to rounding; empty if there is none.
pub fn name_of<'a>(names: &'a [EdgeName], e: &EdgeFigures) -> &'a str {
    let near = |p: Point| (0..3).all(|k| (p[k] - e.at[k]).abs() <= 1e-6 * e.length);
    names.iter().find(|n| near(n.at)).map_or("", |n| &n.name)
}

/// Names move with the body.
pub fn moved(names: &mut [EdgeName], by: &Motion) {
    names.iter_mut().for_each(|n| n.at = by.point(n.at));
}
