//! Any bytes as a file of facets or of points: see `facets`; never a panic.
#![no_main]

use hull_formats::{Content, ply};
use hull_geometry::Watch;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    hull_fuzz::facets(bytes, ply::read, &ply::FORMAT);
    let watch = Watch::default();
    let Ok(Content::Points(read)) = ply::read_any("fuzz", bytes, &watch) else { return };
    for text in [false, true] {
        let written = ply::write_points(&read.cloud, text);
        let Ok(Content::Points(back)) = ply::read_any("fuzz", &written, &watch) else {
            panic!("points that are written are read as points")
        };
        assert_eq!(back.cloud.points, read.cloud.points);
    }
});
