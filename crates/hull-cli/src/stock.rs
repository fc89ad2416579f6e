//! `hull stock` and `hull scan`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow, bail};
use hull_exact::parameter_loops::Reader;
use hull_formats::{FileFormat, Format, Received};
use hull_geometry::cloud::Cloud;
use hull_geometry::{Point, Watch};
use hull_stock::bench::{Scan, scan};
use hull_stock::parts::{make, search};
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
    /// The file to write.
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
    let mesh = make(id, &size.join(" "), s.length.unwrap_or(usual), s.tolerance).map_err(|e| anyhow!(e))?;
    let format = FileFormat::of_name(&out.to_string_lossy()).map_err(|e| anyhow!(e))?;
    let facets = mesh.triangles.len();
    let mut received = Received::plain(Format::StlBinary, mesh);
    received.labels = vec![hull_formats::Label { name: format!("{id} {}", size.join(" ")), material: None }];
    crate::output::keep(&received, format, false, out)?;
    println!("wrote {} with {} facets, in mm", out.display(), count(facets));
    Ok(End::Ready)
}

/// A surface, and how it is scanned.
#[derive(clap::Args)]
pub struct Bench {
    file: PathBuf,
    /// The file of points to write (.ply, .xyz, .las, .e57).
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
    /// Makes other noise.
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

pub fn bench(b: &Bench) -> Result<End> {
    if !(2..=5000).contains(&b.rays) || !(0.0..100.0).contains(&b.lost) || !b.noise.is_finite() || b.noise < 0.0 {
        bail!("rays go from 2 to 5 000, the lost part from 0 to below 100 percent, noise is not below 0");
    }
    let mesh = input::body(&b.file, Reader::Trusting)?.mesh;
    let how = Scan { stations: b.station.clone(), rays: b.rays, noise: b.noise, lost: b.lost / 100.0, seed: b.seed };
    let seen = scan(&mesh, &how, &Watch::default())?;
    let format = FileFormat::of_name(&b.output.to_string_lossy()).map_err(|e| anyhow!(e))?;
    let write = format.write_points.with_context(|| format!("{}: this format has no points", b.output.display()))?;
    let normals = seen.normals.iter().map(|n| n.map(|x| x as f32)).collect();
    let cloud = Cloud { points: seen.points, normals, ..Cloud::default() };
    std::fs::write(&b.output, write(&cloud, false, None))
        .with_context(|| format!("cannot write {}", b.output.display()))?;
    println!("wrote {} with {} points", b.output.display(), count(cloud.points.len()));
    Ok(End::Ready)
}
