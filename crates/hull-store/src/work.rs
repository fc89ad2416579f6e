//! What jobs are: the work that is asked for, how it ended, and what came of it.
//!
//! In the table a work's kind and parameters stand in columns of their own; the JSON of jobs that were queued by an
//! earlier version is read as it is.

use crate::blobs::Blob;
use crate::ids::{BodyId, HandoverId, RevisionId};
use crate::{Result, StoreError};
use hull_flow::tightness::Tightness;
use hull_formats::Skipped;
use hull_geometry::Unit;
use hull_trials::flow::{Flow, How};
use hull_workshop::Step;
use hull_workshop::best_fit::Options;
use hull_workshop::combine::{Apart, Together};
use hull_workshop::handover::{Comparison, Package};
use hull_workshop::repair::{Defects, Planned};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

/// What a job is to do.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Work {
    /// Make new bodies.
    Receive(Arrival),
    /// Apply a step to a state and go there.
    Step(Applied),
    /// Apply a step to a state, to be looked at.
    Preview(Applied),
    /// Survey the rest of a state.
    Survey(On),
    /// Find the motion that brings a state onto another body's, and apply it as a step.
    Fit {
        /// The state that is moved.
        on: RevisionId,
        /// The state that it is brought to.
        to: RevisionId,
        /// How.
        how: Options,
    },
    /// Compose a repair for a state.
    Propose {
        /// The state.
        on: RevisionId,
        /// Whether it may end with a wrap.
        #[serde(default = "yes")]
        wrap: bool,
    },
    /// Run a repair that was proposed, or compose one and run it.
    Repair {
        /// The state.
        on: RevisionId,
        /// Its steps, with what each did when it was tried.
        steps: Vec<Planned>,
        /// Whether its steps are composed first, without a wrap.
        #[serde(default)]
        compose: bool,
    },
    /// Take in a file that came again: the steps of the body that it was before, one after another, those that do not hold
    /// left out.
    TakeIn {
        /// The new body's state.
        on: RevisionId,
        /// The state that the earlier body is at.
        before: RevisionId,
        /// Its steps.
        steps: Vec<Step>,
    },
    /// Hand the body over as it is when the job begins.
    Handover(Package),
    /// Write a design file of a state.
    Write(Order),
    /// Try the flow through a state.
    Trial(FlowTrial),
    /// Look whether a state is tight.
    Leaks(LeakSearch),
}

fn yes() -> bool {
    true
}

/// A state.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct On {
    /// Its number.
    pub on: RevisionId,
}

/// A step on a state.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Applied {
    /// The state.
    pub on: RevisionId,
    /// The step.
    pub step: Step,
}

/// Where new bodies come from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Arrival {
    /// Some bodies of an assembly as one of its own.
    TakenOut {
        /// The body's name.
        name: String,
        /// The state.
        on: RevisionId,
        /// The bodies that stay behind.
        drop: Vec<String>,
        /// Those that are taken.
        keep: Vec<String>,
    },
    /// Bodies put together, taken apart, or the same again.
    Derived {
        /// The first body's name.
        name: String,
        /// What is made of what.
        from: Derivation,
    },
    /// A file.
    File {
        /// Its name.
        name: String,
        /// Its bytes.
        blob: Blob,
        /// What its bodies are bound for.
        #[serde(default = "fluid")]
        destination: String,
    },
}

/// What new bodies are made of, by the numbers of states.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "make", rename_all = "snake_case")]
pub enum Derivation {
    /// Put together.
    Together {
        /// In which way.
        how: Together,
        /// States, the first one's name is kept.
        of: Vec<RevisionId>,
    },
    /// Parted into regions with common interfaces, the smaller body before the larger.
    Regions {
        /// States.
        of: Vec<RevisionId>,
        /// Whether closed spaces between them are regions too.
        spaces: bool,
    },
    /// Taken apart.
    Apart {
        /// In which way.
        how: Apart,
        /// A state.
        of: RevisionId,
    },
    /// The same body in another project, under its name, in its group, bound for the same.
    Brought {
        /// A state.
        of: RevisionId,
    },
    /// The same again.
    Copy {
        /// A state.
        of: RevisionId,
    },
}

fn fluid() -> String {
    "fluid".into()
}

impl Arrival {
    /// The name by which people know it.
    pub fn name(&self) -> &str {
        match self {
            Arrival::TakenOut { name, .. } | Arrival::Derived { name, .. } | Arrival::File { name, .. } => name,
        }
    }
}

/// A design file that is asked for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Order {
    /// The state.
    pub on: RevisionId,
    /// The form's key.
    #[serde(rename = "as")]
    pub form: String,
    /// The unit that the file declares.
    pub unit: Unit,
}

/// A trial of the flow that is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct FlowTrial {
    /// The state.
    pub on: RevisionId,
    /// What flow.
    pub how: How,
    /// About how many cells.
    pub cells: usize,
}

/// A search for leaks and lost passages that is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LeakSearch {
    /// The state.
    pub on: RevisionId,
    /// The size of cells, in the body's unit.
    pub cell: f64,
}

