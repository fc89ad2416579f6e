//! Facets turned over, where nothing tells inside from outside.

use crate::Body;
use crate::numbers::counted;
use crate::selection::Selection;
use crate::sentence::Sentence;
use crate::steps::field::NOTHING_PICKED;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};

/// Turns the picked facets over.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FlipFacets {
    /// Which.
    pub pick: Selection,
}

impl Operation for FlipFacets {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Flip picked";
    const HELP: &'static str = "Turns the picked faces over, so that they face the other way: for open surfaces, where \
                                nothing tells inside from outside.";

    fn title(&self) -> Sentence {
        "Flip facets".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("pick", "The picked faces", Quantity::Pick, "which facets turn over")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let facets = self.pick.facets(body);
        if facets.is_empty() {
            return Err(NOTHING_PICKED.into());
        }
        for &f in &facets {
            body.mesh.triangles[f].swap(1, 2);
        }
        Ok(format!("{} turned over.", counted(facets.len(), "facet")).into())
    }
}
