//! Size from a measured distance.

use crate::Body;
use crate::body::Scale;
use crate::sentence::Sentence;
use crate::steps::set_unit::set_scale;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// A distance that measures `measured` in file units is `should_be` millimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetSize {
    /// In file units.
    pub measured: f64,
    /// In millimetres.
    pub should_be: f64,
}

impl Operation for SetSize {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Set the size";
    const HELP: &'static str = "Scales the body so that a distance measured in file units becomes what it should be in \
                                millimetres.";

    fn title(&self) -> Sentence {
        "Size from a measured distance".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("measured", "The measured distance", Quantity::Length, "in file units"),
            Field::new("should_be", "What it should be", Quantity::Length, "in mm"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        Ok(set_scale(body, Scale::Factor(self.should_be / self.measured)).into())
    }
}
