//! Lines of some kinds left out.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_exact::wires::CurveKind;
use serde::{Deserialize, Serialize};

/// Leaves out lines by what they are, of one layer or of all.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropLines {
    /// Their kinds, as the lines are counted: “arc”, “straight line”.
    pub kinds: Vec<String>,
    /// The layer or group under which they stand; empty: all.
    #[serde(default)]
    pub layer: String,
}

/// The kind of a name, in the singular or with an “s” behind it.
fn kind(name: &str) -> Result<CurveKind, String> {
    let plain = name.trim().trim_end_matches('s');
    let found = CurveKind::ALL.into_iter().find(|k| k.name() == plain || k.name().split(' ').next() == Some(plain));
    let all = || CurveKind::ALL.map(CurveKind::name).join(", ");
    found.ok_or_else(|| format!("“{name}” is no kind of line: there are {}.", all()))
}

impl Operation for DropLines {
    const NEEDS: Kinds = Kinds::Curves;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Leave out lines";
    const HELP: &'static str = "Leaves out lines by what they are (straight line, arc, conic, spline, chain), of one layer \
                                or of all; the others stay as they are.";

    fn title(&self) -> Sentence {
        let of = if self.layer.is_empty() { String::new() } else { format!(" of “{}”", self.layer) };
        format!("Leave out every {}{of}", self.kinds.join(", ")).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("kinds", "Kinds", Quantity::Texts, "straight line, arc, conic, spline, chain; one option each"),
            Field::new(
                "layer",
                "of layer",
                Quantity::Text(0, 400),
                "the layer or group under which they stand; nothing for all",
            )
            .or("")
            .optional(),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let kinds: Vec<CurveKind> = self.kinds.iter().map(|k| kind(k)).collect::<Result<_, _>>()?;
        let wires = body.wires().ok_or("The body has no lines.")?;
        if !self.layer.is_empty() && !wires.bundles().contains(&self.layer) {
            return Err(
                format!("No lines stand under “{}”: there are {}.", self.layer, wires.bundles().join(", ")).into()
            );
        }
        let (left, went) = wires.without(&kinds, &self.layer);
        if went == 0 {
            return Err("No line is of these kinds there.".into());
        }
        if left.count() == 0 && body.mesh.triangles.is_empty() && body.exact.is_none() {
            return Err("Nothing would be left.".into());
        }
        let rest = left.count();
        body.set_wires(left);
        Ok(format!("{} left out, {} stay.", counted(went, "line"), rest).into())
    }
}
