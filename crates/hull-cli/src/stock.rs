//! `hull stock` and `hull scan`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow, bail};
use hull_exact::Motion;
use hull_exact::model::Model;
use hull_exact::parameter_loops::Reader;
use hull_formats::step::{self, Schema};
use hull_formats::{FileFormat, Format, Received};
use hull_geometry::cloud::Cloud;
use hull_geometry::{Mesh, Point, Unit, Watch};
use hull_stock::bench::{Scan, scan};
use hull_stock::parts::{make, search, solid};
use hull_workshop::numbers::count;
use std::path::PathBuf;

/// What is looked for, or made.
#[derive(clap::Args)]
pub struct Stock {
    /// Words to search for; with --out the part's kind and size, as in: bolt M8.
    words: Vec<String>,
    /// Length in mm (of an elbow degrees, of a gear its width); left out, what is usual.
    #[arg(long)]
    length: Option<f64>,
    /// Facets are within this of what is round, in mm.
    #[arg(long, default_value_t = 0.05)]
    tolerance: f64,
    /// The file to write; .step: an exact solid, where the kind has one.
    #[arg(long)]
    out: Option<PathBuf>,
}

pub fn parts(s: &Stock) -> Result<End> {
    let Some(out) = &s.out else {
        for k in search(&s.words.join(" ")) {
            let length = k.length.map_or(String::new(), |(what, usual)| format!(", {what} {usual}"));
            println!("{}: {} ({}): {}{length}", k.id, k.title, k.source, k.sizes.join(", "));
        }
        return Ok(End::Ready);
    };
    let (id, size) = s.words.split_first().context("name a kind and a size, as in: bolt M8")?;
    let usual = search("").into_iter().find(|k| k.id == id).and_then(|k| k.length).map_or(1.0, |l| l.1);
    let (size, length) = (size.join(" "), s.length.unwrap_or(usual));
    let format = FileFormat::of_name(&out.to_string_lossy()).map_err(|e| anyhow!(e))?;
    if format.id == "step" {
        let shape = solid(id, &size, length).map_err(|e| anyhow!(e))?;
        let shape = shape.with_context(|| format!("{id}: this kind is facets only; choose a format of facets"))?;
        let (name, watch) = (format!("{id} {size}"), Watch::default());
        let model = Model::of_part(&name, shape);
        let bytes = step::write(&name, &model, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch)?.bytes;
        std::fs::write(out, bytes).with_context(|| format!("cannot write {}", out.display()))?;
        println!("wrote {} as an exact solid, in mm", out.display());
        return Ok(End::Ready);
    }
    let mesh = make(id, &size, length, s.tolerance).map_err(|e| anyhow!(e))?;
    let facets = mesh.triangles.len();
    let mut received = Received::plain(Format::StlBinary, mesh);
    received.labels = vec![hull_formats::Label { name: format!("{id} {size}"), material: None }];
    crate::output::keep(&received, format, false, out)?;
    println!("wrote {} with {} facets, in mm", out.display(), count(facets));
    Ok(End::Ready)
}

/// A surface, and how it is scanned.
#[derive(clap::Args)]
pub struct Bench {
    file: PathBuf,
    /// The file to write: of points (.ply, .xyz, .las, .e57), or of facets.
    output: PathBuf,
    /// Where the scanner stands; give one or more.
    #[arg(long, value_parser = crate::section::place, required = true, allow_hyphen_values = true)]
    station: Vec<Point>,
    /// Rays across and down from each station.
    #[arg(long, default_value_t = 400)]
    rays: usize,
    /// Standard deviation along the rays, in the file's unit.
    #[arg(long, default_value_t = 0.0)]
    noise: f64,
    /// The part of rays that come back with nothing, in percent.
    #[arg(long, default_value_t = 0.0)]
    lost: f64,
    /// Join what each station sees to a sheet of facets: a raw mesh. Formats without points get it anyway.
    #[arg(long)]
    sheets: bool,
    /// Makes other noise.
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

pub fn bench(b: &Bench) -> Result<End> {
    if !(2..=5000).contains(&b.rays) || !(0.0..100.0).contains(&b.lost) || !b.noise.is_finite() || b.noise < 0.0 {
        bail!("rays go from 2 to 5 000, the lost part from 0 to below 100 percent, noise is not below 0");
    }
    let mesh = input::body(&b.file, Reader::Trusting)?.mesh;
    let format = FileFormat::of_name(&b.output.to_string_lossy()).map_err(|e| anyhow!(e))?;
    let sheets = b.sheets || format.write_points.is_none();
    let (stations, lost) = (b.station.clone(), b.lost / 100.0);
    let how = Scan { stations, rays: b.rays, noise: b.noise, lost, seed: b.seed, sheets };
    let seen = scan(&mesh, &how, &Watch::default())?;
    if sheets {
        let mut mesh = Mesh::from_arrays(seen.points, seen.facets);
        mesh.drop_unused_points();
        let facets = mesh.triangles.len();
        if facets == 0 {
            bail!("nothing was seen: put the stations outside of the body");
        }
        crate::output::keep(&Received::plain(Format::StlBinary, mesh), format, false, &b.output)?;
        println!("wrote {} with {} facets", b.output.display(), count(facets));
        return Ok(End::Ready);
    }
    let write = format.write_points.with_context(|| format!("{}: this format has no points", b.output.display()))?;
    let normals = seen.normals.iter().map(|n| n.map(|x| x as f32)).collect();
    let cloud = Cloud { points: seen.points, normals, ..Cloud::default() };
    std::fs::write(&b.output, write(&cloud, false, None))
        .with_context(|| format!("cannot write {}", b.output.display()))?;
    println!("wrote {} with {} points", b.output.display(), count(cloud.points.len()));
    Ok(End::Ready)
}
