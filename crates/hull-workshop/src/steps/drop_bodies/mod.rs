//! Exact bodies taken away by name.

use crate::Body;
use crate::exact::{Exact, kept, renew};
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Takes exact bodies of these names away.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropBodies {
    /// Names as the file has them, with the path to where they stand.
    pub names: Vec<String>,
}

impl Operation for DropBodies {
    const NEEDS: Kinds = Kinds::Exact;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Drop them";
    const HELP: &'static str = "Takes bodies of an assembly away by name; what is left stays exact.";

    fn title(&self) -> Sentence {
        match self.names.as_slice() {
            [only] => format!("Drop “{only}”").into(),
            names => format!("Drop {}", counted(names.len(), "body")).into(),
        }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("names", "Names", Quantity::Texts, "bodies as the file names them, one option each")];
        FIELDS
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (exact, facts) = kept(body).ok_or("The body has no exact geometry.")?;
        let known = &facts.figures.bodies;
        if let Some(missing) = self.names.iter().find(|n| !known.iter().any(|b| b.name == **n)) {
            return Err(format!("There is no body “{missing}”.").into());
        }
        let gone: BTreeSet<String> = self.names.iter().cloned().collect();
        let left = known.iter().filter(|b| !gone.contains(&b.name)).count();
        if left == 0 {
            return Err("Nothing would be left.".into());
        }
        let dropped = known.len() - left;
        let (model, old) = exact.model.without_bodies(&gone);
        renew(body, Exact { model, ..exact }, facts, |f| old.get(f as usize).copied(), at.watch)?;
        let (dropped, left) = (counted(dropped, "body"), count(left));
        Ok(format!("{dropped} taken away, {left} left; what is left stays exact.").into())
    }
}
