//! A closed surface around points, to collide with.

use crate::Body;
use crate::body::Columns;
use crate::numbers::count;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::cloud::Cloud;
use hull_geometry::plot::round_up;
use hull_geometry::vector::add;
use hull_geometry::{Mesh, NONE};
use hull_solids::wrap::{WrapError, wrap};
use serde::{Deserialize, Serialize};
use typed_index_collections::ti_vec;

/// Replaces the points by a closed surface around them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SurfaceOfPoints {
    /// How far the surface stands off the points.
    pub offset: f64,
    /// The widest gap between points that it closes.
    pub gap: f64,
    /// Splats less opaque than this do not count, from 0 to 1.
    #[serde(default)]
    pub faint: f64,
}

impl Operation for SurfaceOfPoints {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Wrap the points";
    const HELP: &'static str = "Replaces points or splats by a closed surface that stands off them by the offset, to collide \
                                with or to stand on. Gaps narrower than the gap are closed over.";

    fn title(&self) -> Sentence {
        say!["Wrap the points at ", length(self.offset)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("offset", "Offset", Quantity::Length, "how far the surface stands off the points"),
            Field::new("gap", "gap", Quantity::Length, "the widest gap between points that it closes"),
            Field::new("faint", "leave out opacity below", Quantity::Number("", 0.0, 1.0), "of splats; 0 counts all")
                .or("0"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let p = &seen.survey.points;
        // Twice the spacing closes most of what the scanner left open; no lattice is finer than the size allows.
        let offset = round_up((2.0 * p.spacing?).max(0.003 * seen.survey.size.bbox.diagonal()));
        let faint = if p.splats.is_some() { 0.3 } else { 0.0 };
        Proposal::possible(SurfaceOfPoints { offset, gap: 4.0 * offset, faint })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let cloud = body.cloud().ok_or("The body has no points without facets.")?;
        let kept = cloud.keeping_those(|i| cloud.splats.get(i).is_none_or(|s| f64::from(s.opacity) >= self.faint));
        if kept.points.is_empty() {
            return Err("No point is left to be wrapped.".into());
        }
        let seeds = small_facets(&kept, 1e-3 * self.offset);
        let labels = ti_vec![0; seeds.triangles.len()];
        let rebuilt = wrap(&seeds, &labels, self.offset, self.gap, at.watch).map_err(|e| match e {
            WrapError::Cancelled(c) => Refusal::Cancelled(c),
            WrapError::TooFine(least) => say![
                "The offset is too small for a body of this size: it must be at least ",
                length(round_up(least)),
                "."
            ]
            .into(),
            other => other.to_string().into(),
        })?;
        body.pieces.retain(|p| !matches!(p, crate::pieces::Piece::Points(_)));
        body.columns = Columns { boundary: ti_vec![NONE; rebuilt.mesh.triangles.len()], ..Columns::default() };
        body.facts.labels = vec![hull_formats::Label::default()];
        body.mesh = rebuilt.mesh;
        let made = format!("A closed surface of {} facets stands ", count(body.mesh.triangles.len()));
        Ok(say![made, length(self.offset), " off the points."].into())
    }
}

/// A facet at each point, so small that it makes no difference.
fn small_facets(cloud: &Cloud, size: f64) -> Mesh {
    let corners = [[size, 0.0, 0.0], [0.0, size, 0.0], [0.0, 0.0, size]];
    Mesh::loose(cloud.points.iter().map(|p| corners.map(|c| add(*p, c))))
}
