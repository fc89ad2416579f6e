//! Trials of a body: what its boundaries say as a small model, run once, and what came of it in words, CSV and a drawing.

pub mod plane;
mod plot;
pub mod shapes;

use crate::body::Facts;
use crate::numbers::{counted, four_digits};
use crate::{Body, Role};
use hull_geometry::vector::norm;
use hull_geometry::{FacetId, NONE, Unit, Watch};
use hull_trials::Kind;
use hull_trials::flow::{Flow, How, Opening, run};
use std::fmt::Write as _;
use typed_index_collections::TiVec;

pub use plot::plot;

/// Cells that are proposed: some seconds.
pub const USUAL_CELLS: usize = 200_000;
/// Fewest and most that can be asked for.
pub const CELLS: std::ops::RangeInclusive<usize> = 1000..=4_000_000;

/// What each boundary is to the flow, by its role, and the openings among them. Where there are no boundaries, what each name
/// of the file is, by the role that it speaks of.
fn by_name(facts: &Facts) -> (Vec<Kind>, Vec<Opening>) {
    let mut openings: Vec<Opening> = Vec::new();
    let mut kind_of = |name: &str, role: Option<Role>| match role {
        Some(role @ (Role::Inlet | Role::Outlet)) => {
            openings.push(Opening { name: name.into(), inlet: role == Role::Inlet });
            Kind::Opening(openings.len() as u16 - 1)
        }
        Some(Role::Symmetry) => Kind::Slip,
        _ => Kind::Wall,
    };
    let kinds = if facts.boundaries.is_empty() {
        facts.labels.iter().map(|l| kind_of(&l.name, Role::guess(&l.name))).collect()
    } else {
        facts.boundaries.iter().map(|b| kind_of(&b.name, b.role)).collect()
    };
    (kinds, openings)
}

/// The openings of a body, before any trial.
pub fn openings(facts: &Facts) -> Vec<Opening> {
    by_name(facts).1
}

/// What a body's facets are to the flow.
fn kinds(body: &Body) -> (TiVec<FacetId, Kind>, Vec<Opening>) {
    let (kinds, openings) = by_name(&body.facts);
    let by_label = body.facts.boundaries.is_empty();
    let of = |f: FacetId| if by_label { body.label(f) } else { body.columns.boundary.get(f).copied().unwrap_or(NONE) };
    (body.mesh.triangles.keys().map(|f| kinds.get(of(f) as usize).copied().unwrap_or(Kind::Wall)).collect(), openings)
}

/// Tries the flow through a closed body between its inlets and outlets, or in the plane: through a flat one between its edges
/// of these names, one unit thick, or through one that is the same all through between its planes of symmetry.
///
/// # Errors
/// A sentence: the body is not closed, has no openings of both roles, or cells cannot be as asked.
pub fn flow(body: &Body, how: How, cells: usize, watch: &Watch) -> Result<Flow, String> {
    if !CELLS.contains(&cells) {
        let [least, most] = [CELLS.start(), CELLS.end()].map(|n| four_digits(*n as f64));
        return Err(format!("A trial has {least} to {most} cells; {} were asked for.", four_digits(cells as f64)));
    }
    let topology = hull_geometry::topology::Topology::of(&body.mesh, watch).map_err(|e| e.to_string())?;
    if !topology.is_closed() {
        if let Some(thick) = plane::thickened(body, watch) {
            let mut found = flow(&thick, how, cells, watch)?;
            let openings: Vec<Opening> = found.through.iter().map(|t| t.opening.clone()).collect();
            found.on_triangles = plane::on_triangles(body, &openings, how, watch).map_err(|e| e.to_string())?;
            return Ok(found);
        }
        let open = topology.open.len() + topology.overshared.len();
        return Err(format!(
            "The region is not closed: {} with no facet or too many across. Close it first, caps over openings too.",
            counted(open, "edge")
        ));
    }
    let (kinds, openings) = kinds(body);
    if let Some(slab) = plane::Slab::of(&body.mesh, &kinds, cells) {
        let found = run(&slab.mesh, &kinds, &openings, how, cells, watch).map_err(|e| e.to_string())?;
        return Ok(slab.back(found));
    }
    run(&body.mesh, &kinds, &openings, how, cells, watch).map_err(|e| e.to_string())
}

/// What a speed at the inlets and a fluid make of a trial.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scaled {
    /// In m³/s.
    pub flow: f64,
    /// Between inlets and outlets, in Pa; of creeping flow alone.
    pub pressure: Option<f64>,
    /// At the inlets, by the diameter of a circle of their mean area.
    pub reynolds: f64,
}

