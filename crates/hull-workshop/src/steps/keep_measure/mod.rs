//! A measure kept under a name.

use crate::Body;
use crate::measures::{NamedMeasure, Ruler, What};
use crate::say;
use crate::sentence::Sentence;
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
    /// As many as it takes: see [`What::places`].
    #[serde(default)]
    pub places: Vec<Point>,
    /// The other body of the project that a clearance is to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// At least.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_least: Option<f64>,
    /// At most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_most: Option<f64>,
}

const WHAT: Quantity = Quantity::Choice(&[
    ("distance", "distance"),
    ("thickness", "thickness"),
    ("angle", "angle"),
    ("radius", "radius"),
    ("section_area", "area of a section"),
    ("section_perimeter", "perimeter of a section"),
    ("clearance", "clearance to another body"),
]);
/// Of lengths, angles and areas.
const VALUE: Quantity = Quantity::Number("", 0.0, 1e18);

impl Operation for KeepMeasure {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Keep the measure";
    const HELP: &'static str = "Keeps a distance, an angle, a radius, a wall's thickness, a section's area or perimeter or \
                                the clearance to another body under a name. It follows the body and is measured again after every step, a clearance also when the other body changes; with a least or largest value it is a row of the sheet.";

    fn title(&self) -> Sentence {
        format!("Keep {} “{}”", self.what.word(), self.name.trim()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("what", "Keep a", WHAT, "what is measured: a section is that of the plane through the first place, across the way to the second").or("distance"),
            Field::new("name", "called", Quantity::Text(1, 80), "its name").or("measure"),
            Field::new("places", "at", Quantity::Places, "two places for a distance or a section, one for a thickness, three for an angle (the corner second) or a radius, none for a clearance").optional(),
            Field::new("to", "to the body", Quantity::Text(1, 80), "the other body of the project that a clearance is to; it is measured again when either changes; “*” stands for any letters").optional(),
            Field::new("at_least", "at least", VALUE, "less is not met, in mm, ° or mm²; left empty, nothing is asked").optional(),
            Field::new("at_most", "at most", VALUE, "more is not met; left empty, nothing is asked").optional(),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let name = self.name.trim().to_string();
        if self.places.len() != self.what.places() {
            let n = self.what.places();
            return Err(
                format!("A {} takes {}: x, y, z.", self.what.word(), crate::numbers::counted(n, "place")).into()
            );
        }
        if matches!((self.at_least, self.at_most), (Some(a), Some(b)) if a > b) {
            return Err("The least value is above the largest one.".into());
        }
        let to = self.to.as_deref().map(str::trim).filter(|to| !to.is_empty());
        if (self.what == What::Clearance) != to.is_some() {
            return Err("A clearance is to another body of the project, and nothing else is: name that body.".into());
        }
        let (what, places, to) = (self.what, self.places.clone(), to.map(String::from));
        let mut kept = NamedMeasure { name, what, places, to, at_least: self.at_least, at_most: self.at_most };
        let Some((value, [from, to])) = Ruler::of(body).measure(&kept) else {
            return Err(match self.what {
                What::Distance => "One of the places is not on the body: click places of its surface.".into(),
                What::Angle | What::Radius => {
                    "The places are not on the body, or they lie on a line or on each other: click others.".into()
                }
                What::SectionArea | What::SectionPerimeter => {
                    "The plane does not meet the body, or its outlines are open: choose another one.".into()
                }
                What::Clearance => format!("It cannot be measured: {}.", kept.why_not()).into(),
                What::Thickness => {
                    "There is no wall at this place: click the outside of a body that is closed and faces outward."
                        .into()
                }
            });
        };
        // Where they are on the body, not where somebody clicked beside it.
        match what {
            What::Distance => kept.places = vec![from, to],
            What::Thickness => kept.places = vec![from],
            _ => {}
        }
        let asked = match kept.is_asked() {
            false => "",
            true if kept.is_met(value) => ", as asked",
            true => ", not as asked",
        };
        let told = say![format!("“{}”: ", kept.name), what.said(value), asked, "."];
        body.facts.measures.retain(|m| m.row() != kept.row());
        body.facts.measures.push(kept);
        Ok(told.into())
    }
}
