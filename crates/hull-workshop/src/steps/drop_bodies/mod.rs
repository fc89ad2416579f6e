//! Exact bodies taken away by name.

use crate::Body;
use crate::exact::{Exact, ExactFacts, kept, renew};
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_exact::wires::Wires;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Takes exact bodies of these names away.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropBodies {
    /// Names as the file has them, with the path to where they stand.
    pub names: Vec<String>,
}

impl Operation for DropBodies {
    const NEEDS: Kinds = Kinds::Curves;
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
        let exact = kept(body);
        let known = |e: &(Exact, ExactFacts)| e.1.figures.bodies.iter().map(|b| b.name.clone()).collect::<Vec<_>>();
        let of_faces: Vec<String> = exact.as_ref().map(known).unwrap_or_default();
        let bundles: Vec<String> = body.wires().map(Wires::bundles).unwrap_or_default();
        let known = || of_faces.iter().chain(&bundles);
        if let Some(missing) = self.names.iter().find(|n| !known().any(|k| k == *n)) {
            return Err(format!("There is no body “{missing}”.").into());
        }
        let gone: BTreeSet<String> = self.names.iter().cloned().collect();
        let left = known().filter(|k| !gone.contains(*k)).count();
        if left == 0 {
            return Err("Nothing would be left.".into());
        }
        let dropped = known().count() - left;
        if let Some(wires) = body.wires().filter(|_| bundles.iter().any(|b| gone.contains(b))) {
            let model = wires.model.without_bodies(&gone).0;
            body.set_wires(Wires { model, ..*wires });
        }
        match exact.filter(|_| of_faces.iter().any(|b| gone.contains(b))) {
            // Lines alone are no exact geometry.
            Some(_) if of_faces.iter().all(|b| gone.contains(b)) => body.drop_surface(),
            Some((exact, facts)) => {
                let (model, old) = exact.model.without_bodies(&gone);
                renew(body, Exact { model, ..exact }, facts, |f| old.get(f as usize).copied(), at.watch)?;
            }
            None => {}
        }
        let (dropped, left) = (counted(dropped, "body"), count(left));
        Ok(format!("{dropped} taken away, {left} left; what is left stays exact.").into())
    }
}
