//! The exact geometry of a body, ready to draw.

use hull_exact::lift::Reader;
use hull_workshop::body::Facts;
use hull_workshop::body::Scale;
use hull_workshop::exact::ExactFacts;
use hull_workshop::numbers::{count, short};

/// A fineness that can be chosen.
pub struct ChoiceLine {
    pub name: String,
    pub deviation: f64,
    pub angle: f64,
    pub facets: usize,
    /// Size of a binary STL file of so many facets.
    pub file: String,
    pub now: bool,
}

/// A curve over a logarithmic axis, in the coordinates of a 260 by 92 drawing.
pub struct Curve {
    pub points: String,
    pub dots: Vec<(f64, f64)>,
    /// Where and what the labels below are.
    pub ticks: Vec<(f64, String)>,
    pub top: String,
    pub proposal: Option<f64>,
}

/// A way of reading, as the head of a column.
pub struct ReadingColumn {
    pub title: &'static str,
    pub key: &'static str,
    pub now: bool,
}

/// What the page shows of exact geometry; lengths in the body's unit.
pub struct ExactView {
    pub facts: ExactFacts,
    pub readings: [ReadingColumn; 2],
    pub reading_rows: Vec<(&'static str, [String; 2])>,
    pub proposed_reading: &'static str,
    pub choices: Vec<ChoiceLine>,
    pub curve: Option<Curve>,
    pub join: Option<Curve>,
    pub open_before: usize,
    pub proposal: Option<f64>,
    /// Diameter and centre, widest first.
    pub features: Vec<(f64, [f64; 3])>,
}

const LEFT: f64 = 44.0;
const RIGHT: f64 = 250.0;
const TOP: f64 = 8.0;
const BOTTOM: f64 = 66.0;

/// The view of a body's exact geometry, if it has some.
pub fn view(facts: &Facts) -> Option<ExactView> {
    let exact = facts.exact.clone()?;
    let scale = facts.scale.map_or(1.0, Scale::millimetres);
    let choices: Vec<ChoiceLine> = exact
        .choices
        .iter()
        .map(|c| ChoiceLine {
            name: c.name.clone(),
            deviation: c.fineness.deviation,
            angle: c.fineness.angle,
            facets: c.facets,
            file: file_size(84 + 50 * c.facets),
            now: c.fineness.deviation == exact.fineness.deviation && c.fineness.angle == exact.fineness.angle,
        })
        .collect();
    let trials: Vec<(f64, f64)> = exact.join.trials.iter().map(|t| (t.tolerance * scale, t.open as f64)).collect();
    let proposal = exact.join.proposal.map(|p| p * scale);
    Some(ExactView {
        readings: [Reader::Trusting, Reader::Rebuilding].map(|r| ReadingColumn {
            title: title(r),
            key: if r == Reader::Trusting { "trusting" } else { "rebuilding" },
            now: exact.reader == r,
        }),
        reading_rows: reading_rows(&exact, scale),
        proposed_reading: title(exact.readings.proposal),
        curve: facets_curve(&choices),
        join: steps(&trials, proposal),
        open_before: exact.join.open_before,
        proposal,
        features: exact.features.iter().map(|(d, c)| (d * scale, c.map(|x| x * scale))).collect(),
        choices,
        facts: exact,
    })
}

fn title(reader: Reader) -> &'static str {
    match reader {
        Reader::Trusting => "bounds trusted",
        Reader::Rebuilding => "bounds rebuilt",
    }
}

fn reading_rows(exact: &ExactFacts, scale: f64) -> Vec<(&'static str, [String; 2])> {
    let both = [&exact.readings.trusting, &exact.readings.rebuilding];
    vec![
        ("solids", both.map(|r| count(r.solids))),
        ("faces", both.map(|r| count(r.faces))),
        ("in doubt", both.map(|r| count(r.faces_in_doubt))),
        ("open edges", both.map(|r| count(r.open_edges))),
        ("volume", both.map(|r| short(r.volume * scale.powi(3)))),
        ("area", both.map(|r| short(r.area * scale * scale))),
        ("size", both.map(|r| r.size.map(|x| short(x * scale)).join(" × "))),
    ]
}

fn file_size(bytes: usize) -> String {
    if bytes < 1_000_000 {
        format!("{} kB", short(bytes as f64 / 1e3))
    } else {
        format!("{} MB", short(bytes as f64 / 1e6))
    }
}

/// Facets against angle, both logarithmic: the cost of halving the angle is a constant step up.
fn facets_curve(choices: &[ChoiceLine]) -> Option<Curve> {
    let most = choices.iter().map(|c| c.facets).max().filter(|m| *m > 0)? as f64;
    let least = choices.iter().map(|c| c.facets).min().filter(|m| *m > 0)? as f64;
    let (first, last) = (choices.first()?.angle, choices.last()?.angle);
    let across = |angle: f64| LEFT + (first.ln() - angle.ln()) / (first.ln() - last.ln()) * (RIGHT - LEFT);
    let spread = (most / least).ln().max(1e-9);
    let up = |n: f64| BOTTOM - (n / least).ln() / spread * (BOTTOM - TOP);
    let dots: Vec<(f64, f64)> = choices.iter().map(|c| (across(c.angle), up(c.facets as f64))).collect();
    Some(Curve {
        points: dots.iter().map(|(x, y)| format!("{x:.1},{y:.1} ")).collect(),
        ticks: choices.iter().map(|c| (across(c.angle), format!("{}°", short(c.angle)))).collect(),
        top: count(most as usize),
        proposal: choices.iter().find(|c| c.now).map(|c| across(c.angle)),
        dots,
    })
}

/// Open edges left against tolerance.
fn steps(trials: &[(f64, f64)], proposal: Option<f64>) -> Option<Curve> {
    let (low, high) = (trials.first()?.0.log10(), trials.last()?.0.log10());
    let most = trials.iter().map(|t| t.1).fold(1.0, f64::max);
    let x = |t: f64| LEFT + ((t.log10() - low) / (high - low)).clamp(0.0, 1.0) * (RIGHT - LEFT);
    let y = |n: f64| BOTTOM - n / most * (BOTTOM - TOP);
    let mut points = String::new();
    for (i, (t, open)) in trials.iter().enumerate() {
        let before = trials[i.saturating_sub(1)].1;
        points += &format!("{:.1},{:.1} {:.1},{:.1} ", x(*t), y(before), x(*t), y(*open));
    }
    let ticks = (low.ceil() as i32..=high.floor() as i32).map(|p| (x(10f64.powi(p)), short(10f64.powi(p)))).collect();
    Some(Curve { points, dots: Vec::new(), ticks, top: count(most as usize), proposal: proposal.map(x) })
}
