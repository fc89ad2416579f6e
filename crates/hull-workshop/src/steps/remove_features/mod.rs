//! Exact holes, pockets and raised features taken away.

use crate::Body;
use crate::exact::{Exact, kept, old_numbers, renew};
use crate::numbers::counted;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::edit::{Feature, features, without_features};
use hull_exact::model::PartId;
use hull_exact::shape::FaceId;
use hull_geometry::Cancelled;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use typed_index_collections::TiVec;

/// Takes exact holes, pockets and raised features away whose diameter is at most `up_to`; the body stays exact.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RemoveFeatures {
    /// The widest that goes.
    pub up_to: f64,
}

impl Operation for RemoveFeatures {
    const NEEDS: Kinds = Kinds::Exact;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Remove features";
    const HELP: &'static str = "Takes holes, pockets and raised features up to a diameter away; the rest stays exact.";

    fn title(&self) -> Sentence {
        say!["Remove holes up to ", length(self.up_to)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("up_to", "Diameter up to", Quantity::Length, "features this wide or narrower go")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let narrowest = seen.facts.exact.as_ref()?.features.last()?.0;
        Proposal::possible(RemoveFeatures { up_to: seen.limit(narrowest) })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (exact, facts) = kept(body).ok_or("The body has no exact geometry.")?;
        let limit = self.up_to / exact.placed.scale;
        let (mut gone, mut walls) = (0, 0);
        let mut left: TiVec<PartId, Vec<FaceId>> = TiVec::new();
        let model = exact.model.with_parts(|part| {
            at.watch.check()?;
            let small: Vec<Feature> = features(&part.shape).into_iter().filter(|f| f.diameter <= limit).collect();
            gone += small.len();
            walls += small.iter().map(|f| f.walls.len()).sum::<usize>();
            let of_part: BTreeSet<FaceId> = small.iter().flat_map(|f| f.walls.iter().copied()).collect();
            left.push(part.shape.faces.keys().filter(|f| !of_part.contains(f)).collect());
            Ok::<_, Cancelled>(hull_exact::model::Part { shape: without_features(&part.shape, &small), ..part.clone() })
        })?;
        if gone == 0 {
            return Err(say!["No hole, pocket or raised feature is ", length(self.up_to), " wide or less."].into());
        }
        let old = old_numbers(&exact.model, &left);
        renew(body, Exact { model, ..exact }, facts, |f| old.get(f as usize).copied(), at.watch)?;
        let sentence =
            format!("{} taken away with {}; the rest stays exact.", counted(gone, "feature"), counted(walls, "face"));
        Ok(sentence.into())
    }
}
