//! `hull distance`.

use crate::{End, input};
use anyhow::{Result, bail};
use hull_exact::parameter_loops::Reader;
use hull_geometry::deviation::{Deviation, deviation};
use hull_geometry::{Mesh, Watch};
use hull_workshop::numbers::four_digits;
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
    let (there, back) = (deviation(&a, &b, &watch)?, deviation(&b, &a, &watch)?);
    let largest = there.largest.max(back.largest);
    if d.json {
        let both = json!({ "largest": largest, "a_to_b": there, "b_to_a": back });
        println!("{both}");
    } else {
        let line = |from: &PathBuf, to: &PathBuf, x: &Deviation| {
            println!("{} to {}", from.display(), to.display());
            println!(
                "  largest {} (nowhere more than {}) at {}, mean {}, rms {}, 95 % of the area within {}",
                four_digits(x.largest),
                four_digits(x.largest_bound),
                x.largest_at.map(four_digits).join(", "),
                four_digits(x.mean),
                four_digits(x.rms),
                four_digits(x.within_95)
            );
        };
        line(&d.a, &d.b, &there);
        line(&d.b, &d.a, &back);
    }
    Ok(End::Ready)
}
