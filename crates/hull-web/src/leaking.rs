//! Whether a body's inside is tight for cells of a size, as a part of a page; and its findings as a table to take along.

use crate::error::{PageError, PageResult};
use crate::show::four_digits;
use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::{HttpResponse, get, web};
use askama::Template;
use hull_flow::leaks::{Way, leak, length, place_inside};
use hull_flow::passages::{Passage, lost};
use hull_geometry::{Point, Watch};
use hull_store::Store;
use hull_store::ids::RevisionId;
use serde::Deserialize;

/// What is asked.
#[derive(Deserialize)]
pub struct Asked {
    /// The size of cells, as typed.
    cell: String,
}

#[derive(Template)]
#[template(
    source = r#"{% if let Some(w) = way %}<p class="told">It leaks for cells of {{ self::four_digits(*cell) }} {{ unit }}: a way of {{ self::four_digits(*long) }} {{ unit }} leads outside. Its narrowest place is {{ self::four_digits(w.width) }} {{ unit }} wide. <button type="button" class="slim" data-visit="{{ w.at[0] }},{{ w.at[1] }},{{ w.at[2] }}">Show</button></p>{% else %}<p>Tight for cells of {{ self::four_digits(*cell) }} {{ unit }}, from {{ inside }}.</p>{% endif %}{% match passages %}{% when Ok with (found) %}{% if found.0.is_empty() %}<p>No passage that is {{ self::four_digits(found.1) }} {{ unit }} wide or more would be closed by them.</p>{% else %}<p class="told">Cells of this size close what joins rooms now: <button type="button" class="slim" data-visit="{{ found.0[0].at[0] }},{{ found.0[0].at[1] }},{{ found.0[0].at[2] }}">Show the first</button></p><table class="small"><thead><tr><th class="n">Passage {{ unit }} wide</th><th class="n">Behind it {{ unit }}³</th><td></td></tr></thead><tbody>{% for p in found.0 %}<tr><td class="n">{{ self::four_digits(p.width) }}</td><td class="n">{{ self::four_digits(p.rooms[0]) }}</td><td><button type="button" class="slim" data-visit="{{ p.at[0] }},{{ p.at[1] }},{{ p.at[2] }}">Show</button></td></tr>{% endfor %}</tbody></table>{% endif %}{% when Err with (why) %}<p>Lost passages were not looked for. {{ why }}</p>{% endmatch %}"#,
    ext = "html"
)]
struct Answer {
    cell: f64,
    unit: &'static str,
    inside: String,
    way: Option<Way>,
    long: f64,
    /// Gaps between rooms that such cells would close, and the width from which they are seen.
    passages: Result<(Vec<Passage>, f64), String>,
}

/// Whether a state is tight.
#[get("/revisions/{revision}/leak")]
pub async fn ask(store: web::Data<Store>, id: web::Path<RevisionId>, asked: web::Query<Asked>) -> PageResult {
    let typed = asked.cell.replace(['\u{2009}', ' '], "").replace(',', ".");
    let cell = typed.parse().ok().filter(|c: &f64| *c > 0.0 && c.is_finite());
    let cell =
        cell.ok_or_else(|| PageError::refused(format!("The cell size must be above 0; “{}” is not.", asked.cell)))?;
    let answer = web::block(move || -> PageResult<Answer> {
        let revision = store.revision(*id)?;
        let body = store.load(&revision)?;
        let refused = |s: &str| PageError::refused(s);
        let inside = place_inside(&body.mesh)
            .ok_or_else(|| refused("No place inside was found: the surface is too open to have one."))?;
        let way = leak(&body.mesh, inside, cell, &Watch::default()).map_err(|e| refused(&e.to_string()))?;
        let told = |p: Point| p.map(four_digits).join(", ");
        let long = way.as_ref().map_or(0.0, length);
        let passages = lost(&body.mesh, cell, &Watch::default()).map_err(|e| e.to_string());
        Ok(Answer { cell, unit: body.facts.length_unit().symbol(), inside: told(inside), way, long, passages })
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(answer.render()?))
}

/// The findings of a state as CSV: kind, place, size, what is wrong.
#[get("/revisions/{revision}/findings.csv")]
pub async fn findings(store: web::Data<Store>, id: web::Path<RevisionId>) -> PageResult {
    let text = web::block(move || -> hull_store::Result<String> {
        let revision = store.revision(*id)?;
        let unit = revision.facts.length_unit();
        let mut text = String::from("kind,x,y,z,radius,unit,text\n");
        for f in &revision.survey.findings {
            let said = f.text.replace('"', "\"\"");
            let [x, y, z] = f.at;
            text += &format!("{},{x},{y},{z},{},{},\"{said}\"\n", f.kind.id(), f.radius, unit.symbol());
        }
        Ok(text)
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"findings.csv\""))
        .body(text))
}
