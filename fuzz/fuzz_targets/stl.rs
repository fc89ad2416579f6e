//! Any bytes as a file: an error, or facets that hang together and come back from what is written of them; never a panic.
#![no_main]

use hull_formats::{Part, stl};
use hull_geometry::Watch;
use hull_geometry::topology::Topology;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let watch = Watch::default();
    let Ok(read) = stl::read("fuzz", bytes, &watch) else { return };
    let points = read.mesh.points.len() as u32;
    assert!(read.mesh.triangles.iter().flatten().all(|p| *p < points));
    assert!(read.label_of.is_empty() || read.label_of.len() == read.mesh.triangles.len());
    assert!(read.label_of.iter().all(|l| (*l as usize) < read.labels.len()));
    assert!(read.cell_of.is_empty() || read.cell_of.len() == read.mesh.triangles.len());
    let _ = Topology::of(&read.mesh, &watch);
    let write = stl::FORMAT.write.expect("it carries facets");
    let all: Vec<u32> = (0..read.mesh.triangles.len() as u32).collect();
    for text in [false, true] {
        let parts = [Part { name: "all", facets: &all }];
        let _ = write(&read.mesh, &read.cell_of, &parts, text);
        // Corners that a polygon has twice do not come back, so facets are compared as facets.
        let bytes = write(&read.mesh, &[], &parts, text);
        let back = stl::read("fuzz", &bytes, &watch).expect("what is written is read");
        assert_eq!(back.mesh.triangles.len(), all.len());
    }
});
