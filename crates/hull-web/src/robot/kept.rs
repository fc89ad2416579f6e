//! Robots at work and built lately. Their page, its pictures, trials and package ask for the same one again and again, and
//! moving every joint over its range takes seconds where links have many facets: one thread builds it, and all wait for it.

use super::{bodies, meshes};
use crate::error::PageError;
use hull_geometry::Watch;
use hull_robots::plan::Plan;
use hull_store::Store;
use hull_store::ids::{ProjectId, RevisionId};
use hull_workshop::StepError;
use hull_workshop::robot::{Checked, checked, followed};
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// So many are kept.
const MOST: usize = 4;
/// A page waits so long for its robot before it tells how far it is.
const PATIENCE: Duration = Duration::from_secs(2);

/// What a robot is made of: its project, its plan, and the state of every body of it. A process serves one database.
type Key = (ProjectId, String, Vec<RevisionId>);

/// A robot that is being built, or is.
#[derive(Default)]
struct Work {
    watch: Watch,
    /// What came of it, once it has ended.
    made: Mutex<Option<Result<Arc<Checked>, String>>>,
    ended: Condvar,
}

/// What a page is told of its robot.
pub(super) enum Made {
    /// It is built.
    Built(Arc<Checked>),
    /// Why it cannot be.
    Not(String),
    /// It is at work: the part that is done, and what is done now.
    Working(f64, String),
}

static KEPT: Mutex<VecDeque<(Key, Arc<Work>)>> = Mutex::new(VecDeque::new());

/// What is held is whole at every moment, whoever panicked.
fn held<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A project's plan with the work that makes a robot of the bodies as they are; begun, if it was not yet. What was begun
/// for this project of an earlier plan ends.
fn work(store: &Store, project: ProjectId) -> Result<(Plan, Key, Arc<Work>), PageError> {
    let plan = store.robot(project)?;
    let known = bodies(store, project)?;
    let is_part = |name: &str| plan.links.iter().any(|l| l.parts.iter().any(|p| p == name));
    let states = known.iter().filter(|b| is_part(&b.0.name)).map(|b| b.1).collect();
    let told = serde_json::to_string(&plan).map_err(|e| PageError::refused(e.to_string()))?;
    let key = (project, told, states);
    let mut all = held(&KEPT);
    if let Some((_, found)) = all.iter().find(|k| k.0 == key) {
        return Ok((plan, key, found.clone()));
    }
    // Whoever comes back to an earlier plan begins anew, and does not find what was cancelled here.
    all.retain(|(k, old)| {
        let earlier = k.0 == project;
        if earlier {
            old.watch.cancel();
        }
        !earlier
    });
    let begun = Arc::new(Work::default());
    all.push_front((key.clone(), begun.clone()));
    let kept = MOST.min(all.len());
    all.drain(kept..).for_each(|(_, old)| old.watch.cancel());
    drop(all);
    let (own, of, store) = (begun.clone(), plan.clone(), store.clone());
    std::thread::spawn(move || {
        let build = || {
            let meshes = meshes(&store, &of, &known).map_err(|e| e.sentence)?;
            let placed = |name: &str| known.iter().find(|b| b.0.name == name).and_then(|b| b.0.placed);
            let made = followed(&of, placed).and_then(|plan| checked(&plan, &meshes, &own.watch).map(Arc::new));
            made.map_err(|e| match e {
                StepError::Refused(sentence) => sentence,
                StepError::Cancelled(_) => "Building it was cancelled. Load the page again to go on.".to_string(),
            })
        };
        // Libraries take shapes apart here: whoever waits must hear of it if one of them panics.
        let made = catch_unwind(AssertUnwindSafe(build)).unwrap_or_else(|_| {
            Err("Building it failed on these bodies. Choose other shapes to touch, or repair the bodies.".to_string())
        });
        *held(&own.made) = Some(made);
        own.ended.notify_all();
    });
    Ok((plan, key, begun))
}

/// What is not built is not kept: the next one who asks begins anew.
fn forgotten(key: &Key) {
    held(&KEPT).retain(|k| k.0 != *key);
}

/// A project's plan and the robot that it makes, however long that takes.
///
/// # Errors
/// Refused with a sentence: what keeps it from being built.
pub(super) fn built(store: &Store, project: ProjectId) -> Result<(Plan, Arc<Checked>), PageError> {
    let (plan, key, work) = work(store, project)?;
    let mut made = held(&work.made);
    loop {
        match &*made {
            Some(Ok(made)) => return Ok((plan, made.clone())),
            Some(Err(sentence)) => {
                forgotten(&key);
                return Err(PageError::refused(sentence.clone()));
            }
            None => made = work.ended.wait(made).unwrap_or_else(PoisonError::into_inner),
        }
    }
}

/// The robot if it is built soon, and how far it is if not.
pub(super) fn soon(store: &Store, project: ProjectId) -> Made {
    let (key, work) = match work(store, project) {
        Ok((_, key, work)) => (key, work),
        Err(e) => return Made::Not(e.sentence),
    };
    let made = held(&work.made);
    let waited = work.ended.wait_timeout_while(made, PATIENCE, |made| made.is_none());
    match &*waited.unwrap_or_else(PoisonError::into_inner).0 {
        Some(Ok(made)) => Made::Built(made.clone()),
        Some(Err(sentence)) => {
            forgotten(&key);
            Made::Not(sentence.clone())
        }
        None => {
            let (fraction, phrase) = work.watch.progress();
            Made::Working(fraction, if phrase.is_empty() { "reading its bodies".into() } else { phrase })
        }
    }
}

/// Ends what is at work for a project.
pub(super) fn cancel(project: ProjectId) {
    held(&KEPT).iter().filter(|k| k.0.0 == project).for_each(|(_, work)| work.watch.cancel());
}
