//! Remedies as the page offers them: a form for each operation, from its fields. An operation that needs a form of its own
//! has a folder here, named in [`OWN`].

mod fill_holes;
mod name_boundary;
mod set_role;
mod set_size;
mod set_unit;

use crate::context::Ctx;
use crate::error::PageResult;
use crate::form::{Fields, text};
use crate::lengths::{self, Marked};
use askama::Template;
use hull_workshop::Step;
use hull_workshop::sentence::Sentence;
use hull_workshop::steps::{self, About, Field, Kinds, Proposal, Quantity, Touches};

/// A form of an operation's own.
struct OwnForm {
    id: &'static str,
    /// The form, or nothing where there is nothing to do.
    draw: fn(&Ctx, &Remedy) -> PageResult<Option<String>>,
    /// What was typed, as the operation's fields.
    read: fn(&Fields) -> Result<Fields, Sentence>,
}

fn as_typed(fields: &Fields) -> Result<Fields, Sentence> {
    Ok(fields.clone())
}

/// The operations whose forms do not follow from their fields.
const OWN: &[OwnForm] = &[
    OwnForm { id: "fill_holes", draw: fill_holes::draw, read: fill_holes::read },
    OwnForm { id: "set_unit", draw: set_unit::draw, read: as_typed },
    OwnForm { id: "set_size", draw: set_size::draw, read: as_typed },
    OwnForm { id: "name_boundary", draw: name_boundary::draw, read: name_boundary::read },
    OwnForm { id: "set_role", draw: set_role::draw, read: as_typed },
];

/// What a form asks for, as the fields of its operation.
///
/// # Errors
/// A sentence that says what is wrong.
pub fn typed(id: &str, fields: &Fields) -> Result<Fields, Sentence> {
    OWN.iter().find(|o| o.id == id).map_or(Ok(fields.clone()), |o| (o.read)(fields))
}

/// A field with what stands in it.
pub struct Shown {
    pub field: &'static Field,
    pub value: String,
    /// The parts of a place.
    pub parts: Vec<String>,
}

impl Shown {
    fn of(field: &'static Field, step: Option<&Step>) -> Shown {
        let value = step.and_then(|s| steps::typed(s, field));
        let value = value.or(field.default.map(str::to_string)).unwrap_or_default();
        let mut parts: Vec<String> = value.split(", ").map(str::to_string).collect();
        if parts.len() < 3 && matches!(field.quantity, Quantity::Place | Quantity::Vector(_)) {
            parts = vec![String::new(); 3];
        }
        Shown { field, value, parts }
    }

    /// Whether it is one value that is typed.
    fn is_typed(&self) -> bool {
        matches!(self.field.quantity, Quantity::Length | Quantity::Angle(..) | Quantity::Number(..))
    }

    /// What stands behind a number, where lengths are in `unit`.
    pub fn symbol(&self, unit: &'static str) -> &'static str {
        match self.field.quantity {
            Quantity::Length => unit,
            Quantity::Angle(..) => "°",
            Quantity::Number(own, ..) => own,
            _ => "",
        }
    }

    fn is_length(&self) -> bool {
        self.field.quantity == Quantity::Length
    }

    fn is_flag(&self) -> bool {
        self.field.quantity == Quantity::Flag
    }

    fn is_place(&self) -> bool {
        self.field.quantity == Quantity::Place
    }

    /// The unit of three numbers that are no place.
    fn vector(&self) -> Option<&'static str> {
        if let Quantity::Vector(unit) = self.field.quantity { Some(unit) } else { None }
    }

    fn is_pick(&self) -> bool {
        matches!(self.field.quantity, Quantity::Pick | Quantity::PickOrUnnamed)
    }

    /// Places, one behind the other.
    fn is_places(&self) -> bool {
        self.field.quantity == Quantity::Places
    }

    fn is_text(&self) -> bool {
        matches!(self.field.quantity, Quantity::Text(..) | Quantity::Rows(_))
    }

    fn is_angle(&self) -> bool {
        matches!(self.field.quantity, Quantity::Angle(..))
    }

    fn words(&self) -> &'static [(&'static str, &'static str)] {
        if let Quantity::Choice(words) = self.field.quantity { words } else { &[] }
    }
}

