//! Points outside a box taken away.

use crate::Body;
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;
use serde::{Deserialize, Serialize};

/// Keeps the points in a box, or those outside it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CropPoints {
    /// The corner with the smallest coordinates.
    pub from: Point,
    /// The opposite corner.
    pub to: Point,
    /// Whether what lies inside goes instead.
    #[serde(default)]
    pub inside: bool,
}

impl Operation for CropPoints {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Crop";
    const HELP: &'static str = "Keeps the points in a box, with its faces; or takes those away and keeps the others.";

    fn title(&self) -> Sentence {
        if self.inside { "Take the points in a box away".into() } else { "Crop to a box".into() }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("from", "From", Quantity::Place, "the corner of the box with the smallest coordinates"),
            Field::new("to", "to", Quantity::Place, "the opposite corner"),
            Field::new("inside", "take the inside away", Quantity::Flag, "keeps what lies outside instead"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.points.points == 0 {
            return None;
        }
        let Bounds { min, max } = seen.survey.size.bbox;
        Proposal::possible(CropPoints { from: min, to: max, inside: false })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if (0..3).any(|k| self.from[k] > self.to[k]) {
            return Err("The box's second corner must lie beyond the first along every axis.".into());
        }
        let cloud = body.cloud_mut().ok_or("The body has no points without facets.")?;
        let within = |p: Point| (0..3).all(|k| (self.from[k]..=self.to[k]).contains(&p[k]));
        let kept = cloud.keeping(|p| within(p) != self.inside);
        if kept.points.is_empty() {
            return Err("No point would be left.".into());
        }
        let gone = cloud.points.len() - kept.points.len();
        let left = kept.points.len();
        *cloud = kept;
        Ok(format!("{} taken away, {} left.", counted(gone, "point"), count(left)).into())
    }
}
