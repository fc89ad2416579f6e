//! Facets made again from exact geometry.

use crate::Body;
use crate::exact::{ExactFacts, facets_sentence, kept, put, renew};
use crate::exact_facts::in_file_unit;
use crate::face_names::FaceNames;
use crate::numbers::{count, four_digits};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::fineness::Fineness;
use serde::{Deserialize, Serialize};

/// Facets that are made at most, as far as it can be told beforehand.
const MOST: f64 = 2e7;
/// The finest deviation, as a part of the size: a sphere of the whole size has about a million facets then.
const FINEST: f64 = 1e-6;

/// Refuses what would make more facets than there is room for: by the area that facets of the longest side cover, and by
/// how fine the deviation is for the size.
fn bounded(fineness: &Fineness, size: f64, area: f64) -> Result<(), Refusal> {
    if fineness.deviation < FINEST * size {
        let least = length(FINEST * size);
        return Err(say!["The deviation is finer than a millionth of the size: ", least, " is the least here."].into());
    }
    // An even-sided triangle of side s has the area 0.433 s².
    let Some(side) = fineness.largest.filter(|s| area > 0.433 * s * s * MOST) else { return Ok(()) };
    let least = length((area / (0.433 * MOST)).sqrt());
    let many = count((area / (0.433 * side * side)).min(1e15) as usize);
    Err(say![format!("Sides that short would make about {many} facets; the longest side must be "), least, " or more."]
        .into())
}

/// Makes the facets again from the exact geometry.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Facet {
    /// How fine they are; lengths in the body's unit.
    pub fineness: Fineness,
}

impl Operation for Facet {
    const NEEDS: Kinds = Kinds::Exact;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Make";
    const HELP: &'static str = "Makes the facets again from the exact geometry, within a deviation and about an angle.";

    fn title(&self) -> Sentence {
        say!["Facets at ", length(self.fineness.deviation), format!(", {}°", four_digits(self.fineness.angle))]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "fineness.deviation",
                "The deviation",
                Quantity::Length,
                "no point of the exact surface is further from its facet than this",
            ),
            Field::new(
                "fineness.angle",
                "The angle",
                Quantity::Angle(0.01, 180.0),
                "neighbouring facets turn by about this much at most, where the deviation does not bind",
            ),
            Field::new(
                "fineness.largest",
                "The longest side",
                Quantity::Length,
                "no side of a facet is longer than this",
            )
            .optional(),
            Field::new(
                "fineness.smallest",
                "The shortest side",
                Quantity::Length,
                "sides shorter than this are not made for the sake of the angle",
            )
            .optional(),
            Field::new(
                "fineness.even",
                "Even",
                Quantity::Flag,
                "no slivers where a face bends both ways, or where a longest side is asked",
            ),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(Facet { fineness: seen.facts.exact.as_ref()?.fineness })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let fineness = self.fineness;
        let (exact, facts) = kept(body).ok_or("The body has no exact geometry.")?;
        bounded(&fineness, body.bounds().diagonal(), facts.figures.area * exact.placed.scale.powi(2))?;
        if fineness.even != facts.fineness.even {
            // What other finenesses make is another matter then.
            renew(body, exact, ExactFacts { fineness, ..facts }, Some, at.watch)?;
            return Ok(facets_sentence(body).into());
        }
        at.watch.report(0.1, "making facets")?;
        let asked = in_file_unit(&fineness, exact.placed.scale);
        let made = exact.model.facets(&asked, facts.reader, &exact.placed, at.watch)?;
        let names = FaceNames::of(body);
        put(body, exact, ExactFacts { fineness, ..facts }, made);
        names.give_back(body, Some);
        Ok(facets_sentence(body).into())
    }
}
