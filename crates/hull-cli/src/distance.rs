//! `hull distance`.

use crate::{End, input};
use anyhow::{Result, bail};
use hull_exact::lift::Reader;
use hull_geometry::apart::{Apart, apart};
use hull_geometry::{Mesh, Watch};
use hull_workshop::numbers::short;
use serde_json::json;
use std::path::PathBuf;

/// Two files whose numbers are in one unit. STEP counts in millimetres, as it declares its unit; the numbers of all
/// others are taken as they stand.
#[derive(clap::Args)]
pub struct Distance {
    a: PathBuf,
    b: PathBuf,
    /// One JSON object.
    #[arg(long)]
    json: bool,
}

pub fn run(d: &Distance) -> Result<End> {
    let mesh = |path: &PathBuf| -> Result<Mesh> {
        let mesh = input::body(path, Reader::Trusting)?.mesh;
        if mesh.triangles.is_empty() {
            bail!("{}: the file holds no facets", path.display());
        }
        Ok(mesh)
    };
    let (a, b) = (mesh(&d.a)?, mesh(&d.b)?);
    let watch = Watch::default();
    let (there, back) = (apart(&a, &b, &watch)?, apart(&b, &a, &watch)?);
    let largest = there.largest.max(back.largest);
    if d.json {
        let both = json!({ "largest": largest, "a_to_b": there, "b_to_a": back });
        println!("{both}");
    } else {
        let line = |from: &PathBuf, to: &PathBuf, x: &Apart| {
            println!("{} to {}", from.display(), to.display());
            println!(
                "  largest {} (nowhere more than {}) at {}, mean {}, rms {}, 95 % of the area within {}",
                short(x.largest),
                short(x.largest_bound),
                x.largest_at.map(short).join(", "),
                short(x.mean),
                short(x.rms),
                short(x.within_95)
            );
        };
        line(&d.a, &d.b, &there);
        line(&d.b, &d.a, &back);
    }
    Ok(End::Ready)
}
