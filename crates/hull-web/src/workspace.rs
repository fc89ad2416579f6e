//! The workspace: one body, its sheet, the view and the drawer.

use crate::context::{Ctx, Place};
use crate::error::PageResult;
use crate::evidence;
use crate::lengths::{self, Marked};
use crate::panels::{self, PANELS, Tab};
use crate::plan::{self, Plan};
use crate::scene;
use crate::show::{Whole, count, counted, has};
use crate::taking_in::{self, Again};
use askama::Template;
use hull_store::Store;
use hull_store::bodies::Revision;
use hull_store::destinations::Listed;
use hull_store::handovers::HandoverRecord;
use hull_store::ids::{BodyId, RevisionId};
use hull_store::jobs::Job;
use hull_workshop::handover::{Form, form};
use hull_workshop::{Row, Sheet, Verdict};

#[derive(Template)]
#[template(path = "workspace.html")]
struct Workspace<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    sheet: &'a Sheet,
    /// What stands in the open row.
    evidence: String,
    tabs: Vec<(&'static str, Tab)>,
    /// The open panel.
    tab: &'static str,
    panel: String,
    handovers: Vec<HandoverRecord>,
    /// What the body could be bound for.
    destinations: Vec<Listed>,
    notice: Option<String>,
    /// The last step, if it failed and that was not put aside.
    failed: Option<Job>,
    scene: String,
    back: Option<RevisionId>,
    forward: Option<RevisionId>,
    plan: Option<Plan>,
    /// What stopped the last repair that was run.
    stopped: Option<String>,
    /// What is said of the body that its file was before.
    again: Again,
}

impl Workspace<'_> {
    /// The forms of a handover: those that are offered at once, or the others.
    fn forms(&self, at_once: bool) -> Vec<&'static form::About> {
        let has_surface = self.cx.has_surface();
        let all = Form::offered(&self.cx.shown().survey, self.cx.writes_exactly());
        all.into_iter().filter(|a| (a.common || !has_surface) == at_once).collect()
    }

    fn is_open(&self, row: &Row) -> bool {
        self.cx.open.as_ref().is_some_and(|o| o.id == row.id)
    }

    /// Whether something is short that a repair of the surface could mend.
    fn wants_repair(&self) -> bool {
        let of_surface = |r: &Row| r.verdict == Verdict::NotMet && (r.group == "Closure" || r.group == "Shape");
        !self.cx.is_preview() && self.cx.job.is_none() && self.sheet.rows.iter().any(of_surface)
    }

    /// What the answers of a survey under way are put into; forms that somebody may be filling in are left alone.
    fn filled_in(&self) -> String {
        let mut parts: Vec<String> =
            ["#sheet-head", "#sheet-bar", "#plan", "#to-handover", "#scene", "#figures", "#live"]
                .map(str::to_string)
                .to_vec();
        parts.extend(self.sheet.rows.iter().map(|r| format!("#row-{}", r.id)));
        let survey = &self.cx.now.survey;
        // The remedies of open edges wait for stitching tolerances.
        let awaited =
            |r: &Row| survey.awaits(r.measure.probe().id) || (r.measure.key == "open_edges" && survey.awaits("gaps"));
        if self.cx.open.as_ref().is_some_and(awaited) {
            parts.push("#evidence".into());
        }
        if self.tab == "findings" {
            parts.push("#drawer".into());
        }
        parts.join(",")
    }

    /// Whether a survey was begun and is not under way any more.
    fn is_unfinished(&self) -> bool {
        !self.cx.is_preview() && self.cx.surveying.is_none() && self.cx.now.survey.is_unfinished(&self.cx.destination)
    }

    /// The figure of the open row before and after what is previewed, with the row's words.
    fn own_figure(&self) -> Option<(String, Marked, Marked)> {
        let then = Sheet::of(&self.shown.facts, &self.shown.survey, &self.cx.destination);
        let before = self.cx.open.as_ref()?;
        let after = then.rows.into_iter().find(|r| r.id == before.id)?;
        Some((before.phrase.clone(), self.measured(before), self.measured(&after)))
    }

    fn measured(&self, row: &Row) -> Marked {
        lengths::measured(row, self.cx.length_unit())
    }

    fn limit(&self, row: &Row) -> Marked {
        lengths::limit(row, self.cx.length_unit())
    }

    /// Whether the open row measures this.
    fn is_own(&self, key: &str) -> bool {
        self.cx.open.as_ref().is_some_and(|r| r.measure.key == key)
    }

    /// Whether a group of rows is folded away: nothing in it is left to do, to see or to look at.
    fn folds(&self, group: &str) -> bool {
        let settled = |r: &Row| matches!(r.verdict, Verdict::Met | Verdict::Information) && !self.is_open(r);
        self.cx.surveying.is_none() && self.of_group(group).all(settled)
    }

    /// “8 met, 1 not met” of a group.
    fn group_summary(&self, group: &str) -> String {
        let number = |v: &Verdict| self.of_group(group).filter(|r| r.verdict == *v).count();
        let counts = Verdict::ALL.iter().map(|v| (number(v), v.word())).filter(|c| c.0 > 0);
        counts.map(|(n, word)| format!("{n} {word}")).collect::<Vec<_>>().join(", ")
    }

    fn of_group<'r>(&'r self, group: &'r str) -> impl Iterator<Item = &'r Row> {
        self.sheet.rows.iter().filter(move |r| r.group == group)
    }

    fn begins_group(&self, row: impl Whole) -> bool {
        let at = row.whole();
        at == 0 || self.sheet.rows[at - 1].group != self.sheet.rows[at].group
    }
}

/// A number for scripts.
fn plain(x: f64) -> String {
    x.to_string()
}

/// Renders the workspace of a body as it is now.
///
/// # Errors
/// If there is no such body, or it has not been read yet.
pub(crate) fn render(store: &Store, id: BodyId, place: &Place, notice: Option<String>) -> PageResult<String> {
    let mut cx = Ctx::of(store, id, place)?;
    let panel = panels::open(&cx);
    cx.place.tab = Some(panel.id.into());
    let cx = &cx;
    // Told in the answer to the step, and until it is put aside.
    let failed = store.failed_job_of_body(id)?.filter(|j| notice.is_none() || j.sentence() == notice);
    let (plan, stopped) = plan::plan(store, &cx.body, &cx.now.facts)?;
    let at = cx.at();
    let page = Workspace {
        evidence: evidence::draw(cx)?.unwrap_or_default(),
        tabs: PANELS.iter().filter_map(|p| Some((p.id, (p.tab)(cx)?))).collect(),
        tab: panel.id,
        panel: (panel.render)(cx)?,
        scene: scene::json(cx.shown(), cx.now.id, cx.received(), &cx.siblings),
        handovers: store.handovers(id)?,
        destinations: store.destinations()?,
        back: at.checked_sub(1).map(|i| cx.line[i].id),
        forward: cx.line.get(at + 1).map(|r| r.id),
        plan,
        stopped,
        again: taking_in::again(cx)?,
        shown: cx.shown(),
        sheet: &cx.sheet,
        notice: notice.filter(|_| failed.is_none()),
        failed,
        cx,
    };
    Ok(page.render()?)
}
