//! The B-rep: vertices, edges, faces, shells and solids of one part.

use crate::curve::Curve;
use crate::frame::Motion;
use crate::surface::Surface;
use hull_geometry::Point;
use hull_geometry::vector::scale;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use typed_index_collections::{TiVec, ti_vec};

hull_geometry::handles! {
    /// A vertex of a shape.
    #[derive(Serialize, Deserialize)]
    VertexId,
    /// An edge of a shape.
    #[derive(Serialize, Deserialize)]
    EdgeId,
    /// A surface of a shape, without bounds.
    #[derive(Serialize, Deserialize)]
    SurfaceId,
    /// A face of a shape.
    #[derive(Serialize, Deserialize)]
    FaceId,
}

/// Red, green and blue in `0..=1`.
pub type Colour = [f32; 3];

/// A stretch of a curve between two vertices. It runs with the curve's parameter.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Edge {
    /// The curve.
    pub curve: Curve,
    /// Of the curve's parameter.
    pub range: [f64; 2],
    /// Vertices at `range[0]` and `range[1]`.
    pub ends: [VertexId; 2],
}

/// A face's use of an edge.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Use {
    /// Which edge.
    pub edge: EdgeId,
    /// Whether it runs with the edge.
    pub forward: bool,
    /// The file's own curve in the face's parameters, from the edge's start to its end: a hint for the place.
    pub hint: Option<crate::curve::Piece>,
}

/// A closed run of edges with the face on its left, seen against the face's normal; without uses it is the
/// bare vertex of a whole closed surface.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Loop {
    /// In the order in which they are run.
    pub uses: Vec<Use>,
}

/// A bounded piece of a surface.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Face {
    /// Which surface.
    pub surface: SurfaceId,
    /// Whether the face's normal is that of its surface.
    pub same_sense: bool,
    /// The outer one and those of its holes, in any order.
    pub loops: Vec<Loop>,
    /// As the file names it.
    pub name: String,
    /// Red, green, blue.
    pub colour: Option<Colour>,
    /// As the file names it.
    pub layer: Option<String>,
}

impl Face {
    /// Turns the normal round, and the loops with it.
    pub fn turn(&mut self) {
        self.same_sense = !self.same_sense;
        for l in &mut self.loops {
            l.uses.reverse();
            l.uses.iter_mut().for_each(|u| u.forward = !u.forward);
        }
    }
}

/// Faces, each with whether the shell uses it as it stands.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shell {
    /// Each with whether it is used as it stands.
    pub faces: Vec<(FaceId, bool)>,
}

/// A closed outer shell with cavities, or an open shell (`closed` false).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Lump {
    /// As the file names it.
    pub name: String,
    /// Red, green, blue.
    pub colour: Option<Colour>,
    /// Whether it encloses something.
    pub closed: bool,
    /// Around it.
    pub outer: Shell,
    /// Cavities.
    pub voids: Vec<Shell>,
}

/// The exact geometry of one part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shape {
    /// Points.
    pub vertices: TiVec<VertexId, Point>,
    /// Stretches of curves.
    pub edges: TiVec<EdgeId, Edge>,
    /// Surfaces without bounds.
    pub surfaces: TiVec<SurfaceId, Surface>,
    /// Bounded pieces of them.
    pub faces: TiVec<FaceId, Face>,
    /// Solids and open shells.
    pub lumps: Vec<Lump>,
    /// Edges that bound no face: wire-frames.
    pub wires: Vec<EdgeId>,
    /// Within this distance the source says that points are the same.
    pub tolerance: f64,
    /// Names of edges, on their way from or to a file; a body keeps them by place.
    #[serde(skip)]
    pub edge_names: BTreeMap<EdgeId, String>,
}

impl Shape {
    /// Adds a vertex; gives its number.
    pub fn add_vertex(&mut self, p: Point) -> VertexId {
        self.vertices.push_and_get_key(p)
    }

    /// Adds an edge; gives its number.
    pub fn add_edge(&mut self, curve: Curve, range: [f64; 2], ends: [VertexId; 2]) -> EdgeId {
        self.edges.push_and_get_key(Edge { curve, range, ends })
    }

    /// Adds a surface; gives its number.
    pub fn add_surface(&mut self, surface: Surface) -> SurfaceId {
        self.surfaces.push_and_get_key(surface)
    }

    /// Closed shells.
    pub fn solids(&self) -> impl Iterator<Item = &Lump> {
        self.lumps.iter().filter(|l| l.closed)
    }

