//! Points without facets: how many, how close, and what is said of each.

mod neighbours;

pub use neighbours::Neighbours;

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::numbers::{count, counted, four_digits};
use crate::say;
use crate::sentence::length;
use hull_geometry::cloud::Cloud;
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};

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
    /// The distance to the fifth nearest other point from which a point stands alone: [`ALONE`] times the median; `None` for
    /// too few.
    #[serde(default)]
    pub lone_beyond: Option<f64>,
    /// How many stand alone, of those that were looked at.
    #[serde(default)]
    pub lone: usize,
    /// How many were looked at.
    #[serde(default)]
    pub looked_at: usize,
    /// What a capture's ellipsoids are like.
    #[serde(default)]
    pub splats: Option<SplatFigures>,
}

/// The ellipsoids of a capture in figures.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct SplatFigures {
    /// Less opaque than [`FAINT`].
    pub faint: usize,
    /// The median of the longest standard deviations.
    pub size: f64,
    /// A longest standard deviation from which a splat is far too large: [`LARGE`] times the median.
    pub large_beyond: f64,
    /// How many are larger.
    pub large: usize,
}

/// A splat that adds less than this to what is behind it is hardly seen.
pub const FAINT: f32 = 0.05;
/// Times the median size.
pub const LARGE: f64 = 20.0;
/// Times the median distance to the fifth neighbour.
pub const ALONE: f64 = 6.0;
/// Up to so many points each one is looked at, beyond that as many evenly.
const EACH: usize = 300_000;

/// The spacing is the median over so many points at most, taken evenly.
const SAMPLE: usize = 20_000;

impl Probe for Points {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring points";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("points", &[], REMEDIES, |_, survey| Measured::count(survey.points.points))
            .of_any()
            .words(|seen| {
                let p = &seen.survey.points;
                let columns = match (p.coloured, p.facing) {
                    (true, true) => ", with colours and directions",
                    (true, false) => ", with colours",
                    (false, true) => ", with directions",
                    (false, false) => "",
                };
                let noun = if p.splats.is_some() { "splat" } else { "point" };
                let mut out = vec![format!("{}{columns}.", counted(p.points, noun)).into()];
                if let (Some(far), true) = (p.lone_beyond, p.lone > 0) {
                    let of = if p.looked_at < p.points {
                        format!(" of {} looked at", count(p.looked_at))
                    } else {
                        String::new()
                    };
                    let lone = format!("{}{of} stand alone, further than ", count(p.lone));
                    out.push(say![lone, length(far), " from the fifth nearest other."]);
                }
                if let Some(s) = &p.splats {
                    out.push(say![
                        format!("{} fainter than {FAINT}; half are larger than ", count(s.faint)),
                        length(s.size),
                        format!(" (standard deviation), {} larger than ", count(s.large)),
                        length(s.large_beyond),
                        "."
                    ]);
                }
                out
            }),
        MeasureDef::of_facets("point_spacing", &[], &[], |facts, survey| match survey.points.spacing {
            Some(_) if facts.scale.is_none() => Measured::not_yet("needs a unit"),
            Some(spacing) => Measured { value: Some(spacing), text: format!("{} mm", four_digits(spacing)) },
            None => Measured::not_yet("no points"),
        })
        .of_any()
        .unit(" mm")
        .words(|seen| match seen.survey.points.spacing {
            Some(spacing) => {
                vec![say!["Half of the points have their nearest neighbour closer than ", length(spacing), "."]]
            }
            None => Vec::new(),
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Points, Vec<Finding>), Cancelled> {
        let Some(cloud) = cx.body.cloud() else { return Ok((Points::default(), Vec::new())) };
        let near = Neighbours::of(&cloud.points, watch)?;
        let spacing = near.spacing(SAMPLE, watch)?;
        let mut far = near.fifth(cloud.points.len().div_ceil(EACH).max(1), watch)?;
        let looked_at = far.len();
        far.sort_by(f64::total_cmp);
        let lone_beyond = far.get(looked_at / 2).map(|m| ALONE * m).filter(|d| *d > 0.0 && d.is_finite());
        let lone = lone_beyond.map_or(0, |d| looked_at - far.partition_point(|x| *x <= d));
        let points = Points {
            points: cloud.points.len(),
            coloured: !cloud.colours.is_empty(),
            facing: !cloud.normals.is_empty(),
            spacing,
            lone_beyond,
            lone,
            looked_at,
            splats: splat_figures(cloud),
        };
        Ok((points, Vec::new()))
    }
}

fn splat_figures(cloud: &Cloud) -> Option<SplatFigures> {
    let mut sizes: Vec<f64> = cloud.splats.iter().map(|s| f64::from(s.size())).collect();
    sizes.sort_by(f64::total_cmp);
    let size = *sizes.get(sizes.len() / 2)?;
    let large_beyond = LARGE * size;
    Some(SplatFigures {
        faint: cloud.splats.iter().filter(|s| s.opacity < FAINT).count(),
        size,
        large_beyond,
        large: sizes.len() - sizes.partition_point(|s| *s <= large_beyond),
    })
}

/// Steps for points, in the order in which they are offered.
const REMEDIES: &[&str] = &["crop_points", "drop_outliers", "level_floor", "points_of_splats", "surface_of_points"];
