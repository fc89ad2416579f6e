//! Both readings of a body's facets side by side, as a part of a page.

use crate::error::{PageError, PageResult};
use crate::lengths::{self, Marked};
use crate::show::{count, four_digits};
use actix_web::{HttpResponse, get, web};
use askama::Template;
use hull_geometry::Watch;
use hull_store::Store;
use hull_store::ids::RevisionId;
use hull_workshop::readings::{Reading, TwoReadings, usual_tolerance};
use hull_workshop::sentence::LengthUnit;

#[derive(Template)]
#[template(
    source = r#"<table class="small"><thead><tr><td></td><th class="n">strict</th><th class="n">tolerant</th></tr></thead><tbody>{% for (what, power, values) in self.rows() %}<tr><td>{{ what }}{% if power > 0 %} {{ lengths::symbol(*power, *unit) }}{% endif %}</td>{% for v in values %}<td class="n">{{ v }}</td>{% endfor %}</tr>{% endfor %}</tbody></table>{% if both.forgiven.is_nothing() %}<p class="told">Nothing has to be forgiven: both readings are the same.</p>{% else %}<p class="told">The tolerant one forgives:{% for (what, n) in both.forgiven.lines() %} {{ what }} <b>{{ self::count(n) }}</b>{% if !loop.last %},{% endif %}{% endfor %}. “Read tolerantly” takes it.</p>{% endif %}"#,
    ext = "html"
)]
struct Answer {
    both: TwoReadings,
    unit: LengthUnit,
}

impl Answer {
    fn rows(&self) -> Vec<(&'static str, usize, [Marked; 2])> {
        let both = [&self.both.strict, &self.both.tolerant];
        let counted = |of: fn(&Reading) -> usize| both.map(|r| lengths::plain(&count(of(r))));
        let sized = |of: fn(&Reading) -> f64, power| {
            both.map(|r| lengths::number(of(r), power, &four_digits(of(r)), self.unit))
        };
        vec![
            ("facets", 0, counted(|r| r.facets)),
            ("points", 0, counted(|r| r.points)),
            ("area", 2, sized(|r| r.area, 2)),
            ("volume", 3, sized(|r| r.volume, 3)),
            ("open edges", 0, counted(|r| r.open_edges)),
            ("non-manifold edges", 0, counted(|r| r.overshared_edges)),
            ("edges with flipped normals", 0, counted(|r| r.misdirected_edges)),
            ("shells", 0, counted(|r| r.shells)),
        ]
    }
}

/// Reads a state's facets both ways.
#[get("/revisions/{revision}/readings")]
pub async fn show(store: web::Data<Store>, id: web::Path<RevisionId>) -> PageResult {
    let answer = web::block(move || -> PageResult<Answer> {
        let body = store.load(&store.revision(*id)?)?;
        // Nobody cancels it.
        let both = TwoReadings::of(&body, usual_tolerance(&body.mesh), &Watch::default());
        let both = both.map_err(|e| PageError::refused(e.to_string()))?;
        Ok(Answer { both, unit: body.facts.length_unit() })
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(answer.render()?))
}
