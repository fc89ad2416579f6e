//! `hull flow`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow};
use hull_exact::parameter_loops::Reader;
use hull_flow::first_layer::{air, water};
use hull_geometry::{Unit, Watch};
use hull_trials::flow::How;
use hull_workshop::routine::Routine;
use hull_workshop::{Destination, prepare, trial};
use std::path::PathBuf;

/// A closed region and how its flow is tried.
#[derive(clap::Args)]
pub struct Flow {
    /// Its boundaries are named by a routine, or by the file; names that hold the word inlet or outlet are openings.
    file: PathBuf,
    /// Steps before: a file that `hull routine export` wrote.
    #[arg(long)]
    routine: Option<PathBuf>,
    /// creeping (friction and pressure, no inertia) or potential (neither friction nor turning).
    #[arg(long, value_enum, default_value = "creeping")]
    how: Way,
    /// About how many cells the region is divided into.
    #[arg(long, default_value_t = trial::USUAL_CELLS)]
    cells: usize,
    /// Mean speed at the inlets, in m/s: then flow and pressure are told too.
    #[arg(long)]
    speed: Option<f64>,
    /// What the file's numbers are, where nothing else says so.
    #[arg(long)]
    unit: Option<Unit>,
    /// The fluid for it, at 20 °C.
    #[arg(long, value_enum, default_value = "water")]
    fluid: Fluid,
    /// Write shares and the main way as CSV.
    #[arg(long)]
    csv: Option<PathBuf>,
    /// Write pressure and speed along the main way as SVG.
    #[arg(long)]
    svg: Option<PathBuf>,
    /// Print everything, streamlines too, as JSON.
    #[arg(long)]
    json: bool,
}

#[derive(Clone, Copy, clap::ValueEnum)]
enum Way {
    Creeping,
    Potential,
}

#[derive(Clone, Copy, clap::ValueEnum)]
enum Fluid {
    Water,
    Air,
}

pub fn run(f: &Flow) -> Result<End> {
    let watch = Watch::default();
    let mut body = input::any_body(&f.file, Reader::Trusting)?;
    if let Some(path) = &f.routine {
        let routine = Routine::from_toml(&input::text(path)?).map_err(|e| anyhow!("{}: {e}", path.display()))?;
        body = prepare::prepare(body, &routine.steps, &Destination::asking_nothing(), &watch)
            .map_err(|(step, e)| anyhow!("{}: step {step} of the routine: {e}", f.file.display()))?
            .body;
    }
    let how = match f.how {
        Way::Creeping => How::Creeping,
        Way::Potential => How::Potential,
    };
    let flow = trial::flow(&body, how, f.cells, &watch).map_err(|e| anyhow!("{}: {e}", f.file.display()))?;
    let unit = body.facts.length_unit().symbol();
    for (path, text) in [(&f.csv, trial::csv(&flow, unit)), (&f.svg, trial::plot(&flow, unit))] {
        if let Some(path) = path {
            std::fs::write(path, text).with_context(|| format!("cannot write {}", path.display()))?;
        }
    }
    if f.json {
        println!("{}", serde_json::to_string_pretty(&flow)?);
        return Ok(End::Ready);
    }
    println!("{}: {} cells of {:.4} {unit}", f.file.display(), flow.cells, flow.cell);
    trial::told(&flow, unit).iter().for_each(|line| println!("  {line}"));
    if let Some(speed) = f.speed.filter(|s| s.is_finite() && *s > 0.0) {
        let fluid = match f.fluid {
            Fluid::Water => water(20.0),
            Fluid::Air => air(20.0),
        }
        .context("both fluids are known at 20 °C")?;
        let length = if body.facts.scale.is_some() { Some(Unit::Mm) } else { f.unit };
        let length = length.context("a speed wants lengths that are known: give --unit, or set it in the routine")?;
        let s = trial::scaled(&flow, length, speed, fluid);
        let pressure = s.pressure.map_or(String::new(), |p| format!(", {p:.4e} Pa between inlets and outlets"));
        println!("  at {speed} m/s: {:.4e} m³/s{pressure}, Reynolds number {:.0}", s.flow, s.reynolds);
    }
    println!("  {}", trial::caveat(how));
    Ok(if flow.pockets.is_empty() { End::Ready } else { End::NotReady })
}
