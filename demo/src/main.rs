//! Writes the demo data of the *Pipit*: `hull-demo OUT_DIR`.

mod dirty;
mod fairing;
mod manifold;

use std::path::PathBuf;

/// The pump bed with its two feet and eight pins: names, colours, and parts that stand in several places.
const PUMP_BED: &[u8] =
    include_bytes!("../../crates/hull-formats/tests/reference/step/pump-bed-assembly-ap214-mm.step");

fn main() -> std::io::Result<()> {
    let out = PathBuf::from(std::env::args().nth(1).unwrap_or_else(|| "demo/data".into()));
    std::fs::create_dir_all(&out)?;
    let fairing = fairing::loose_iges().map_err(std::io::Error::other)?;
    std::fs::write(out.join("bow-fairing.igs"), fairing)?;
    std::fs::write(out.join("pump-bed.step"), PUMP_BED)?;
    std::fs::write(out.join("keel-fin-scan.stl"), dirty::keel_fin_scan())?;
    std::fs::write(out.join("instrument-tray.obj"), dirty::instrument_tray())?;
    std::fs::write(out.join("winch-arm.obj"), dirty::winch_arm())?;
    std::fs::write(out.join("raw-water-manifold.stl"), manifold::binary_stl_in_inches())
}
