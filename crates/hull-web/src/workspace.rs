//! The workspace: one body, its sheet, the view and the drawer.

use crate::choosing::{Group, groups};
use crate::error::{PageError, PageResult};
use crate::evidence::{Plot, kind_name, letter, plot};
use crate::exact::{self, ExactView};
use crate::form::{self, Fields};
use crate::repairing::{self, Plan};
use crate::scene;
use crate::show::{Id, Real, Whole, count, counted, fixed, short};
use crate::writing::{self, Written};
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, get, post, rt, web};
use askama::Template;
use hull_geometry::transform::Axis;
use hull_store::Store;
use hull_store::bodies::{BodyRow, Revision};
use hull_store::handovers::HandoverRecord;
use hull_store::jobs::Job;
use hull_store::projects::Project;
use hull_workshop::depth::Depth;
use hull_workshop::destination::Measure;
use hull_workshop::export::DesignForm;
use hull_workshop::sentence::{LengthUnit, Sentence};
use hull_workshop::size::{Candidate, candidates};
use hull_workshop::steps::stitch::Stitch;
use hull_workshop::survey::Kind;
use hull_workshop::{Destination, Role, Row, Sheet, Step, Verdict};
use serde::Deserialize;
use serde_json::json;
use std::time::Duration;

/// How long an answer waits for its job before it shows progress instead.
const PATIENCE: Duration = Duration::from_millis(1500);

#[derive(Clone, Debug, Default, Deserialize)]
pub struct Place {
    #[serde(default)]
    pub row: Option<String>,
    #[serde(default)]
    pub tab: Option<String>,
    /// The state to compare with, in the tab “Moved”.
    #[serde(default)]
    pub from: Option<i32>,
    /// The state that the body was at when the page with the form was drawn.
    #[serde(default)]
    pub on: Option<i32>,
}

/// A body's tag in the top band.
struct Tag {
    id: i32,
    name: String,
    verdict: Verdict,
}

struct LogLine {
    revision: Revision,
    number: usize,
    title: String,
    here: bool,
    ahead: bool,
}

#[derive(Template)]
#[template(path = "workspace.html")]
struct Workspace {
    project: Project,
    tags: Vec<Tag>,
    body: BodyRow,
    destination: Destination,
    sheet: Sheet,
    open: Option<Row>,
    tab: String,
    shown: Revision,
    preview: bool,
    /// The state the body is at; `shown` is that, or a preview of what a step would make of it.
    now: Revision,
    plot: Option<Plot>,
    exact: Option<ExactView>,
    /// The design file that was last written of what is shown, with its job.
    written: Option<(i32, Written)>,
    candidates: Vec<Candidate>,
    log: Vec<LogLine>,
    aside: Vec<LogLine>,
    handovers: Vec<HandoverRecord>,
    job: Option<Job>,
    /// The survey of the state the body is at, while it is under way.
    surveying: Option<Job>,
    notice: Option<String>,
    /// The last step, if it failed and that was not put aside.
    failed: Option<Job>,
    scene: String,
    back: Option<i32>,
    forward: Option<i32>,
    plan: Option<Plan>,
    /// What stopped the last repair that was run.
    stopped: Option<String>,
    /// The project's other bodies.
    others: Vec<Other>,
    /// The state that “Moved” compares with.
    compared: i32,
}

/// Another body of the project.
struct Other {
    id: i32,
    name: String,
}

impl Workspace {
    fn at(&self, row: &str) -> String {
        format!("/bodies/{}?row={row}&tab={}", self.body.id, self.tab)
    }

    fn on_tab(&self, tab: &str) -> String {
        format!("/bodies/{}?row={}&tab={tab}", self.body.id, self.open.as_ref().map_or("", |r| &r.id))
    }

    fn at_open(&self) -> String {
        self.on_tab(&self.tab)
    }

