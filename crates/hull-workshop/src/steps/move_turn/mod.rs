//! The body turned and moved by typed values.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_fitting::align::Rigid;
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, norm};
use serde::{Deserialize, Serialize};

/// Turns the body about a place and moves it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MoveTurn {
    /// Degrees about the axis along the three numbers: their length is the angle.
    pub turn: V3,
    /// The place that the turn leaves where it is.
    pub about: Point,
    /// Moved afterwards.
    pub by: Point,
}

impl MoveTurn {
    /// The step that does what a motion does.
    pub fn of(motion: &Rigid) -> MoveTurn {
        MoveTurn { turn: motion.turn_vector(), about: [0.0; 3], by: motion.shift }
    }
}

impl Operation for MoveTurn {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Turn and move";
    const HELP: &'static str = "Turns the whole body about a place, by degrees about x, y or z (two or three of them at \
                                once are one turn about the axis between), then moves it.";

    fn title(&self) -> Sentence {
        "Turn and move".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("turn", "Turn by", Quantity::Vector("°"), "degrees about x, y and z").or("0, 0, 0"),
            Field::new("about", "about", Quantity::Place, "the place that the turn leaves where it is").or("0, 0, 0"),
            Field::new("by", "then move by", Quantity::Place, "along x, y and z").or("0, 0, 0"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(MoveTurn { turn: [0.0; 3], about: seen.survey.size.bbox.centre(), by: [0.0; 3] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if norm(self.turn) > 36_000.0 {
            return Err("A turn of more than a hundred rounds is not meant.".into());
        }
        let motion = Rigid::turned_by(self.turn);
        let by = Rigid::turning(motion.rotation, self.about, add(self.about, self.by));
        body.move_rigid(&by);
        Ok(super::align_datums::told(&by).into())
    }
}
