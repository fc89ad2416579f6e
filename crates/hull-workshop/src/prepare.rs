//! A body taken through a routine for a destination: the work of `hull prepare`.

use crate::survey::survey_for;
use crate::{Body, Change, Destination, Sheet, Step, StepError, Survey, apply};
use hull_geometry::Watch;
use hull_trials::flow::Flow;

/// A prepared body with its survey and sheet.
pub struct Prepared {
    /// As it is now.
    pub body: Body,
    /// What is true of it.
    pub survey: Survey,
    /// What is asked of it.
    pub sheet: Sheet,
    /// What was done, in order.
    pub log: Vec<(Step, Change)>,
    /// What a trial of the flow found of it as it is now, if there was one.
    pub trial: Option<Flow>,
}

/// Applies `steps` in order and measures the result.
///
/// # Errors
/// The number of the step (from 1; 0 for the survey) and why it could not be applied.
pub fn prepare(
    mut body: Body,
    steps: &[Step],
    destination: &Destination,
    watch: &Watch,
) -> Result<Prepared, (usize, StepError)> {
    let mut log = Vec::with_capacity(steps.len());
    for (i, step) in steps.iter().enumerate() {
        let (next, change) = apply(&body, step, destination, watch).map_err(|e| (i + 1, e))?;
        body = next;
        log.push((step.clone(), change));
    }
    let (survey, _) = survey_for(&body, destination, watch).map_err(|e| (0, e.into()))?;
    let sheet = Sheet::of(&body.facts, &survey, destination);
    Ok(Prepared { body, survey, sheet, log, trial: None })
}
