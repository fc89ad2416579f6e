//! Which of the body's axes are up and forward.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_exact::{Frame, Motion};
use hull_geometry::transform::{self, Axis};
use hull_geometry::vector::dot;
use serde::{Deserialize, Serialize};

/// The body's `up` axis becomes +z and its `forward` axis +x: a proper rotation, never a mirror.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Orient {
    /// The axis that becomes +z.
    pub up: Axis,
    /// The axis that becomes +x.
    pub forward: Axis,
}

/// The six axes, as a field.
pub(super) const AXES: Quantity =
    Quantity::Choice(&[("+x", "+x"), ("-x", "-x"), ("+y", "+y"), ("-y", "-y"), ("+z", "+z"), ("-z", "-z")]);

impl Operation for Orient {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Set axes";
    const HELP: &'static str = "Up becomes +z, forward +x: a rotation, never a mirror. Leave +z and +x to keep the axes \
                                as they are.";

    fn title(&self) -> Sentence {
        "Axes".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("up", "Up is the body's", AXES, "the axis that becomes +z").or("+z"),
            Field::new("forward", "forward its", AXES, "the axis that becomes +x").or("+x"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let kept = Orient { up: Axis::PlusZ, forward: Axis::PlusX };
        let declared = seen.facts.source.declared.up.as_deref();
        let told = declared.and_then(|d| Axis::ALL.into_iter().find(|a| a.symbol() == d));
        match (&seen.facts.axes, told) {
            (Some(_), _) => Proposal::possible(kept),
            (None, Some(up)) => {
                // A quarter turn that brings up to +z: x stays, but where it is x that is up.
                let forward = if up.direction()[0] == 0.0 { Axis::PlusX } else { Axis::PlusY };
                let because = format!("By the definition of {}, {} is up.", seen.facts.source.format, up.symbol());
                Proposal::because(Orient { up, forward }, because)
            }
            (None, None) => Proposal::because(kept, "The file does not say which way is up; look, and choose."),
        }
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let m = transform::rotation(self.up, self.forward)
            .ok_or("Up and forward lie along one line; choose two different axes.")?;
        transform::rotate(&mut body.mesh, &m);
        let column = |k: usize| [m[0][k], m[1][k], m[2][k]];
        let frame = Frame { origin: [0.0; 3], x: column(0), y: column(1), z: column(2) };
        body.move_exact(Motion { frame, scale: 1.0 });
        body.facts.moved = transform::apply(&m, body.facts.moved);
        let r = transform::product(&m, &body.facts.rotation);
        body.facts.rotation = r;
        let of_file = |row: usize| {
            let turned = Axis::ALL.into_iter().find(|a| dot(a.direction(), r[row]) > 0.5);
            turned.unwrap_or(Axis::PlusX).symbol().to_string()
        };
        let axes = [of_file(2), of_file(0)];
        let sentence = format!("The file's {} is up (+z) and its {} is forward (+x).", axes[0], axes[1]);
        body.facts.axes = Some(axes);
        Ok(sentence.into())
    }
}