/// The kind of a work, as it stands in the table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// [`Work::Receive`].
    Receive,
    /// [`Work::Step`].
    Step,
    /// [`Work::Preview`].
    Preview,
    /// [`Work::Survey`].
    Survey,
    /// [`Work::Fit`].
    Fit,
    /// [`Work::Propose`].
    Propose,
    /// [`Work::Repair`].
    Repair,
    /// [`Work::TakeIn`].
    TakeIn,
    /// [`Work::Handover`].
    Handover,
    /// [`Work::Write`].
    Write,
    /// [`Work::Trial`].
    Trial,
    /// [`Work::Leaks`].
    Leaks,
}

impl Kind {
    /// The word in the table.
    pub fn word(self) -> &'static str {
        match self {
            Kind::Receive => "receive",
            Kind::Step => "step",
            Kind::Preview => "preview",
            Kind::Survey => "survey",
            Kind::Fit => "fit",
            Kind::Propose => "propose",
            Kind::Repair => "repair",
            Kind::TakeIn => "take_in",
            Kind::Handover => "handover",
            Kind::Write => "write",
            Kind::Trial => "trial",
            Kind::Leaks => "leaks",
        }
    }
}

impl Work {
    /// Its kind.
    pub fn kind(&self) -> Kind {
        match self {
            Work::Receive(_) => Kind::Receive,
            Work::Step(_) => Kind::Step,
            Work::Preview(_) => Kind::Preview,
            Work::Survey(_) => Kind::Survey,
            Work::Fit { .. } => Kind::Fit,
            Work::Propose { .. } => Kind::Propose,
            Work::Repair { .. } => Kind::Repair,
            Work::TakeIn { .. } => Kind::TakeIn,
            Work::Handover(_) => Kind::Handover,
            Work::Write(_) => Kind::Write,
            Work::Trial(_) => Kind::Trial,
            Work::Leaks(_) => Kind::Leaks,
        }
    }

    /// The state that it was asked for, where it is for one.
    pub fn on(&self) -> Option<RevisionId> {
        match self {
            Work::Step(a) | Work::Preview(a) => Some(a.on),
            Work::Survey(On { on })
            | Work::Propose { on, .. }
            | Work::Repair { on, .. }
            | Work::TakeIn { on, .. }
            | Work::Fit { on, .. } => Some(*on),
            Work::Write(order) => Some(order.on),
            Work::Trial(trial) => Some(trial.on),
            Work::Leaks(search) => Some(search.on),
            Work::Receive(_) | Work::Handover(_) => None,
        }
    }

    /// The kind's word and the parameters, for the table.
    pub(crate) fn columns(&self) -> Result<(&'static str, Value)> {
        let kind = self.kind().word();
        Ok((kind, serde_json::to_value(self)?[kind].take()))
    }

    /// Out of the table.
    pub(crate) fn of(kind: &str, payload: Value) -> Result<Work> {
        serde_json::from_value(json!({ kind: payload }))
            .map_err(|e| StoreError::Damaged(format!("a job of the kind “{kind}”: {e}")))
    }
}

/// Where a job stands.
#[derive(Clone, Debug, PartialEq)]
pub enum State {
    /// It waits for a worker.
    Queued,
    /// A worker is at it.
    Running,
    /// It is done.
    Done(Outcome),
    /// It cannot be done so; the sentence says what people can do.
    Refused(String),
    /// It could not be done, for a reason that people cannot mend.
    Failed(String),
    /// Somebody stopped it.
    Cancelled,
}

impl State {
    /// The word in the table.
    pub fn word(&self) -> &'static str {
        match self {
            State::Queued => "queued",
            State::Running => "running",
            State::Done(_) => "done",
            State::Refused(_) => "refused",
            State::Failed(_) => "failed",
            State::Cancelled => "cancelled",
        }
    }

    /// Whether it has ended, one way or another.
    pub fn is_over(&self) -> bool {
        !matches!(self, State::Queued | State::Running)
    }

    /// Why it was refused or failed.
    pub fn sentence(&self) -> Option<&str> {
        match self {
            State::Refused(s) | State::Failed(s) => Some(s),
            _ => None,
        }
    }

    /// Whether it failed for a reason that people cannot mend.
    pub fn is_failure(&self) -> bool {
        matches!(self, State::Failed(_))
    }
}

/// What came of a job.
#[derive(Clone, Debug, PartialEq)]
pub enum Outcome {
    /// New bodies.
    Received(Box<ArrivalSummary>),
    /// A new state, or a preview.
    Revision(RevisionId),
    /// The survey of a state is whole.
    Surveyed(On),
    /// A repair.
    Proposed(Box<Proposed>),
    /// The steps of a repair were applied.
    Repaired(Repaired),
    /// A file that came again was taken in.
    TakenIn(TakenIn),
    /// A handover.
    HandedOver(HandoverId),
    /// A design file.
    Written(Box<Written>),
    /// A trial of the flow.
    Tried(Box<Tried>),
    /// A search for leaks.
    Searched(Box<Searched>),
}

