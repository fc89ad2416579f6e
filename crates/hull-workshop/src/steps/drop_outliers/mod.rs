//! Points that stand alone, and splats that are faint or far too large.

use super::crop_points::take;
use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use crate::survey::points::Neighbours;
use serde::{Deserialize, Serialize};

/// Takes away the points of which any of these holds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropOutliers {
    /// Further than this from the fifth nearest other point.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub apart: Option<f64>,
    /// Splats less opaque than this, from 0 to 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub faint: Option<f64>,
    /// Splats with a standard deviation longer than this.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub large: Option<f64>,
}

impl Operation for DropOutliers {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Drop outliers";
    const HELP: &'static str = "Takes away points and splats that stand alone (the fifth nearest neighbour is further off), and \
                                splats that are fainter or larger than is said. The preview tells how many.";

    fn title(&self) -> Sentence {
        "Drop outliers".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("apart", "Fifth neighbour further than", Quantity::Length, "points that stand alone").optional(),
            Field::new("faint", "opacity below", Quantity::Number("", 0.0, 1.0), "splats that are hardly seen, 0 to 1")
                .optional(),
            Field::new("large", "standard deviation above", Quantity::Length, "splats that are far too large")
                .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let p = &seen.survey.points;
        let apart = p.lone_beyond?;
        let splats = p.splats.is_some();
        let step = DropOutliers {
            apart: Some(apart),
            faint: splats.then_some(0.05),
            large: p.splats.as_ref().map(|s| s.large_beyond),
        };
        Proposal::possible(step)
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let cloud = body.cloud_mut().ok_or("The body has no points without facets.")?;
        if (self.faint.is_some() || self.large.is_some()) && cloud.splats.is_empty() {
            return Err("Opacity and standard deviation are of splats; the body has points. Leave them out.".into());
        }
        if self.apart.is_none() && self.faint.is_none() && self.large.is_none() {
            return Err("Say at least one of the three: what stands alone, is faint, or is large.".into());
        }
        let far = match self.apart {
            Some(_) => Neighbours::of(&cloud.points, at.watch)?.fifth(1, at.watch)?,
            None => Vec::new(),
        };
        let goes = |i: usize| {
            let splat = cloud.splats.get(i);
            self.apart.is_some_and(|d| far[i] > d)
                || splat.is_some_and(|s| self.faint.is_some_and(|o| f64::from(s.opacity) < o))
                || splat.is_some_and(|s| self.large.is_some_and(|l| f64::from(s.size()) > l))
        };
        let kept = cloud.keeping_those(|i| !goes(i));
        take(cloud, kept)
    }
}
