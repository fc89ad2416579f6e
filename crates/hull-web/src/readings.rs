//! Both readings of a body's facets side by side, as a part of a page.

use crate::error::{PageError, PageResult};
use crate::lengths::{self, Marked};
use crate::show::{count, four_digits};
use actix_web::{HttpResponse, get, web};
use askama::Template;
use hull_geometry::Watch;
use hull_store::Store;
use hull_store::ids::RevisionId;
use hull_workshop::readings::{TwoReadings, usual_tolerance};
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
        let said = |power, x: f64| match power {
            0 => lengths::plain(&count(x as usize)),
            _ => lengths::number(x, power, &four_digits(x), self.unit),
        };
        let both = self.both.strict.rows().into_iter().zip(self.both.tolerant.rows());
        both.map(|((what, power, s), (.., t))| (what, power, [said(power, s), said(power, t)])).collect()
    }
}

/// Reads a state's facets both ways.
#[get("/revisions/{revision}/readings")]
pub async fn show(store: web::Data<Store>, id: web::Path<RevisionId>) -> PageResult {
    let answer = web::block(move || -> PageResult<Answer> {
        let body = store.load(&store.revision(*id)?)?;
        // Nobody cancels it.
        let both = TwoReadings::of(&body, usual_tolerance(&body.mesh.bounds()), &Watch::default());
        let both = both.map_err(|e| PageError::refused(e.to_string()))?;
        Ok(Answer { both, unit: body.facts.length_unit() })
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(answer.render()?))
}
