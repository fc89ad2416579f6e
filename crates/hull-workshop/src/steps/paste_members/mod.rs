//! Members from rows of six numbers, as a spreadsheet has them.

use crate::Body;
use crate::numbers::counted;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_frames::Member;
use serde::{Deserialize, Serialize};

/// Adds members of rows of numbers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PasteMembers {
    /// A row a member: x, y, z of one end and of the other, in millimetres.
    pub rows: String,
    /// The layer they stand on.
    pub layer: String,
}

impl Operation for PasteMembers {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Add members";
    const HELP: &'static str = "Adds members of rows of six numbers, x, y, z of one end and of the other in millimetres, with commas, \
                                semicolons, tabs or blanks between. Ends that meet joints are joined there.";

    fn title(&self) -> Sentence {
        "Add members of a table".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("rows", "Rows", Quantity::Rows(200_000), "x, y, z of one end and of the other, a row a member"),
            Field::new("layer", "layer", Quantity::Text(1, 200), "the layer they stand on").or("pasted"),
        ];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let layer = frame.take_layer(&self.layer);
        let like = frame.members.iter().find(|m| m.layer == layer).cloned().unwrap_or_default();
        let mut came = 0;
        // Rows come apart at line ends; what people type in one line, at a slash.
        for (n, row) in self.rows.split(['\n', '/']).map(str::trim).enumerate().filter(|(_, row)| !row.is_empty()) {
            let cells: Vec<&str> = row.split([',', ';', '\t', ' ']).map(str::trim).filter(|c| !c.is_empty()).collect();
            let numbers: Option<Vec<f64>> =
                cells.iter().map(|c| c.parse().ok().filter(|x: &f64| x.abs() <= 1e9)).collect();
            let Some(&[a, b, c, d, e, f]) = numbers.as_deref() else {
                return Err(format!("Row {}: “{row}” is not six numbers.", n + 1).into());
            };
            let ends = [[a, b, c], [d, e, f]].map(|p| frame.joint_at(p, 0.0));
            came += usize::from(frame.draw(ends, Member { layer, ..like.clone() }));
        }
        Ok(format!("{} more: {} now.", counted(came, "member"), counted(frame.members.len(), "member")).into())
    }
}
