//! A frame: its sections, its trial case by case, and its members.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, counted, short};
use askama::Template;
use hull_workshop::survey::frame::FrameFigures;

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
    Ok(Frame { of: &shown.survey.frame, members, more }.render()?)
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
