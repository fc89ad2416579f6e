//! `hull section`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow, bail};
use hull_exact::parameter_loops::Reader;
use hull_formats::dxf;
use hull_geometry::section::directions;
use hull_geometry::vector::{dot, sub, unit};
use hull_geometry::{Point, Unit};
use hull_workshop::sections::{sections, told};
use hull_workshop::{Body, svg};
use serde_json::json;
use std::path::PathBuf;

/// A file, and where its outlines are written.
#[derive(clap::Args)]
pub struct Section {
    file: PathBuf,
    /// The file to write (.dxf, .svg); left out, only the figures are told.
    output: Option<PathBuf>,
    /// A place on the first plane; left out, the middle of the body.
    #[arg(long, value_parser = place, allow_hyphen_values = true)]
    at: Option<Point>,
    /// Across the planes.
    #[arg(long, value_parser = place, default_value = "0,0,1", allow_hyphen_values = true)]
    normal: Point,
    /// How many sections.
    #[arg(long, default_value_t = 1)]
    count: usize,
    /// From one to the next.
    #[arg(long, default_value_t = 0.0, allow_hyphen_values = true)]
    every: f64,
    /// The unit of the file, which the drawing then declares.
    #[arg(long)]
    unit: Option<Unit>,
    /// One JSON object a section.
    #[arg(long)]
    json: bool,
}

pub fn place(typed: &str) -> Result<Point, String> {
    let numbers: Vec<f64> = typed.split([',', ' ', ';']).filter_map(|w| w.trim().parse().ok()).collect();
    numbers.try_into().map_err(|_| format!("“{typed}” is not three numbers: x,y,z"))
}

pub fn run(s: &Section) -> Result<End> {
    let mut body: Body = input::body(&s.file, Reader::Trusting)?;
    body.facts.scale = None;
    let at = s.at.unwrap_or_else(|| body.bounds().centre());
    let (lines, found) = sections(&body, at, s.normal, s.count, s.every).map_err(|e| anyhow!("{e}"))?;
    for section in &found {
        let f = &section.figures;
        if s.json {
            println!(
                "{}",
                json!({ "section": section.name, "at": section.at, "closed_outlines": section.closed, "open_outlines": section.open,
                    "area": f.area, "perimeter": f.perimeter, "centroid": f.centroid, "second_moments": f.second, "principal": f.principal })
            );
        }
    }
    let unit_name = s.unit.map_or("file units", Unit::symbol);
    if !s.json {
        println!("{}", told(&found, unit_name));
    }
    let Some(path) = &s.output else { return Ok(End::Ready) };
    let wires = lines.wires().context("no outlines")?;
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    let bytes = match ending.as_str() {
        "dxf" => dxf::write_lines(&wires.model, &wires.placed, s.unit),
        "svg" => {
            let normal = unit(s.normal).unwrap_or([0.0, 0.0, 1.0]);
            let [x, y] = directions(normal);
            let flat = |p: &Point| [dot(sub(*p, at), x), dot(sub(*p, at), y)];
            let outlines: Vec<Vec<[f64; 2]>> =
                wires.along(body.bounds().diagonal()).iter().map(|l| l.iter().map(flat).collect()).collect();
            svg::outlines(&outlines, s.unit).into_bytes()
        }
        _ => bail!("{}: outlines are written as .dxf or .svg; convert the .dxf for IGES and STEP", path.display()),
    };
    std::fs::write(path, bytes).with_context(|| format!("cannot write {}", path.display()))?;
    println!("wrote {}", path.display());
    Ok(End::Ready)
}
