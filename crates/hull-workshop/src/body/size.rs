//! Which unit a file without one was made in: candidates in order, with reasons.

use super::usual_diameters::usual;
use crate::Destination;
use crate::numbers::four_digits;
use hull_geometry::Unit;
use serde::{Deserialize, Serialize};

/// One unit the file may be in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Candidate {
    /// The unit.
    pub unit: Unit,
    /// Box edges in millimetres if this is the unit.
    pub size: [f64; 3],
    /// What speaks for it, and against it.
    pub reasons: Vec<String>,
    /// The sum of the reasons' weights; only the order means anything.
    pub weight: f64,
}

/// Candidates for a box of `size` file units, the likeliest first.
///
/// Four kinds of evidence, *common practice, no source*: the longest side is of a size that the
/// destination usually sees; dimensions are round in one unit and odd in the others; round edges (`diameters` in file
/// units) are holes for screws or pipes in one; other bodies of the project were in that unit, or are about that long.
pub fn candidates(
    size: [f64; 3],
    destination: &Destination,
    others: &[(Unit, f64)],
    diameters: &[f64],
) -> Vec<Candidate> {
    let longest = |unit: Unit| size.into_iter().fold(0.0, f64::max) * unit.millimetres();
    let mut list: Vec<Candidate> = Unit::ALL
        .into_iter()
        .map(|unit| {
            let mm = size.map(|x| x * unit.millimetres());
            let mut reasons = Vec::new();
            let mut weight = 0.0;
            let [low, high] = destination.usual_length;
            let length = longest(unit);
            if (low..=high).contains(&length) {
                weight += 2.0;
                reasons.push(format!(
                    "{} mm long, usual for {}",
                    four_digits(length),
                    destination.title.to_lowercase()
                ));
                // Within the usual range the middle is likelier than the ends.
                weight += 1.0 - (length / (low * high).sqrt()).log10().abs() / (high / low).log10();
            } else {
                let side = if length < low { "smaller" } else { "larger" };
                reasons.push(format!("{} mm long, {side} than is usual", four_digits(length)));
                weight -= 1.0;
            }
            let round = mm.iter().filter(|x| is_round(**x)).count();
            if round > 0 && unit != Unit::Cm && unit != Unit::M {
                weight += 0.8 * round as f64;
                reasons.push(format!("{round} of 3 sides are whole millimetres"));
            }
            let known = diameters.iter().map(|d| d * unit.millimetres());
            let known: Vec<(f64, String)> = known.filter_map(|d| Some((d, usual(d)?))).collect();
            if let Some((d, what)) = known.first() {
                // One may be chance; the more, the less.
                weight += 0.6 * known.len().min(3) as f64;
                let more = if known.len() > 1 { format!(", and {} more", known.len() - 1) } else { String::new() };
                reasons.push(format!("a round edge of {} mm is that of {what}{more}", four_digits(*d)));
            }
            let neighbours = others.iter().filter(|o| o.0 == unit).count();
            if neighbours > 0 {
                weight += 0.7;
                let bodies = if neighbours == 1 { "1 other body".into() } else { format!("{neighbours} other bodies") };
                reasons.push(format!("{bodies} of the project came in {}", unit.name()));
            }
            if others.iter().any(|o| o.1 > 0.0 && (0.2..=5.0).contains(&(length / o.1))) {
                weight += 0.5;
                reasons.push("about as large as another body of the project".into());
            }
            Candidate { unit, size: mm, reasons, weight }
        })
        .collect();
    list.sort_by(|a, b| b.weight.total_cmp(&a.weight));
    list
}

/// A whole number of millimetres, to the precision that single-precision files keep.
fn is_round(mm: f64) -> bool {
    mm >= 1.0 && (mm - mm.round()).abs() <= 2e-5 * mm.max(1.0) / 10.0 + 1e-9
}
