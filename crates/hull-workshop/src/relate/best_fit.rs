//! One body brought onto another: the motion is found here, and applied as a step.

use crate::Body;
use crate::numbers::four_digits;
use crate::steps::move_turn::MoveTurn;
use crate::steps::{Step, StepError};
pub use hull_fitting::register::{Options, Registered};
use hull_fitting::register::{Sampled, register};
use hull_geometry::Watch;

/// Points of the moving body that are used, and of the one that it is brought to.
const SAMPLES: [usize; 2] = [40_000, 150_000];

/// The step that brings `body` onto `target`, with how well it fits.
///
/// # Errors
/// If they are in different units, if one has neither surface nor points, or cancelled.
pub fn best_fit(body: &Body, target: &Body, how: Options, watch: &Watch) -> Result<(Step, Registered), StepError> {
    if body.facts.scale.is_some() != target.facts.scale.is_some() {
        return Err(StepError::Refused("One of the bodies has no unit yet: set the unit of both first.".into()));
    }
    watch.report(0.02, "sampling the surfaces")?;
    let own = sampled(body, SAMPLES[0]);
    let other = sampled(target, SAMPLES[1]);
    if own.points.len() < 6 || other.points.len() < 12 {
        return Err(StepError::Refused("Both bodies need a surface or points to be brought together by.".into()));
    }
    let found = register(&own, &other, how, watch)?;
    if found.motion.rotation.iter().flatten().chain(&found.motion.shift).any(|x| !x.is_finite()) {
        return Err(StepError::Refused("The two surfaces do not tell how one lies on the other.".into()));
    }
    Ok((MoveTurn::of(&found.motion).into(), found))
}

fn sampled(body: &Body, most: usize) -> Sampled {
    match body.cloud() {
        _ if body.has_surface() => Sampled::of_mesh(&body.mesh, most),
        Some(cloud) => Sampled::of_points(&cloud.points, &cloud.normals, most),
        None => Sampled::default(),
    }
}

/// What a fit came to, in a sentence.
pub fn told(found: &Registered, onto: &str, unit: &str) -> String {
    format!(
        "Brought onto “{onto}”: root mean square {} {unit} over {} points, {} {unit} before the first of {} rounds.",
        four_digits(found.rms),
        crate::numbers::count(found.points),
        four_digits(found.rounds.first().copied().unwrap_or(0.0)),
        found.rounds.len()
    )
}
