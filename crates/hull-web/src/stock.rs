//! Stock parts and the shelf: a search, a part of a chosen size as a body of the project, and what was kept.

use crate::error::{PageError, PageResult};
use crate::form::{Fields, number, text};
use crate::pages::html;
use crate::together::derive;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use hull_exact::Motion;
use hull_exact::model::Model;
use hull_formats::step::{self, Schema};
use hull_formats::{NamedFacets, Surface, threemf};
use hull_geometry::{FacetId, Mesh, Unit, Watch};
use hull_stock::parts::{Kind, make, search, solid};
use hull_store::Store;
use hull_store::bodies::BodyRow;
use hull_store::ids::{BodyId, ProjectId};
use hull_store::projects::Project;
use hull_store::work::{Arrival, Derivation, Work};
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
    /// The shelf and what is on it; nothing on the page of the shelf itself.
    shelf: Option<(ProjectId, Vec<BodyRow>)>,
}

/// Whether a kind comes as an exact solid.
fn is_exact(kind: &Kind) -> bool {
    kind.sizes.first().is_some_and(|size| matches!(solid(kind.id, size, 100.0), Ok(Some(_))))
}

/// The catalogue.
#[get("/projects/{project}/stock")]
pub async fn list(store: web::Data<Store>, id: web::Path<ProjectId>, query: web::Query<Query>) -> PageResult {
    let (project, shelf) = web::block(move || -> hull_store::Result<_> {
        let kept = match store.shelf()?.filter(|s| s.id != *id) {
            Some(shelf) => Some((shelf.id, store.bodies(shelf.id)?)),
            None => None,
        };
        Ok((store.project(*id)?, kept))
    })
    .await??;
    let q = query.into_inner().q;
    html(&StockPage { project, kinds: search(&q), q, shelf })
}

/// A part as a body of the project, in millimetres.
#[post("/projects/{project}/stock")]
pub async fn add(store: web::Data<Store>, id: web::Path<ProjectId>, fields: web::Form<Fields>) -> PageResult {
    let project = id.into_inner();
    let kind = search("").into_iter().find(|k| k.id == text(&fields, "kind"));
    let kind = kind.ok_or_else(|| PageError::refused("Choose a part from the list."))?;
    let size = text(&fields, "size").to_string();
    let length = if kind.length.is_some() { number(&fields, "length", "The length")? } else { 1.0 };
    let exact = text(&fields, "as") == "solid";
    let tolerance = if exact { 1.0 } else { number(&fields, "tolerance", "The tolerance")? };
    web::block(move || -> PageResult<()> {
        store.project(project)?;
        let long = kind.length.map_or(String::new(), |_| format!(" {length}"));
        let name = format!("{} {size}{long}", kind.title);
        let (bytes, file) = if exact {
            (exact_file(kind, &size, length, &name).map_err(PageError::refused)?, format!("{name}.step"))
        } else {
            let mesh = make(kind.id, &size, length, tolerance).map_err(PageError::refused)?;
            (facet_file(&mesh, &name), format!("{name}.3mf"))
        };
        let blob = store.put_blob(&bytes)?;
        let arrival = Arrival::File { name: file, blob, destination: "solid".into() };
        store.enqueue(&Work::Receive(arrival), project, None)?;
        Ok(())
    })
    .await??;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}"))).finish())
}

fn facet_file(mesh: &Mesh, name: &str) -> Vec<u8> {
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let parts = [NamedFacets { name, facets: &all, role: None }];
    let surface = Surface { mesh, cells: Default::default(), parts: &parts, ascii: false, unit: Some(Unit::Mm) };
    threemf::FORMAT.write.map_or(Vec::new(), |write| write(&surface))
}

fn exact_file(kind: &Kind, size: &str, length: f64, name: &str) -> Result<Vec<u8>, String> {
    let shape = solid(kind.id, size, length)?;
    let shape = shape.ok_or_else(|| format!("A {} comes as facets only.", kind.title.to_lowercase()))?;
    let model = Model::of_part(name, shape);
    let written = step::write(name, &model, &Motion::NONE, Unit::Mm, Schema::Ap214, &Watch::default());
    Ok(written.map_err(|e| e.to_string())?.bytes)
}

/// Puts bodies of the shelf into the project, with their groups.
#[post("/projects/{project}/shelf")]
pub async fn take(store: web::Data<Store>, id: web::Path<ProjectId>, fields: web::Form<Fields>) -> PageResult {
    let project = id.into_inner();
    let ticked: Vec<BodyId> = fields.iter().filter(|f| f.0 == "body").filter_map(|f| f.1.parse().ok()).collect();
    if ticked.is_empty() {
        return Err(PageError::refused("Tick at least one body of the shelf."));
    }
    web::block(move || -> PageResult<()> {
        store.project(project)?;
        let shelf = store.shelf()?.ok_or_else(|| PageError::refused("Nothing is on the shelf."))?;
        for body in store.bodies(shelf.id)?.into_iter().filter(|b| ticked.contains(&b.id)) {
            let Some(of) = body.head else { continue };
            derive(&store, (project, &body.name), Derivation::Brought { of })?;
        }
        Ok(())
    })
    .await??;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}"))).finish())
}
