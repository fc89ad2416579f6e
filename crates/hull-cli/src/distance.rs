//! `hull distance`.

use crate::{End, input};
use anyhow::{Result, bail};
use hull_exact::parameter_loops::Reader;
use hull_geometry::clearance::{Placed, Surface, clearance};
use hull_geometry::deviation::{Deviation, deviation};
use hull_geometry::tree::FacetTree;
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
    let (ta, tb) = (FacetTree::of(&a), FacetTree::of(&b));
    let [own, other] = [Surface { mesh: &a, tree: &ta }, Surface { mesh: &b, tree: &tb }];
    let nearest = clearance(own, other, &Placed::HERE, f64::INFINITY);
    if d.json {
        let nearest = nearest.map(|n| json!({ "distance": n.distance, "a": n.from, "b": n.to }));
        let both = json!({ "largest": largest, "a_to_b": there, "b_to_a": back, "nearest": nearest });
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
        match nearest {
            Some(n) if n.distance == 0.0 => println!("they meet, at {}", n.from.map(four_digits).join(", ")),
            Some(n) => {
                let [from, to] = [n.from, n.to].map(|p| p.map(four_digits).join(", "));
                println!("nearest {} apart, from {from} to {to}", four_digits(n.distance));
            }
            None => {}
        }
    }
    Ok(End::Ready)
}
