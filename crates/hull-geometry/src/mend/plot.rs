//! Open edges left against stitching tolerance, and the tolerance to propose.

use crate::mesh::Mesh;
use crate::stitch::{Rim, StitchReport};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

const SAMPLES: usize = 28;
/// Open edges have stopped falling if a tolerance so many times as large closes no more.
const LONG: f64 = 4.0;

/// One tolerance that was tried on the rim.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Trial {
    /// That was tried.
    pub tolerance: f64,
    /// What stitching at it does.
    pub report: StitchReport,
}

/// What stitching would leave open at each tolerance.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct TolerancePlot {
    /// Ascending tolerances.
    pub trials: Vec<Trial>,
    /// The smallest sufficient tolerance: no larger one (up to half a typical open edge, beyond which
    /// facets are at stake) leaves fewer open edges; up to twice that if it cuts fewer edges. Where the last
    /// twentieth of the closing begins to collapse facets or to make edges shared by three, it is left open; so are
    /// small holes that a tolerance four times as large would not close either.
    pub proposal: Option<Trial>,
}

/// Stitches the rim of `mesh` at a range of tolerances from 1e-5 to 1e-2 of the body's diagonal.
///
/// # Errors
/// [`Cancelled`].
pub fn tolerance_plot(mesh: &Mesh, watch: &Watch) -> Result<TolerancePlot, Cancelled> {
    let diagonal = mesh.bounds().diagonal();
    let rim = Rim::of(mesh);
    let typical = rim.median_open_edge();
    if typical == 0.0 || diagonal == 0.0 {
        return Ok(TolerancePlot::default());
    }
    let attempt = |tolerance: f64| -> Result<Trial, Cancelled> {
        Ok(Trial { tolerance, report: rim.clone().close(tolerance, watch)? })
    };
    let step = 1000f64.powf(1.0 / (SAMPLES - 1) as f64);
    let trials: Vec<Trial> = (0..SAMPLES)
        .into_par_iter()
        .map(|i| attempt(round_up(diagonal * 1e-5 * step.powi(i as i32))))
        .collect::<Result<_, _>>()?;
    let limit = typical / 2.0;
    let within = || trials.iter().filter(|t| t.tolerance <= limit);
    let least_refused = trials.first().map_or(0, |t| refused(&t.report));
    // A first few refusals may come of noise; a fiftieth of the open edges does not.
    let calm = |t: &&Trial| refused(&t.report) <= least_refused + t.report.open_before / 50;
    let fewest_of_all = within().map(|t| t.report.open_after).min();
    let fewest_calm = within().take_while(calm).map(|t| t.report.open_after).min();
    let fewest = match (fewest_calm, fewest_of_all) {
        // What the last of the closing costs is told by what had closed before anything began to rise.
        (Some(calm), Some(all)) if (calm - all) * 20 <= trials[0].report.open_before - all => Some(calm),
        (_, all) => all,
    };
    let fewest = settled(&trials, limit).or(fewest);
    let mut proposal = within()
        .find(|t| Some(t.report.open_after) == fewest)
        // Closing only a few of many edges is pinching a hole shut, not stitching a seam.
        .filter(|t| t.report.open_after * 2 <= t.report.open_before)
        .copied();
    if let Some(smallest) = proposal {
        // Slightly more may join points where less could only cut edges, which leaves slivers.
        proposal = within()
            .filter(|t| t.tolerance <= 2.0 * smallest.tolerance && t.report.open_after == smallest.report.open_after)
            .min_by_key(|t| t.report.edges_split)
            .copied();
    }
    if let Some(found) = proposal {
        // The widest gap that was closed needs no more tolerance than itself.
        let tight = round_up(found.report.largest_gap * 1.001);
        if tight > 0.0 && tight < found.tolerance {
            let trial = attempt(tight)?;
            let as_good = |t: &StitchReport| (t.open_after, t.edges_split);
            if as_good(&trial.report) <= as_good(&found.report) {
                proposal = Some(trial);
            }
        }
    }
    Ok(TolerancePlot { trials, proposal })
}

/// Open edges left where they have stopped falling for long, and all that is left are small holes: to close those by
/// pulling their rims together would move the surface, and filling them would not.
fn settled(trials: &[Trial], limit: f64) -> Option<usize> {
    let within = || trials.iter().filter(|t| t.tolerance <= limit);
    let shortest = within().map(|t| t.report.long_after).min()?;
    let rests = |t: &&Trial| {
        let level = || trials.iter().filter(|u| u.tolerance >= t.tolerance && u.tolerance <= LONG * t.tolerance);
        // Loose sides of a few edges each are small loops too: most must have closed.
        t.report.open_after * 4 <= t.report.open_before
            && t.report.long_after == shortest
            && t.tolerance * LONG <= limit
            && level().all(|u| u.report.open_after == t.report.open_after)
    };
    within().find(rests).map(|t| t.report.open_after)
}

fn refused(report: &StitchReport) -> usize {
    report.refused_collapse + report.refused_overshare
}

/// Up to the next two-digit number, so that people see 0.35 and not 0.34187.
pub fn round_up(x: f64) -> f64 {
    if x <= 0.0 {
        return 0.0;
    }
    let digits = x.log10().floor() as i32 - 1;
    let rounded = (x / 10f64.powi(digits)).ceil();
    // Dividing by a whole power of ten gives the nearest double to the two-digit decimal.
    if digits < 0 { rounded / 10f64.powi(-digits) } else { rounded * 10f64.powi(digits) }
}
