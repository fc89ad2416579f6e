//! The demo data of the *Pipit*: invented, made by this crate, the same bytes at every run.

mod deck;
mod dirty;
mod fairing;
mod gantry;
mod manifold;
mod quay;
mod sensor_gantry;
pub mod studies;

/// The pump bed with its two feet and eight pins: names, colours, and parts that stand in several places.
const PUMP_BED: &[u8] =
    include_bytes!("../../crates/hull-formats/tests/reference/step/pump-bed-assembly-ap214-mm.step");

/// Every file of the demo with its name.
///
/// # Errors
/// A sentence, if the fairing cannot be made.
pub fn files() -> Result<Vec<(&'static str, Vec<u8>)>, String> {
    Ok(vec![
        ("bow-fairing.igs", fairing::loose_iges().map_err(|e| e.to_string())?),
        ("instrument-tray.obj", dirty::instrument_tray()),
        ("keel-fin-scan.stl", dirty::keel_fin_scan()),
        ("pump-bed.step", PUMP_BED.to_vec()),
        ("quay-deck.ply", deck::capture()),
        ("quay-wall.ply", quay::capture()),
        ("raw-water-manifold.stl", manifold::binary_stl_in_inches()),
        ("sensor-gantry.dxf", sensor_gantry::drawing()),
        ("stern-gantry.step", gantry::lines().map_err(|e| e.to_string())?),
        ("winch-arm.obj", dirty::winch_arm()),
    ])
}
