//! The same exact faces read the other way.

use crate::Body;
use crate::exact::{ExactFacts, facets_sentence, kept, renew};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::parameter_loops::Reader;
use serde::{Deserialize, Serialize};

/// Reads the exact faces again, trusting the file's bounds or rebuilding them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ReadAgain {
    /// How bounds are taken.
    pub reader: Reader,
}

const READERS: Quantity = Quantity::Choice(&[
    ("trusting", "trusting the file's bounds"),
    ("rebuilding", "rebuilding bounds from surfaces and edges"),
]);

impl Operation for ReadAgain {
    const NEEDS: Kinds = Kinds::Exact;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Read again";
    const HELP: &'static str = "Reads the exact faces again, trusting the file's bounds or rebuilding them from surfaces \
                                and edges.";

    fn title(&self) -> Sentence {
        match self.reader {
            Reader::Trusting => "Read trusting the file's bounds".into(),
            Reader::Rebuilding => "Read with rebuilt bounds".into(),
        }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("reader", "Reading", READERS, "how the bounds of faces are taken")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let exact = seen.facts.exact.as_ref()?;
        let reader = exact.readings.proposal;
        if reader == exact.reader {
            return Proposal::possible(ReadAgain { reader });
        }
        Proposal::because(ReadAgain { reader }, "The other way of reading leaves fewer faces in doubt and edges open.")
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (exact, facts) = kept(body).ok_or("The body has no exact geometry.")?;
        let stated = facts.stated.clone();
        renew(body, exact, ExactFacts { reader: self.reader, ..facts }, Some, at.watch)?;
        if let Some(facts) = &mut body.facts.exact {
            facts.stated = stated;
        }
        Ok(facets_sentence(body).into())
    }
}
