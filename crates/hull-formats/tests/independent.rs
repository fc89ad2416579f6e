//! STEP against a crate that reads ISO 10303-21 on its own: what we write it can read, what it carries we can read.

use crate::common::{files, model};
use hull_exact::parameter_loops::Reader;
use hull_exact::{Motion, assembly::usual_fineness};
use hull_formats::step::{self, Schema};
use hull_geometry::topology::Topology;
use hull_geometry::{Unit, Watch};
use std::path::PathBuf;

#[test]
fn written_files_are_the_exchange_structure_that_another_reader_finds() {
    for path in files("step").iter().chain(&files("iges")) {
        let model = model(path);
        for schema in Schema::ALL {
            let written = step::write("part", &model, &Motion::NONE, Unit::Mm, schema, &Watch::default());
            let bytes = written.expect("not cancelled").bytes;
            let text = String::from_utf8(bytes).expect("the basic alphabet");
            let found = ruststep::parser::parse(&text)
                .unwrap_or_else(|e| panic!("{} as {}: {e}", path.display(), schema.name()));
            let records = text.lines().filter(|l| l.starts_with('#')).count();
            assert_eq!(found.data.iter().map(|d| d.entities.len()).sum::<usize>(), records, "{}", path.display());
        }
    }
}

/// A file of three parts that the source of that crate carries for its own tests.
#[test]
fn the_file_that_the_other_reader_carries_closes() {
    let home = std::env::var_os("CARGO_HOME").map(PathBuf::from);
    let home = home.or_else(|| Some(PathBuf::from(std::env::var_os("HOME")?).join(".cargo"))).expect("a home");
    let sources = std::fs::read_dir(home.join("registry/src")).expect("cargo keeps sources of what it built");
    let folder = sources
        .map(|e| e.expect("a folder").path().join("ruststep-0.4.0/tests/steps"))
        .find(|p| p.is_dir())
        .expect("the crate's source with its test file");
    let mut all = std::fs::read_dir(folder).expect("a folder").map(|e| e.expect("a file").path());
    let path = all.find(|p| p.extension().is_some_and(|e| e == "step")).expect("its STEP file");
    let bytes = std::fs::read(&path).expect("a file");
    let design = step::read("carried.step", &bytes, &Watch::default()).unwrap_or_else(|e| panic!("{e}"));
    assert_eq!(design.skipped, []);
    let figures = design.model.figures(Reader::Trusting);
    // Counted in its text: MANIFOLD_SOLID_BREP and ADVANCED_FACE.
    let text = String::from_utf8_lossy(&bytes);
    let count = |kind: &str| text.matches(&format!("= {kind}(")).count();
    assert_eq!(figures.solids, count("MANIFOLD_SOLID_BREP"));
    assert_eq!(figures.faces, count("ADVANCED_FACE"));
    assert_eq!((figures.open_edges, figures.faces_in_doubt), (0, 0));
    let colours = design.model.parts.iter().flat_map(|p| &p.shape.faces).filter(|f| f.colour.is_some()).count();
    assert_eq!(colours, count("STYLED_ITEM"));
    // Both readers agree on the volume, up to what their facets leave out.
    let rebuilt = design.model.figures(Reader::Rebuilding);
    assert!((rebuilt.volume - figures.volume).abs() <= 1e-9 * figures.volume);
    let fineness = usual_fineness(design.model.rough_bounds().diagonal());
    let made = design.model.facets(&fineness, Reader::Trusting, &Motion::NONE, &Watch::default());
    let mesh = made.expect("not cancelled").mesh;
    assert!(Topology::of(&mesh, &Watch::default()).expect("not cancelled").is_closed());
    let volume = hull_geometry::measure::mass(&mesh, &mesh.bounds()).volume;
    assert!((volume - figures.volume).abs() <= fineness.deviation * figures.area);
}
