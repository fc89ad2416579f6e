//! Pages that follow a project: told by server-sent events (WHATWG HTML, 9.2) when they have changed and how far jobs have
//! come. However many pages follow a project, the database is asked once for all of them.

use crate::error::PageResult;
use actix_web::http::header::CACHE_CONTROL;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, get, rt, web};
use futures_util::stream;
use hull_store::Store;
use hull_store::ids::{BodyId, JobId, ProjectId};
use hull_store::pulse::{BodyPulse, Moving, Pulse};
use serde::Serialize;
use std::collections::HashMap;
use std::convert::Infallible;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::watch::{self, Receiver, Sender};

/// How often the database is asked while anybody follows.
const BETWEEN: Duration = Duration::from_millis(200);
/// After this long without news the latest is told again: that finds connections that are gone, and pages that were drawn
/// while something changed, to which the news was older than they are themselves.
const SILENCE: Duration = Duration::from_secs(10);
/// Jobs of which pages are told at once.
const MOST: usize = 200;

/// What pages of each project are told.
pub struct Events {
    store: Store,
    followed: Mutex<HashMap<ProjectId, Sender<Arc<Pulse>>>>,
    stopping: AtomicBool,
}

impl Events {
    /// Nobody follows anything yet.
    pub fn of(store: Store) -> web::Data<Events> {
        web::Data::new(Events { store, followed: Mutex::default(), stopping: AtomicBool::new(false) })
    }

    /// Ends every stream, so that the server can stop.
    pub fn stop(&self) {
        self.stopping.store(true, Relaxed);
        self.followed.lock().unwrap_or_else(PoisonError::into_inner).clear();
    }
}

/// What has happened in a project since; looking begins with the first who follows and ends with the last.
fn subscribe(events: &web::Data<Events>, project: ProjectId) -> Receiver<Arc<Pulse>> {
    let mut followed = events.followed.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(sender) = followed.get(&project) {
        return sender.subscribe();
    }
    let (sender, receiver) = watch::channel(Arc::default());
    followed.insert(project, sender);
    rt::spawn(look(events.clone(), project));
    receiver
}

async fn look(events: web::Data<Events>, project: ProjectId) {
    loop {
        let store = events.store.clone();
        // While the database is away there is no news.
        let pulse = web::block(move || store.pulse(project)).await.ok().and_then(Result::ok);
        {
            let mut followed = events.followed.lock().unwrap_or_else(PoisonError::into_inner);
            let Some(sender) = followed.get(&project) else { return };
            if sender.receiver_count() == 0 {
                followed.remove(&project);
                return;
            }
            if let Some(pulse) = pulse {
                sender.send_if_modified(|before| {
                    let news = is_news(before, &pulse);
                    *before = Arc::new(pulse);
                    news
                });
            }
        }
        rt::time::sleep(BETWEEN).await;
    }
}

/// Whether anybody would see a difference: seconds that pass are seen as whole ones.
fn is_news(before: &Pulse, now: &Pulse) -> bool {
    let seen = |m: &Moving| (m.id, m.running, (m.fraction * 1000.0) as i32, m.elapsed as i32, m.ahead);
    before.at == 0
        || before.project != now.project
        || before.bodies != now.bodies
        || before.jobs.len() != now.jobs.len()
        || before.jobs.iter().zip(&now.jobs).any(|(a, b)| seen(a) != seen(b) || a.phrase != b.phrase)
}

/// What a page is told.
#[derive(Serialize)]
struct Told<'a> {
    at: i64,
    key: &'a str,
    surveyed: &'a str,
    jobs: Vec<Progress<'a>>,
}

#[derive(Serialize)]
struct Progress<'a> {
    id: JobId,
    fraction: f64,
    phrase: &'a str,
    time: String,
}

impl<'a> Progress<'a> {
    fn of(m: &'a Moving) -> Progress<'a> {
        Progress { id: m.id, fraction: m.fraction, phrase: &m.phrase, time: m.time() }
    }
}

impl Told<'_> {
    fn event(pulse: &Pulse, body: Option<BodyId>) -> Bytes {
        let gone = BodyPulse::default();
        let own = body.map(|id| pulse.bodies.get(&id).unwrap_or(&gone));
        let told = Told {
            at: pulse.at,
            key: own.map_or(&pulse.project, |b| &b.key),
            surveyed: own.map_or("", |b| &b.surveyed),
            jobs: pulse.jobs.iter().take(MOST).map(Progress::of).collect(),
        };
        let data = serde_json::to_string(&told).unwrap_or_default();
        Bytes::from(format!("data: {data}\n\n"))
    }
}

fn told(receiver: Receiver<Arc<Pulse>>, body: Option<BodyId>) -> HttpResponse {
    // What is known already is told at once.
    let begun = (receiver, true);
    let events = stream::unfold(begun, move |(mut receiver, mut first)| async move {
        loop {
            if !first {
                // Over if nobody looks any more.
                if let Ok(Err(_)) = rt::time::timeout(SILENCE, receiver.changed()).await {
                    return None;
                }
            }
            first = false;
            let pulse = receiver.borrow_and_update().clone();
            if pulse.at != 0 {
                return Some((Ok::<_, Infallible>(Told::event(&pulse, body)), (receiver, first)));
            }
        }
    });
    HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header((CACHE_CONTROL, "no-store"))
        .streaming(Box::pin(events))
}

#[get("/projects/{project}/events")]
pub async fn of_project(events: web::Data<Events>, id: web::Path<ProjectId>) -> PageResult {
    let store = events.store.clone();
    let project = web::block(move || store.project(*id)).await??;
    Ok(told(subscribe(&events, project.id), None))
}

#[get("/bodies/{body}/events")]
pub async fn of_body(events: web::Data<Events>, id: web::Path<BodyId>) -> PageResult {
    let store = events.store.clone();
    let body = web::block(move || store.body(*id)).await??;
    Ok(told(subscribe(&events, body.project_id), Some(body.id)))
}
