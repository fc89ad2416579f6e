//! Moves the body to a place.

use crate::Body;
use crate::say;
use crate::sentence::{Sentence, bare};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::{Frame, Motion};
use hull_geometry::cloud::Cloud;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{add, sub};
use hull_geometry::{Cancelled, Point, Watch, measure, transform};
use serde::{Deserialize, Serialize};

/// Which point of the body is put somewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Anchor {
    /// The corner of the box with the smallest coordinates.
    MinimumCorner,
    /// The middle of the box.
    Centre,
    /// The centre of the enclosed volume, or of the area if the surface is open.
    Centroid,
    /// The origin of the body's own coordinates: `at` is a plain translation.
    Origin,
}

/// Moves the body so that its anchor comes to `at`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Place {
    /// The point that is put there.
    pub anchor: Anchor,
    /// Where it is put.
    pub at: Point,
}

const ANCHORS: Quantity = Quantity::Choice(&[
    ("minimum_corner", "minimum corner"),
    ("centre", "centre"),
    ("centroid", "centroid"),
    ("origin", "origin, moved by"),
]);

impl Operation for Place {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Move";
    const HELP: &'static str = "Moves the whole body so that one of its points comes to a place.";

    fn title(&self) -> Sentence {
        "Place".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("anchor", "Put the", ANCHORS, "the point of the body that is put there").or("minimum_corner"),
            Field::new("at", "at", Quantity::Place, "x, y and z of the place").or("0, 0, 0"),
        ];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(Place { anchor: Anchor::MinimumCorner, at: [0.0; 3] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let by = sub(self.at, anchored(body, self.anchor)?);
        transform::translate(&mut body.mesh, by);
        body.move_exact(Motion { frame: Frame { origin: by, ..Frame::WORLD }, scale: 1.0 });
        body.facts.moved = add(body.facts.moved, by);
        Ok(say!["Moved by ", bare(by[0]), ", ", bare(by[1]), ", ", bare(by[2]), "."].into())
    }
}

fn anchored(body: &Body, anchor: Anchor) -> Result<Point, Cancelled> {
    let bounds = body.bounds();
    Ok(match anchor {
        Anchor::MinimumCorner => bounds.min,
        Anchor::Centre => bounds.centre(),
        Anchor::Centroid if !body.has_surface() => body.cloud().map_or(bounds.centre(), Cloud::mean),
        Anchor::Centroid => {
            let mass = measure::mass(&body.mesh, &bounds);
            let closed = Topology::of(&body.mesh, &Watch::default())?.is_closed() && mass.volume != 0.0;
            if closed { mass.centroid } else { measure::area_centroid(&body.mesh) }
        }
        Anchor::Origin => [0.0; 3],
    })
}
