//! What stands in an open row of the sheet and in the list of findings, ready to draw.

use hull_geometry::plot::TolerancePlot;
use hull_workshop::numbers::{count, short};
use hull_workshop::survey::Kind;

/// The plot of what stitching does against tolerance, in the coordinates of a 356 by 100 drawing.
pub struct Plot {
    /// SVG points of the three step lines: open edges left, joins refused as a facet would collapse, and as an edge
    /// would be shared by three.
    pub open: String,
    pub collapsing: String,
    pub overshared: String,
    pub top: String,
    pub middle: String,
    /// Where and what the labels of the tolerance axis are.
    pub ticks: Vec<(f64, String)>,
    pub proposal: Option<f64>,
}

const LEFT: f64 = 38.0;
const RIGHT: f64 = 350.0;
const TOP: f64 = 8.0;
const BOTTOM: f64 = 70.0;

pub fn plot(found: &TolerancePlot) -> Option<Plot> {
    let (first, last) = (found.trials.first()?, found.trials.last()?);
    let (low, high) = (first.tolerance.log10(), last.tolerance.log10());
    let x = |t: f64| LEFT + (t.log10() - low) / (high - low) * (RIGHT - LEFT);
    let most = found.trials.iter().map(|t| t.report.open_before).max().unwrap_or(1).max(1) as f64;
    let y = |n: usize| BOTTOM - n as f64 / most * (BOTTOM - TOP);
    let steps = |value: &dyn Fn(usize) -> usize| {
        let mut points = String::new();
        for (i, trial) in found.trials.iter().enumerate() {
            let before = value(i.saturating_sub(1));
            points +=
                &format!("{:.1},{:.1} {:.1},{:.1} ", x(trial.tolerance), y(before), x(trial.tolerance), y(value(i)));
        }
        points
    };
    let ticks = (low.ceil() as i32..=high.floor() as i32)
        .map(|power| (x(10f64.powi(power)), short(10f64.powi(power))))
        // The unit stands at the end of the axis.
        .filter(|tick| tick.0 < RIGHT - 66.0)
        .collect();
    Some(Plot {
        open: steps(&|i| found.trials[i].report.open_after),
        collapsing: steps(&|i| found.trials[i].report.refused_collapse.min(most as usize)),
        overshared: steps(&|i| found.trials[i].report.refused_overshare.min(most as usize)),
        top: count(most as usize),
        middle: count((most / 2.0) as usize),
        ticks,
        proposal: found.proposal.map(|p| x(p.tolerance)),
    })
}

/// A, B, … Z, AA, AB, …
pub fn letter(i: usize) -> String {
    let last = char::from(b'A' + (i % 26) as u8);
    if i < 26 { last.to_string() } else { format!("{}{last}", letter(i / 26 - 1)) }
}

/// A finding's kind in words.
pub fn kind_name(kind: &Kind) -> &'static str {
    match kind {
        Kind::OpenEdges => "open edges",
        Kind::OversharedEdges => "edges shared by three",
        Kind::MisdirectedEdges => "opposite directions",
        Kind::PinchedPoints => "pinched point",
        Kind::DuplicateTriangles => "duplicate",
        Kind::ZeroAreaTriangles => "no area",
        Kind::SelfIntersections => "crossing",
        Kind::CoplanarOverlaps => "overlapping",
        Kind::SmallestAngle => "smallest angle",
        Kind::Doubles => "there twice",
        Kind::Touching => "touching",
        Kind::LostShells => "lost inside",
        Kind::Cavities => "cavity",
        Kind::InsideOutShells => "inside out",
        Kind::TinyShells => "tiny shell",
        Kind::ThinWalls => "thin wall",
        Kind::NarrowGaps => "narrow gap",
        Kind::Spikes => "spike",
        Kind::Folds => "folded back",
        Kind::Needles => "needle",
        Kind::Caps => "cap",
        Kind::Handles => "tunnel",
        Kind::IsolatedPoints => "lone point",
    }
}
