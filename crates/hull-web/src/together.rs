//! What is done with several bodies of a project at once: a step, another destination, a repair, a handover, deleting.

use crate::error::{PageError, PageResult};
use crate::form::{Fields, text};
use crate::manifest::{ProjectPage, page};
use crate::pages::html;
use crate::remedies;
use crate::show::counted;
use actix_web::{post, web};
use hull_store::bodies::BodyRow;
use hull_store::deleting::Thing;
use hull_store::ids::{BodyId, ProjectId, RevisionId};
use hull_store::work::{Applied, Arrival, Derivation, Work};
use hull_store::{Store, StoreError};
use hull_workshop::combine::Apart;
use hull_workshop::handover::Form;
use hull_workshop::sentence::{LengthUnit, Sentence};
use hull_workshop::{Sheet, Step};

/// What is done with each of them.
enum Deed {
    Step(Box<Step>),
    Bind(String),
    Repair,
    HandOver,
    Delete,
    Cancel,
    Group(String),
    Hide(bool),
    Duplicate,
    Shelve,
    Split,
}

impl Deed {
    fn of(fields: &Fields) -> PageResult<Deed> {
        if !text(fields, "step").is_empty() {
            let refused = |why: Sentence| PageError::refused(why.text(LengthUnit::FileUnits));
            return Ok(Deed::Step(Box::new(remedies::step(fields).map_err(refused)?)));
        }
        Ok(match text(fields, "do") {
            "bind" => Deed::Bind(text(fields, "destination").into()),
            "repair" => Deed::Repair,
            "hand_over" => Deed::HandOver,
            "delete" => Deed::Delete,
            "cancel" => Deed::Cancel,
            "group" => Deed::Group(text(fields, "group").trim().into()),
            "hide" => Deed::Hide(true),
            "list" => Deed::Hide(false),
            "duplicate" => Deed::Duplicate,
            "shelve" => Deed::Shelve,
            "split" => Deed::Split,
            other => return Err(PageError::refused(format!("“{other}” is nothing that can be done with bodies."))),
        })
    }

    /// What was begun or done, with how many bodies stand behind it.
    fn told(&self, bodies: usize) -> String {
        let n = counted(bodies, "body");
        match self {
            Deed::Step(step) => format!("“{}” was asked for on {n}.", step.about().verb),
            Deed::Bind(_) => format!("The destination of {n} was changed."),
            Deed::Repair => format!("A repair was asked for on {n}, without a wrap; each step is one of the logbook."),
            Deed::HandOver => format!("A handover was asked for of {n}; they are listed below when they are made."),
            Deed::Delete => format!("{n} deleted, to be had back for a day."),
            Deed::Cancel => format!("What was at work on {n} was cancelled."),
            Deed::Group(name) if name.is_empty() => format!("{n} stand in no group now."),
            Deed::Group(name) => format!("In the group “{name}” now: {n}."),
            Deed::Hide(true) => format!("{n} hidden; “Show hidden bodies” lists them again."),
            Deed::Hide(false) => format!("{n} listed again."),
            Deed::Duplicate => format!("A duplicate was asked for of {n}."),
            Deed::Shelve => format!(
                "Being put on the shelf as they are now: {n}. “Stock parts and shelf” puts them into any project."
            ),
            Deed::Split => format!("{n} are being taken apart by shells; each piece becomes a body, and these stay."),
        }
    }

    /// Does it with one body.
    fn on(&self, store: &Store, body: &BodyRow, head: RevisionId) -> hull_store::Result<()> {
        let queue = |work: &Work| store.enqueue(work, body.project_id, Some(body.id)).map(|_| ());
        match self {
            Deed::Step(step) => queue(&Work::Step(Applied { on: head, step: (**step).clone() })),
            Deed::Repair => queue(&Work::Repair { on: head, steps: Vec::new(), compose: true }),
            Deed::HandOver => {
                let revision = store.revision(head)?;
                let destination = store.destination(&body.destination, body.destination_version)?;
                let sheet = Sheet::of(&revision.facts, &revision.survey, &destination);
                if !sheet.is_ready() {
                    return Err(StoreError::Refused(format!("it is not ready: {}", sheet.what_is_outstanding())));
                }
                // As the body's own page offers first.
                let first = Form::offered(&revision.survey, false).first().map_or(Form::Ascii, |a| a.form);
                queue(&Work::Handover(first.into()))
            }
            Deed::Bind(name) => store.bind_and_survey(body.id, name),
            Deed::Delete => store.delete(Thing::Body(body.id)),
            Deed::Group(name) => store.group_body(body.id, name),
            Deed::Hide(hidden) => store.hide_body(body.id, *hidden),
            Deed::Duplicate => derive(store, (body.project_id, &body.name), Derivation::Copy { of: head }),
            Deed::Split => {
                derive(store, (body.project_id, &body.name), Derivation::Apart { how: Apart::Shells, of: head })
            }
            Deed::Shelve => {
                let shelf = store.make_shelf()?;
                if shelf.id == body.project_id {
                    return Err(StoreError::Refused("it is on the shelf".into()));
                }
                derive(store, (shelf.id, &body.name), Derivation::Brought { of: head })
            }
            Deed::Cancel => store.open_job_of_body(body.id)?.map_or(Ok(()), |job| store.cancel_job(job.id)),
        }
    }

    /// Whether it waits for what is at work on a body.
    fn waits(&self) -> bool {
        !matches!(self, Deed::Cancel | Deed::Delete | Deed::Group(_) | Deed::Hide(_))
    }
}

/// Asks for new bodies that are made of one of a name.
pub fn derive(store: &Store, (project, name): (ProjectId, &str), from: Derivation) -> hull_store::Result<()> {
    let arrival = Arrival::Derived { name: name.into(), from };
    store.enqueue(&Work::Receive(arrival), project, None).map(|_| ())
}

/// Does something with the ticked bodies of a project; says how many, and which were left alone and why.
fn act(store: &Store, project: ProjectId, deed: &Deed, ticked: &[BodyId]) -> hull_store::Result<String> {
    let mut at_work = store.jobs_by_body(project)?;
    let (mut done, mut left) = (0, Vec::new());
    for body in store.bodies(project)?.into_iter().filter(|b| ticked.contains(&b.id)) {
        let is_at_work = at_work.remove(&body.id).is_some_and(|on| on.open.is_some());
        let Some(head) = body.head else { continue };
        let did = if is_at_work && deed.waits() {
            Err(StoreError::Refused("a step is at work on it".into()))
        } else {
            deed.on(store, &body, head)
        };
        match did {
            Ok(()) => done += 1,
            Err(StoreError::Refused(why)) => left.push(format!("“{}” ({why})", body.name)),
            Err(other) => return Err(other),
        }
    }
    let mut said = deed.told(done);
    if !left.is_empty() {
        said += &format!(" Left alone: {}.", left.join(", "));
    }
    Ok(said)
}

#[post("/projects/{project}/together")]
pub async fn together(store: web::Data<Store>, id: web::Path<ProjectId>, fields: web::Form<Fields>) -> PageResult {
    let ticked: Vec<BodyId> = fields.iter().filter(|f| f.0 == "body").filter_map(|f| f.1.parse().ok()).collect();
    if ticked.is_empty() {
        return Err(PageError::refused("Tick at least one body."));
    }
    let deed = Deed::of(&fields)?;
    let drawn = web::block(move || -> PageResult<ProjectPage> {
        let said = act(&store, *id, &deed, &ticked)?;
        page(&store, *id, Some(said))
    });
    html(&drawn.await??)
}
