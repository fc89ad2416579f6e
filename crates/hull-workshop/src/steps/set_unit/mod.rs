//! The file's coordinates are in a unit.

use crate::Body;
use crate::body::Scale;
use crate::say;
use crate::sentence::{Sentence, bare, length};
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_exact::Motion;
use hull_geometry::{Unit, transform};
use serde::{Deserialize, Serialize};

/// The file's coordinates are in this unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetUnit {
    /// One of the units there are.
    pub unit: Unit,
}

/// The units that a file may be in.
pub const UNITS: Quantity =
    Quantity::Choice(&[("mm", "millimetre"), ("cm", "centimetre"), ("m", "metre"), ("in", "inch"), ("ft", "foot")]);

impl Operation for SetUnit {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Set the unit";
    const HELP: &'static str =
        "Says what the file's numbers are. Nothing is moved; from then on lengths are in millimetres.";

    fn title(&self) -> Sentence {
        format!("Unit: {}", self.unit.name()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("unit", "Unit", UNITS, "the unit that the file was made in")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        Ok(set_scale(body, Scale::Unit(self.unit)).into())
    }
}

/// Takes a unit or a factor for the file's lengths. One that was set before is taken back first: people correct
/// themselves.
pub(super) fn set_scale(body: &mut Body, scale: Scale) -> Sentence {
    let factor = scale.millimetres() / body.facts.scale.map_or(1.0, Scale::millimetres);
    transform::enlarge(&mut body.mesh, factor);
    body.move_exact(Motion::scaling(factor));
    for x in &mut body.facts.moved {
        *x *= factor;
    }
    body.facts.scale = Some(scale);
    let size = body.bounds().size();
    say!["The body is ", bare(size[0]), " × ", bare(size[1]), " × ", length(size[2]), " now."]
}
