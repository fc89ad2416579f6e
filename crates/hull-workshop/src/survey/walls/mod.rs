//! Thin walls and narrow gaps.

use super::measure::under;
use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Seen};
use crate::numbers::counted;
use crate::say;
use crate::sentence::length;
use hull_geometry::{Cancelled, FacetId, Watch, walls};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Walls and gaps thinner than a part of the size.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Walls {
    /// Facets whose wall is thinner than `thin`; the thinnest.
    pub thin_walls: Seen,
    /// Facets in front of which a gap is narrower than `thin`; the narrowest.
    pub narrow_gaps: Seen,
    /// The size under which walls and gaps are told.
    pub thin: f64,
}

/// A wall that is thin.
pub const THIN: &KindDef = &KindDef { id: "thin_walls", words: "thin wall" };
/// A gap that is narrow.
pub const NARROW: &KindDef = &KindDef { id: "narrow_gaps", words: "narrow gap" };

/// Walls and gaps are looked for under this part of the body's diagonal.
const THIN_PART: f64 = 1.0 / 200.0;

impl Probe for Walls {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "measuring walls and gaps";
    const KINDS: &'static [&'static KindDef] = &[THIN, NARROW];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("thin_walls", &[THIN], &[], |facts, s| Measured::worst(s.walls.thin_walls, facts)).words(
            |seen| {
                vec![under(
                    "From the middle of each facet through the body to the other side, under ",
                    seen.survey.walls.thin,
                    ". Meaningful once all facets face outward.",
                )]
            },
        ),
        MeasureDef::of_facets("narrow_gaps", &[NARROW], &[], |facts, s| Measured::worst(s.walls.narrow_gaps, facts))
            .words(|seen| {
                vec![under(
                    "From the middle of each facet through the air to the next, under ",
                    seen.survey.walls.thin,
                    ".",
                )]
            }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Walls, Vec<Finding>), Cancelled> {
        let limit = THIN_PART * cx.diagonal;
        let [thin, gaps] = walls::walls_and_gaps(cx.mesh(), limit, watch)?;
        let seen = |near: &walls::Near| Seen {
            count: near.found.len() * near.every,
            size: near.found.first().map_or(0.0, |f| f.2),
        };
        let mut found = Vec::new();
        for (near, kind, what) in [(&thin, THIN, "wall "), (&gaps, NARROW, "gap ")] {
            let width: BTreeMap<FacetId, f64> = near.found.iter().map(|f| (f.0, f.2)).collect();
            let facets: Vec<FacetId> = width.keys().copied().collect();
            for group in cx.groups(&facets).into_iter().take(PLACES) {
                let least = group.iter().copied().min_by(|a, b| width[a].total_cmp(&width[b])).unwrap_or(group[0]);
                let text = say![what, length(width[&least]), format!(" wide, {}", counted(group.len(), "facet"))];
                found.push(cx.at(kind, least, cx.radius(&group), text));
            }
        }
        Ok((Walls { thin_walls: seen(&thin), narrow_gaps: seen(&gaps), thin: limit }, found))
    }
}