    /// Where a form is sent, with the state that it was drawn for: what was asked twice is not done twice.
    fn post(&self, what: &str) -> String {
        let row = self.open.as_ref().map_or("", |r| &r.id);
        format!("/bodies/{}/{what}?row={row}&tab={}&on={}", self.body.id, self.tab, self.now.id)
    }

    /// What a form of design geometry carries.
    fn design_form(&self, key: &str) -> &'static str {
        DesignForm::named(key).map_or("", DesignForm::carries)
    }

    fn design_forms(&self) -> Vec<DesignForm> {
        let exact = self.is_exact();
        DesignForm::ALL.into_iter().filter(|f| exact || *f != DesignForm::Iges).collect()
    }

    /// Whether the exact geometry is what the facets show.
    fn is_exact(&self) -> bool {
        self.shown.facts.exact.as_ref().is_some_and(|e| !e.facets_changed)
    }

    fn is_open(&self, row: &Row) -> bool {
        self.open.as_ref().is_some_and(|o| o.id == row.id)
    }

    fn short_rows(&self) -> usize {
        self.sheet.short().count()
    }

    fn unit(&self) -> &'static str {
        if self.shown.facts.scale.is_some() { "mm" } else { "file units" }
    }

    /// The findings behind the open row, with their numbers in the whole list.
    fn places(&self) -> Vec<usize> {
        let Some(kind) = self.open.as_ref().and_then(|r| r.measure.kind()) else { return Vec::new() };
        let also = if kind == Kind::Needles { Kind::Caps } else { kind };
        let findings = self.shown.survey.findings.iter().enumerate();
        findings.filter(|(_, f)| f.kind == kind || f.kind == also).map(|(i, _)| i).collect()
    }

    /// Whether something is short that a repair of the surface could mend.
    fn wants_repair(&self) -> bool {
        let of_surface = |r: &Row| r.verdict == Verdict::Short && (r.group == "Closure" || r.group == "Shape");
        !self.preview && self.job.is_none() && self.sheet.rows.iter().any(of_surface)
    }

    /// Part of the body's diagonal as a round number.
    fn part(&self, part: f64) -> String {
        hull_geometry::plot::round_up(self.shown.survey.figures.bbox.diagonal() * part).to_string()
    }

    fn deep(&self) -> Depth {
        self.shown.survey.figures.depth.clone().unwrap_or_default()
    }

    /// A size with a little on top, as a limit that takes it in.
    fn limit(&self, size: impl Real) -> String {
        hull_geometry::plot::round_up(size.real() * 1.001).to_string()
    }

    /// The size of the shells that are in the way.
    fn shell_limit(&self) -> String {
        let deep = self.deep();
        self.limit(deep.tiny_shells.size.max(deep.lost_shells.size))
    }

    /// What the answers of a survey under way are put into; forms that somebody may be filling in are left alone.
    fn filled_in(&self) -> String {
        let mut parts: Vec<String> =
            ["#sheet-head", "#sheet-bar", "#plan", "#to-handover", "#scene", "#figures"].map(str::to_string).to_vec();
        parts.extend(self.sheet.rows.iter().map(|r| format!("#row-{}", r.id)));
        let awaited = |r: &Row| r.measure.kind().is_some_and(|k| self.now.survey.awaited.contains(&k));
        if self.open.as_ref().is_some_and(awaited) {
            parts.push("#evidence".into());
        }
        if self.tab == "findings" {
            parts.push("#drawer".into());
        }
        parts.join(",")
    }

    /// Whether a survey was begun and is not under way any more.
    fn is_unfinished(&self) -> bool {
        !self.preview && self.surveying.is_none() && !self.now.survey.awaited.is_empty()
    }

    /// Whether stitching tolerances and holes are still to be looked for.
    fn awaits_plot(&self) -> bool {
        self.now.survey.awaited.contains(&Kind::OpenEdges)
    }

    fn is_compared(&self, revision: impl Id) -> bool {
        revision.id() == self.compared
    }

    /// Curves without a face in what is shown.
    fn curves(&self) -> usize {
        self.shown.facts.exact.as_ref().filter(|e| !e.facets_changed).map_or(0, |e| e.figures.curves)
    }

    fn is_only_curves(&self) -> bool {
        self.shown.survey.figures.triangles == 0 && self.curves() > 0
    }

    fn is_closed(&self) -> bool {
        self.shown.survey.figures.open_edges == 0
    }

    /// Whether joining exact faces is the remedy for open edges.
    fn joins_exact(&self) -> bool {
        self.exact.as_ref().is_some_and(|x| x.proposal.is_some())
    }

    fn colours(&self) -> usize {
        let mut colours: Vec<_> = self.shown.facts.labels.iter().filter_map(|l| l.material.as_ref()).collect();
        colours.sort_unstable();
        colours.dedup();
        colours.len()
    }

    fn groups(&self) -> Vec<Group> {
        groups(&self.shown.facts)
    }

    fn size(&self) -> String {
        self.shown.survey.figures.bbox.size().map(short).join(" × ")
    }

    /// What stands in the tolerance field: the previewed tolerance, or the proposed one.
    fn tolerance(&self) -> String {
        match (&self.shown.step, self.preview, &self.now.survey.plot.proposal) {
            (Some(Step::Stitch(Stitch { tolerance })), true, _) => tolerance.to_string(),
            (_, _, Some(proposal)) => proposal.tolerance.to_string(),
            _ => String::new(),
        }
    }

    /// The largest hole that is proposed to be filled: a twentieth of the body's diagonal across, or the
    /// only hole there is.
    fn proposes(&self, perimeter: impl Real) -> bool {
        let limit = self.shown.survey.figures.bbox.diagonal() * 0.2;
        perimeter.real() <= limit
    }

    fn hole_value(&self, h: &hull_workshop::survey::HoleFigures) -> String {
        format!("[{},{},{},{}]", h.at[0], h.at[1], h.at[2], h.perimeter)
    }

    /// Where to post to go to a state; the logbook stays open if it is.
    fn go(&self, revision: impl Id) -> String {
        format!("/bodies/{}/goto/{}?tab={}", self.body.id, revision.id(), self.tab)
    }

    fn has(&self, n: impl Whole) -> bool {
        n.whole() > 0
    }

    fn begins_group(&self, row: impl Whole) -> bool {
        let at = row.whole();
        at == 0 || self.sheet.rows[at - 1].group != self.sheet.rows[at].group
    }

    fn has_role(&self, boundary: &str, role: &Role) -> bool {
        self.shown.facts.boundaries.iter().any(|b| b.name == boundary && b.role == Some(*role))
    }

    fn lacks_role(&self, boundary: &str) -> bool {
        self.shown.facts.boundaries.iter().any(|b| b.name == boundary && b.role.is_none())
    }

    fn letter(&self, i: impl Whole) -> String {
        letter(i.whole())
    }
}

