//! Cases that act together, each times a factor.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::Combination;
use serde::{Deserialize, Serialize};

/// Cases that act together, each times a factor.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CombineCases {
    /// As it is called.
    pub name: String,
    /// “1.35*weight + 1.5*use”; empty takes the combination away.
    #[serde(default)]
    pub parts: String,
}

impl Operation for CombineCases {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Combine cases";
    const HELP: &'static str = "Tries cases together, each times a factor, as in 1.35*weight + 1.5*use. Left empty, the combination of that name goes.";

    fn title(&self) -> Sentence {
        format!("Combination “{}”", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("name", "Name", Quantity::Text(1, 60), "as the combination is called").or("together"),
            Field::new(
                "parts",
                "is",
                Quantity::Text(0, 400),
                "factors and cases, as in 1.35*weight + 1.5*use; left empty, it is taken away",
            )
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        if seen.survey.frame.figures.members == 0 {
            return None;
        }
        Proposal::possible(CombineCases { name: "together".into(), parts: String::new() })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let name = self.name.trim();
        if frame.cases().iter().any(|c| c == name) {
            return Err(format!("“{name}” is a case: choose another name.").into());
        }
        frame.combinations.retain(|c| c.name != name);
        if self.parts.trim().is_empty() {
            return Ok(format!("There is no combination “{name}” now.").into());
        }
        let parts = parts(&self.parts, &frame.cases())?;
        let n = parts.len();
        frame.combinations.push(Combination { name: name.into(), parts });
        Ok(format!("“{name}” of {}.", counted(n, "case")).into())
    }
}

/// “1.35*weight + use” as cases with their factors.
fn parts(typed: &str, cases: &[String]) -> Result<Vec<(String, f64)>, String> {
    let part = |text: &str| {
        let (factor, case) = text.split_once('*').unwrap_or(("1", text));
        let (factor, case) = (factor.trim(), case.trim());
        let number: f64 = factor.parse().map_err(|_| format!("“{factor}” is no factor: write 1.35*{case}."))?;
        let fits = number.is_finite() && number.abs() <= 1e6;
        match cases.iter().find(|c| *c == case) {
            Some(_) if !fits => Err(format!("“{factor}” is no factor that can be meant.")),
            Some(case) => Ok((case.clone(), number)),
            None => Err(format!("There is no case “{case}”: there are {}.", cases.join(", "))),
        }
    };
    typed.split('+').map(part).collect()
}