/// An operation with the values that are proposed, or that suit the body.
pub struct Remedy {
    pub about: &'static About,
    /// What was measured that asks for it.
    pub because: Option<Marked>,
    pub step: Option<Step>,
    pub fields: Vec<Shown>,
}

/// The numbers of a step, as it has them.
pub fn shown_of(step: &Step) -> Vec<Shown> {
    let all = (step.about().fields)().iter().map(|f| Shown::of(f, Some(step)));
    all.filter(|f| f.is_typed() && !f.value.is_empty()).collect()
}

impl Remedy {
    /// Its help up to the first stop: what stands on it while it is closed.
    fn summary(&self) -> &'static str {
        self.about.verb
    }

    fn previews(&self) -> bool {
        self.about.touches != Touches::Names
    }
}

#[derive(Template)]
#[template(path = "remedies/form.html")]
struct Form<'a> {
    remedy: &'a Remedy,
    /// Whether it is unfolded at first: the usual remedy of a row is.
    open: bool,
    unit: &'static str,
    steps: String,
    previews: String,
}

/// The forms of some operations, in order, as they suit the state the body is at.
///
/// # Errors
/// If a form cannot be drawn.
pub fn forms(cx: &Ctx, ids: &[&str]) -> PageResult<Vec<String>> {
    drawn(cx, ids, false)
}

/// The same of operations that nothing measured asks for: each form is there, folded.
///
/// # Errors
/// If a form cannot be drawn.
pub fn all_forms(cx: &Ctx, ids: &[&str]) -> PageResult<Vec<String>> {
    drawn(cx, ids, true)
}

fn drawn(cx: &Ctx, ids: &[&str], unasked: bool) -> PageResult<Vec<String>> {
    let seen = cx.seen();
    // The form keeps what is being looked at.
    let previewed = cx.preview.as_ref().and_then(|p| p.step.as_ref());
    let mut out = Vec::new();
    for about in ids.iter().filter_map(|id| steps::operation(id).ok()) {
        let needed = match about.needs {
            Kinds::Any => true,
            Kinds::Surface => seen.survey.size.triangles > 0,
            Kinds::Exact => cx.is_exact(),
            Kinds::Curves => cx.is_exact() || cx.lines() > 0,
            Kinds::Points => seen.survey.points.points > 0,
            Kinds::Lines => cx.lines() > 0,
            Kinds::Members => seen.survey.frame.figures.members > 0,
        };
        if !needed {
            continue;
        }
        let proposal = steps::proposed(about, &seen);
        let own = OWN.iter().find(|o| o.id == about.id);
        let Some(mut remedy) = remedy(cx, about, proposal, previewed, own.is_some() || unasked) else { continue };
        if unasked {
            remedy.because = None;
        }
        match own {
            Some(own) => out.extend((own.draw)(cx, &remedy)?),
            None => {
                let (steps, previews, unit) = (cx.post("steps"), cx.post("previews"), cx.unit());
                let open = !unasked && ids.first() == Some(&about.id);
                out.push(Form { remedy: &remedy, open, unit, steps, previews }.render()?);
            }
        }
    }
    Ok(out)
}

fn remedy(
    cx: &Ctx,
    about: &'static About,
    proposal: Option<Proposal>,
    previewed: Option<&Step>,
    own: bool,
) -> Option<Remedy> {
    let previewed = previewed.filter(|s| s.about().id == about.id).cloned();
    if proposal.is_none() && previewed.is_none() && !own {
        return None;
    }
    let unit = cx.length_unit();
    let (step, because) = proposal.map_or((None, None), |p| (Some(p.step), p.because));
    let step = previewed.or(step);
    Some(Remedy {
        about,
        because: because.map(|s| lengths::sentence(&s, unit)),
        fields: (about.fields)().iter().map(|f| Shown::of(f, step.as_ref())).collect(),
        step,
    })
}

/// The step that a form asks for.
///
/// # Errors
/// A sentence that says which field is wrong.
pub fn step(fields: &Fields) -> Result<Step, Sentence> {
    let id = text(fields, "step");
    let typed = typed(id, fields)?;
    steps::read(id, &typed, None)
}
