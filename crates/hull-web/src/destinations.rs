//! Destinations as people use them: listed, copied, edited, exported, taken in, and chosen for a body.

use crate::answer::Asked;
use crate::error::{PageError, PageResult};
use crate::form::{Fields, text};
use crate::pages::attachment;
use crate::show::{Real, four_digits};
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use hull_geometry::Unit;
use hull_store::Store;
use hull_store::destinations::Listed;
use hull_workshop::Destination;
use hull_workshop::destination::Requirement;
use hull_workshop::survey::Measure;
use serde::Deserialize;
use std::sync::Arc;

fn html(page: &impl Template) -> PageResult {
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

#[derive(Template)]
#[template(path = "destinations.html")]
struct ListPage {
    list: Vec<Listed>,
}

/// Every destination in its newest version.
#[get("/destinations")]
pub async fn list(store: web::Data<Store>) -> PageResult {
    html(&ListPage { list: web::block(move || store.destinations()).await?? })
}

#[derive(Template)]
#[template(path = "destination.html")]
struct OnePage {
    destination: Arc<Destination>,
    shipped: bool,
    newest: i32,
    /// What a requirement could be added for.
    measures: Vec<Measure>,
}

impl OnePage {
    /// Whether it can be edited here: a version that is not the newest stays as it was.
    fn is_editable(&self) -> bool {
        !self.shipped && self.destination.version == self.newest
    }

    fn words(&self, measure: &Measure) -> String {
        measure.key.replace('_', " ")
    }

    fn typed(&self, limit: &Option<f64>) -> String {
        limit.map_or(String::new(), |x| x.to_string())
    }

    fn limit(&self, limit: &Option<f64>, unit: &str) -> String {
        limit.map_or(String::new(), |x| format!("{}{unit}", four_digits(x.real())))
    }

    fn is_unit(&self, unit: &Unit) -> bool {
        self.destination.unit == *unit
    }
}

#[derive(Deserialize)]
pub struct Which {
    version: Option<i32>,
}

/// One destination, to read or to edit.
#[get("/destinations/{name}")]
pub async fn show(store: web::Data<Store>, name: web::Path<String>, which: web::Query<Which>) -> PageResult {
    let page = web::block(move || -> hull_store::Result<OnePage> {
        let newest = store.newest(&name)?;
        let destination = store.destination(&name, which.version.unwrap_or(newest))?;
        let asked = |m: &Measure| destination.asks(m.key);
        let measures = Measure::all().filter(|m| !asked(m)).collect();
        let shipped = Destination::shipped().iter().any(|s| s.name == *name);
        Ok(OnePage { shipped, newest, measures, destination })
    })
    .await??;
    html(&page)
}

/// A destination as a file.
#[get("/destinations/{name}/{version}.toml")]
pub async fn toml(store: web::Data<Store>, path: web::Path<(String, i32)>) -> PageResult {
    let (name, version) = path.into_inner();
    let file = format!("{name}.toml");
    let destination = web::block(move || store.destination(&name, version)).await??;
    let text = destination.to_toml().map_err(PageError::refused)?;
    Ok(HttpResponse::Ok().content_type("application/toml").insert_header(attachment(&file)).body(text))
}

fn see(name: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, format!("/destinations/{name}"))).finish()
}

/// A name for addresses out of a title.
fn slug(title: &str) -> String {
    let plain: String = title.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    plain.split('-').filter(|w| !w.is_empty()).collect::<Vec<_>>().join("-")
}

/// A copy under a new title, or what a TOML file holds.
#[post("/destinations")]
pub async fn add(store: web::Data<Store>, fields: web::Form<Fields>) -> PageResult {
    let name = web::block(move || -> PageResult<String> {
        let file = text(&fields, "toml");
        let mut made = if file.is_empty() {
            let of = text(&fields, "copy");
            Destination::clone(&*store.destination(of, store.newest(of)?)?)
        } else {
            Destination::from_toml(file).map_err(PageError::refused)?
        };
        let title = text(&fields, "title");
        if !title.is_empty() {
            made = Destination { title: title.into(), name: slug(title), ..made };
        }
        if store.newest(&made.name).is_ok() && file.is_empty() {
            return Err(PageError::refused(format!(
                "There is a destination “{}” already; choose another title.",
                made.name
            )));
        }
        store.keep_destination(&made)?;
        Ok(made.name)
    })
    .await??;
    Ok(see(&name))
}

/// Saves what was edited as the next version.
#[post("/destinations/{name}")]
pub async fn save(store: web::Data<Store>, name: web::Path<String>, fields: web::Form<Fields>) -> PageResult {
    let name = name.into_inner();
    let to = name.clone();
    web::block(move || -> PageResult<()> {
        let before = store.destination(&name, store.newest(&name)?)?;
        store.keep_destination(&edited(&before, &fields)?)?;
        Ok(())
    })
    .await??;
    Ok(see(&to))
}

/// A destination with what a form says of it. A requirement whose `on` is not sent goes.
fn edited(before: &Destination, fields: &Fields) -> PageResult<Destination> {
    let mut requirements = Vec::new();
    for r in &before.requirements {
        let of = |key: &str| text(fields, &format!("{}.{key}", r.id)).to_string();
        if of("on").is_empty() {
            continue;
        }
        let limit = |key: &str, what: &str| number(&of(key), &format!("{what} of “{}”", r.phrase));
        requirements.push(Requirement {
            phrase: Some(of("phrase")).filter(|p| !p.is_empty()).unwrap_or_else(|| r.phrase.clone()),
            why: Some(of("why")).filter(|p| !p.is_empty()).unwrap_or_else(|| r.why.clone()),
            at_least: limit("at_least", "The lower limit")?,
            at_most: limit("at_most", "The upper limit")?,
            ..r.clone()
        });
    }
    if let Some(measure) = Measure::named(text(fields, "add")) {
        requirements.push(Requirement {
            id: measure.key.into(),
            group: Some(text(fields, "add_group")).filter(|g| !g.is_empty()).unwrap_or("Own").into(),
            phrase: measure.key.replace('_', " "),
            measure,
            at_least: None,
            at_most: None,
            why: "Told, not asked.".into(),
        });
    }
    let length =
        |key: &str, what: &str, before: f64| Ok::<_, PageError>(number(text(fields, key), what)?.unwrap_or(before));
    let title = text(fields, "title");
    Ok(Destination {
        title: if title.is_empty() { before.title.clone() } else { title.into() },
        about: text(fields, "about").into(),
        unit: text(fields, "unit").parse().map_err(|e: String| PageError::refused(e))?,
        usual_length: [
            length("usual_from", "The shortest usual length", before.usual_length[0])?,
            length("usual_to", "The longest usual length", before.usual_length[1])?,
        ],
        requirements,
        ..before.clone()
    })
}

/// A number, or nothing where nothing is typed.
fn number(typed: &str, what: &str) -> PageResult<Option<f64>> {
    if typed.is_empty() {
        return Ok(None);
    }
    let plain = typed.replace(['\u{2009}', ' '], "").replace(',', ".").replace('−', "-");
    match plain.parse::<f64>() {
        Ok(x) if x.is_finite() => Ok(Some(x)),
        _ => Err(PageError::refused(format!("{what} must be a number; “{typed}” is not."))),
    }
}

/// Binds a body for a destination, in its newest version.
#[post("/bodies/{body}/destination")]
pub async fn bind(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let name = text(&fields, "destination").to_string();
    asked.with(move |store, id| store.bind_and_survey(id, &name)).await?;
    asked.answer_at(None).await
}