    /// For each face whether its surface's normal points out of the shell that uses it.
    pub fn outward(&self) -> TiVec<FaceId, bool> {
        let mut out: TiVec<FaceId, bool> = self.faces.iter().map(|f| f.same_sense).collect();
        for shell in self.lumps.iter().flat_map(|l| std::iter::once(&l.outer).chain(&l.voids)) {
            for &(f, same) in &shell.faces {
                out[f] = self.faces[f].same_sense == same;
            }
        }
        out
    }

    /// How often faces use each edge.
    pub fn uses_of_edges(&self) -> TiVec<EdgeId, u32> {
        let mut count = ti_vec![0; self.edges.len()];
        for u in self.faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.uses) {
            count[u.edge] += 1;
        }
        count
    }

    /// The faces of each edge, with how they use it.
    pub(crate) fn faces_of_edges(&self) -> TiVec<EdgeId, Vec<(FaceId, bool)>> {
        let mut out = ti_vec![Vec::new(); self.edges.len()];
        for (f, face) in self.faces.iter_enumerated() {
            for u in face.loops.iter().flat_map(|l| &l.uses) {
                out[u.edge].push((f, u.forward));
            }
        }
        out
    }

    /// Edges that only one face uses, once.
    pub fn open_edges(&self) -> Vec<EdgeId> {
        self.uses_of_edges().iter_enumerated().filter(|(_, uses)| **uses == 1).map(|(e, _)| e).collect()
    }

    /// Everything scaled and moved; stays exact.
    pub fn moved(&self, m: &Motion) -> Shape {
        let mut out = self.clone();
        for p in &mut out.vertices {
            *p = m.point(*p);
        }
        for e in &mut out.edges {
            e.curve = e.curve.moved(m);
        }
        for f in &mut out.faces {
            let stretch = self.surfaces[f.surface].parameter_scale(m.scale);
            for u in f.loops.iter_mut().flat_map(|l| &mut l.uses) {
                if let Some(hint) = &mut u.hint {
                    hint.curve = hint.curve.stretched(stretch);
                }
            }
        }
        for s in &mut out.surfaces {
            *s = s.moved(m);
        }
        if m.frame.is_mirrored() {
            out.faces.iter_mut().for_each(Face::turn);
        }
        out.tolerance *= m.scale;
        out
    }

    /// Puts another shape beside this one; nothing is joined.
    pub fn append(&mut self, other: Shape) {
        let (v, e) = (self.vertices.next_key(), self.edges.next_key());
        let (s, f) = (self.surfaces.next_key(), self.faces.next_key());
        self.vertices.extend(other.vertices);
        self.edges.extend(other.edges.into_iter().map(|x| Edge { ends: x.ends.map(|i| i + v), ..x }));
        self.surfaces.extend(other.surfaces);
        self.faces.extend(other.faces.into_iter().map(|mut face| {
            face.surface = face.surface + s;
            face.loops.iter_mut().flat_map(|l| &mut l.uses).for_each(|u| u.edge = u.edge + e);
            face
        }));
        self.lumps.extend(other.lumps.into_iter().map(|mut lump| {
            let shells = std::iter::once(&mut lump.outer).chain(&mut lump.voids);
            shells.flat_map(|s| &mut s.faces).for_each(|x| x.0 = x.0 + f);
            lump
        }));
        self.wires.extend(other.wires.into_iter().map(|w| w + e));
        self.edge_names.extend(other.edge_names.into_iter().map(|(i, n)| (i + e, n)));
        self.tolerance = self.tolerance.max(other.tolerance);
    }

    /// The start of a face's use of an edge, as a vertex.
    pub fn start_of(&self, u: &Use) -> VertexId {
        self.edges[u.edge].ends[usize::from(!u.forward)]
    }

    /// The end of a face's use of an edge, as a vertex.
    pub fn end_of(&self, u: &Use) -> VertexId {
        self.edges[u.edge].ends[usize::from(u.forward)]
    }

    /// A rough size: the diagonal of the vertices' and edges' box.
    pub fn rough_size(&self) -> f64 {
        let along = self.edges.iter().flat_map(|e| {
            let [a, b] = e.range;
            (1..4).map(move |i| e.curve.point(a + (b - a) * f64::from(i) * 0.25))
        });
        hull_geometry::mesh::Bounds::of(self.vertices.iter().copied().chain(along)).diagonal()
    }
}

/// A colour from three numbers that should lie in `0..=1`.
pub fn colour(rgb: [f64; 3]) -> Colour {
    scale(rgb, 1.0).map(|c| c.clamp(0.0, 1.0) as f32)
}
