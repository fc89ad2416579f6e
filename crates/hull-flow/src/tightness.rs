//! All that a size of cells asks of a surface: is its inside tight, from which size on, and which passages would be closed.

use crate::leaks::{LeakError, Way, leak, place_inside, tight_from};
use crate::passages::{Passage, lost};
use hull_geometry::{Mesh, Point, Watch};
use serde::{Deserialize, Serialize};

/// The largest cells that are tried, as a part of the body's diagonal.
const LARGEST: f64 = 0.125;

/// What was found for a size of cells. Lengths are in the body's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tightness {
    /// The size.
    pub cell: f64,
    /// The place inside from which a way was looked for.
    pub inside: Point,
    /// The shortest way outside; none where it is tight.
    pub way: Option<Way>,
    /// Where there is one: the size from which cells find none, if any does up to an eighth of the diagonal.
    pub tight_from: Option<f64>,
    /// Passages that would be closed, or why they were not looked for.
    pub passages: Result<Passages, String>,
}

/// Gaps between rooms that cells of the size would close.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Passages {
    /// The largest rooms first.
    pub all: Vec<Passage>,
    /// The width from which they are seen.
    pub seen_from: f64,
}

/// Looks for all of it.
///
/// # Errors
/// [`LeakError`].
pub fn tightness(mesh: &Mesh, cell: f64, watch: &Watch) -> Result<Tightness, LeakError> {
    watch.report(0.0, "looking for a place inside")?;
    let inside = place_inside(mesh).ok_or(LeakError::TooOpen)?;
    let way = leak(mesh, inside, cell, watch)?;
    let largest = LARGEST * mesh.bounds().diagonal();
    let tight_from = match way {
        Some(_) if cell < largest => tight_from(mesh, inside, [cell, largest], watch)?,
        _ => None,
    };
    let passages = match lost(mesh, cell, watch) {
        Ok((all, seen_from)) => Ok(Passages { all, seen_from }),
        Err(LeakError::Cancelled(c)) => return Err(c.into()),
        Err(why) => Err(why.to_string()),
    };
    Ok(Tightness { cell, inside, way, tight_from, passages })
}
