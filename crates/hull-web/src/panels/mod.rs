//! The panels of the drawer: one folder each, named in the list below. Each has an address of its own,
//! `/bodies/{body}/panels/{id}`, and stands in the page under `tab=`.

use crate::context::{Ctx, Place};
use crate::error::{PageError, PageResult};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, get, web};
use hull_store::Store;
use hull_store::ids::BodyId;

/// A panel's tab.
pub struct Tab {
    pub title: &'static str,
    /// How much is in it, where that says something.
    pub count: Option<usize>,
}

/// One panel.
pub struct Panel {
    pub id: &'static str,
    /// Its tab, if the body has something to show there.
    pub tab: fn(&Ctx) -> Option<Tab>,
    /// Its contents.
    pub render: fn(&Ctx) -> PageResult<String>,
}

/// Lists the panels: makes their modules, and [`PANELS`].
macro_rules! panels {
    ($($id:ident,)*) => {
        $(mod $id;)*

        /// The panels, in the order of their tabs.
        pub const PANELS: &[Panel] = &[$($id::PANEL),*];
    };
}

panels! {
    findings,
    boundaries,
    logbook,
    figures,
    moved,
    bodies,
    datums,
    measures,
    operations,
    exact,
    lines,
    frame,
    flow,
}

/// A tab that every body has.
fn always(title: &'static str) -> Option<Tab> {
    Some(Tab { title, count: None })
}

/// The panel that a page shows: the one asked for, or the first.
pub fn open(cx: &Ctx) -> &'static Panel {
    PANELS.iter().find(|p| p.id == cx.tab()).unwrap_or(&PANELS[0])
}

/// One panel by itself.
#[get("/bodies/{body}/panels/{panel}")]
pub async fn panel(store: web::Data<Store>, path: web::Path<(BodyId, String)>, place: web::Query<Place>) -> PageResult {
    let (body, id) = path.into_inner();
    let sentence = format!("There is no panel “{id}”.");
    let panel = PANELS.iter().find(|p| p.id == id);
    let panel = panel.ok_or(PageError { status: StatusCode::NOT_FOUND, sentence })?;
    let place = Place { tab: Some(id), ..place.into_inner() };
    let html = web::block(move || (panel.render)(&Ctx::of(&store, body, &place)?)).await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(html))
}
