//! How far a state of a body is from another: figures, a histogram, and a tint for every facet.

use crate::error::{PageError, PageResult};
use crate::lengths::{self, Marked};
use crate::show::{Real, four_digits};
use actix_web::http::header::CACHE_CONTROL;
use actix_web::{HttpResponse, get, web};
use askama::Template;
use hull_geometry::deviation::{Deviation, TwoSidedDeviation, distances, two_sided};
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{add, norm, scale};
use hull_geometry::{FacetId, Point, Watch};
use hull_store::Store;
use hull_store::ids::RevisionId;
use hull_workshop::sentence::LengthUnit;

/// Steps of the scale.
const STEPS: usize = 10;

struct Bar {
    from: f64,
    to: f64,
    /// Part of the area, 0 to 1.
    part: f64,
}

#[derive(Template)]
#[template(path = "moved.html")]
struct MovedPage {
    of: RevisionId,
    from: RevisionId,
    unit: LengthUnit,
    both: Option<TwoSidedDeviation>,
    bars: Vec<Bar>,
}

impl MovedPage {
    fn rows(&self) -> Vec<(&'static str, &Deviation)> {
        self.both.iter().flat_map(|m| [("then to now", &m.there), ("now to then", &m.back)]).collect()
    }

    fn length(&self, x: impl Real) -> Marked {
        let x = x.real();
        lengths::number(x, 1, &four_digits(x), self.unit)
    }

    fn shown_unit(&self) -> Marked {
        lengths::symbol(1, self.unit)
    }

    /// Height of a bar in a drawing 60 high; the root shows what little there is.
    fn height(&self, bar: &Bar) -> f64 {
        60.0 * bar.part.sqrt()
    }
}

struct Measured {
    both: Option<TwoSidedDeviation>,
    /// For each facet of the state its distance and area.
    facets: Vec<(f64, f64)>,
    largest: f64,
}

fn measured(store: &Store, of: RevisionId, from: RevisionId) -> PageResult<(Measured, LengthUnit)> {
    let (now, then) = (store.revision(of)?, store.revision(from)?);
    if now.body_id != then.body_id {
        return Err(PageError::refused("The two states are not of one body."));
    }
    let unit = now.facts.length_unit();
    let (after, mut before) = (store.load(&now)?, store.load(&then)?);
    // What moved with the whole body, by unit, axes or place, did not move here.
    align(&mut before, &then.facts, &now.facts);
    let watch = Watch::default();
    let both = two_sided(&before.mesh, &after.mesh, &watch).unwrap_or(None);
    let middles: Vec<Point> = after
        .mesh
        .triangles
        .keys()
        .map(|f| {
            let [a, b, c] = after.mesh.corners(f);
            scale(add(a, add(b, c)), 1.0 / 3.0)
        })
        .collect();
    let tree = FacetTree::of(&before.mesh);
    let far = distances(&middles, &before.mesh, &tree, &watch).unwrap_or_default();
    let area = |f: FacetId| norm(after.mesh.area_vector(f)) / 2.0;
    let facets: Vec<(f64, f64)> = far.into_iter().zip(after.mesh.triangles.keys()).map(|(d, f)| (d, area(f))).collect();
    let largest = facets.iter().map(|f| f.0).fold(0.0, f64::max);
    Ok((Measured { both, facets, largest }, unit))
}

fn align(body: &mut hull_workshop::Body, then: &hull_workshop::body::Facts, now: &hull_workshop::body::Facts) {
    use hull_geometry::transform::{apply, product};
    let millimetres = |f: &hull_workshop::body::Facts| f.scale.map_or(1.0, hull_workshop::body::Scale::millimetres);
    let (s, t) = (millimetres(then), millimetres(now));
    if s == t && then.rotation == now.rotation && then.moved == now.moved {
        return;
    }
    let back = [0, 1, 2].map(|i| [0, 1, 2].map(|j| then.rotation[j][i]));
    let turn = product(&now.rotation, &back);
    for p in &mut body.mesh.points {
        let unmoved = [0, 1, 2].map(|k| (p[k] - then.moved[k]) * t / s);
        *p = add(apply(&turn, unmoved), now.moved);
    }
}

/// Figures both ways and a histogram over the area.
#[get("/revisions/{of}/moved/{from}")]
pub async fn comparison(store: web::Data<Store>, path: web::Path<(RevisionId, RevisionId)>) -> PageResult {
    let (of, from) = path.into_inner();
    let (m, unit) = web::block(move || measured(&store, of, from)).await??;
    let total: f64 = m.facets.iter().map(|f| f.1).sum();
    let mut bars: Vec<Bar> = (0..STEPS)
        .map(|i| {
            let edge = |i: usize| m.largest * i as f64 / STEPS as f64;
            Bar { from: edge(i), to: edge(i + 1), part: 0.0 }
        })
        .collect();
    for (d, area) in &m.facets {
        bars[step(*d, m.largest)].part += area / total.max(f64::MIN_POSITIVE);
    }
    let page = MovedPage { of, from, unit, both: m.both, bars };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// On which step of the scale a distance lies.
fn step(distance: f64, largest: f64) -> usize {
    if largest > 0.0 { ((distance / largest * STEPS as f64) as usize).min(STEPS - 1) } else { 0 }
}

/// One byte a facet of the state: its step on the scale from nothing to the largest distance.
#[get("/revisions/{of}/moved/{from}/facets")]
pub async fn tints(store: web::Data<Store>, path: web::Path<(RevisionId, RevisionId)>) -> PageResult {
    let (of, from) = path.into_inner();
    let (m, _) = web::block(move || measured(&store, of, from)).await??;
    let steps: Vec<u8> = m.facets.iter().map(|f| step(f.0, m.largest) as u8).collect();
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .body(steps))
}
