//! The shortest edges of the shape against the size of the facets around.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::numbers::four_digits;
use crate::say;
use crate::sentence::length;
use hull_geometry::regions::Regions;
use hull_geometry::vector::distance;
use hull_geometry::{Cancelled, Point, PointId, Watch};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use typed_index_collections::TiSlice;

/// Feature edges (between facets that turn by 30° and more) run between corners, where other than two of them meet.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Features {
    /// Length of the shortest run between two corners; `None` where there are no corners.
    pub shortest: Option<f64>,
    /// Side of an equilateral triangle of the mean area of a facet.
    pub facet_size: f64,
}

/// A run of feature edges that is short against the facets.
pub const SHORT_FEATURE: &KindDef = &KindDef { id: "smallest_feature", words: "small feature" };

/// Degrees between facets from which their edge is one of the shape.
const FEATURE_ANGLE: f64 = 30.0;
/// Runs shorter than this part of a facet's size are places.
const SMALL: f64 = 0.5;

impl Probe for Features {
    const COST: Cost = Cost::IfAsked;
    const PHRASE: &'static str = "measuring the edges of the shape";
    const KINDS: &'static [&'static KindDef] = &[SHORT_FEATURE];
    const MEASURES: &'static [MeasureDef] = &[MeasureDef::of_facets(
        "smallest_feature",
        &[SHORT_FEATURE],
        &["mend_thin", "drop_bumps", "remove_features"],
        |_, survey| match survey.features.shortest {
            Some(shortest) => {
                let ratio = shortest / survey.features.facet_size.max(f64::MIN_POSITIVE);
                Measured { value: Some(ratio), text: format!("× {}", four_digits(ratio)) }
            }
            None => Measured { value: Some(f64::INFINITY), text: "none".into() },
        },
    )
    .words(|seen| match seen.survey.features.shortest {
        Some(shortest) => vec![say![
            "The shortest edge between two corners of the shape is ",
            length(shortest),
            " long; a facet's side is ",
            length(seen.survey.features.facet_size),
            " on average."
        ]],
        None => vec!["The shape has no corners between which an edge could be short.".into()],
    })];

    fn look(cx: &Context, watch: &Watch) -> Result<(Features, Vec<Finding>), Cancelled> {
        let edges = Regions::new(cx.mesh()).outlines(FEATURE_ANGLE, |_, _| false);
        watch.check()?;
        let mut runs = runs(&cx.mesh().points, &edges);
        runs.sort_by(|a, b| a.1.total_cmp(&b.1));
        let facets = cx.mesh().triangles.len().max(1) as f64;
        let area: f64 = cx.per_shell().iter().map(|g| g.area).sum();
        let facet_size = (4.0 / 3.0_f64.sqrt() * area / facets).sqrt();
        let small = runs.iter().take_while(|r| r.1 < SMALL * facet_size).take(PLACES);
        let places = small
            .map(|(p, long)| cx.point(SHORT_FEATURE, *p, *long, say!["edge of the shape ", length(*long), " long"]))
            .collect();
        Ok((Features { shortest: runs.first().map(|r| r.1), facet_size }, places))
    }
}

/// Runs of edges between corners: one of each run's ends, and its length. Rings without a corner are none.
fn runs(points: &TiSlice<PointId, Point>, edges: &[[PointId; 2]]) -> Vec<(PointId, f64)> {
    let mut at: BTreeMap<PointId, Vec<PointId>> = BTreeMap::new();
    for [a, b] in edges {
        at.entry(*a).or_default().push(*b);
        at.entry(*b).or_default().push(*a);
    }
    let is_corner = |p: PointId| at[&p].len() != 2;
    let mut out = Vec::new();
    for (&corner, ways) in at.iter().filter(|(p, _)| is_corner(**p)) {
        for &next in ways {
            let (mut before, mut here) = (corner, next);
            let mut long = distance(points[corner], points[next]);
            while !is_corner(here) {
                let after = if at[&here][0] == before { at[&here][1] } else { at[&here][0] };
                long += distance(points[here], points[after]);
                (before, here) = (here, after);
            }
            // Each run is walked from both of its ends.
            if corner <= here {
                out.push((corner, long));
            }
        }
    }
    out
}
