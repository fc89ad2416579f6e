//! A frame: its sections, its trial case by case, and its members.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, counted, short};
use askama::Template;
use hull_store::ids::RevisionId;
use hull_workshop::survey::frame::FrameFigures;
use hull_workshop::trial::shapes::What;

pub const PANEL: Panel = Panel { id: "frame", tab, render };

/// Members that are listed at most.
const MOST: usize = 200;

/// A member as it is listed.
struct Listed {
    number: usize,
    layer: String,
    section: String,
    length: f64,
    middle: [f64; 3],
    ends: &'static str,
}

#[derive(Template)]
#[template(path = "panels/frame/panel.html")]
struct Frame<'a> {
    of: &'a FrameFigures,
    on: RevisionId,
    /// What the view can draw: key and title.
    drawings: Vec<(String, String)>,
    /// The longest first.
    members: Vec<Listed>,
    /// How many more there are.
    more: usize,
}

fn tab(cx: &Ctx) -> Option<Tab> {
    let members = cx.shown().survey.frame.figures.members;
    Some(Tab { title: "Frame", count: Some(members) }).filter(|_| members > 0)
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let body = cx.store.load(shown)?;
    let mut members: Vec<Listed> = body.frame().map_or(Vec::new(), listed);
    members.sort_by(|a, b| b.length.total_cmp(&a.length).then(a.number.cmp(&b.number)));
    let more = members.len().saturating_sub(MOST);
    members.truncate(MOST);
    let possible = What::all().into_iter().filter(|w| is_possible(&shown.survey.frame, w.2));
    let drawings = possible.map(|(key, title, _)| (key, title)).collect();
    Ok(Frame { of: &shown.survey.frame, on: shown.id, drawings, members, more }.render()?)
}

/// Whether a frame has what a drawing shows.
fn is_possible(of: &FrameFigures, what: What) -> bool {
    match what {
        What::Mechanism => of.mechanism.is_some(),
        What::Frequency(n) => n < of.frequencies.len(),
        What::Buckling => of.trials.iter().any(|t| t.buckling.is_some()),
        What::Deflected | What::Force(_) => !of.trials.is_empty(),
    }
}

fn listed(frame: &hull_frames::Frame) -> Vec<Listed> {
    let of = |(i, m): (usize, &hull_frames::Member)| {
        let [a, b] = frame.places(m);
        Listed {
            number: i + 1,
            layer: frame.layers.get(m.layer as usize).cloned().unwrap_or_default(),
            section: frame.made_of(m).map_or(String::new(), |(s, mat)| format!("{} of {}", s.name, mat.name)),
            length: frame.length(m),
            middle: [0, 1, 2].map(|k| 0.5 * (a[k] + b[k])),
            ends: match m.joined {
                [hull_frames::End::Rigid, hull_frames::End::Rigid] => "rigid",
                [hull_frames::End::Pinned, hull_frames::End::Pinned] => "pinned",
                _ => "mixed",
            },
        }
    };
    frame.members.iter().enumerate().map(of).collect()
}
