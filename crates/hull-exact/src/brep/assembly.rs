//! Facets and figures of a whole model: each part worked out once, then put in its places.

use crate::bodies::{BodyFigures, PartFigures, face_bodies, tessellated_name};
use crate::curve::Curve;
use crate::facet::{Facetted, facet, facet_faces};
use crate::fineness::Fineness;
use crate::frame::Motion;
use crate::model::{Model, Node, Part, PartId};
use crate::parameter_loops::Reader;
use crate::shape::Colour;
use hull_geometry::{Cancelled, FacetId, Mesh, Watch, mesh::Bounds};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiVec, ti_vec};

/// What the facets of one face are called.
#[derive(Clone, Debug, PartialEq)]
pub struct FaceLabel {
    /// The body's name: the path in the assembly and, where a part has several, the solid.
    pub body: String,
    /// Its name; empty if it has none.
    pub face: String,
    /// Red, green, blue.
    pub colour: Option<Colour>,
    /// Its layer.
    pub layer: Option<String>,
}

/// A model as facets.
#[derive(Clone, Debug, Default)]
pub struct ModelFacets {
    /// All facets, in the places of their parts.
    pub mesh: Mesh,
    /// Number of the face of each facet, counted through all places.
    pub face_of: TiVec<FacetId, u32>,
    /// The labels, by the numbers in `label_of`.
    pub labels: Vec<FaceLabel>,
    /// Index into `labels` of each facet.
    pub label_of: TiVec<FacetId, u32>,
    /// The largest measured distance of the exact surface from the facets.
    pub deviation: f64,
    /// Names of faces without facets, with why.
    pub failed: Vec<(String, String)>,
    /// How many facets there would be, where that is more than one body can have; there are none then.
    pub too_many: Option<usize>,
}

/// More facets than this are not put into places: a part of some thousand facets in a hundred thousand of them.
const MOST_FACETS: usize = 60_000_000;

