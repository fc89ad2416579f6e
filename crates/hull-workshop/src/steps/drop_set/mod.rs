//! Takes a set's name away.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::set_section::set_called;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Takes a set's name away; members and joints stay.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropSet {
    /// Its name.
    pub name: String,
}

impl Operation for DropSet {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Forget the set";
    const HELP: &'static str = "Takes a set's name away; its members and joints stay.";

    fn title(&self) -> Sentence {
        format!("Forget set “{}”", self.name.trim()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("name", "Set", Quantity::Text(1, 80), "its name")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let name = self.name.trim();
        set_called(frame, name)?;
        frame.drop_set(name);
        Ok(format!("“{name}” is no set any more.").into())
    }
}
