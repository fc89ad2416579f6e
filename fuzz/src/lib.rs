//! What every target of facets asks of what was read.

use hull_formats::{FileFormat, Part, ReadError, Received};
use hull_geometry::Watch;
use hull_geometry::topology::Topology;

/// Reads any bytes as a file of facets: an error, or facets that hang together and come back from what is written of
/// them, in bytes and in text.
///
/// # Panics
/// Where they do not: that is the finding.
pub fn facets(bytes: &[u8], read: fn(&str, &[u8], &Watch) -> Result<Received, ReadError>, format: &FileFormat) {
    let watch = Watch::default();
    let Ok(got) = read("fuzz", bytes, &watch) else { return };
    let points = got.mesh.points.len() as u32;
    assert!(got.mesh.triangles.iter().flatten().all(|p| *p < points));
    assert!(got.label_of.is_empty() || got.label_of.len() == got.mesh.triangles.len());
    assert!(got.label_of.iter().all(|l| (*l as usize) < got.labels.len()));
    assert!(got.cell_of.is_empty() || got.cell_of.len() == got.mesh.triangles.len());
    let _ = Topology::of(&got.mesh, &watch);
    let write = format.write.expect("it carries facets");
    let all: Vec<u32> = (0..got.mesh.triangles.len() as u32).collect();
    for text in [false, true] {
        let parts = [Part { name: "all", facets: &all }];
        let _ = write(&got.mesh, &got.cell_of, &parts, text);
        // Corners that a polygon has twice do not come back, so facets are compared as facets.
        let bytes = write(&got.mesh, &[], &parts, text);
        let back = read("fuzz", &bytes, &watch).expect("what is written is read");
        assert_eq!(back.mesh.triangles.len(), all.len());
    }
}