/// A step's parameters as people may read them.
pub fn parameters(step: &Step) -> String {
    serde_json::to_string(step).unwrap_or_default()
}

fn roles() -> [Role; 7] {
    Role::ALL
}

/// Renders the workspace of a body as it is now.
pub(crate) fn render(store: &Store, id: i32, place: &Place, notice: Option<String>) -> PageResult<String> {
    // Before the states: a job that ends in between is still shown, and the page asks again.
    let job = store.open_job_of_body(id)?;
    let body = store.body(id)?;
    let surveying = body.head.map_or(Ok(None), |head| store.open_survey(id, head))?;
    let project = store.project(body.project_id)?;
    let destination = Destination::named(&body.destination).map_err(PageError::refused)?;
    let (Some(head), Some(tip)) = (body.head, body.tip) else {
        return Err(PageError::refused("The body has not been read yet."));
    };
    let line = store.line_to(id, tip)?;
    let at = line.iter().position(|r| r.id == head).unwrap_or(line.len() - 1);
    let now = line[at].clone();
    let preview = store.preview(id)?.filter(|p| p.parent == Some(head));
    let sheet = Sheet::of(&now.facts, &now.survey, &destination);
    let open = open_row(&sheet, place.row.as_deref());
    let mut tags = Vec::new();
    let mut siblings = Vec::new();
    let mut others = Vec::new();
    for other in store.bodies(project.id)? {
        let Some(revision) = other.head.map(|h| store.revision(h)).transpose()? else { continue };
        let of = Destination::named(&other.destination).map_err(PageError::refused)?;
        let verdict =
            if Sheet::of(&revision.facts, &revision.survey, &of).is_ready() { Verdict::Met } else { Verdict::Short };
        if other.id != id
            && let Some(hull_workshop::body::Scale::Unit(unit)) = revision.facts.scale
        {
            others.push((unit, revision.survey.figures.bbox.size().into_iter().fold(0.0, f64::max)));
        }
        if other.id != id {
            siblings.push(Other { id: other.id, name: other.name.clone() });
        }
        tags.push(Tag { id: other.id, name: other.name, verdict });
    }
    let file_size = line[0].survey.figures.bbox.size();
    let on_line: Vec<i32> = line.iter().map(|r| r.id).collect();
    let entry = |i: usize, r: Revision| LogLine {
        number: i,
        title: r.step.as_ref().map_or("As received".into(), |s| s.title().text(r.facts.length_unit())),
        here: r.id == head,
        ahead: i > at,
        revision: r,
    };
    let aside =
        store.revisions(id)?.into_iter().filter(|r| !on_line.contains(&r.id)).map(|r| entry(0, r)).collect::<Vec<_>>();
    let received = line[0].id;
    // Told in the answer to the step, and until it is put aside.
    let failed = store.failed_job_of_body(id)?.filter(|j| notice.is_none() || j.error == notice);
    let (plan, stopped) = repairing::plan(store, &body)?;
    let before = at.checked_sub(1).map_or(received, |i| line[i].id);
    let compared = place.from.filter(|f| on_line.contains(f)).unwrap_or(if preview.is_some() { head } else { before });
    let is_preview = preview.is_some();
    let shown = preview.unwrap_or_else(|| now.clone());
    let page = Workspace {
        candidates: candidates(file_size, &destination, &others),
        plot: plot(&now.survey.plot),
        exact: exact::view(&shown.facts),
        written: writing::last_of(store, id, shown.id)?,
        scene: scene::json(&shown, received),
        handovers: store.handovers(id)?,
        job,
        surveying,
        tab: place
            .tab
            .clone()
            .filter(|t| {
                ["findings", "boundaries", "logbook", "figures", "exact", "bodies", "moved"].contains(&t.as_str())
            })
            .unwrap_or("findings".into()),
        back: at.checked_sub(1).map(|i| line[i].id),
        forward: line.get(at + 1).map(|r| r.id),
        log: line.into_iter().enumerate().map(|(i, r)| entry(i, r)).collect(),
        plan,
        stopped,
        others: siblings,
        compared,
        now,
        preview: is_preview,
        shown,
        project,
        tags,
        body,
        destination,
        sheet,
        open,
        aside,
        notice: notice.filter(|_| failed.is_none()),
        failed,
    };
    Ok(page.render()?)
}

