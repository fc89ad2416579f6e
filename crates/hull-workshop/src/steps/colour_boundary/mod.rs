//! A boundary's colour in the view.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::set_role::number_of;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// The colours of the view in their order, plain ones and then hatched ones.
pub const COLOURS: &[(&str, &str)] = &[
    ("teal", "teal"),
    ("ochre", "ochre"),
    ("reed", "pale green"),
    ("mauve", "mauve"),
    ("olive", "olive"),
    ("slate", "slate blue"),
    ("teal-hatched", "teal, hatched"),
    ("ochre-hatched", "ochre, hatched"),
    ("reed-hatched", "pale green, hatched"),
    ("mauve-hatched", "mauve, hatched"),
    ("olive-hatched", "olive, hatched"),
    ("slate-hatched", "slate blue, hatched"),
];

/// Colours a boundary.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ColourBoundary {
    /// The boundary.
    pub name: String,
    /// One of [`COLOURS`].
    pub colour: String,
}

impl Operation for ColourBoundary {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Colour it";
    const HELP: &'static str = "Chooses the colour in which the view shows a boundary.";

    fn title(&self) -> Sentence {
        format!("“{}” in {}", self.name, self.colour).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Name", Quantity::Text(1, 80), "the boundary"),
            Field::new("colour", "Colour", Quantity::Choice(COLOURS), "its colour in the view"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let number = number_of(body, &self.name)?;
        let colour = COLOURS.iter().position(|c| c.0 == self.colour);
        body.facts.boundaries[number as usize].colour = colour.map(|c| c as u8);
        Ok(format!("“{}” is shown in {}.", self.name, self.colour).into())
    }
}
