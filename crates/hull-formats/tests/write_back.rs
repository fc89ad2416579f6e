//! What is written reads back as it was: solids, faces, names, colours, and figures by quadrature.

use hull_exact::assembly::ModelFigures;
use hull_exact::join::{join, join_plot};
use hull_exact::lift::Reader;
use hull_exact::model::{Model, Part};
use hull_exact::{Frame, Motion};
use hull_formats::iges;
use hull_formats::step::{self, Schema};
use hull_geometry::{Cancelled, Unit, Watch};
use std::path::PathBuf;

fn files(folder: &str) -> Vec<PathBuf> {
    let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/reference").join(folder);
    let mut all: Vec<PathBuf> = std::fs::read_dir(folder)
        .expect("the folder is in the repository")
        .map(|e| e.expect("a file").path())
        .collect();
    all.sort();
    all
}

/// The model of a file, loose faces joined at the tolerance that is proposed.
fn model(path: &PathBuf) -> Model {
    let (name, bytes) = (path.to_string_lossy(), std::fs::read(path).expect("a file"));
    let watch = Watch::default();
    let design = match name.ends_with(".step") {
        true => step::read(&name, &bytes, &watch),
        false => iges::read(&name, &bytes, &watch),
    };
    let model = design.unwrap_or_else(|e| panic!("{e}")).model;
    let joined = model.with_parts(|part| {
        let shape = match join_plot(&part.shape, &watch)?.proposal {
            Some(t) => join(&part.shape, t, &watch)?.0,
            None => part.shape.clone(),
        };
        Ok::<_, Cancelled>(Part { shape, ..part.clone() })
    });
    joined.expect("not cancelled")
}

fn close(name: &str, what: &str, back: f64, sent: f64, relative: f64) {
    assert!((back - sent).abs() <= relative * sent.abs(), "{name}: {what} sent {sent}, read back {back}");
}

fn paths(m: &Model) -> Vec<String> {
    m.occurrences().map(|(n, _)| m.path(n)).collect()
}

fn face_colours(m: &Model) -> usize {
    m.parts.iter().flat_map(|p| &p.shape.faces).filter(|f| f.colour.is_some()).count()
}

/// A turn about a skew axis with a shift, in the unit to write.
fn placed(millimetres: f64, unit: Unit) -> Motion {
    let frame = Frame::new([12.0, -7.0, 3.0], [1.0, 2.0, 2.0], Some([0.0, 1.0, -1.0]));
    Motion { frame, scale: millimetres / unit.millimetres() }
}

fn compare(name: &str, sent: &ModelFigures, back: &ModelFigures, scale: f64, relative: f64) {
    assert_eq!((back.solids, back.faces), (sent.solids, sent.faces), "{name}: solids and faces");
    assert_eq!(back.open_edges, sent.open_edges, "{name}: open edges");
    assert_eq!(back.faces_in_doubt, sent.faces_in_doubt, "{name}: faces in doubt");
    close(name, "area", back.area, sent.area * scale * scale, relative);
    close(name, "volume", back.volume, sent.volume * scale.powi(3), relative);
}

#[test]
fn step_reads_back_in_every_form_and_unit() {
    let forms = [(Schema::Ap203, Unit::In), (Schema::Ap214, Unit::Mm), (Schema::Ap242, Unit::M)];
    for path in files("step").iter().chain(&files("iges")) {
        let sent = model(path);
        let figures = sent.figures(Reader::Trusting);
        let mm = sent.unit.as_ref().map_or(1.0, |u| u.millimetres);
        for (schema, unit) in forms {
            let name = format!("{} as {}", path.display(), schema.name());
            let by = placed(mm, unit);
            let written = step::write("part", &sent, &by, unit, schema, &Watch::default()).expect("not cancelled");
            let back = step::read("part.step", &written.bytes, &Watch::default()).unwrap_or_else(|e| panic!("{e}"));
            assert_eq!(back.skipped, [], "{name}: skipped");
            assert!(back.format.ends_with(schema.name()), "{name}: reads back as {}", back.format);
            assert_eq!(back.model.unit.as_ref().map(|u| u.millimetres), Some(unit.millimetres()), "{name}: unit");
            // Edges that bridge a gap lie off their surfaces by it: what is seen of them there is not exact either.
            let gap = name.split("loose-").nth(1).and_then(|t| t.split("mm").next()?.parse().ok());
            let gap: f64 = gap.unwrap_or(0.0);
            compare(&name, &figures, &back.model.figures(Reader::Trusting), by.scale, 1e-8 + 0.05 * gap);
            assert_eq!(paths(&back.model), paths(&sent), "{name}: names");
            assert_eq!(back.model.parts.len(), sent.parts.len(), "{name}: repeated parts are stored once");
            if schema != Schema::Ap203 {
                assert_eq!(face_colours(&back.model), face_colours(&sent), "{name}: colours of faces");
            }
            let (a, b) = (sent.rigid(&by).rough_bounds(), back.model.rough_bounds());
            let off = hull_geometry::vector::distance(a.min, b.min).max(hull_geometry::vector::distance(a.max, b.max));
            assert!(off <= 1e-7 * a.diagonal() + 2.0 * gap * by.scale, "{name}: box off by {off}");
        }
    }
}