/// The row asked for, or the first that is short; `none` opens no row.
fn open_row(sheet: &Sheet, wanted: Option<&str>) -> Option<Row> {
    let asked = wanted.filter(|w| !w.is_empty());
    if asked == Some("none") {
        return None;
    }
    asked.and_then(|w| sheet.rows.iter().find(|r| r.id == w)).or_else(|| sheet.short().next()).cloned()
}

/// After a step: stays at the row while it is short, then goes on to the next one that is.
fn next_row(store: &Store, id: i32, place: &Place) -> PageResult<Place> {
    let body = store.body(id)?;
    let Some(head) = body.head else { return Ok(place.clone()) };
    let now = store.revision(head)?;
    let destination = Destination::named(&body.destination).map_err(PageError::refused)?;
    let sheet = Sheet::of(&now.facts, &now.survey, &destination);
    let at = sheet.rows.iter().position(|r| Some(&r.id) == place.row.as_ref()).unwrap_or(0);
    let still = |r: &&Row| r.verdict == Verdict::Short || (r.verdict == Verdict::NotYet);
    let next = sheet.rows[at..].iter().find(still).or_else(|| sheet.short().next());
    Ok(Place { row: Some(next.map_or("none".into(), |r| r.id.clone())), ..place.clone() })
}

fn html(body: String) -> HttpResponse {
    HttpResponse::Ok().content_type("text/html; charset=utf-8").body(body)
}

