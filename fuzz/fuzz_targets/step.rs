//! Any bytes as a file: an error or a model that can be measured and written, never a panic.
#![no_main]

use hull_exact::Motion;
use hull_exact::parameter_loops::Reader;
use hull_formats::{step, step::Schema};
use hull_geometry::{Unit, Watch};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let watch = Watch::default();
    if let Ok(design) = step::read("fuzz", bytes, &watch) {
        let figures = design.model.figures(Reader::Trusting);
        assert!(figures.faces <= design.faces.max(1) * design.model.nodes.len().max(1));
        let _ = hull_formats::step::write("fuzz", &design.model, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch);
    }
});
