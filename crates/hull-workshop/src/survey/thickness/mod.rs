//! The thinnest wall, also where it is not thin against the size of the body.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::numbers::four_digits;
use crate::say;
use crate::sentence::length;
use hull_geometry::{Cancelled, Watch, walls};
use serde::{Deserialize, Serialize};

/// The thinnest wall.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Thickness {
    /// In the body's unit; `None` if every wall is thicker than `up_to`.
    pub thinnest: Option<f64>,
    /// Walls were looked for up to this thickness.
    pub up_to: f64,
}

/// The place of the thinnest wall.
pub const THINNEST: &KindDef = &KindDef { id: "thinnest_wall", words: "thinnest wall" };

/// Walls are looked for up to this part of the body's diagonal.
const UP_TO: f64 = 0.1;

impl Probe for Thickness {
    const COST: Cost = Cost::IfAsked;
    const PHRASE: &'static str = "looking for the thinnest wall";
    const KINDS: &'static [&'static KindDef] = &[THINNEST];
    const MEASURES: &'static [MeasureDef] =
        &[MeasureDef::of_facets("thinnest_wall", &[THINNEST], &["wrap"], |facts, survey| {
            let Thickness { thinnest, up_to } = survey.thickness;
            if facts.scale.is_none() {
                return Measured::not_yet("needs a unit");
            }
            let over = if thinnest.is_none() { "> " } else { "" };
            let shown = thinnest.unwrap_or(up_to);
            Measured { value: Some(shown), text: format!("{over}{} mm", four_digits(shown)) }
        })
        .unit(" mm")
        .words(|_| {
            vec![
            "From the middle of each facet through the body to the other side. Meaningful once the surface is closed \
                 and all facets face outward."
                .into(),
        ]
        })];

    fn look(cx: &Context, watch: &Watch) -> Result<(Thickness, Vec<Finding>), Cancelled> {
        let up_to = UP_TO * cx.diagonal;
        let [thin, _] = walls::walls_and_gaps(cx.mesh(), up_to, watch)?;
        let thinnest = thin.found.first().copied();
        let place = thinnest.map(|(facet, _, width)| {
            cx.at(THINNEST, facet, width, say!["wall ", length(width), " thick, the thinnest"])
        });
        Ok((Thickness { thinnest: thinnest.map(|t| t.2), up_to }, place.into_iter().collect()))
    }
}
