//! Splats turned into plain points.

use super::crop_points::take;
use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use serde::{Deserialize, Serialize};

/// Keeps the middles of splats with their colours.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PointsOfSplats {
    /// Splats less opaque than this are left out, from 0 to 1.
    pub faint: f64,
}

impl Operation for PointsOfSplats {
    const NEEDS: Kinds = Kinds::Points;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Turn splats into points";
    const HELP: &'static str =
        "Keeps the middle of each splat as a point with its colour; what is hardly seen is left out.";

    fn title(&self) -> Sentence {
        "Splats to points".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new(
            "faint",
            "Leave out opacity below",
            Quantity::Number("", 0.0, 1.0),
            "splats that are hardly seen are no points of anything",
        )
        .or("0.3")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        seen.survey.points.splats.as_ref()?;
        Proposal::possible(PointsOfSplats { faint: 0.3 })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let cloud = body.cloud_mut().ok_or("The body has no points without facets.")?;
        if cloud.splats.is_empty() {
            return Err("The points of the body are no splats.".into());
        }
        let mut kept = cloud.keeping_those(|i| f64::from(cloud.splats[i].opacity) >= self.faint);
        kept.splats.clear();
        take(cloud, kept)
    }
}
