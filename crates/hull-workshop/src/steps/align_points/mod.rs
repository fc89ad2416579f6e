//! 3-2-1: three points, two points, one point.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::align_datums::said;
use crate::steps::orient::AXES;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_fitting::align::by_points;
use hull_geometry::Point;
use hull_geometry::transform::Axis;
use serde::{Deserialize, Serialize};

/// Three points fix a plane, two a direction in it, one the origin.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AlignPoints {
    /// Three points of the plane.
    pub plane: Vec<Point>,
    /// Where the plane's normal turns to, on the side of the body.
    pub up: Axis,
    /// Two points of the line.
    pub line: Vec<Point>,
    /// Where the line turns to.
    pub forward: Axis,
    /// The point whose foot in the plane becomes the origin.
    pub origin: Point,
}

impl Operation for AlignPoints {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Align by points (3-2-1)";
    const HELP: &'static str = "Three points fix a plane, two a direction in it, one the origin: the plane's normal turns \
                                to one axis, the direction to another. Measure points in the view to read their \
                                coordinates.";

    fn title(&self) -> Sentence {
        "Align by points, 3-2-1".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("plane", "Three points of the plane", Quantity::Places, "x, y, z; x, y, z; x, y, z"),
            Field::new("up", "whose normal becomes", AXES, "the axis, on the body's side of the plane").or("+z"),
            Field::new("line", "two points of the line", Quantity::Places, "x, y, z; x, y, z"),
            Field::new("forward", "which becomes", AXES, "the axis").or("+x"),
            Field::new("origin", "the origin at", Quantity::Place, "its foot in the plane becomes 0, 0, 0"),
        ];
        FIELDS
    }

    fn propose(seen: &crate::steps::Seen) -> Option<crate::steps::Proposal> {
        let b = seen.survey.size.bbox;
        let corner = |x: usize, y: usize| [[b.min, b.max][x][0], [b.min, b.max][y][1], b.min[2]];
        crate::steps::Proposal::possible(AlignPoints {
            plane: vec![corner(0, 0), corner(1, 0), corner(0, 1)],
            up: Axis::PlusZ,
            line: vec![corner(0, 0), corner(1, 0)],
            forward: Axis::PlusX,
            origin: corner(0, 0),
        })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let plane: [Point; 3] = self.plane.clone().try_into().map_err(|_| "The plane takes three points.")?;
        let line: [Point; 2] = self.line.clone().try_into().map_err(|_| "The line takes two points.")?;
        let by = by_points(plane, self.up, line, self.forward, self.origin, body.bounds().centre())
            .map_err(|e| e.to_string())?;
        body.move_rigid(&by);
        body.facts.axes = Some([said(&self.up), said(&self.forward)]);
        Ok(super::align_datums::told(&by).into())
    }
}
