//! A measure kept under a name.

use crate::Body;
use crate::measures::{NamedMeasure, Ruler, What};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Keeps a measure; one of that name is replaced.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct KeepMeasure {
    /// Its name.
    pub name: String,
    /// What is measured.
    #[serde(default)]
    pub what: What,
    /// Two places for a distance, one for a thickness.
    pub places: Vec<Point>,
    /// At least.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_least: Option<f64>,
    /// At most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_most: Option<f64>,
}

impl Operation for KeepMeasure {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Keep the measure";
    const HELP: &'static str = "Keeps a distance or a wall's thickness under a name. It follows the body and is measured \
                                again after every step; with a least or largest value it is a row of the sheet.";

    fn title(&self) -> Sentence {
        format!("Keep {} “{}”", self.what.word(), self.name.trim()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("what", "Keep a", Quantity::Choice(&[("distance", "distance"), ("thickness", "thickness")]), "between two places, or through the wall at one").or("distance"),
            Field::new("name", "called", Quantity::Text(1, 80), "its name").or("measure"),
            Field::new("places", "at", Quantity::Places, "two places for a distance, one for a thickness"),
            Field::new("at_least", "at least", Quantity::Length, "less is not met; left empty, nothing is asked").optional(),
            Field::new("at_most", "at most", Quantity::Length, "more is not met; left empty, nothing is asked").optional(),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let name = self.name.trim().to_string();
        if self.places.len() != self.what.places() {
            let n = self.what.places();
            return Err(format!("A {} takes {}: x, y, z.", self.what.word(), crate::numbers::counted(n, "place")).into());
        }
        if matches!((self.at_least, self.at_most), (Some(a), Some(b)) if a > b) {
            return Err("The least value is above the largest one.".into());
        }
        let (what, places) = (self.what, self.places.clone());
        let mut kept = NamedMeasure { name, what, places, at_least: self.at_least, at_most: self.at_most };
        let Some((value, [from, to])) = Ruler::of(body).measure(&kept) else {
            return Err(match self.what {
                What::Distance => "One of the places is not on the body: click places of its surface.".into(),
                What::Thickness => {
                    "There is no wall at this place: click the outside of a body that is closed and faces outward.".into()
                }
            });
        };
        // Where they are on the body, not where somebody clicked beside it.
        kept.places = if what == What::Distance { vec![from, to] } else { vec![from] };
        let asked = match kept.is_asked() {
            false => "",
            true if kept.is_met(value) => ", as asked",
            true => ", not as asked",
        };
        let told = say![format!("“{}”: ", kept.name), length(value), asked, "."];
        body.facts.measures.retain(|m| m.row() != kept.row());
        body.facts.measures.push(kept);
        Ok(told.into())
    }
}
