//! `hull section`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow, bail};
use hull_exact::model::Model;
use hull_exact::parameter_loops::Reader;
use hull_exact::wires::Wires;
use hull_formats::dxf;
use hull_formats::step::Schema;
use hull_geometry::section::directions;
use hull_geometry::vector::{dot, sub, unit};
use hull_geometry::{Point, Unit, Watch};
use hull_workshop::export::{DesignForm, export_model};
use hull_workshop::sections::{sections, told};
use hull_workshop::{Body, svg};
use serde_json::json;
use std::path::{Path, PathBuf};

/// A file, and where its outlines are written.
#[derive(clap::Args)]
pub struct Section {
    file: PathBuf,
    /// The file to write (.dxf, .svg, .step, .igs); left out, only the figures are told.
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
    /// Outlines become lines, arcs and splines within this; left out, they stay polylines.
    #[arg(long)]
    fit: Option<f64>,
    /// A file for each section, with its number before the ending.
    #[arg(long)]
    each: bool,
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
    let (lines, found) = sections(&body, at, s.normal, s.count, s.every, s.fit).map_err(|e| anyhow!("{e}"))?;
    for section in &found {
        let f = &section.figures;
        if s.json {
            println!(
                "{}",
                json!({ "section": section.name, "at": section.at, "closed_outlines": section.closed, "open_outlines": section.open,
                    "area": f.area, "perimeter": f.perimeter, "centroid": f.centroid, "second_moments": f.second, "principal": f.principal, "fitted": section.fitted })
            );
        }
    }
    let unit_name = s.unit.map_or("file units", Unit::symbol);
    if !s.json {
        println!("{}", told(&found, unit_name));
    }
    let Some(path) = &s.output else { return Ok(End::Ready) };
    let wires = lines.wires().context("no outlines")?;
    if !s.each {
        return write(s, path, wires, at, body.bounds().diagonal());
    }
    // A section is a part of the model: the others are left out of its file.
    let (stem, ending) = (path.file_stem().unwrap_or_default(), path.extension().unwrap_or_default());
    for (i, part) in wires.model.parts.iter().enumerate() {
        let model = Model { unit: wires.model.unit.clone(), ..Model::of_part(&part.name, part.shape.clone()) };
        let name = format!("{}-{:03}.{}", stem.to_string_lossy(), i + 1, ending.to_string_lossy());
        let one = Wires { model, placed: wires.placed };
        write(s, &path.with_file_name(name), &one, at, body.bounds().diagonal())?;
    }
    Ok(End::Ready)
}

/// Writes outlines in the form of a file's ending; exact forms and drawings keep arcs and splines.
fn write(s: &Section, path: &Path, wires: &Wires, at: Point, size: f64) -> Result<End> {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    let exact = |form: DesignForm| -> Result<Vec<u8>> {
        let unit = s.unit.with_context(|| format!("{}: name the --unit of the file", path.display()))?;
        Ok(export_model(
            "sections",
            &wires.model,
            &wires.placed,
            unit,
            form,
            Reader::Trusting,
            true,
            &Watch::default(),
        )?
        .bytes)
    };
    let bytes = match ending.as_str() {
        "dxf" => dxf::write_lines(&wires.model, &wires.placed, s.unit),
        "step" | "stp" => exact(DesignForm::Step(Schema::Ap214))?,
        "igs" | "iges" => exact(DesignForm::Iges)?,
        "svg" => {
            let normal = unit(s.normal).unwrap_or([0.0, 0.0, 1.0]);
            let [x, y] = directions(normal);
            let flat = |p: &Point| [dot(sub(*p, at), x), dot(sub(*p, at), y)];
            // Curves as lines that are as near to them as a drawing shows.
            let near = s.fit.unwrap_or(size).min(1e-4 * size);
            let outlines: Vec<Vec<[f64; 2]>> = wires.along(near).iter().map(|l| l.iter().map(flat).collect()).collect();
            svg::outlines(&outlines, s.unit).into_bytes()
        }
        _ => bail!("{}: outlines are written as .dxf, .svg, .step or .igs", path.display()),
    };
    std::fs::write(path, bytes).with_context(|| format!("cannot write {}", path.display()))?;
    println!("wrote {}", path.display());
    Ok(End::Ready)
}
