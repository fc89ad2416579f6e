//! A frame: its sections, its trial case by case, and its members.

use super::{Panel, Tab};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::show::{count, counted, four_digits};
use askama::Template;
use hull_frames::Fix;
use hull_store::ids::RevisionId;
use hull_workshop::survey::frame::FrameFigures;
use hull_workshop::trial::shapes::What;

pub const PANEL: Panel = Panel { id: "frame", tab, render };

/// Members, and joints, that are listed at most.
const MOST: usize = 1000;

/// A member as it is listed.
struct Listed {
    number: usize,
    layer: String,
    /// Column, beam, purlin or brace.
    kind: &'static str,
    section: String,
    /// Degrees about the member, from “web vertical”.
    turn: f64,
    length: f64,
    middle: [f64; 3],
    /// Numbers of the joints at its ends.
    joints: [u32; 2],
    ends: String,
}

/// A joint as it is listed.
struct ListedJoint {
    number: usize,
    at: [f64; 3],
    held: String,
    members: usize,
}

#[derive(Template)]
#[template(path = "panels/frame/panel.html")]
struct Frame<'a> {
    cx: &'a Ctx<'a>,
    of: &'a FrameFigures,
    on: RevisionId,
    /// What the view can draw: key and title.
    drawings: Vec<(String, String)>,
    members: Vec<Listed>,
    joints: Vec<ListedJoint>,
    /// How many more there are.
    more: usize,
    sets: Vec<hull_frames::NamedSet>,
}

fn tab(cx: &Ctx) -> Option<Tab> {
    let members = cx.shown().survey.frame.figures.members;
    Some(Tab { title: "Frame", count: Some(members) }).filter(|_| members > 0)
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let body = cx.store.load(shown)?;
    let mut members: Vec<Listed> = body.frame().map_or(Vec::new(), listed);
    let more = members.len().saturating_sub(MOST);
    members.truncate(MOST);
    let possible = What::all().into_iter().filter(|w| is_possible(&shown.survey.frame, w.2));
    let drawings = possible.map(|(key, title, _)| (key, title)).collect();
    let joints = body.frame().map_or(Vec::new(), listed_joints);
    let sets = body.frame().map_or(Vec::new(), hull_frames::Frame::named_sets);
    Ok(Frame { cx, of: &shown.survey.frame, on: shown.id, drawings, members, joints, more, sets }.render()?)
}

/// Whether a frame has what a drawing shows.
fn is_possible(of: &FrameFigures, what: What) -> bool {
    match what {
        What::Mechanism => of.mechanism.is_some(),
        What::Frequency(n) => n < of.frequencies.len(),
        What::Buckling => of.trials.iter().any(|t| t.buckling.is_some()),
        What::Deflected | What::Force(_) => !of.trials.is_empty(),
        What::Axis(_) => true,
    }
}

/// What supports carry along z; what rounding leaves of nothing is nothing.
fn upward(carried: &[f64; 3]) -> f64 {
    let most = carried.iter().fold(0.0_f64, |m, x| m.max(x.abs()));
    if carried[2].abs() < 1e-9 * most { 0.0 } else { carried[2] }
}

/// Materials that are known.
fn materials() -> Vec<&'static str> {
    hull_frames::Material::names().collect()
}

/// What holds a joint, in a word or by its axes.
fn held(joint: &hull_frames::Joint) -> String {
    let axes = ["x", "y", "z", "about x", "about y", "about z"];
    let of = |(fix, axis): (&Fix, &str)| match fix {
        Fix::Free => None,
        Fix::Held => Some(axis.to_string()),
        Fix::Spring(s) => Some(format!("{axis} by a spring of {} N/mm", four_digits(*s))),
        Fix::Moved(by) => Some(format!("{axis} moved {} mm", four_digits(*by))),
    };
    match joint.held.map(|f| f == Fix::Held) {
        [true, true, true, true, true, true] => "fixed".into(),
        [true, true, true, false, false, false] if joint.held[3..].iter().all(|f| *f == Fix::Free) => "pinned".into(),
        _ => joint.held.iter().zip(axes).filter_map(of).collect::<Vec<_>>().join(", "),
    }
}

fn listed_joints(frame: &hull_frames::Frame) -> Vec<ListedJoint> {
    let mut members = vec![0; frame.joints.len()];
    frame.members.iter().flat_map(|m| m.ends).for_each(|j| members[j as usize] += 1);
    let of = |(i, j): (usize, &hull_frames::Joint)| ListedJoint {
        number: i + 1,
        at: j.at,
        held: held(j),
        members: members[i],
    };
    frame.joints.iter().enumerate().take(MOST).map(of).collect()
}

/// How a member's ends are joined, in a word or one for each.
fn ends(m: &hull_frames::Member) -> String {
    let word = |end: hull_frames::End| match end {
        hull_frames::End::Rigid => "rigid".to_string(),
        hull_frames::End::Pinned => "pinned".into(),
        hull_frames::End::Sliding => "sliding".into(),
        hull_frames::End::Elastic(spring) => format!("elastic {} kN·m/rad", four_digits(spring * 1e-6)),
    };
    let [first, last] = m.joined.map(word);
    let both = if first == last { first } else { format!("{first}, {last}") };
    if m.is_offset() { format!("{both}; offset") } else { both }
}

fn listed(frame: &hull_frames::Frame) -> Vec<Listed> {
    let roles = hull_frames::role::roles(frame);
    let of = |(i, m): (usize, &hull_frames::Member)| {
        let [a, b] = frame.places(m);
        Listed {
            number: i + 1,
            layer: frame.layers.get(m.layer as usize).cloned().unwrap_or_default(),
            kind: roles[i].name(),
            section: frame.made_of(m).map_or(String::new(), |(s, mat)| format!("{} of {}", s.name, mat.name)),
            turn: m.turn,
            length: frame.length(m),
            middle: [0, 1, 2].map(|k| 0.5 * (a[k] + b[k])),
            joints: m.ends.map(|j| j + 1),
            ends: ends(m),
        }
    };
    frame.members.iter().enumerate().map(of).collect()
}