/// A trial at a mean speed in m/s at the inlets, of a fluid with a density in kg/m³ and a viscosity in Pa s. `unit` is that of
/// the trial's lengths.
pub fn scaled(flow: &Flow, unit: Unit, speed: f64, fluid: hull_flow::first_layer::Fluid) -> Scaled {
    let metres = unit.millimetres() / 1000.0;
    let inlets: Vec<f64> = flow.through.iter().filter(|t| t.opening.inlet).map(|t| t.area * metres * metres).collect();
    let area: f64 = inlets.iter().sum();
    let per_pascal: f64 = flow.through.iter().map(|t| t.flow.max(0.0)).sum::<f64>() * metres.powi(3) / fluid.viscosity;
    let diameter = 2.0 * (area / inlets.len().max(1) as f64 / std::f64::consts::PI).sqrt();
    Scaled {
        flow: speed * area,
        pressure: (flow.how == How::Creeping).then(|| speed * area / per_pascal),
        reynolds: fluid.density * speed * diameter / fluid.viscosity,
    }
}

/// What a trial is not, in a sentence.
pub fn caveat(how: How) -> &'static str {
    match how {
        How::Creeping => {
            "A trial, not a simulation: friction and pressure without inertia. Shares and pressure hold where the Reynolds \
             number is well below one; above, they say what is connected and what is narrow, not how much is lost."
        }
        How::Potential => {
            "A trial, not a simulation: neither friction nor wakes. It says what is connected and where flow would turn and \
             speed up, not what pressure is lost."
        }
    }
}

/// Shares and findings as lines of text; lengths in `unit`.
pub fn told(flow: &Flow, unit: &str) -> Vec<String> {
    let place = |p: hull_geometry::Point| p.map(four_digits).join(", ");
    let in_plane = flow.depth.map(|d| format!("in the plane: areas are for a depth of {} {unit}", four_digits(d)));
    let mut lines: Vec<String> = flow
        .through
        .iter()
        .map(|t| {
            let way = if t.flow >= 0.0 { "in" } else { "out" };
            format!(
                "{}: {} % of what goes {way}, {} {unit}²",
                t.opening.name,
                four_digits(100.0 * t.share),
                four_digits(t.area)
            )
        })
        .collect();
    lines.extend(in_plane);
    if let Some(n) = &flow.narrowest {
        lines.push(format!("narrowest place of the widest way: {} {unit}, at {}", four_digits(n.width), place(n.at)));
    }
    lines.push(format!("hardly any flow in {} % of the space", four_digits(100.0 * flow.still)));
    lines.extend(flow.stillest.iter().chain(&flow.pockets).map(|p| {
        let volume = if p.volume > 0.0 { format!(", {} {unit}³", four_digits(p.volume)) } else { String::new() };
        format!("{}{volume}, at {}", p.what, place(p.at))
    }));
    lines.push(format!("in less out: {:.1e} of what comes in", flow.imbalance));
    lines.extend(on_own_triangles(flow));
    lines
}

/// What flows on the triangles of a flat mesh themselves, against the lattice.
pub fn on_own_triangles(flow: &Flow) -> Option<String> {
    let own = flow.on_triangles.as_ref()?;
    if own.are_too_many() {
        return Some(format!(
            "the {} of the body are more than are tried themselves",
            counted(own.triangles, "triangle")
        ));
    }
    let on_lattice: f64 = flow.through.iter().map(|t| t.flow.max(0.0)).sum();
    let more = 100.0 * (own.comes_in() / on_lattice.max(f64::MIN_POSITIVE) - 1.0);
    let way = if more < 0.0 { "less" } else { "more" };
    let percent = four_digits(more.abs());
    let triangles = counted(own.triangles, "triangle");
    Some(format!("on the {triangles} themselves {percent} % {way} flows; in less out: {:.1e}", own.imbalance))
}

/// The way along which the flow is fastest, as distance, pressure and speed.
fn main_way(flow: &Flow) -> Vec<[f64; 3]> {
    let speed = |s: &hull_trials::Streamline| s.speeds.iter().sum::<f64>() / s.speeds.len().max(1) as f64;
    let ends = |s: &&hull_trials::Streamline| s.pressures.last().is_some_and(|p| *p < 0.2);
    let through = flow.streamlines.iter().filter(ends).max_by(|a, b| speed(a).total_cmp(&speed(b)));
    let Some(way) = through.or(flow.streamlines.first()) else { return Vec::new() };
    let mut along = 0.0;
    let mut before = way.points.first().copied().unwrap_or_default();
    let row = |((p, speed), pressure): ((&hull_geometry::Point, &f64), &f64)| {
        along += norm(hull_geometry::vector::sub(*p, before));
        before = *p;
        [along, *pressure, *speed]
    };
    way.points.iter().zip(&way.speeds).zip(&way.pressures).map(row).collect()
}

/// Openings, findings and the main way as CSV.
pub fn csv(flow: &Flow, unit: &str) -> String {
    let quoted = |s: &str| format!("\"{}\"", s.replace('"', "\"\""));
    let mut out = format!("opening,role,area {unit}²,share %\n");
    for t in &flow.through {
        let role = if t.opening.inlet { "inlet" } else { "outlet" };
        let _ = writeln!(out, "{},{role},{},{}", quoted(&t.opening.name), t.area, 100.0 * t.share);
    }
    let _ = writeln!(out, "\ndistance {unit},pressure of 1 at inlets,speed over the mean at inlets");
    for [along, pressure, speed] in main_way(flow) {
        let _ = writeln!(out, "{along},{pressure},{speed}");
    }
    out
}
