//! The thinnest facet.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::numbers::four_digits;
use hull_geometry::mesh::Bounds;
use hull_geometry::{Cancelled, Watch, measure};
use serde::{Deserialize, Serialize};

/// The shortest edge and the smallest angle.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Quality {
    /// In the body's unit.
    pub smallest_edge: Option<f64>,
    /// Degrees.
    pub smallest_angle: Option<f64>,
}

/// The facet with the smallest angle.
pub const SMALLEST_ANGLE: &KindDef = &KindDef { id: "smallest_angle", words: "smallest angle" };

impl Probe for Quality {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "looking for the thinnest facet";
    const KINDS: &'static [&'static KindDef] = &[SMALLEST_ANGLE];
    const MEASURES: &'static [MeasureDef] = &[MeasureDef::of_facets(
        "smallest_angle",
        &[SMALLEST_ANGLE],
        &["mend_thin", "coarsen"],
        |_, survey| match survey.quality.smallest_angle {
            Some(angle) => Measured { value: Some(angle), text: format!("{}°", four_digits(angle)) },
            None => Measured::not_yet("no facets"),
        },
    )
    .unit("°")
    .words(|_| vec!["The thinnest facet of the body.".into()])];

    fn look(cx: &Context, _: &Watch) -> Result<(Quality, Vec<Finding>), Cancelled> {
        let (edge, angle) = measure::shortest_edge_and_smallest_angle(cx.mesh(), &cx.topology.shell_of);
        let place = angle.map(|(angle, f)| {
            let radius = Bounds::of(cx.mesh().corners(f)).diagonal() / 2.0;
            cx.at(SMALLEST_ANGLE, f, radius, format!("the smallest angle, {}°", four_digits(angle)).into())
        });
        let figures = Quality { smallest_edge: edge.map(|e| e.0), smallest_angle: angle.map(|a| a.0) };
        Ok((figures, place.into_iter().collect()))
    }
}
