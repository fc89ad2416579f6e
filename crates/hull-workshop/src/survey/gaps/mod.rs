//! What closes open edges: stitching tolerances tried, holes listed.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Probe};
use crate::steps::fill_holes::holes_to_fill;
use hull_geometry::holes::{Filling, Hole, LARGEST_UNEVEN_HOLE};
use hull_geometry::plot::{TolerancePlot, tolerance_plot};
use hull_geometry::{Cancelled, Point, Watch};
use serde::{Deserialize, Serialize};

/// Stitching tolerances and holes.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Gaps {
    /// What stitching does at each of many tolerances, and the one that is proposed.
    pub plot: TolerancePlot,
    /// The largest holes.
    pub holes: Vec<HoleFigures>,
}

/// A hole as a remedy lists it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct HoleFigures {
    /// Its centre.
    pub at: Point,
    /// Edges around.
    pub edges: usize,
    /// Their length.
    pub perimeter: f64,
    /// The area in its mean plane.
    pub area: f64,
    /// Whether it lies in a plane.
    pub flat: bool,
    /// Whether it can be filled.
    pub fillable: bool,
    /// Whether a smooth patch is what suits it.
    #[serde(default)]
    pub smooth: bool,
    /// Pieces of surface that lie loose within.
    #[serde(default)]
    pub islands: usize,
}

impl Probe for Gaps {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "trying stitching tolerances";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[];

    fn look(cx: &Context, watch: &Watch) -> Result<(Gaps, Vec<Finding>), Cancelled> {
        let plot = tolerance_plot(cx.mesh(), watch)?;
        let holes = holes_to_fill(cx.body, 0.0, &[]).1.into_iter().take(PLACES).map(figures).collect();
        Ok((Gaps { plot, holes }, Vec::new()))
    }
}

fn figures(h: Hole) -> HoleFigures {
    HoleFigures {
        at: h.centre,
        edges: h.edges(),
        islands: h.islands.len(),
        perimeter: h.perimeter,
        area: h.area,
        flat: h.flat,
        smooth: h.proposal() == Filling::Smooth,
        fillable: h.flat || h.edges() <= LARGEST_UNEVEN_HOLE,
    }
}
