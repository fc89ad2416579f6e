//! `hull repair`.

use crate::prepare::find_destination;
use crate::{End, input, output};
use anyhow::{Result, anyhow};
use hull_exact::parameter_loops::Reader;
use hull_geometry::Watch;
use hull_workshop::repair::{Defects, repair};
use serde_json::json;
use std::path::PathBuf;

/// Repairs a surface in one go.
#[derive(clap::Args)]
pub struct Repair {
    input: PathBuf,
    /// The file to write (.stl, .obj, .ply).
    output: PathBuf,
    /// What the surface is for.
    #[arg(long, default_value = "fluid")]
    destination: String,
    /// Never replace the surface by a wrap around it, even where nothing else helps.
    #[arg(long)]
    no_wrap: bool,
    /// One JSON object: steps, figures before and after.
    #[arg(long)]
    json: bool,
}

pub fn run(r: &Repair) -> Result<End> {
    let destination = find_destination(&r.destination)?;
    let body = input::body(&r.input, Reader::Trusting)?;
    let watch = Watch::default();
    let done = repair(&body, &destination, !r.no_wrap, &watch).map_err(|e| anyhow!("{e}"))?;
    // What counts is what stands in the file.
    let written = output::write(&done.body, &r.output)?.unwrap_or(done.after);
    let unit = done.body.facts.length_unit();
    if r.json {
        let steps: Vec<_> = done
            .steps
            .iter()
            .map(|p| {
                json!({
                    "step": p.step, "title": p.step.title().text(unit), "sentence": p.change.sentence, "before": p.before,
                    "after": p.after, "moved": p.change.moved,
                })
            })
            .collect();
        let clean = written.is_clean();
        println!(
            "{}",
            json!({ "before": done.before, "after": done.after, "as_written": written, "clean": clean, "steps": steps })
        );
    } else {
        let line = |d: &Defects| {
            let left: Vec<String> =
                d.named().iter().filter(|n| n.1 > 0).map(|(what, n)| format!("{n} {what}")).collect();
            if left.is_empty() { "closed, facing outward, without crossings".into() } else { left.join(", ") }
        };
        println!("before: {}", line(&done.before));
        for p in &done.steps {
            println!("{}: {}", p.step.title().text(unit), p.change.sentence);
        }
        println!("after: {}", line(&done.after));
        println!("wrote {}: {}", r.output.display(), line(&written));
    }
    Ok(if written.is_clean() { End::Ready } else { End::NotReady })
}
