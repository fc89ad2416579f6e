//! Points outside a box taken away.

use crate::Body;
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use hull_geometry::cloud::Cloud;
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
        // All of it, in round numbers: a thousandth of the size is near enough.
        let Bounds { min, max } = seen.survey.size.bbox;
        let step = 10f64.powf((seen.survey.size.longest() / 1000.0).max(f64::MIN_POSITIVE).log10().ceil());
        let round = |x: f64, up: bool| {
            let steps = if up { (x / step).ceil() } else { (x / step).floor() };
            // Divided by a whole power of ten where that is what it is, a decimal comes out as it is written.
            if step < 1.0 { steps / (1.0 / step).round() } else { steps * step }
        };
        let (from, to) = (min.map(|x| round(x, false)), max.map(|x| round(x, true)));
        Proposal::possible(CropPoints { from, to, inside: false })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if (0..3).any(|k| self.from[k] > self.to[k]) {
            return Err("The box's second corner must lie beyond the first along every axis.".into());
        }
        let within = |p: Point| (0..3).all(|k| (self.from[k]..=self.to[k]).contains(&p[k]));
        keep_where(body, |p| within(p) != self.inside)
    }
}

/// Keeps the points whose places hold something; refused if that is none.
pub(super) fn keep_where(body: &mut Body, holds: impl Fn(Point) -> bool) -> Result<Report, Refusal> {
    let cloud = body.cloud_mut().ok_or("The body has no points without facets.")?;
    let kept = cloud.keeping(holds);
    take(cloud, kept)
}

/// Puts what is kept of a cloud in its place; refused if that is nothing.
pub(super) fn take(cloud: &mut Cloud, kept: Cloud) -> Result<Report, Refusal> {
    if kept.points.is_empty() {
        return Err("No point would be left.".into());
    }
    let (gone, left) = (cloud.points.len() - kept.points.len(), kept.points.len());
    let noun = if kept.splats.is_empty() { "point" } else { "splat" };
    *cloud = kept;
    Ok(format!("{} taken away, {} left.", counted(gone, noun), count(left)).into())
}