/// What a file or another body brought.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ArrivalSummary {
    /// The first body that was made.
    #[serde(default)]
    pub body: Option<BodyId>,
    /// The file's format.
    pub format: String,
    /// Faces as the file counts them.
    pub faces: usize,
    /// Facets.
    pub facets: usize,
    /// Points as the file counts them.
    pub points: usize,
    /// Pieces that hang together.
    pub shells: usize,
    /// Names and colours.
    pub named: usize,
    /// The box.
    pub size: [f64; 3],
    /// What lengths are said in.
    pub unit: String,
    /// Exact solids.
    #[serde(default)]
    pub solids: Option<usize>,
    /// Lines in space: curves that bound no face.
    #[serde(default)]
    pub curves: Option<usize>,
    /// What could not be used.
    pub skipped: Vec<Skipped>,
}

/// A repair that was composed for a state.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Proposed {
    /// The state.
    pub on: RevisionId,
    /// The steps, with what each did when it was tried.
    pub steps: Vec<Planned>,
    /// What kept the surface from being clean before.
    pub before: Defects,
    /// And what would be left.
    pub after: Defects,
}

/// A repair that was run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Repaired {
    /// Steps that were applied.
    pub steps: usize,
    /// What stopped it before its end.
    pub stopped: Option<String>,
}

/// A file that came again under its name, with the steps of the body that it was before.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TakenIn {
    /// The state of the earlier body.
    pub before: RevisionId,
    /// Step by step.
    pub steps: Vec<TakenStep>,
    /// Boundary by boundary: its name, the word for how it fared, its area before and now.
    pub boundaries: Vec<(String, String, Option<f64>, f64)>,
}

/// A step of the earlier body on the new one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TakenStep {
    /// The step in words.
    pub title: String,
    /// Whether it held.
    pub held: bool,
    /// What it did, or why it was refused.
    pub said: String,
}

/// A design file that stands ready.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Written {
    /// The state.
    pub on: RevisionId,
    /// The file's name.
    pub name: String,
    /// “STEP AP214 in millimetre, exact geometry”.
    pub what: String,
    /// What was read back.
    pub comparison: Vec<Comparison>,
    /// What the form does not carry: how many, and what.
    pub left_out: Vec<(usize, String)>,
    /// Its bytes.
    pub blob: Blob,
}

/// A trial of the flow that was run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// The state.
    pub on: RevisionId,
    /// What was found, without its ways.
    pub flow: Flow,
    /// All of it, ways too, as JSON.
    pub whole: Blob,
}

/// A search for leaks that was run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Searched {
    /// The state.
    pub on: RevisionId,
    /// What was found.
    pub found: Tightness,
}

impl Outcome {
    /// As it stands in the table beside its work.
    pub(crate) fn column(&self) -> Result<Value> {
        Ok(match self {
            Outcome::Received(r) => serde_json::to_value(r)?,
            Outcome::Revision(id) => json!({ "revision": id }),
            Outcome::Surveyed(on) => serde_json::to_value(on)?,
            Outcome::Proposed(p) => serde_json::to_value(p)?,
            Outcome::Repaired(r) => serde_json::to_value(r)?,
            Outcome::TakenIn(t) => serde_json::to_value(t)?,
            Outcome::HandedOver(id) => json!({ "handover": id }),
            Outcome::Written(w) => serde_json::to_value(w)?,
            Outcome::Tried(t) => serde_json::to_value(t)?,
            Outcome::Searched(s) => serde_json::to_value(s)?,
        })
    }

    fn of(kind: Kind, value: Value) -> Result<Outcome> {
        Ok(match kind {
            Kind::Receive => Outcome::Received(serde_json::from_value(value)?),
            Kind::Step | Kind::Preview | Kind::Fit => {
                Outcome::Revision(serde_json::from_value(value["revision"].clone())?)
            }
            Kind::Survey => Outcome::Surveyed(serde_json::from_value(value)?),
            Kind::Propose => Outcome::Proposed(serde_json::from_value(value)?),
            Kind::Repair => Outcome::Repaired(serde_json::from_value(value)?),
            Kind::TakeIn => Outcome::TakenIn(serde_json::from_value(value)?),
            Kind::Handover => Outcome::HandedOver(serde_json::from_value(value["handover"].clone())?),
            Kind::Write => Outcome::Written(serde_json::from_value(value)?),
            Kind::Trial => Outcome::Tried(serde_json::from_value(value)?),
            Kind::Leaks => Outcome::Searched(serde_json::from_value(value)?),
        })
    }
}

impl State {
    /// Out of the table.
    pub(crate) fn of(word: &str, kind: Kind, result: Option<Value>, error: Option<String>) -> Result<State> {
        Ok(match word {
            "queued" => State::Queued,
            "running" => State::Running,
            "done" => State::Done(Outcome::of(kind, result.unwrap_or_default())?),
            "refused" => State::Refused(error.unwrap_or_default()),
            "failed" => State::Failed(error.unwrap_or_default()),
            "cancelled" => State::Cancelled,
            other => return Err(StoreError::Damaged(format!("a job in the state “{other}”"))),
        })
    }
}
