//! What an operation says of itself.

use super::{Field, Step};
use crate::body::Facts;
use crate::sentence::Sentence;
use crate::{Body, Destination, Survey};
use hull_geometry::{Cancelled, Watch};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// One operation: a struct of its parameters, in a folder of its own.
pub trait Operation: Serialize + DeserializeOwned + Clone + PartialEq + Into<Step> {
    /// Geometry that must be there.
    const NEEDS: Kinds;
    /// What it changes: decides what is measured afterwards.
    const TOUCHES: Touches;
    /// What the button says: a verb with what it is done to.
    const VERB: &'static str;
    /// What it does, in a line or two: the page, `hull step --help` and the guide say the same.
    const HELP: &'static str;

    /// The step in two or three words, with its main value.
    fn title(&self) -> Sentence;

    /// Its parameters.
    fn fields() -> &'static [Field] {
        &[]
    }

    /// Parameters from what was measured, if the operation has something to do there.
    fn propose(seen: &Seen) -> Option<Proposal> {
        let _ = seen;
        None
    }

    /// Does it.
    ///
    /// # Errors
    /// Cancelled, or refused with a sentence that says what to do. The body is thrown away then.
    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal>;
}

/// An operation's description.
#[derive(Clone, Copy)]
pub struct About {
    /// The tag in stored steps and routines, and the folder's name; never changes once shipped.
    pub id: &'static str,
    /// Geometry that must be there.
    pub needs: Kinds,
    /// What it changes.
    pub touches: Touches,
    /// What the button says.
    pub verb: &'static str,
    /// What it does, in a line or two.
    pub help: &'static str,
    /// Its parameters.
    pub fields: fn() -> &'static [Field],
    /// Parameters from what was measured.
    pub propose: fn(&Seen) -> Option<Proposal>,
}

impl About {
    /// The description of an operation in the folder `id`.
    pub const fn of<O: Operation>(id: &'static str) -> About {
        About {
            id,
            needs: O::NEEDS,
            touches: O::TOUCHES,
            verb: O::VERB,
            help: O::HELP,
            fields: O::fields,
            propose: O::propose,
        }
    }
}

/// Geometry that an operation needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kinds {
    /// Whatever the body has.
    Any,
    /// Facets.
    Surface,
    /// Exact faces.
    Exact,
    /// Exact faces, or lines in space.
    Curves,
    /// Points without facets.
    Points,
    /// Lines in space.
    Lines,
    /// Members between joints.
    Members,
}

impl Kinds {
    /// Refuses a body that has no such geometry.
    pub(super) fn of(self, body: &Body) -> Result<(), Refusal> {
        match self {
            Kinds::Surface => match body.instead_of_surface() {
                Some(kinds) => {
                    Err(format!("The body has {kinds} and no faces: there is no surface to work on.").into())
                }
                None => Ok(()),
            },
            Kinds::Lines if body.wires().is_none() => Err("The body has no lines in space.".into()),
            Kinds::Members if body.frame().is_none() => {
                Err("The body has no members: make them of its lines first.".into())
            }
            Kinds::Points if body.cloud().is_none() => Err("The body has no points without facets.".into()),
            Kinds::Exact | Kinds::Curves
                if body.exact.is_none() && (self == Kinds::Exact || body.wires().is_none()) =>
            {
                Err("The body has no exact geometry: its file held facets only.".into())
            }
            _ => Ok(()),
        }
    }
}

/// What an operation changes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Touches {
    /// Names, roles, waivers; no geometry.
    Names,
    /// Where the whole body is, and how large.
    Motion,
    /// Facets, without regard to exact geometry: how far the surface moved is measured.
    Facets,
    /// Exact geometry, or how facets are made of it.
    Exact,
    /// Members, joints, supports and loads of a frame.
    Members,
}

/// Where a step is applied.
pub struct At<'a> {
    /// What the body is for.
    pub destination: &'a Destination,
    /// Progress and cancelling.
    pub watch: &'a Watch,
}

/// What was measured of a body.
#[derive(Clone, Copy)]
pub struct Seen<'a> {
    /// What is known besides its arrays.
    pub facts: &'a Facts,
    /// Its figures and findings.
    pub survey: &'a Survey,
}

impl Seen<'_> {
    /// A part of the body's diagonal, as a round number.
    pub fn part(&self, part: f64) -> f64 {
        hull_geometry::plot::round_up(self.survey.size.bbox.diagonal() * part)
    }

    /// A size with a little on top, as a limit that takes it in.
    pub fn limit(&self, size: f64) -> f64 {
        hull_geometry::plot::round_up(size * 1.001)
    }
}

/// A step with parameters from what was measured.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// The step.
    pub step: Step,
    /// What was measured that asks for it; nothing where these are only values that suit the body.
    pub because: Option<Sentence>,
}

impl Proposal {
    /// What was measured asks for this step.
    pub fn because(step: impl Into<Step>, sentence: impl Into<Sentence>) -> Option<Proposal> {
        Some(Proposal { step: step.into(), because: Some(sentence.into()) })
    }

    /// Values that suit the body, should somebody want the step.
    pub fn possible(step: impl Into<Step>) -> Option<Proposal> {
        Some(Proposal { step: step.into(), because: None })
    }
}

/// What a step did.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Report {
    /// In figures.
    pub sentence: Sentence,
    /// The furthest that any point was moved by the operation itself, as far as it knows.
    pub largest_move: f64,
}

impl<T: Into<Sentence>> From<T> for Report {
    fn from(sentence: T) -> Report {
        Report { sentence: sentence.into(), largest_move: 0.0 }
    }
}

/// Why a step was not done.
#[derive(Clone, Debug, PartialEq)]
pub enum Refusal {
    /// Somebody asked for that.
    Cancelled(Cancelled),
    /// A sentence that says what to do.
    Because(Sentence),
}

impl From<Cancelled> for Refusal {
    fn from(c: Cancelled) -> Refusal {
        Refusal::Cancelled(c)
    }
}

impl<T: Into<Sentence>> From<T> for Refusal {
    fn from(sentence: T) -> Refusal {
        Refusal::Because(sentence.into())
    }
}
