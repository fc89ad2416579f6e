//! `hull fit`.

use crate::{End, input, output};
use anyhow::{Result, anyhow, bail};
use hull_exact::parameter_loops::Reader;
use hull_geometry::Watch;
use hull_workshop::best_fit::{Options, best_fit};
use hull_workshop::numbers::four_digits;
use hull_workshop::{Body, Destination, apply};
use serde_json::json;
use std::path::{Path, PathBuf};

/// Two files of surfaces or points whose numbers are in one unit, and the file to write.
#[derive(clap::Args)]
pub struct Fit {
    /// What is brought.
    body: PathBuf,
    /// Where it is brought to.
    onto: PathBuf,
    /// The file to write: the first one's geometry in its new place.
    output: PathBuf,
    /// The part of the body that lies on the other, in percent; the rest of its points is not used.
    #[arg(long, default_value_t = 100.0)]
    overlap: f64,
    /// Where the body is now says nothing.
    #[arg(long)]
    from_scratch: bool,
    /// One JSON object: the turn in degrees about an axis, the shift, what is left, and what was left before each round.
    #[arg(long)]
    json: bool,
}

pub fn run(f: &Fit) -> Result<End> {
    if !(5.0..=100.0).contains(&f.overlap) {
        bail!("the overlap goes from 5 to 100 percent");
    }
    let read = |path: &Path| -> Result<Body> {
        let mut body = input::any_body(path, Reader::Trusting)?;
        // Numbers are taken as they stand, whatever the files say of their units.
        body.facts.scale = None;
        Ok(body)
    };
    let (body, target) = (read(&f.body)?, read(&f.onto)?);
    let watch = Watch::default();
    let how = Options { overlap: f.overlap / 100.0, from_scratch: f.from_scratch };
    let (step, found) = best_fit(&body, &target, how, &watch).map_err(|e| anyhow!("{e}"))?;
    let (moved, _) = apply(&body, &step, &Destination::asking_nothing(), &watch)?;
    let written = output::write(&moved, &f.output)?;
    output::tell(&f.output, &moved, written.as_ref())?;
    if f.json {
        let turn = found.motion.turn_vector();
        println!(
            "{}",
            json!({ "turn_degrees": turn, "shift": found.motion.shift, "rms": found.rms, "points": found.points, "rounds": found.rounds })
        );
    } else {
        println!(
            "turned by {}°, moved by {}; root mean square {} over {} points after {} rounds",
            four_digits(found.motion.angle()),
            found.motion.shift.map(four_digits).join(", "),
            four_digits(found.rms),
            found.points,
            found.rounds.len()
        );
        println!("wrote {}", f.output.display());
    }
    Ok(End::Ready)
}
