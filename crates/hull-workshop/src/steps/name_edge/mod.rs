//! A name for an exact edge or a line.

use crate::Body;
use crate::edges;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Names the exact edge or line whose middle is nearest to `at`; an empty name takes its name away.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct NameEdge {
    /// Its name, or nothing.
    pub name: String,
    /// A place near the middle of the edge.
    pub at: Point,
}

impl Operation for NameEdge {
    const NEEDS: Kinds = Kinds::Curves;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Name";
    const HELP: &'static str =
        "Names the exact edge or line whose middle is nearest to a place; an empty name takes its name away.";

    fn title(&self) -> Sentence {
        if self.name.is_empty() {
            return "Take an edge's name away".into();
        }
        format!("Name an edge “{}”", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Name of the edge", Quantity::Text(0, 80), "its name; empty to take it away"),
            Field::new("at", "at", Quantity::Place, "a place near the middle of the edge"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let name = self.name.trim();
        let found = edges::name_edge(body, name, self.at);
        let long = found.ok_or("The body has no exact edges.")?;
        let now = format!(" long has {} now.", if name.is_empty() { "no name" } else { name });
        Ok(say!["An edge ", length(long), now].into())
    }
}
