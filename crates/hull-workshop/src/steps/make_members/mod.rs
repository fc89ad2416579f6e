//! Makes members of lines: ends that are near become one joint.

use crate::Body;
use crate::numbers::counted;
use crate::say;
use crate::sentence::Sentence;
use crate::sentence::length;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::wires::Wires;
use hull_frames::join::{Piece, frame_of};
use hull_geometry::Point;
use serde::{Deserialize, Serialize};

/// Makes members of lines: ends that are near become one joint.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MakeMembers {
    /// Ends within it are one joint, and ends within it of a member divide that.
    pub tolerance: f64,
    /// Curves are no further than this from the straight pieces that are made of them.
    pub chord: f64,
    /// Whether members that cross within the tolerance are joined there.
    #[serde(default)]
    pub crossings: bool,
    /// Into how many pieces each curve is divided; 0: as `chord` asks.
    #[serde(default, skip_serializing_if = "is_nought")]
    pub number: f64,
}

// As serde asks for it.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_nought(x: &f64) -> bool {
    *x == 0.0
}

impl Operation for MakeMembers {
    const NEEDS: Kinds = Kinds::Lines;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Make members";
    const HELP: &'static str = "Makes straight members of the lines, layer by layer, and joints where their ends meet. Doubles, overlapping stretches and pieces without length go.";

    fn title(&self) -> Sentence {
        say!["Make members, joining within ", length(self.tolerance)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("tolerance", "Join within", Quantity::Length, "ends this near are one joint"),
            Field::new("chord", "curves within", Quantity::Length, "how far straight pieces may be from a curve"),
            Field::new(
                "crossings",
                "join where members cross",
                Quantity::Flag,
                "divides members that cross away from their ends",
            ),
            Field::new(
                "number",
                "or each curve in",
                Quantity::Number("pieces", 0.0, 1000.0),
                "so many pieces of each arc, conic and spline, equal along its parameter; 0: as many as the chord asks",
            )
            .or("0")
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let lines = &seen.survey.lines;
        if lines.lines == 0 || seen.facts.scale.is_none() {
            return None;
        }
        let asked = seen.survey.frame.plot.proposal;
        let chord = seen.part(1.0 / 500.0);
        let of = |tolerance| MakeMembers { tolerance, chord, crossings: false, number: 0.0 };
        match asked {
            Some(gap) => Proposal::because(
                of(hull_geometry::plot::round_up(gap)),
                say![
                    "Some ends nearly meet. Joining within ",
                    length(hull_geometry::plot::round_up(gap)),
                    " closes them."
                ],
            ),
            None => Proposal::because(of(seen.part(1e-6)), "The ends of the lines meet as they are."),
        }
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        if body.facts.scale.is_none() {
            return Err("Set the unit first: sections are in millimetres.".into());
        }
        let Some(wires) = body.wires() else { return Err("The body has no lines in space.".into()) };
        let (pieces, layers) = match self.number.round() as usize {
            0 => pieces(wires, self.chord),
            n => pieces_through(wires, wires.in_pieces(n)),
        };
        let (frame, done) = frame_of(&pieces, layers, self.tolerance, self.crossings, at.watch)?;
        if frame.members.is_empty() {
            return Err(
                "No line is longer than the distance within which ends are joined: choose a smaller one.".into()
            );
        }
        let sentence = format!(
            "{} between {}; {} brought together, {} divided, {} and {} without length dropped.",
            counted(frame.members.len(), "member"),
            counted(frame.joints.len(), "joint"),
            counted(done.ends_moved, "end"),
            counted(done.divided + done.crossed, "member"),
            counted(done.doubles, "double"),
            counted(done.too_short, "piece"),
        );
        body.set_frame(frame);
        Ok(sentence.into())
    }
}

/// Straight pieces along lines, with the names of the layers they stand on.
pub(crate) fn pieces(wires: &Wires, chord: f64) -> (Vec<Piece>, Vec<String>) {
    pieces_through(wires, wires.along(chord))
}

/// The same through points along each line.
fn pieces_through(wires: &Wires, along: Vec<Vec<Point>>) -> (Vec<Piece>, Vec<String>) {
    let mut layers: Vec<String> = Vec::new();
    let mut out = Vec::new();
    for (line, points) in wires.lines().iter().zip(along) {
        let layer = layers.iter().position(|l| *l == line.bundle).unwrap_or_else(|| {
            layers.push(line.bundle.clone());
            layers.len() - 1
        });
        out.extend(points.windows(2).map(|w| Piece { ends: [w[0], w[1]], layer: layer as u32 }));
    }
    (out, layers)
}
