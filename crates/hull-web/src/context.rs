//! What a page of a body shows: read once, and only what is asked for.

use crate::by_name::{Group, groups};
use crate::error::{PageError, PageResult};
use crate::lengths::{self, Marked};
use crate::show::{Real, counted, fixed};
use hull_geometry::{Point, Unit};
use hull_store::Store;
use hull_store::bodies::{BodyRow, LogEntry, Revision, line_of};
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::jobs::Job;
use hull_store::projects::Project;
use hull_store::pulse::{BodyPulse, Pulse};
use hull_workshop::body::Scale;
use hull_workshop::export::DesignForm;
use hull_workshop::numbers::four_digits;
use hull_workshop::rules::Rule;
use hull_workshop::sentence::{LengthUnit, Piece, Sentence};
use hull_workshop::steps::Seen;
use hull_workshop::survey::Survey;
use hull_workshop::{Destination, Row, Sheet, Verdict};
use serde::Deserialize;
use std::borrow::Borrow;
use std::sync::Arc;

/// Where on a body's page somebody is: part of the address.
#[derive(Clone, Debug, Default, Deserialize)]
pub struct Place {
    /// The open row; `none` opens none.
    #[serde(default)]
    pub row: Option<String>,
    /// The panel in the drawer.
    #[serde(default)]
    pub tab: Option<String>,
    /// The state to compare with, in the panel “Deviation”.
    #[serde(default)]
    pub from: Option<RevisionId>,
    /// The state that the body was at when the page with the form was drawn.
    #[serde(default)]
    pub on: Option<RevisionId>,
    /// A job that was still at work when the page was drawn: when it has ended, the page goes on to where it leads.
    #[serde(default)]
    pub after: Option<JobId>,
}

/// Another body of the project.
pub struct Sibling {
    pub id: BodyId,
    pub name: String,
    pub verdict: Verdict,
    /// The file it came from.
    pub file: String,
    /// The state it is in.
    pub state: RevisionId,
    /// What is not met or pending, in words; “ready” if nothing is.
    pub outstanding: String,
    /// Its unit and longest side, where they are known.
    size: Option<(Unit, f64)>,
    /// Whether its unit is set, so that its numbers are millimetres.
    pub sized: bool,
    /// Where its datums are.
    pub datums: Vec<Point>,
    /// How its boundaries are named.
    pub rules: Vec<Rule>,
}

/// A body's page as it is now.
pub struct Ctx<'a> {
    pub store: &'a Store,
    pub place: Place,
    pub project: Project,
    pub body: BodyRow,
    pub destination: Arc<Destination>,
    /// The newest version of that destination.
    pub newest: i32,
    /// Every body of the project that was read, this one too.
    pub siblings: Vec<Sibling>,
    /// The state the body is at.
    pub now: Revision,
    /// What a step would make of it, computed to be looked at.
    pub preview: Option<Revision>,
    /// Every state of the logbook, and those of the present line.
    pub log: Vec<LogEntry>,
    pub line: Vec<LogEntry>,
    pub sheet: Sheet,
    pub open: Option<Row>,
    /// The job that people wait for.
    pub job: Option<Job>,
    /// The survey of the state the body is at, while it is under way.
    pub surveying: Option<Job>,
    /// What went on in the project when this was read.
    pub pulse: Pulse,
}

