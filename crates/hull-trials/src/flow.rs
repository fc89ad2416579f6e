//! Does it flow? A closed region with openings, tried once: what goes where, where it is narrow, where it stands still.

use crate::creeping;
use crate::faces::{Faces, Side};
use crate::lattice::{Kind, Lattice, MOST_CELLS};
use crate::passages::{self, Narrow, Pocket};
use crate::plane::InPlane;
use crate::potential;
use crate::streamlines::{Streamline, trace};
use hull_geometry::vector::norm;
use hull_geometry::{Cancelled, FacetId, Mesh, Watch, measure};
use serde::{Deserialize, Serialize};
use typed_index_collections::TiSlice;

/// What flow is tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum How {
    /// Friction and pressure, no inertia: very slow or very thick.
    Creeping,
    /// Neither friction nor turning: the way that flow would take past walls that do not hold it.
    Potential,
}

/// An opening of the region.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Opening {
    /// Its name.
    pub name: String,
    /// Whether the flow is let in here; else out.
    pub inlet: bool,
}

/// What goes through an opening.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Through {
    /// Which.
    pub opening: Opening,
    /// Of its facets.
    pub area: f64,
    /// Into the region (out of it if negative), for a pressure (or potential) of one between inlets and outlets and a
    /// viscosity of one: the cube (or the first power) of the body's unit.
    pub flow: f64,
    /// The part of all that comes in, or of all that goes out.
    pub share: f64,
}

/// What a trial found. Lengths are in the body's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Flow {
    /// What was tried.
    pub how: How,
    /// The side of a cell.
    pub cell: f64,
    /// Cells that the flow reaches.
    pub cells: usize,
    /// Each opening.
    pub through: Vec<Through>,
    /// What comes in less what goes out, as a part of what comes in.
    pub imbalance: f64,
    /// Spaces that no opening reaches, and openings that lead nowhere.
    pub pockets: Vec<Pocket>,
    /// The part of the reached volume in which the flow is slower than a hundredth of its mean.
    pub still: f64,
    /// Where most of that is.
    pub stillest: Option<Pocket>,
    /// Where the widest way from an inlet to an outlet is narrowest.
    pub narrowest: Option<Narrow>,
    /// Of a flow in the plane: how thick what it was asked for is; the lattice has one cell there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depth: Option<f64>,
    /// Of a flat mesh: what flows on its own triangles.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_triangles: Option<InPlane>,
    /// Ways of the flow; speeds over the mean at the inlets.
    pub streamlines: Vec<Streamline>,
}

/// Fluxes through faces and pressures in cells, in cells.
pub(crate) struct Field {
    pub flux: Vec<f64>,
    pub pressure: Vec<f64>,
}

/// Why there is no trial.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum FlowError {
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// No opening of one kind.
    #[error("There is no {0}: give a boundary that role, so that the flow has a way {1}.")]
    NoOpening(&'static str, &'static str),
    /// The lattice is too large.
    #[error(
        "So many cells would make a lattice of {0:.0} around the body; {MOST_CELLS:.0} are the most. Ask for fewer."
    )]
    TooMany(f64),
    /// Cells are too coarse to find a way.
    #[error(
        "No inlet hangs together with an outlet at cells of {0:.3}: the way is closed, or narrower than two cells."
    )]
    NoWay(f64),
    /// Nothing inside.
    #[error("The region holds no space: close it, and turn its facets outward.")]
    Empty,
}

/// Tries the flow through the closed region that `mesh` bounds. `kind` says what each facet is; `cells` about how many cells
/// the region is divided into.
///
/// # Errors
/// [`FlowError`].
pub fn run(
    mesh: &Mesh,
    kind: &TiSlice<FacetId, Kind>,
    openings: &[Opening],
    how: How,
    cells: usize,
    watch: &Watch,
) -> Result<Flow, FlowError> {
    let has = |inlet: bool| openings.iter().any(|o| o.inlet == inlet);
    if !has(true) {
        return Err(FlowError::NoOpening("inlet", "in"));
    }
    if !has(false) {
        return Err(FlowError::NoOpening("outlet", "out"));
    }
    let bounds = mesh.bounds();
    let volume = measure::mass(mesh, &bounds).volume;
    if volume.is_nan() || volume <= 0.0 {
        return Err(FlowError::Empty);
    }
    let cell = (volume / cells.max(1) as f64).cbrt();
    let around: f64 = bounds.size().iter().map(|s| s / cell + 4.0).product();
    if around > MOST_CELLS || bounds.size().iter().any(|s| s / cell > 60_000.0) {
        return Err(FlowError::TooMany(around));
    }
    let lattice = Lattice::of(mesh, kind, cell, watch)?;
    let faces = Faces::of(&lattice);
    let ways = passages::ways(&faces, openings);
    if !ways.iter().any(|w| *w) {
        return Err(FlowError::NoWay(cell));
    }
    let pressures: Vec<f64> = openings.iter().map(|o| f64::from(u8::from(o.inlet))).collect();
    let field = match how {
        How::Creeping => creeping::solve(&lattice, &faces, &pressures, watch)?,
        How::Potential => potential::solve(&lattice, &faces, &pressures, watch)?,
    };
    watch.report(0.92, "following the flow")?;
    let scale = match how {
        How::Creeping => cell.powi(3),
        How::Potential => cell,
    };
    let mut flows = vec![0.0; openings.len()];
    for (f, u) in faces.all.iter().zip(&field.flux) {
        if let Some((_, o)) = f.opening() {
            let inward = matches!(f.sides[0], Side::Opening(_));
            flows[o as usize] += if inward { scale * u } else { -scale * u };
        }
    }
    let total = |way: f64| flows.iter().map(|f| (way * f).max(0.0)).sum::<f64>();
    let (comes_in, goes_out) = (total(1.0), total(-1.0));
    let mut area = vec![0.0; openings.len()];
    for (f, kind) in kind.iter_enumerated() {
        if let Kind::Opening(o) = kind {
            area[*o as usize] += norm(mesh.area_vector(f)) / 2.0;
        }
    }
    let through: Vec<Through> = openings
        .iter()
        .zip(flows.iter().zip(&area))
        .map(|(opening, (flow, area))| {
            let of = if *flow >= 0.0 { comes_in } else { goes_out };
            Through {
                opening: opening.clone(),
                area: *area,
                flow: *flow,
                share: flow.abs() / of.max(f64::MIN_POSITIVE),
            }
        })
        .collect();
    let inlets: f64 = through.iter().filter(|t| t.opening.inlet).map(|t| t.area).sum();
    // The mean speed at the inlets, in the field's own measure.
    let mean = comes_in / scale / (inlets / (cell * cell)).max(f64::MIN_POSITIVE);
    let (still, stillest) = passages::still(&lattice, &faces, &field);
    let mut pockets = passages::pockets(&lattice, &faces);
    pockets.extend(passages::lead_nowhere(openings, &ways, mesh, kind));
    Ok(Flow {
        how,
        cell,
        cells: faces.cells.len(),
        imbalance: (comes_in - goes_out) / comes_in.max(f64::MIN_POSITIVE),
        pockets,
        still,
        stillest,
        narrowest: passages::narrowest(&lattice, &faces, openings, mesh, kind),
        depth: None,
        on_triangles: None,
        streamlines: trace(&lattice, &faces, &field, mean.max(f64::MIN_POSITIVE), watch)?,
        through,
    })
}
