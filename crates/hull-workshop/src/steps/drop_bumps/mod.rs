//! Small details of the surface taken away.

use crate::Body;
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::closing::follow_closed;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::bumps;
use serde::{Deserialize, Serialize};

/// Takes bumps and dents with sharp rims away whose box has a diagonal of at most `up_to`, and closes the surface over
/// them; `round` ones too, where the surface leaves without an edge the way on which it goes on around them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropBumps {
    /// The largest that goes.
    pub up_to: f64,
    /// Round ones too.
    #[serde(default)]
    pub round: bool,
}

impl Operation for DropBumps {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Drop bumps and dents";
    const HELP: &'static str = "Bumps (bosses, letters) and dents (pockets, bores) with a sharp rim go, and the surface \
                                is closed over them. Round ones, as scans have them, are set down onto the way on which \
                                the surface goes on around them.";

    fn title(&self) -> Sentence {
        say![
            if self.round { "Drop also round bumps and dents up to " } else { "Drop bumps and dents up to " },
            length(self.up_to)
        ]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("up_to", "Size of details", Quantity::Length, "the diagonal of the largest that goes"),
            Field::new(
                "round",
                "round ones too",
                Quantity::Flag,
                "where the surface leaves, without an edge, the way on which it goes on all around: swellings and \
                 hollows of scans",
            ),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(DropBumps { up_to: seen.part(0.02), round: false })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let done = bumps::without_bumps(&body.mesh, self.up_to, self.round, at.watch)?;
        if done.bumps + done.dents == 0 {
            let none = if self.round { "No bump or dent is " } else { "No bump or dent with a sharp rim is " };
            return Err(say![none, length(self.up_to), " large or less, or none that could be closed over."].into());
        }
        let before = body.mesh.triangles.len();
        follow_closed(body, done.rebuilt);
        body.drop_empty_boundaries();
        let sentence = format!(
            "{} and {} dropped; {} became {}.",
            counted(done.bumps, "bump"),
            counted(done.dents, "dent"),
            counted(before, "facet"),
            count(body.mesh.triangles.len())
        );
        Ok(sentence.into())
    }
}
