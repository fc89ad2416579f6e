//! Points without facets: how many, how close, and what is said of each.

use super::{Context, Cost, Finding, KindDef, Measured, MeasureDef, Probe};
use crate::numbers::{counted, short};
use crate::say;
use crate::sentence::length;
use hull_geometry::{Cancelled, Point, Watch};
use kiddo::{ImmutableKdTree, SquaredEuclidean};
use serde::{Deserialize, Serialize};
use std::num::NonZero;

/// A cloud in figures.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Points {
    /// How many.
    pub points: usize,
    /// Whether they have colours.
    pub coloured: bool,
    /// Whether they have directions.
    pub facing: bool,
    /// The median distance from a point to the one nearest to it; `None` for fewer than two.
    pub spacing: Option<f64>,
}

/// The spacing is the median over so many points at most, taken evenly.
const SAMPLE: usize = 20_000;

impl Probe for Points {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring points";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("points", &[], &["crop_points"], |_, survey| Measured::count(survey.points.points))
            .of_any()
            .words(|seen| {
                let p = &seen.survey.points;
                let columns = match (p.coloured, p.facing) {
                    (true, true) => ", with colours and directions",
                    (true, false) => ", with colours",
                    (false, true) => ", with directions",
                    (false, false) => "",
                };
                vec![format!("{}{columns}.", counted(p.points, "point")).into()]
            }),
        MeasureDef::of_facets("point_spacing", &[], &[], |facts, survey| match survey.points.spacing {
            Some(_) if facts.scale.is_none() => Measured::not_yet("needs a unit"),
            Some(spacing) => Measured { value: Some(spacing), text: format!("{} mm", short(spacing)) },
            None => Measured::not_yet("no points"),
        })
        .of_any()
        .unit(" mm")
        .words(|seen| match seen.survey.points.spacing {
            Some(spacing) => vec![say![
                "Half of the points have their nearest neighbour closer than ",
                length(spacing),
                "."
            ]],
            None => Vec::new(),
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Points, Vec<Finding>), Cancelled> {
        let Some(cloud) = cx.body.cloud() else { return Ok((Points::default(), Vec::new())) };
        let spacing = spacing(&cloud.points, watch)?;
        let (coloured, facing) = (!cloud.colours.is_empty(), !cloud.normals.is_empty());
        Ok((Points { points: cloud.points.len(), coloured, facing, spacing }, Vec::new()))
    }
}

fn spacing(points: &[Point], watch: &Watch) -> Result<Option<f64>, Cancelled> {
    if points.len() < 2 {
        return Ok(None);
    }
    let tree: ImmutableKdTree<f64, 3> = ImmutableKdTree::new_from_slice(points);
    watch.check()?;
    let two = NonZero::new(2).unwrap_or(NonZero::<usize>::MIN);
    let every = points.len().div_ceil(SAMPLE);
    // The nearest of all is the point itself, or one that lies on it.
    let nearest = |p: &Point| tree.nearest_n::<SquaredEuclidean>(p, two).last().map(|n| n.distance.sqrt());
    let mut far: Vec<f64> = points.iter().step_by(every).filter_map(nearest).collect();
    far.sort_by(f64::total_cmp);
    Ok(far.get(far.len() / 2).copied())
}