impl<'a> Ctx<'a> {
    /// Reads what every page of a body needs.
    ///
    /// # Errors
    /// If there is no such body, or it has not been read yet.
    pub fn of(store: &'a Store, id: BodyId, place: &Place) -> PageResult<Ctx<'a>> {
        let project = store.project(store.body(id)?.project_id)?;
        // Before the states: of what changes in between the page is told.
        let pulse = store.pulse(project.id)?;
        let job = store.open_job_of_body(id)?;
        let mut own = None;
        let mut siblings = Vec::new();
        for (row, head) in store.heads(project.id)? {
            let revision = match head {
                Some(Ok(revision)) => revision,
                Some(Err(why)) if row.id == id => return Err(why.into()),
                _ => continue,
            };
            let destination = store.destination(&row.destination, row.destination_version)?;
            let sheet = Sheet::of(&revision.facts, &revision.survey, &destination);
            let size = match revision.facts.scale {
                Some(Scale::Unit(unit)) => Some((unit, revision.survey.size.longest())),
                _ => None,
            };
            let verdict = if sheet.is_ready() { Verdict::Met } else { Verdict::NotMet };
            let rules = revision.facts.rules.clone();
            let outstanding = if sheet.is_ready() { "ready".into() } else { sheet.what_is_outstanding() };
            let (name, state) = (row.name.clone(), revision.id);
            let sized = revision.facts.scale.is_some();
            let file = revision.facts.source.file.clone();
            let datums = revision.facts.datums.iter().map(|d| d.fit.shape.at()).collect();
            siblings.push(Sibling { id: row.id, name, file, verdict, state, outstanding, size, sized, datums, rules });
            if row.id == id {
                own = Some((row, revision, destination, sheet));
            }
        }
        let unread = || PageError::refused("The body has not been read yet.");
        let (body, now, destination, sheet) = own.ok_or_else(unread)?;
        let surveying = store.open_survey(id, now.id)?;
        let log = store.log(id)?;
        let line = line_of(&log, body.tip.unwrap_or(now.id))?;
        let preview = store.preview(id)?.filter(|p| p.parent == Some(now.id));
        let open = open_row(&sheet, place.row.as_deref());
        let place = place.clone();
        Ok(Ctx {
            store,
            place,
            project,
            newest: store.newest(&body.destination)?,
            body,
            destination,
            siblings,
            now,
            preview,
            log,
            line,
            sheet,
            open,
            job,
            surveying,
            pulse,
        })
    }

    /// The state that is shown: a preview, or the one the body is at.
    pub fn shown(&self) -> &Revision {
        self.preview.as_ref().unwrap_or(&self.now)
    }

    /// What tells whether the page is still as it was drawn.
    pub fn drawn(&self) -> BodyPulse {
        self.pulse.bodies.get(&self.body.id).cloned().unwrap_or_default()
    }

    /// What was measured of the state the body is at.
    pub fn seen(&self) -> Seen<'_> {
        Seen { facts: &self.now.facts, survey: &self.now.survey }
    }

    /// What lengths are said in.
    pub fn length_unit(&self) -> LengthUnit {
        self.shown().facts.length_unit()
    }