impl Model {
    /// Facets of everything, in the model's unit, the whole moved by `placed`.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn facets(
        &self,
        fineness: &Fineness,
        reader: Reader,
        placed: &Motion,
        watch: &Watch,
    ) -> Result<ModelFacets, Cancelled> {
        let mut used: TiVec<PartId, bool> = ti_vec![false; self.parts.len()];
        self.nodes.iter().filter_map(|n| n.part).for_each(|p| used[p] = true);
        let made = |(part, used): (&Part, bool)| match used {
            true => facet(&part.shape, fineness, reader, watch),
            false => Ok(Facetted::default()),
        };
        let parts: TiVec<PartId, Facetted> =
            self.parts.raw.par_iter().zip(used.raw).map(made).collect::<Result<Vec<_>, Cancelled>>()?.into();
        let of_part = |p: PartId| {
            let pieces = self.parts[p].tessellated.iter().map(|t| t.mesh.triangles.len());
            parts[p].mesh.triangles.len() + pieces.sum::<usize>()
        };
        let total: usize = self.nodes.iter().filter_map(|n| n.part).map(of_part).sum();
        let mut out = ModelFacets::default();
        if total > MOST_FACETS {
            out.too_many = Some(total);
            return Ok(out);
        }
        let mut first_face = 0;
        for node in &self.nodes {
            let Some(number) = node.part else { continue };
            let part = &self.parts[number];
            let motion = placed.after(&node.placement);
            self.put(&mut out, node, part, &parts[number], &motion, first_face);
            first_face += part.shape.faces.len() as u32;
        }
        out.deviation *= placed.scale;
        Ok(out)
    }

    /// How many facets a fineness makes, over all places, without putting them there.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn count_facets(&self, fineness: &Fineness, reader: Reader, watch: &Watch) -> Result<usize, Cancelled> {
        let count = |p: &Part| -> Result<usize, Cancelled> {
            let own = facet_faces(&p.shape, fineness, reader, watch)?.mesh.triangles.len();
            Ok(own + p.tessellated.iter().map(|t| t.mesh.triangles.len()).sum::<usize>())
        };
        let of_parts: TiVec<PartId, usize> =
            self.parts.raw.par_iter().map(count).collect::<Result<Vec<_>, Cancelled>>()?.into();
        Ok(self.nodes.iter().filter_map(|n| n.part).map(|p| of_parts[p]).sum())
    }

    fn put(&self, out: &mut ModelFacets, node: &Node, part: &Part, made: &Facetted, motion: &Motion, first: u32) {
        let body = self.path(node);
        let names = face_bodies(part, &body);
        let first_label = out.labels.len() as u32;
        for (f, face) in part.shape.faces.iter_enumerated() {
            let (name, own) = names[f].clone().unwrap_or((body.clone(), None));
            let colour = face.colour.or(own).or(node.colour);
            out.labels.push(FaceLabel { body: name, face: face.name.clone(), colour, layer: face.layer.clone() });
        }
        out.mesh.append(&motion.mesh(&made.mesh));
        out.face_of.extend(made.face_of.iter().map(|f| first + f.0));
        out.label_of.extend(made.face_of.iter().map(|f| first_label + f.0));
        out.deviation = out.deviation.max(made.deviation * node.placement.scale);
        out.failed.extend(made.failed.iter().map(|(f, why)| (format!("{body}, face {}", f.0 + 1), (*why).to_string())));
        let mut pieces = Mesh::default();
        for t in &part.tessellated {
            let name = tessellated_name(&body, &t.name);
            let (face, colour) = (String::new(), t.colour.or(node.colour));
            out.labels.push(FaceLabel { body: name, face, colour, layer: None });
            let label = out.labels.len() as u32 - 1;
            out.face_of.extend(std::iter::repeat_n(hull_geometry::NONE, t.mesh.triangles.len()));
            out.label_of.extend(std::iter::repeat_n(label, t.mesh.triangles.len()));
            pieces.append(&t.mesh);
        }
        // Pieces of one part meet in equal points.
        hull_geometry::join::join_equal_points(&mut pieces);
        out.mesh.append(&motion.mesh(&pieces));
    }

    /// Every part changed by `change`, the places kept.
    ///
    /// # Errors
    /// What `change` gives.
    pub fn with_parts<E>(&self, mut change: impl FnMut(&Part) -> Result<Part, E>) -> Result<Model, E> {
        let parts = self.parts.iter().map(&mut change).collect::<Result<_, E>>()?;
        Ok(Model { parts, nodes: self.nodes.clone(), unit: self.unit.clone() })
    }

    /// Solids, faces, volume and area over all places, in the model's unit, and of each body.
    pub fn figures(&self, reader: Reader) -> ModelFigures {
        let of_parts: TiVec<PartId, PartFigures> =
            self.parts.raw.par_iter().map(|p| PartFigures::of(p, reader)).collect::<Vec<_>>().into();
        let mut out = ModelFigures::default();
        for node in &self.nodes {
            let Some(part) = node.part else { continue };
            let f = &of_parts[part];
            out.faces_in_doubt += f.faces_in_doubt;
            out.open_edges += f.open_edges;
            for body in f.placed(self, node, part) {
                out.solids += usize::from(body.solid);
                out.faces += body.faces;
                out.volume += body.volume;
                out.area += body.area;
                out.volume_error += body.volume_error;
                out.area_error += body.area_error;
                out.curves += body.curves;
                out.curve_length += body.length;
                out.bodies.push(body);
            }
        }
        out
    }

    /// The box of vertices and of points along edges, moved by `placed`.
    pub fn rough_bounds(&self) -> Bounds {
        let mut out = Bounds::EMPTY;
        for (node, part) in self.occurrences() {
            for e in &part.shape.edges {
                // Of a chain each piece, so that it is the same when the pieces come back by themselves.
                let is_chain = matches!(e.curve, Curve::Chain(_));
                let ends = if is_chain { e.curve.breaks(e.range) } else { e.range.to_vec() };
                for w in ends.windows(2) {
                    for i in 0..=8 {
                        let t = w[0] + (w[1] - w[0]) * f64::from(i) / 8.0;
                        out = out.including(node.placement.point(e.curve.point(t)));
                    }
                }
            }
            for p in part.tessellated.iter().flat_map(|t| &t.mesh.points) {
                out = out.including(node.placement.point(*p));
            }
        }
        out
    }
}

/// Figures of a model, in its unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ModelFigures {
    /// Closed bodies.
    pub solids: usize,
    /// Faces, once for every place.
    pub faces: usize,
    /// Edges that only one face uses.
    pub open_edges: usize,
    /// Faces whose bounds could not be read as they stand.
    pub faces_in_doubt: usize,
    /// Curves that bound no face.
    #[serde(default)]
    pub curves: usize,
    /// Of those curves together.
    #[serde(default)]
    pub curve_length: f64,
    /// Of closed bodies.
    pub volume: f64,
    /// Of all faces.
    pub area: f64,
    /// How far the volume may be off.
    #[serde(default)]
    pub volume_error: f64,
    /// How far the area may be off.
    #[serde(default)]
    pub area_error: f64,
    /// Each body in each place.
    pub bodies: Vec<BodyFigures>,
}

/// Fineness for a model of that size that suits most parts: facets turn by 10° (common practice, no source), and
/// keep within a two-thousandth of the size.
pub fn usual_fineness(size: f64) -> Fineness {
    let deviation = hull_geometry::plot::round_up(size * 5e-4).max(f64::MIN_POSITIVE);
    Fineness { deviation, angle: 10.0, largest: None, smallest: None, even: true }
}
