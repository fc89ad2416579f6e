//! Renaming, deleting and having back; and what tidies up by itself.

use crate::error::{PageError, PageResult};
use crate::show::bytes;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, get, post, web};
use hull_store::Store;
use hull_store::deleting::{Collected, Thing};
use hull_store::ids::{BodyId, ProjectId};
use serde::Deserialize;
use std::time::Duration;

/// How long what was deleted can be had back, in seconds.
const KEPT: u32 = 24 * 3600;
const ROUND: Duration = Duration::from_secs(3600);

#[derive(Deserialize)]
pub struct NewName {
    name: String,
}

fn to(address: String) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, address)).finish()
}

fn thing(word: &str, id: i32) -> PageResult<Thing> {
    Thing::at(word, id).ok_or_else(|| PageError::refused("There is no such thing to delete."))
}

/// The page on which a thing is listed.
fn lists(store: &Store, thing: Thing) -> PageResult<String> {
    Ok(match thing {
        Thing::Project(_) => "/".into(),
        Thing::Body(id) => format!("/projects/{}", store.body(id)?.project_id),
        Thing::Handover(id) => format!("/bodies/{}?tab=handover", store.handover(id)?.body_id),
    })
}

/// Deletes a project, body or handover, and goes to the page on which it was listed.
#[post("/{thing:projects|bodies|handovers}/{id}/delete")]
pub async fn delete(store: web::Data<Store>, path: web::Path<(String, i32)>) -> PageResult {
    let (word, id) = path.into_inner();
    let thing = thing(&word, id)?;
    let back = web::block(move || -> PageResult<String> {
        let back = lists(&store, thing)?;
        store.delete(thing)?;
        Ok(back)
    })
    .await??;
    Ok(to(back))
}

/// Has back what was deleted.
#[post("/{thing:projects|bodies|handovers}/{id}/restore")]
pub async fn restore(store: web::Data<Store>, path: web::Path<(String, i32)>) -> PageResult {
    let (word, id) = path.into_inner();
    let thing = thing(&word, id)?;
    let back = web::block(move || -> PageResult<String> {
        store.restore(thing)?;
        lists(&store, thing)
    })
    .await??;
    Ok(to(back))
}

#[post("/projects/{id}/name")]
pub async fn rename_project(store: web::Data<Store>, id: web::Path<ProjectId>, form: web::Form<NewName>) -> PageResult {
    let id = *id;
    web::block(move || store.rename_project(id, &form.name)).await??;
    Ok(to(format!("/projects/{id}")))
}

#[post("/bodies/{id}/name")]
pub async fn rename_body(store: web::Data<Store>, id: web::Path<BodyId>, form: web::Form<NewName>) -> PageResult {
    let project = web::block(move || -> PageResult<ProjectId> {
        store.rename_body(*id, &form.name)?;
        Ok(store.body(*id)?.project_id)
    })
    .await??;
    Ok(to(format!("/projects/{project}")))
}

/// What a project takes, as words for its page.
#[get("/projects/{id}/usage")]
pub async fn usage(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let used = web::block(move || store.usage(*id)).await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(format!("{} kept", bytes(used))))
}

/// Takes away, every hour, what was deleted a day ago and what nothing names.
pub fn tidy_by_and_by(store: Store) {
    std::thread::spawn(move || {
        loop {
            match store.collect(KEPT) {
                Ok(Collected { things: 0, leftovers: 0, chunks: 0 }) => {}
                Ok(taken) => tracing::info!("tidied up: {taken:?}"),
                Err(e) => tracing::warn!("not tidied up: {e}"),
            }
            std::thread::sleep(ROUND);
        }
    });
}