/// Answers a form: htmx gets the page to swap parts of, a plain browser is sent to it.
pub(crate) async fn answer(
    store: web::Data<Store>,
    request: &HttpRequest,
    id: i32,
    place: Place,
    notice: Option<String>,
) -> PageResult {
    let url = format!(
        "/bodies/{id}?row={}&tab={}",
        place.row.as_deref().unwrap_or_default(),
        place.tab.as_deref().unwrap_or_default()
    );
    if notice.is_none() && !request.headers().contains_key("HX-Request") {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, url)).finish());
    }
    let page = web::block(move || render(&store, id, &place, notice)).await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").insert_header(("HX-Push-Url", url)).body(page))
}

/// Waits a moment for a job; `None` if it is still at work.
pub(crate) async fn settled(store: &web::Data<Store>, job: i32) -> PageResult<Option<Job>> {
    let begun = std::time::Instant::now();
    loop {
        let store = store.clone();
        let found = web::block(move || store.job(job)).await??;
        if found.is_over() {
            return Ok(Some(found));
        }
        if begun.elapsed() > PATIENCE {
            return Ok(None);
        }
        rt::time::sleep(Duration::from_millis(20)).await;
    }
}

#[get("/bodies/{body}")]
pub async fn show(store: web::Data<Store>, id: web::Path<i32>, place: web::Query<Place>) -> PageResult {
    let page = web::block(move || render(&store, *id, &place, None)).await??;
    Ok(html(page))
}

#[post("/bodies/{body}/steps")]
pub async fn apply_step(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    fields: web::Form<Fields>,
) -> PageResult {
    let (id, place) = (id.into_inner(), place.into_inner());
    let step = match form::step(&fields) {
        Ok(step) => step,
        Err(why) => {
            let notice = in_unit_of(&store, id, why).await?;
            return answer(store, &request, id, place, Some(notice)).await;
        }
    };
    let kept = {
        let (store, step) = (store.clone(), step.clone());
        web::block(move || store.keep_preview(id, &step)).await??
    };
    if kept.is_none()
        && let Some(notice) = run(&store, "step", id, &step, place.on).await?
    {
        return answer(store, &request, id, place, Some(notice)).await;
    }
    let place = {
        let store = store.clone();
        web::block(move || next_row(&store, id, &place)).await??
    };
    answer(store, &request, id, place, None).await
}

/// A refusal, said in the unit of the body as it is now.
async fn in_unit_of(store: &web::Data<Store>, id: i32, why: Sentence) -> PageResult<String> {
    let store = store.clone();
    let facts = web::block(move || store.body(id)?.head.map(|head| store.revision(head)).transpose()).await??;
    Ok(why.text(facts.map_or(LengthUnit::FileUnits, |r| r.facts.length_unit())))
}

/// A body, unless it is at another state than the one that a form was drawn for.
fn unmoved(store: &Store, id: i32, on: Option<i32>) -> hull_store::Result<BodyRow> {
    let body = store.body(id)?;
    if on.is_some() && on != body.head {
        return Err(hull_store::StoreError::Refused(
            "The body has moved on since this page was drawn, here or elsewhere, so nothing was done. \
             It is shown now as it is; ask again if it is still wanted."
                .into(),
        ));
    }
    Ok(body)
}

