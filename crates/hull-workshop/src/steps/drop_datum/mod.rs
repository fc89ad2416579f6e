//! Forgets a datum.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Forgets a datum.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropDatum {
    /// Its name.
    pub name: String,
}

impl Operation for DropDatum {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Forget the datum";
    const HELP: &'static str = "Forgets a datum. What was aligned by it stays where it is.";

    fn title(&self) -> Sentence {
        format!("Forget datum “{}”", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("name", "Datum", Quantity::Text(1, 80), "its name")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        body.datum(&self.name).ok_or_else(|| no_datum(body, &self.name))?;
        body.facts.datums.retain(|d| d.name != self.name.trim());
        Ok("Forgotten.".into())
    }
}

/// Why a datum cannot be used that is not there.
pub(crate) fn no_datum(body: &Body, name: &str) -> Refusal {
    let names: Vec<String> = body.facts.datums.iter().map(|d| format!("“{}”", d.name)).collect();
    let there = if names.is_empty() {
        "there is none; fit a shape first".into()
    } else {
        format!("there are {}", names.join(", "))
    };
    format!("There is no datum “{name}”: {there}.").into()
}
