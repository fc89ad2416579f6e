//! New bodies from bodies of the project: put together, taken apart, or the same again.

use crate::error::{PageError, PageResult};
use crate::form::{Fields, number, selection, text};
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, post, web};
use hull_stock::bench::Scan;
use hull_store::ids::{BodyId, ProjectId, RevisionId};
use hull_store::work::{Arrival, Derivation, Work};
use hull_store::{Store, StoreError};
use hull_workshop::combine::{Apart, Together};

/// `do` is `unite`, `subtract`, `intersect`, `merge` or `regions` with the bodies in `with`; `copy`; or `split` by what `by` says.
#[post("/bodies/{body}/derive")]
pub async fn derive(store: web::Data<Store>, id: web::Path<BodyId>, fields: web::Form<Fields>) -> PageResult {
    let id = id.into_inner();
    let what = text(&fields, "do").to_string();
    let how = match what.as_str() {
        "unite" => Some(Together::Unite),
        "subtract" => Some(Together::Subtract),
        "intersect" => Some(Together::Intersect),
        "merge" => Some(Together::Merge),
        _ => None,
    };
    let apart = if what == "split" { Some(split_as(&fields)?) } else { None };
    let with: Vec<BodyId> = fields.iter().filter(|f| f.0 == "with").filter_map(|f| f.1.parse().ok()).collect();
    let spaces = !text(&fields, "spaces").is_empty();
    if (how.is_some() || (what == "regions" && !spaces)) && with.is_empty() {
        return Err(PageError::refused("Tick at least one other body."));
    }
    let project = web::block(move || -> hull_store::Result<ProjectId> {
        let head = |id: BodyId| -> hull_store::Result<(RevisionId, hull_store::bodies::BodyRow)> {
            let row = store.body(id)?;
            let head = row.head.ok_or_else(|| StoreError::Refused("The body has not been read yet.".into()))?;
            Ok((head, row))
        };
        let (own, row) = head(id)?;
        let all = |with: Vec<BodyId>| -> hull_store::Result<Vec<RevisionId>> {
            let mut of = vec![own];
            for other in with.into_iter().filter(|o| *o != id) {
                let (revision, other) = head(other)?;
                if other.project_id != row.project_id {
                    return Err(StoreError::Refused("Bodies of other projects cannot be used here.".into()));
                }
                of.push(revision);
            }
            Ok(of)
        };
        let from = match (how, apart) {
            (Some(how), _) => Derivation::Together { how, of: all(with)? },
            (None, None) if what == "regions" => Derivation::Regions { of: all(with)?, spaces },
            (None, Some(how)) => Derivation::Apart { how, of: own },
            (None, None) if what == "copy" => Derivation::Copy { of: own },
            _ => return Err(StoreError::Refused(format!("“{what}” is nothing that can be done with bodies."))),
        };
        store.enqueue(&Work::Receive(Arrival::Derived { name: row.name, from }), row.project_id, None)?;
        Ok(row.project_id)
    })
    .await??;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/projects/{project}"))).finish())
}

fn split_as(fields: &Fields) -> Result<Apart, PageError> {
    let three = |names: [&str; 3], what: &str| -> Result<[f64; 3], PageError> {
        Ok([number(fields, names[0], what)?, number(fields, names[1], what)?, number(fields, names[2], what)?])
    };
    Ok(match text(fields, "by") {
        "shells" => Apart::Shells,
        "labels" => Apart::Labels,
        "colours" => Apart::Colours,
        "plane" => {
            let axis = ["x", "y", "z"].iter().position(|a| *a == text(fields, "axis")).unwrap_or(0);
            let mut normal = [0.0; 3];
            normal[axis] = 1.0;
            let mut at = [0.0; 3];
            at[axis] = number(fields, "at", "Where the plane stands")?;
            Apart::Plane { at, normal }
        }
        "sections" => {
            let axis = ["x", "y", "z"].iter().position(|a| *a == text(fields, "section_axis")).unwrap_or(2);
            let mut normal = [0.0; 3];
            normal[axis] = 1.0;
            let mut at = [0.0; 3];
            at[axis] = number(fields, "section_at", "Where the first section stands")?;
            let count = number(fields, "section_count", "The number of sections")?.max(0.0) as usize;
            let every = number(fields, "section_every", "The distance between sections")?;
            let typed = text(fields, "section_fit").trim();
            let fit =
                if typed.is_empty() { None } else { Some(number(fields, "section_fit", "The tolerance of the fit")?) };
            Apart::Sections { at, normal, count, every, fit }
        }
        "scan" => {
            let typed = text(fields, "stations");
            let places: Option<Vec<[f64; 3]>> = typed.split(';').filter(|p| !p.trim().is_empty()).map(place).collect();
            let stations = places.ok_or_else(|| PageError::refused("Stations are places: x, y, z; x, y, z …"))?;
            let lost = number(fields, "lost", "The lost part")? / 100.0;
            let how = Scan {
                stations,
                rays: number(fields, "rays", "The number of rays")?.clamp(0.0, 5000.0) as usize,
                noise: number(fields, "noise", "The noise")?,
                lost,
                seed: 1,
                sheets: text(fields, "as") == "sheets",
            };
            Apart::Scan { how, own_axes: !text(fields, "own_axes").is_empty() }
        }
        "box" => Apart::Box {
            min: three(["x0", "y0", "z0"], "A corner of the box")?,
            max: three(["x1", "y1", "z1"], "A corner of the box")?,
        },
        "pick" if text(fields, "pick").is_empty() => {
            return Err(PageError::refused("Nothing is picked. “Pick faces”, then click a face in the view."));
        }
        "pick" => Apart::Pick { pick: selection(fields)? },
        other => return Err(PageError::refused(format!("“{other}” is no way to split a body."))),
    })
}

/// Three numbers with commas between.
fn place(typed: &str) -> Option<[f64; 3]> {
    let numbers: Option<Vec<f64>> =
        typed.split(',').map(|w| w.trim().replace('−', "-").parse().ok().filter(|x: &f64| x.is_finite())).collect();
    numbers?.try_into().ok()
}
