//! The edges of faces as lines: what was drawn as faces becomes a wireframe.

use crate::Body;
use crate::body::region_name;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_exact::Motion;
use hull_exact::model::Model;
use hull_exact::wires::Wires;
use hull_formats::bundles::Bundles;
use hull_geometry::vector::{dot, unit};
use hull_geometry::{FacetId, PointId};
use serde::{Deserialize, Serialize};

/// Makes lines of the edges of faces.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LinesOfFaces {
    /// Edges over which faces turn by more than this, in degrees, and open ones; 0: all edges of the file's faces.
    #[serde(default)]
    pub angle: f64,
    /// Whether the faces stay beside the lines.
    #[serde(default)]
    pub keep: bool,
}

/// More lines than this are no wireframe.
const MOST: usize = 1_000_000;

impl Operation for LinesOfFaces {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Make lines of edges";
    const HELP: &'static str = "Makes straight lines of the edges of faces, each once, under the name of the part or layer that they are of: a frame that was drawn as faces becomes a wireframe. Diagonals within a face of the file are no edges of it.";

    fn title(&self) -> Sentence {
        "Lines of the faces' edges".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "angle",
                "Edges where faces turn by more than",
                Quantity::Angle(0.0, 180.0),
                "and open ones; 0: all edges of the file's faces",
            )
            .or("0")
            .optional(),
            Field::new("keep", "keep the faces", Quantity::Flag, "the faces stay beside the lines").or("no"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let edges = edges(body, self.angle);
        if edges.is_empty() {
            return Err("No edge turns by so much: choose a smaller angle.".into());
        }
        if edges.len() > MOST {
            return Err(format!(
                "They would be {}: choose a larger angle, or fewer facets.",
                counted(edges.len(), "line")
            )
            .into());
        }
        let mut lines = Bundles::default();
        for ([a, b], facet) in &edges {
            let name = body.facts.labels.get(body.label(*facet) as usize).map(region_name).filter(|n| !n.is_empty());
            let [p, q] = [a, b].map(|i| body.mesh.points[*i]);
            lines.line(name.as_deref().unwrap_or("edges"), p, q);
        }
        let model = beside(body.wires(), lines.finish(None));
        if !self.keep {
            body.drop_surface();
            body.exact = None;
        }
        body.set_wires(Wires { model, placed: Motion::NONE });
        let left = if self.keep { "" } else { " The faces are gone." };
        Ok(format!("{} made of edges.{left}", counted(edges.len(), "line")).into())
    }
}

/// Edges by their points, each with a facet that has it, in the order of those facets.
fn edges(body: &Body, angle: f64) -> Vec<([PointId; 2], FacetId)> {
    let mesh = &body.mesh;
    let mut all: Vec<([PointId; 2], FacetId)> = Vec::with_capacity(3 * mesh.triangles.len());
    for (f, t) in mesh.triangles.iter_enumerated() {
        all.extend((0..3).map(|k| [t[k], t[(k + 1) % 3]]).map(|[a, b]| ([a.min(b), a.max(b)], f)));
    }
    all.sort_unstable();
    let same_face = |f: FacetId, g: FacetId| body.columns.cell.get(f).is_some_and(|c| body.columns.cell[g] == *c);
    let normal = |f: FacetId| unit(mesh.area_vector(f));
    let least = angle.to_radians().cos();
    let is_edge = |run: &[([PointId; 2], FacetId)]| match run {
        [(_, f), (_, g)] if same_face(*f, *g) => false,
        [(_, f), (_, g)] if angle > 0.0 => normal(*f).zip(normal(*g)).is_none_or(|(n, m)| dot(n, m) < least),
        _ => true,
    };
    let mut out: Vec<([PointId; 2], FacetId)> =
        all.chunk_by(|a, b| a.0 == b.0).filter(|run| is_edge(run)).map(|run| run[0]).collect();
    out.sort_unstable_by_key(|(ends, facet)| (*facet, *ends));
    out
}

/// Lines beside those that a body has, all of them where they are now.
fn beside(own: Option<&Wires>, lines: Model) -> Model {
    let Some(own) = own else { return lines };
    let mut all = own.model.clone();
    all.nodes.iter_mut().for_each(|n| n.placement = own.placed.after(&n.placement));
    let (parts, nodes) = (all.parts.next_key(), all.nodes.next_key());
    all.parts.extend(lines.parts);
    all.nodes.extend(lines.nodes.into_iter().map(|mut n| {
        n.part = n.part.map(|p| p + parts);
        n.parent = n.parent.map(|p| p + nodes);
        n
    }));
    all
}