    /// The same as a symbol.
    pub fn unit(&self) -> &'static str {
        self.length_unit().symbol()
    }

    /// A length as pages show it.
    pub fn length(&self, x: impl Real) -> Marked {
        lengths::number(x.real(), 1, &four_digits(x.real()), self.length_unit())
    }

    /// A length, with so many decimals.
    pub fn length_to(&self, x: impl Real, decimals: usize) -> Marked {
        lengths::number(x.real(), 1, &fixed(x.real(), decimals), self.length_unit())
    }

    /// A length, an area or words, with its unit.
    pub fn said(&self, piece: &Piece) -> Marked {
        lengths::sentence(&Sentence::new(vec![piece.clone()]), self.length_unit())
    }

    /// An area.
    pub fn area(&self, x: impl Real) -> Marked {
        lengths::number(x.real(), 2, &four_digits(x.real()), self.length_unit())
    }

    /// An area, with so many decimals.
    pub fn area_to(&self, x: impl Real, decimals: usize) -> Marked {
        lengths::number(x.real(), 2, &fixed(x.real(), decimals), self.length_unit())
    }

    /// A volume.
    pub fn volume(&self, x: impl Real) -> Marked {
        lengths::number(x.real(), 3, &four_digits(x.real()), self.length_unit())
    }

    /// The unit of lengths (`power` 1), areas (2) or volumes (3) that are shown so.
    pub fn shown_unit(&self, power: usize) -> Marked {
        lengths::symbol(power, self.length_unit())
    }

    /// Whether there is a preview.
    pub fn is_preview(&self) -> bool {
        self.preview.is_some()
    }

    /// Where on the line the body is.
    pub fn at(&self) -> usize {
        self.line.iter().position(|r| r.id == self.now.id).unwrap_or(self.line.len() - 1)
    }

    /// The state as received.
    pub fn received(&self) -> RevisionId {
        self.line.first().map_or(self.now.id, |r| r.id)
    }

    /// Whether the exact geometry is what the facets show.
    pub fn is_exact(&self) -> bool {
        self.shown().facts.exact.as_ref().is_some_and(|e| !e.facets_changed)
    }

    /// Lines in space.
    pub fn lines(&self) -> usize {
        self.shown().survey.lines.lines
    }

    /// Points without facets.
    pub fn points(&self) -> usize {
        self.shown().survey.points.points
    }

    /// Whether there is a surface.
    pub fn has_surface(&self) -> bool {
        self.shown().survey.size.triangles > 0
    }

    /// What there is instead of a surface, counted; `None` where there is one, or nothing.
    pub fn instead_of_surface(&self) -> Option<String> {
        let of = |n: usize, what: &str| Some(counted(n, what)).filter(|_| n > 0 && !self.has_surface());
        let members = self.shown().survey.frame.figures.members;
        let noun = if self.shown().survey.points.splats.is_some() { "splat" } else { "point" };
        let all = [of(self.points(), noun), of(self.lines(), "line"), of(members, "member")];
        let all: Vec<String> = all.into_iter().flatten().collect();
        (!all.is_empty()).then(|| all.join(" and "))
    }

    /// Whether design files hold exact geometry: faces that the facets show, or lines alone.
    pub fn writes_exactly(&self) -> bool {
        self.is_exact() || (!self.has_surface() && self.lines() > 0)
    }

    /// The forms in which a design file can be written.
    pub fn design_forms(&self) -> Vec<DesignForm> {
        DesignForm::ALL.into_iter().filter(|f| self.writes_exactly() || f.iges().is_none()).collect()
    }

    /// The box, as three lengths.
    pub fn size(&self) -> String {
        self.shown().survey.size.bbox.size().map(four_digits).join(" × ")
    }

    /// Bodies of an assembly by name.
    pub fn groups(&self) -> Vec<Group> {
        groups(&self.shown().facts)
    }

    /// The box of the state as received and the diameters of its round edges, in file units.
    ///
    /// # Errors
    /// If the state cannot be read.
    pub fn sizes_in_file(&self) -> PageResult<([f64; 3], Vec<f64>)> {
        let of = |s: &Survey| (s.size.bbox.size(), s.round_edges.diameters.iter().map(|d| d.0).collect());
        if self.received() == self.now.id {
            return Ok(of(&self.now.survey));
        }
        Ok(of(&self.store.revision(self.received())?.survey))
    }

    /// Whether the job that the page waits for ended while it was drawn: it asks again at once, to be led on.
    pub fn has_ended(&self) -> bool {
        self.place.after.is_some() && self.job.is_none()
    }

    /// Units and lengths of the project's other bodies.
    pub fn sizes_of_others(&self) -> Vec<(Unit, f64)> {
        self.others().filter_map(|s| s.size).collect()
    }

    /// The body after this one in the project, or the one before.
    pub fn beside(&self, after: bool) -> Option<&Sibling> {
        let at = self.siblings.iter().position(|s| s.id == self.body.id)?;
        let other = if after { at.checked_add(1) } else { at.checked_sub(1) };
        self.siblings.get(other?)
    }

    /// Whether this body is ready.
    pub fn verdict(&self) -> Verdict {
        if self.sheet.is_ready() { Verdict::Met } else { Verdict::NotMet }
    }

    /// The project's other bodies.
    pub fn others(&self) -> impl Iterator<Item = &Sibling> {
        self.siblings.iter().filter(|s| s.id != self.body.id)
    }

    /// The names of other bodies of the project whose distance from this one is known: with a unit like it, or without one.
    pub fn neighbours(&self) -> Vec<&str> {
        let alike = self.others().filter(|o| o.sized == self.shown().facts.scale.is_some());
        alike.map(|o| o.name.as_str()).collect()
    }

    /// The panel that is asked for.
    pub fn tab(&self) -> &str {
        self.place.tab.as_deref().unwrap_or_default()
    }

    fn row(&self) -> &str {
        self.open.as_ref().map_or("", |r| &r.id)
    }

    /// The address with a row open.
    pub fn at_row(&self, row: &str) -> String {
        format!("/bodies/{}?row={row}&tab={}", self.body.id, self.tab())
    }

    /// The address with a panel open.
    pub fn on_tab(&self, tab: &str) -> String {
        format!("/bodies/{}?row={}&tab={tab}", self.body.id, self.row())
    }

    /// This page's address.
    pub fn address(&self) -> String {
        self.on_tab(self.tab())
    }

    /// Where a form is sent, with the state that it was drawn for: what was asked twice is not done twice.
    pub fn post(&self, what: &str) -> String {
        format!("/bodies/{}/{what}?row={}&tab={}&on={}", self.body.id, self.row(), self.tab(), self.now.id)
    }

    /// Where to post to go to a state; the logbook stays open if it is.
    pub fn go(&self, revision: impl Borrow<RevisionId>) -> String {
        format!("/bodies/{}/goto/{}?tab={}", self.body.id, revision.borrow(), self.tab())
    }
}

/// The row asked for, or the first that is short; `none` opens no row.
fn open_row(sheet: &Sheet, wanted: Option<&str>) -> Option<Row> {
    let asked = wanted.filter(|w| !w.is_empty());
    if asked == Some("none") {
        return None;
    }
    asked.and_then(|w| sheet.rows.iter().find(|r| r.id == w)).or_else(|| sheet.outstanding().next()).cloned()
}
