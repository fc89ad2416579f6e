//! The exact geometry of a body, ready to draw.

use crate::show::bytes;
use hull_exact::fineness::Fineness;
use hull_exact::parameter_loops::Reader;
use hull_workshop::body::Facts;
use hull_workshop::body::Scale;
use hull_workshop::choices::Choice;
use hull_workshop::edges::{EdgeFigures, name_of};
use hull_workshop::exact::ExactFacts;
use hull_workshop::numbers::{count, four_digits};

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
    pub bottom: String,
    pub proposal: Option<f64>,
}

/// An edge with its name.
pub struct EdgeLine {
    pub edge: EdgeFigures,
    pub name: String,
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
    pub by_angle: Option<Curve>,
    pub by_deviation: Option<Curve>,
    pub join: Option<Curve>,
    pub open_before: usize,
    pub proposal: Option<f64>,
    pub edges: Vec<EdgeLine>,
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
            file: bytes(84 + 50 * c.facets as u64),
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
        by_angle: facets_curve(&counts(&exact.by_angle, |f| f.angle), exact.fineness.angle),
        by_deviation: facets_curve(&counts(&exact.by_deviation, |f| f.deviation), exact.fineness.deviation),
        join: steps(&trials, proposal),
        open_before: exact.join.open_before,
        proposal,
        edges: exact
            .edges
            .iter()
            .map(|e| EdgeLine { name: name_of(&facts.edge_names, e).into(), edge: e.clone() })
            .collect(),
        features: exact.features.clone(),
        choices,
        facts: exact,
    })
}

fn counts(choices: &[Choice], of: impl Fn(&Fineness) -> f64) -> Vec<(f64, usize)> {
    choices.iter().map(|c| (of(&c.fineness), c.facets)).collect()
}

fn title(reader: Reader) -> &'static str {
    match reader {
        Reader::Trusting => "trusted",
        Reader::Rebuilding => "rebuilt",
    }
}

fn reading_rows(exact: &ExactFacts, scale: f64) -> Vec<(&'static str, [String; 2])> {
    let both = [&exact.readings.trusting, &exact.readings.rebuilding];
    vec![
        ("solids", both.map(|r| count(r.solids))),
        ("faces", both.map(|r| count(r.faces))),
        ("in doubt", both.map(|r| count(r.faces_in_doubt))),
        ("open edges", both.map(|r| count(r.open_edges))),
        ("volume", both.map(|r| four_digits(r.volume * scale.powi(3)))),
        ("area", both.map(|r| four_digits(r.area * scale * scale))),
        ("along x", both.map(|r| four_digits(r.size[0] * scale))),
        ("along y", both.map(|r| four_digits(r.size[1] * scale))),
        ("along z", both.map(|r| four_digits(r.size[2] * scale))),
    ]
}

/// Facets against an angle or a deviation, both logarithmic, finer to the right; `now` is marked.
fn facets_curve(counts: &[(f64, usize)], now: f64) -> Option<Curve> {
    let most = counts.iter().map(|c| c.1).max().filter(|m| *m > 0)?;
    let least = counts.iter().map(|c| c.1).min().filter(|m| *m > 0)?;
    let (first, last) = (counts.first()?.0, counts.last()?.0);
    if first <= last {
        return None;
    }
    let across = |x: f64| LEFT + ((first.ln() - x.ln()) / (first.ln() - last.ln())).clamp(0.0, 1.0) * (RIGHT - LEFT);
    let spread = (most as f64 / least as f64).ln().max(1e-9);
    let up = |n: usize| BOTTOM - (n as f64 / least as f64).ln() / spread * (BOTTOM - TOP);
    let dots: Vec<(f64, f64)> = counts.iter().map(|c| (across(c.0), up(c.1))).collect();
    let ticks = counts.iter().enumerate().filter(|(i, _)| i % 2 == 0 || counts.len() < 4);
    Some(Curve {
        points: dots.iter().map(|(x, y)| format!("{x:.1},{y:.1} ")).collect(),
        ticks: ticks.map(|(_, c)| (across(c.0), four_digits(c.0))).collect(),
        top: format!("{}, {}", count(most), bytes(84 + 50 * most as u64)),
        bottom: format!("{}, {}", count(least), bytes(84 + 50 * least as u64)),
        proposal: (now <= first && now >= last).then(|| across(now)),
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
    let ticks =
        (low.ceil() as i32..=high.floor() as i32).map(|p| (x(10f64.powi(p)), four_digits(10f64.powi(p)))).collect();
    Some(Curve {
        points,
        dots: Vec::new(),
        ticks,
        top: count(most as usize),
        bottom: "0".into(),
        proposal: proposal.map(x),
    })
}
