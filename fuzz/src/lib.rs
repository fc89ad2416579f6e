//! What is asked of every reader, whatever the bytes. Shared by the fuzzing program beside and by
//! `crates/hull-formats/tests/any_bytes.rs`.

use hull_exact::Motion;
use hull_exact::parameter_loops::Reader;
use hull_formats::extent::check;
use hull_formats::step::{Schema, write as write_step};
use hull_formats::{Content, FileFormat, NamedFacets, Received, Surface};
use hull_geometry::cloud::Cloud;
use hull_geometry::topology::Topology;
use hull_geometry::{FacetId, Unit, Watch};

/// Reads any bytes as a file of a format: an error, or something that hangs together and comes back from what is written
/// of it.
///
/// # Panics
/// Where it does not: that is the finding.
pub fn any(bytes: &[u8], format: &FileFormat) {
    let watch = Watch::default();
    // What lies too far away is refused by whoever opens a file, whatever its format.
    let read = (format.read)("any", bytes, &watch);
    match read.and_then(|content| check("any", bytes, &content).map(|()| content)) {
        Ok(Content::Facets(got)) => facets(&got, format, &watch),
        Ok(Content::Points(got)) => points(&got.cloud, format, &watch),
        Ok(Content::Exact(design)) => {
            let figures = design.model.figures(Reader::Trusting);
            assert!(figures.faces <= design.faces.max(1) * design.model.nodes.len().max(1));
            let _ = write_step("any", &design.model, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch);
            if let Some(write) = format.write_lines {
                let _ = write(&design.model, &Motion::NONE, None);
            }
        }
        Err(_) => {}
    }
}

fn points(cloud: &Cloud, format: &FileFormat, watch: &Watch) {
    let n = cloud.points.len();
    assert!(cloud.points.as_flattened().iter().all(|x| x.is_finite()));
    assert!([0, n].contains(&cloud.colours.len()) && [0, n].contains(&cloud.normals.len()));
    assert!([0, n].contains(&cloud.splats.len()));
    assert!(cloud.splats.iter().all(|s| s.settled().is_some()));
    let Some(write) = format.write_points else { return };
    match (format.read)("any", &write(cloud, false, None), watch) {
        Ok(Content::Points(back)) => {
            assert_eq!(back.cloud.points.len(), n);
            // Text holds every digit.
            assert!(format.id != "xyz" || back.cloud.points == cloud.points);
        }
        Ok(_) => panic!("points are read as points"),
        Err(error) => assert!(n == 0, "what is written is read: {error}"),
    }
}

fn facets(got: &Received, format: &FileFormat, watch: &Watch) {
    let points = got.mesh.points.next_key();
    assert!(got.mesh.triangles.iter().flatten().all(|p| *p < points));
    assert!(got.mesh.points.raw.as_flattened().iter().all(|x| !x.is_nan()));
    assert!(got.label_of.is_empty() || got.label_of.len() == got.mesh.triangles.len());
    assert!(got.label_of.iter().all(|l| (*l as usize) < got.labels.len()));
    assert!(got.cell_of.is_empty() || got.cell_of.len() == got.mesh.triangles.len());
    let _ = Topology::of(&got.mesh, watch);
    let Some(write) = format.write else { return };
    let all: Vec<FacetId> = got.mesh.triangles.keys().collect();
    // Facets of two corners and fewer have no place everywhere.
    let whole = all.iter().filter(|f| {
        let [a, b, c] = got.mesh.triangles[**f];
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
        match (format.read)("any", &write(&surface(Default::default())), watch).expect("what is written is read") {
            Content::Facets(back) => assert!(back.mesh.triangles.len() >= whole),
            _ => assert_eq!(whole, 0, "facets are read as facets"),
        }
    }
}
