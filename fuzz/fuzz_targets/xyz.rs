//! Any bytes as a file: an error, or points that come back from what is written of them; never a panic.
#![no_main]

use hull_formats::xyz;
use hull_geometry::Watch;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let watch = Watch::default();
    let Ok(read) = xyz::read("fuzz", bytes, &watch) else { return };
    let cloud = read.cloud;
    assert!([0, cloud.points.len()].contains(&cloud.colours.len()));
    assert!([0, cloud.points.len()].contains(&cloud.normals.len()));
    let back = xyz::read("fuzz", &xyz::write(&cloud), &watch).expect("what is written is read").cloud;
    assert_eq!(back.points, cloud.points);
});
