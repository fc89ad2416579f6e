//! What every target asks of what was read.

use hull_exact::Motion;
use hull_formats::{Content, FileFormat, NamedFacets, Received, Surface};
use hull_geometry::Watch;
use hull_geometry::topology::Topology;

/// Coordinates beyond this do not survive single precision.
const LARGEST: f64 = 1e30;

/// Reads any bytes as a file of a format: an error, or something that hangs together and comes back from what is written
/// of it.
///
/// # Panics
/// Where it does not: that is the finding.
pub fn any(bytes: &[u8], format: &FileFormat) {
    let watch = Watch::default();
    match (format.read)("fuzz", bytes, &watch) {
        Ok(Content::Facets(got)) => facets(&got, format, &watch),
        Ok(Content::Points(got)) => {
            let n = got.cloud.points.len();
            assert!(got.cloud.points.as_flattened().iter().all(|x| x.is_finite()));
            assert!([0, n].contains(&got.cloud.colours.len()) && [0, n].contains(&got.cloud.normals.len()));
            assert!([0, n].contains(&got.cloud.splats.len()));
            assert!(got.cloud.splats.iter().all(|s| s.settled().is_some()));
        }
        Ok(Content::Exact(design)) => {
            if let Some(write) = format.write_lines {
                let _ = write(&design.model, &Motion::NONE, None);
            }
        }
        Err(_) => {}
    }
}

fn facets(got: &Received, format: &FileFormat, watch: &Watch) {
    let points = got.mesh.points.len() as u32;
    assert!(got.mesh.triangles.iter().flatten().all(|p| *p < points));
    assert!(got.mesh.points.as_flattened().iter().all(|x| !x.is_nan()));
    assert!(got.label_of.is_empty() || got.label_of.len() == got.mesh.triangles.len());
    assert!(got.label_of.iter().all(|l| (*l as usize) < got.labels.len()));
    assert!(got.cell_of.is_empty() || got.cell_of.len() == got.mesh.triangles.len());
    let _ = Topology::of(&got.mesh, watch);
    let (Some(write), true) = (format.write, got.mesh.points.as_flattened().iter().all(|x| x.abs() < LARGEST)) else {
        return;
    };
    let all: Vec<u32> = (0..got.mesh.triangles.len() as u32).collect();
    // Facets of two corners and fewer have no place everywhere.
    let whole = all.iter().filter(|f| {
        let [a, b, c] = got.mesh.triangles[**f as usize];
        a != b && b != c && c != a
    });
    let whole = whole.count();
    for ascii in [false, true] {
        let parts = [NamedFacets { name: "all", facets: &all, role: None }];
        let surface = |cells| Surface { mesh: &got.mesh, cells, parts: &parts, ascii, unit: None };
        let _ = write(&surface(&got.cell_of));
        // Corners that a polygon has twice do not come back, so facets are compared as facets.
        if whole == 0 {
            continue;
        }
        match (format.read)("fuzz", &write(&surface(&[])), watch).expect("what is written is read") {
            Content::Facets(back) => assert!(back.mesh.triangles.len() >= whole),
            _ => assert_eq!(whole, 0, "facets are read as facets"),
        }
    }
}
