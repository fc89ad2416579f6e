//! A hole, and how it may be filled.

use crate::mesh::{Bounds, Point, PointId};
use serde::{Deserialize, Serialize};

/// A hole with more edges than this is filled only if it is flat: the least-area search grows with the cube.
pub const LARGEST_UNEVEN_HOLE: usize = 1200;
/// A hole with so many edges is closed without new points: there is no room for a bulge.
const SMALL: usize = 8;
/// A hole counts as flat if no corner is further from its mean plane than this part of its extent.
pub(crate) const FLATNESS: f64 = 2e-3;

/// One simple loop of open edges.
#[derive(Clone, Debug)]
pub struct Hole {
    /// The corners in the order in which a filling runs them (against the facets around).
    pub points: Vec<PointId>,
    /// The rims of pieces of surface that lie loose within, in the same order.
    pub islands: Vec<Vec<PointId>>,
    /// Around it.
    pub perimeter: f64,
    /// Area enclosed by the loop in its mean plane, without islands.
    pub area: f64,
    /// Whether its corners lie in one plane, nearly.
    pub flat: bool,
    /// The mean of its corners.
    pub centre: Point,
    /// Their box.
    pub bounds: Bounds,
}

/// How a hole was filled.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Filling {
    /// Constrained triangulation in the mean plane.
    Flat,
    /// Least total area.
    LeastArea,
    /// As dense and bent as the surface around it.
    Smooth,
    /// Left open: too many edges, or no triangulation without a non-manifold edge.
    NotFilled,
}

/// Which fillings are asked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FillingChoice {
    /// For each hole what suits it: see [`Hole::proposal`].
    #[default]
    Proposed,
    /// In the mean plane where it is flat, the least area elsewhere; no new points.
    Plain,
    /// Smooth wherever a hole is not flat.
    Smooth,
}

impl Hole {
    /// The corners of the loop and then those of the islands in it.
    pub fn rim(&self) -> Vec<PointId> {
        self.points.iter().chain(self.islands.iter().flatten()).copied().collect()
    }

    /// How many open edges the hole has.
    pub fn edges(&self) -> usize {
        self.points.len() + self.islands.iter().map(Vec::len).sum::<usize>()
    }

    /// The filling that suits a hole: flat if it is flat; small ones with the least area; large ones smooth, since a
    /// stretched sheet would cut off what bulges there.
    pub fn proposal(&self) -> Filling {
        match self.edges() {
            _ if self.flat => Filling::Flat,
            n if n > LARGEST_UNEVEN_HOLE => Filling::NotFilled,
            n if n <= SMALL => Filling::LeastArea,
            _ => Filling::Smooth,
        }
    }
}
