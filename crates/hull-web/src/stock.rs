//! Stock parts: a search, and a part of a chosen size as a body of the project.

use crate::error::{PageError, PageResult};
use crate::form::{Fields, number, text};
use crate::pages::html;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use hull_formats::{NamedFacets, Surface, threemf};
use hull_geometry::Unit;
use hull_stock::parts::{Kind, make, search};
use hull_store::Store;
use hull_store::ids::ProjectId;
use hull_store::projects::Project;
use hull_store::work::{Arrival, Work};
use serde::Deserialize;

/// What is searched for.
#[derive(Deserialize)]
pub struct Query {
    #[serde(default)]
    q: String,
}

#[derive(Template)]
#[template(path = "stock.html")]
struct StockPage {
    project: Project,
    q: String,
    kinds: Vec<&'static Kind>,
}

/// The catalogue.
#[get("/projects/{project}/stock")]
pub async fn list(store: web::Data<Store>, id: web::Path<ProjectId>, query: web::Query<Query>) -> PageResult {
    let project = web::block(move || store.project(*id)).await??;
    let q = query.into_inner().q;
    html(&StockPage { project, kinds: search(&q), q })
}

/// A part as a body of the project, in millimetres.
#[post("/projects/{project}/stock")]
pub async fn add(store: web::Data<Store>, id: web::Path<ProjectId>, fields: web::Form<Fields>) -> PageResult {
    let project = id.into_inner();
    let kind = search("").into_iter().find(|k| k.id == text(&fields, "kind"));
    let kind = kind.ok_or_else(|| PageError::refused("Choose a part from the list."))?;
    let size = text(&fields, "size").to_string();
    let length = if kind.length.is_some() { number(&fields, "length", "The length")? } else { 1.0 };
    let tolerance = number(&fields, "tolerance", "The tolerance")?;
    web::block(move || -> PageResult<()> {
        store.project(project)?;
        let mesh = make(kind.id, &size, length, tolerance).map_err(PageError::refused)?;
        let all: Vec<u32> = (0..mesh.triangles.len() as u32).collect();
        let long = kind.length.map_or(String::new(), |_| format!(" {length}"));
        let name = format!("{} {size}{long}", kind.title);
        let parts = [NamedFacets { name: &name, facets: &all, role: None }];
        let surface = Surface { mesh: &mesh, cells: &[], parts: &parts, ascii: false, unit: Some(Unit::Mm) };
        let bytes = threemf::FORMAT.write.map_or(Vec::new(), |write| write(&surface));
        let blob = store.put_blob(&bytes)?;
        let arrival = Arrival::File { name: format!("{name}.3mf"), blob, destination: "solid".into() };
        store.enqueue(&Work::Receive(arrival), project, None)?;
        Ok(())
    })
    .await??;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}"))).finish())
}
