//! The body mirrored.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::{Frame, Motion};
use serde::{Deserialize, Serialize};

/// The plane of a mirror.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Across {
    /// x becomes −x.
    X,
    /// y becomes −y.
    Y,
    /// z becomes −z.
    Z,
}

/// Mirrors the body at a plane through the origin, or through its middle.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mirror {
    /// Along which axis.
    pub axis: Across,
    /// Whether the plane runs through the middle of the body's box instead of the origin.
    #[serde(default)]
    pub in_place: bool,
}

impl Operation for Mirror {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Mirror";
    const HELP: &'static str = "Makes a left part of a right one: mirrors the body and turns its facets, so that they face \
                                outward as before and the volume stays positive. No turn brings it back.";

    fn title(&self) -> Sentence {
        format!("Mirror along {}", ["x", "y", "z"][self.axis as usize]).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "axis",
                "Mirror along",
                Quantity::Choice(&[("x", "x"), ("y", "y"), ("z", "z")]),
                "the axis that is turned round",
            )
            .or("y"),
            Field::new("in_place", "about its own middle", Quantity::Flag, "else at the plane through the origin"),
        ];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(Mirror { axis: Across::Y, in_place: false })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let k = self.axis as usize;
        let mut frame = Frame::WORLD;
        let turned = |v: &mut [f64; 3]| v[k] = -v[k];
        turned([&mut frame.x, &mut frame.y, &mut frame.z][k]);
        if self.in_place {
            frame.origin[k] = 2.0 * body.bounds().centre()[k];
        }
        let motion = Motion { frame, scale: 1.0 };
        body.mesh.points.iter_mut().for_each(|p| *p = motion.point(*p).map(|x| x + 0.0));
        body.mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
        body.move_exact(motion);
        Ok("Mirrored; facets face outward as before.".into())
    }
}
