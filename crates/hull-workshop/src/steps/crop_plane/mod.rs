//! Points behind a plane taken away.

use super::crop_points::keep_where;
use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use hull_geometry::vector::{dot, sub, unit};
use serde::{Deserialize, Serialize};

/// Keeps the points in front of a plane.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CropPlane {
    /// A place of the plane.
    pub at: Point,
    /// Where its normal points: what lies on that side is kept.
    pub towards: Point,
}

impl Operation for CropPlane {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Crop at a plane";
    const HELP: &'static str = "Keeps the points or splats on one side of a plane, that to which its normal points.";

    fn title(&self) -> Sentence {
        "Crop at a plane".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("at", "Plane through", Quantity::Place, "a place of the plane"),
            Field::new("towards", "keep towards", Quantity::Vector(""), "the direction of the side that is kept")
                .or("0, 0, 1"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.points.points == 0 {
            return None;
        }
        let b = seen.survey.size.bbox;
        let at = [b.centre()[0], b.centre()[1], b.min[2]];
        Proposal::possible(CropPlane { at, towards: [0.0, 0.0, 1.0] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let normal = unit(self.towards).ok_or("The direction that is kept must not be 0, 0, 0.")?;
        keep_where(body, |p| dot(sub(p, self.at), normal) >= 0.0)
    }
}
