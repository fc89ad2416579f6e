//! Points outside an outline that was drawn in the view taken away.

use super::crop_points::keep_where;
use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Keeps the points that are seen inside an outline, or those outside it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CropOutline {
    /// Its corners, in order.
    pub outline: Vec<Point>,
    /// Where it is seen along; through everything.
    pub direction: Point,
    /// Whether what lies inside goes instead.
    #[serde(default)]
    pub inside: bool,
}

impl Operation for CropOutline {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Crop to an outline";
    const HELP: &'static str = "Keeps the points or splats inside an outline seen along a direction, as it is drawn in the \
                                view with the tool Outline; or takes those away and keeps the others.";

    fn title(&self) -> Sentence {
        if self.inside { "Take the points in an outline away".into() } else { "Crop to an outline".into() }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("outline", "Corners", Quantity::Places, "x, y, z; x, y, z; … at least three"),
            Field::new("direction", "seen along", Quantity::Vector(""), "the direction of view"),
            Field::new("inside", "take the inside away", Quantity::Flag, "keeps what lies outside instead"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let inside = crate::body::outline::Enclosed::new(&self.outline, self.direction)
            .ok_or("An outline has three corners at least, and a direction that is not 0, 0, 0.")?;
        keep_where(body, |p| inside.holds(p) != self.inside)
    }
}
