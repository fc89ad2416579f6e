//! Round edges: rims of bores and ends of pipes, whose diameters say in which unit a file was made.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Probe};
use hull_fitting::{Kind, Shape, fit};
use hull_geometry::sharp_loops::sharp_loops;
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};

/// Diameters of round edges.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct RoundEdges {
    /// Each once, with how often it is there, the most frequent first; in the body's unit.
    pub diameters: Vec<(f64, usize)>,
}

/// Edges turn by more than this, in degrees.
const SHARP: f64 = 40.0;
/// A polygon of fewer corners is no circle that somebody meant.
const CORNERS: usize = 12;
/// Corners of a circle lie on it to this part of its radius: single precision, and no more.
const WITHIN: f64 = 2e-5;
/// Loops that are looked at, and facets of a surface that is.
const MOST: usize = 2_000;
const MOST_FACETS: usize = 2_000_000;
/// Diameters that are kept.
const KEPT: usize = 24;

impl Probe for RoundEdges {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "looking for round edges";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[];
    // They are evidence for a unit that is still to be set: what was surveyed before has no need of them.
    const NOTHING_BEFORE: bool = true;

    fn look(cx: &Context, watch: &Watch) -> Result<(RoundEdges, Vec<Finding>), Cancelled> {
        if cx.mesh().triangles.len() > MOST_FACETS {
            return Ok((RoundEdges::default(), Vec::new()));
        }
        let mut all: Vec<f64> = Vec::new();
        let loops = sharp_loops(cx.mesh(), SHARP);
        for points in loops.iter().filter(|l| l.len() >= CORNERS).take(MOST) {
            watch.check()?;
            let places: Vec<_> = points.iter().map(|p| cx.mesh().points[*p]).collect();
            let Ok(found) = fit(Kind::Circle, &places, &[], watch) else { continue };
            if let Shape::Circle { radius, .. } = found.shape
                && found.largest <= WITHIN * radius
            {
                all.push(2.0 * radius);
            }
        }
        all.sort_by(f64::total_cmp);
        let mut diameters: Vec<(f64, usize)> = Vec::new();
        for d in all {
            match diameters.last_mut() {
                Some((known, count)) if d - *known <= 1e-4 * d => *count += 1,
                _ => diameters.push((d, 1)),
            }
        }
        diameters.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.total_cmp(&b.0)));
        diameters.truncate(KEPT);
        Ok((RoundEdges { diameters }, Vec::new()))
    }
}
