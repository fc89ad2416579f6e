//! `hull frame`: the trial of a frame.

use crate::{End, input};
use anyhow::{Result, anyhow};
use hull_exact::parameter_loops::Reader;
use hull_frames::modes::{buckling, frequencies};
use hull_frames::statics::{mechanism, solve};
use hull_workshop::numbers::{counted, four_digits};
use serde_json::json;
use std::path::PathBuf;

/// A frame as it was handed over, and what is told of it.
#[derive(clap::Args)]
pub struct Frame {
    /// The JSON of a frame's handover.
    file: PathBuf,
    /// How many of the lowest frequencies are told.
    #[arg(long, default_value_t = 10)]
    frequencies: usize,
    /// Print everything, movements of joints and forces along members too, as JSON: N, mm, rad, Hz.
    #[arg(long)]
    json: bool,
}

/// Tries a frame: exit code 1 if it is a mechanism.
///
/// # Errors
/// If the file is no frame, or it cannot be solved.
pub fn run(f: &Frame) -> Result<End> {
    let body = input::any_body(&f.file, Reader::Trusting)?;
    let frame = body.frame().ok_or_else(|| anyhow!("{}: the file holds no frame", f.file.display()))?;
    if let Some(found) = mechanism(frame).map_err(|e| anyhow!("{}: {e}", f.file.display()))? {
        let first = found.joints.first().map_or(0, |j| *j as usize);
        let at = frame.joints[first].at.map(four_digits).join(", ");
        println!("  a mechanism: {} can move without a force, one is at {at} mm", counted(found.joints.len(), "joint"));
        return Ok(End::NotReady);
    }
    let told = |e: hull_frames::Unsolvable| anyhow!("{}: {e}", f.file.display());
    let mut cases = Vec::new();
    for case in frame.tried() {
        let solved = solve(frame, Some(&case)).map_err(told)?;
        let factor = buckling(frame, Some(&case)).map_err(told)?.map(|m| m.value);
        if !f.json {
            let (moves, joint) = solved.largest_move();
            let (share, member) = solved.worst();
            let buckles = factor.map_or("does not buckle".into(), |b| format!("buckles at {} times", four_digits(b)));
            println!(
                "  {case}: moves {} mm at joint {}, stress {} of yield in member {}, {buckles}",
                four_digits(moves),
                joint + 1,
                four_digits(share),
                member + 1
            );
        }
        cases.push(
            json!({ "case": case, "moved": solved.moved, "reactions": solved.reactions, "members": solved.members,
            "imbalance": solved.imbalance, "buckling": factor }),
        );
    }
    let modes: Vec<f64> =
        frequencies(frame, f.frequencies.min(100)).map_err(told)?.into_iter().map(|m| m.value).collect();
    if f.json {
        println!("{}", json!({ "file": f.file, "mass": frame.mass(), "cases": cases, "frequencies": modes }));
    } else {
        let all: Vec<String> = modes.iter().map(|x| four_digits(*x)).collect();
        println!("  frequencies {} Hz, mass {} kg", all.join(", "), four_digits(1000.0 * frame.mass()));
    }
    Ok(End::Ready)
}
