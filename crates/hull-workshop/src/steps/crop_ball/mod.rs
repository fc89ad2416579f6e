//! Points outside a ball taken away.

use super::crop_points::keep_where;
use crate::Body;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use hull_geometry::vector::distance;
use serde::{Deserialize, Serialize};

/// Keeps the points in a ball, or those outside it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CropBall {
    /// The ball's centre.
    pub centre: Point,
    /// Its radius.
    pub radius: f64,
    /// Whether what lies inside goes instead.
    #[serde(default)]
    pub inside: bool,
}

impl Operation for CropBall {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Crop to a ball";
    const HELP: &'static str = "Keeps the points or splats in a ball; or takes those away and keeps the others.";

    fn title(&self) -> Sentence {
        if self.inside {
            say!["Take the points in a ball of radius ", length(self.radius), " away"]
        } else {
            say!["Crop to a ball of radius ", length(self.radius)]
        }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("centre", "Centre", Quantity::Place, "the middle of the ball"),
            Field::new("radius", "radius", Quantity::Length, "how far it reaches"),
            Field::new("inside", "take the inside away", Quantity::Flag, "keeps what lies outside instead"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.points.points == 0 {
            return None;
        }
        // Half the size around the middle of the box: a capture is densest there.
        Proposal::possible(CropBall { centre: seen.survey.size.bbox.centre(), radius: seen.part(0.25), inside: false })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        keep_where(body, |p| (distance(p, self.centre) <= self.radius) != self.inside)
    }
}
