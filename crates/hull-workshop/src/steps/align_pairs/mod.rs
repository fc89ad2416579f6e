//! The body brought to where places of it belong.

use crate::Body;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_fitting::align::by_pairs;
use hull_geometry::Point;
use hull_geometry::vector::distance;
use serde::{Deserialize, Serialize};

/// Turns and moves the body so that places of it come nearest to their partners, by least squares.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AlignPairs {
    /// Places of the body.
    pub from: Vec<Point>,
    /// Where each of them belongs, in the same order.
    pub to: Vec<Point>,
}

impl Operation for AlignPairs {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Align by pairs of points";
    const HELP: &'static str = "Turns and moves the body so that three or more of its places come nearest to where they \
                                belong, by least squares. The size stays. What is left at each pair is told.";

    fn title(&self) -> Sentence {
        format!("Align by {} pairs of points", self.from.len()).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("from", "Places of the body", Quantity::Places, "three or more, not on one line"),
            Field::new("to", "belong at", Quantity::Places, "as many, in the same order"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if self.from.len() != self.to.len() {
            let [n, m] = [self.from.len(), self.to.len()];
            return Err(
                format!("There are {n} places of the body and {m} where they belong: each needs its partner.").into()
            );
        }
        let (motion, rms) = by_pairs(&self.from, &self.to).map_err(|e| e.to_string())?;
        body.move_rigid(&motion);
        let left = self.from.iter().zip(&self.to).map(|(p, q)| distance(motion.place(*p), *q));
        let (worst, most) = left.enumerate().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or_default();
        let turned = crate::numbers::four_digits(motion.angle());
        Ok(say![
            format!("Turned by {turned}°. What is left: root mean square "),
            length(rms),
            ", largest ",
            length(most),
            format!(" at pair {}.", worst + 1)
        ]
        .into())
    }
}