/// Queues a step for the state `on`, or whichever the body is at; returns why it failed, if it did so at once.
pub async fn run(
    store: &web::Data<Store>,
    kind: &'static str,
    id: i32,
    step: &Step,
    on: Option<i32>,
) -> PageResult<Option<String>> {
    let (queue, step) = (store.clone(), step.clone());
    let job = web::block(move || {
        if queue.open_job_of_body(id)?.is_some() {
            return Err(hull_store::StoreError::Refused(
                "A step is at work on this body; wait for it or cancel it.".into(),
            ));
        }
        let body = unmoved(&queue, id, on)?;
        queue.enqueue(kind, json!({ "step": step, "on": body.head }), body.project_id, Some(id))
    })
    .await?;
    match job {
        Ok(job) => Ok(settled(store, job).await?.and_then(|j| j.error)),
        Err(hull_store::StoreError::Refused(sentence)) => Ok(Some(sentence)),
        Err(other) => Err(other.into()),
    }
}

#[post("/bodies/{body}/previews")]
pub async fn preview_step(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    fields: web::Form<Fields>,
) -> PageResult {
    let (id, place) = (id.into_inner(), place.into_inner());
    let notice = match form::step(&fields) {
        Ok(step) => run(&store, "preview", id, &step, place.on).await?,
        Err(why) => Some(in_unit_of(&store, id, why).await?),
    };
    answer(store, &request, id, place, notice).await
}

#[post("/bodies/{body}/previews/drop")]
pub async fn drop_preview(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
) -> PageResult {
    let id = id.into_inner();
    let dropped = store.clone();
    web::block(move || dropped.drop_preview(id)).await??;
    answer(store, &request, id, place.into_inner(), None).await
}

/// Asks for the rest of a survey that was cancelled.
#[post("/bodies/{body}/survey")]
pub async fn survey_rest(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
) -> PageResult {
    let id = id.into_inner();
    let asked = store.clone();
    web::block(move || {
        let body = asked.body(id)?;
        body.head.map_or(Ok(()), |head| asked.ask_for_survey(body.project_id, id, head))
    })
    .await??;
    answer(store, &request, id, place.into_inner(), None).await
}

#[post("/bodies/{body}/goto/{revision}")]
pub async fn go_to(
    store: web::Data<Store>,
    request: HttpRequest,
    path: web::Path<(i32, i32)>,
    place: web::Query<Place>,
) -> PageResult {
    let (id, revision) = path.into_inner();
    let moved = store.clone();
    web::block(move || moved.go_to(id, revision)).await??;
    answer(store, &request, id, Place { row: None, ..place.into_inner() }, None).await
}

#[derive(Deserialize)]
pub struct HandoverForm {
    form: hull_workshop::handover::Form,
}

#[post("/bodies/{body}/handovers")]
pub async fn hand_over(
    store: web::Data<Store>,
    request: HttpRequest,
    id: web::Path<i32>,
    place: web::Query<Place>,
    form: web::Form<HandoverForm>,
) -> PageResult {
    let (id, place) = (id.into_inner(), place.into_inner());
    let (queue, on) = (store.clone(), place.on);
    let job = web::block(move || {
        let body = unmoved(&queue, id, on)?;
        queue.enqueue("handover", json!({ "form": form.form }), body.project_id, Some(id))
    })
    .await?;
    let job = match job {
        Ok(job) => job,
        Err(hull_store::StoreError::Refused(sentence)) => {
            return answer(store, &request, id, place, Some(sentence)).await;
        }
        Err(other) => return Err(other.into()),
    };
    let done = settled(&store, job).await?;
    if let Some(made) = done.as_ref().and_then(|j| j.result.as_ref()).and_then(|r| r["handover"].as_i64()) {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/handovers/{made}"))).finish());
    }
    answer(store, &request, id, place, done.and_then(|j| j.error)).await
}
