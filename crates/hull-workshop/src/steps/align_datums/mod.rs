//! Datums turned to the coordinate axes.

use crate::Body;
use crate::say;
use crate::sentence::{Sentence, bare};
use crate::steps::drop_datum::no_datum;
use crate::steps::orient::AXES;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_fitting::Shape;
use hull_fitting::align::{Rigid, by_directions};
use hull_geometry::transform::{Axis, apply};
use hull_geometry::vector::{V3, add, dot, scale, sub};
use serde::{Deserialize, Serialize};

/// The first datum's normal or axis turns to one axis, the second's to another, the origin to where they say.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AlignDatums {
    /// The first datum.
    pub first: String,
    /// Where its normal or axis turns to.
    pub up: Axis,
    /// The second datum.
    pub second: String,
    /// Where its normal or axis turns to, as far as it is across the first.
    pub forward: Axis,
    /// The datum whose place becomes the origin; empty: the body stays about its middle.
    #[serde(default)]
    pub origin: String,
}

impl Operation for AlignDatums {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Align by datums";
    const HELP: &'static str = "Turns the normal or axis of one datum to a coordinate axis and that of a second, as far as \
                                it is across, to another; a third becomes the origin. A plane faces the side of the body; \
                                a plane as origin brings only its own height to 0.";

    fn title(&self) -> Sentence {
        format!("Align by “{}” and “{}”", self.first, self.second).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("first", "Datum", Quantity::Text(1, 80), "its normal or axis"),
            Field::new("up", "turns to", AXES, "the axis").or("+z"),
            Field::new("second", "and datum", Quantity::Text(1, 80), "its normal or axis"),
            Field::new("forward", "to", AXES, "the axis").or("+x"),
            Field::new(
                "origin",
                "origin at datum",
                Quantity::Text(0, 80),
                "its centre or middle; left empty, the body's middle stays",
            )
            .or("")
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let mut with = seen.facts.datums.iter().filter(|d| d.fit.shape.direction().is_some());
        let (first, second) = (with.next()?, with.next()?);
        let origin = second.name.clone();
        Proposal::because(
            AlignDatums {
                first: first.name.clone(),
                up: Axis::PlusZ,
                second: second.name.clone(),
                forward: Axis::PlusX,
                origin,
            },
            format!("“{}” and “{}” can tell how the body stands.", first.name, second.name),
        )
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let middle = body.bounds().centre();
        let of = |name: &str| -> Result<(V3, Shape), Refusal> {
            let shape = body.datum(name).ok_or_else(|| no_datum(body, name))?.fit.shape;
            let d =
                shape.direction().ok_or_else(|| format!("“{name}” is a sphere: it has a centre, but no direction."))?;
            // A flat face faces away from the body's bulk or into it: the side of the body is the one that is meant.
            let inward = matches!(shape, Shape::Plane { .. }) && dot(sub(middle, shape.at()), d) < 0.0;
            Ok((if inward { scale(d, -1.0) } else { d }, shape))
        };
        let (a, _) = of(&self.first)?;
        let (b, _) = of(&self.second)?;
        let mut by = by_directions(a, self.up, b, self.forward, middle).map_err(|e| e.to_string())?;
        by.shift = sub(middle, apply(&by.rotation, middle));
        for name in self.origin.split(',').map(str::trim).filter(|n| !n.is_empty()) {
            let shape = body.datum(name).ok_or_else(|| no_datum(body, name))?.fit.shape;
            let at = by.place(shape.at());
            let back = match shape {
                // A plane tells one coordinate.
                Shape::Plane { normal, .. } => {
                    let n = by.turn(normal);
                    scale(n, dot(at, n))
                }
                // An axis tells two.
                Shape::Line { direction, .. } | Shape::Cylinder { direction, .. } => {
                    let d = by.turn(direction);
                    sub(at, scale(d, dot(at, d)))
                }
                _ => at,
            };
            by.shift = sub(by.shift, back);
        }
        body.move_rigid(&by);
        body.facts.axes = Some([said(&self.up), said(&self.forward)]);
        Ok(told(&by).into())
    }
}

/// An axis as the body's facts keep it.
pub(super) fn said(axis: &Axis) -> String {
    axis.symbol().to_string()
}

/// What a motion does, in words.
pub(super) fn told(by: &Rigid) -> Sentence {
    let s = add(by.shift, [0.0; 3]);
    say![
        format!("Turned by {}°, then moved by ", crate::numbers::four_digits(by.angle())),
        bare(s[0]),
        ", ",
        bare(s[1]),
        ", ",
        bare(s[2]),
        "."
    ]
}
