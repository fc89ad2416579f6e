//! Exact figures against the facets, and against what a file states of itself, on a file that an independent kernel wrote.

use hull_exact::parameter_loops::Reader;
use hull_geometry::Watch;
use hull_workshop::survey::{Finding, survey};
use hull_workshop::{Body, exact};
use std::path::Path;

const PUMP_FOOT: &str = "step/pump-foot-ap214-mm.step";

fn text(name: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../hull-formats/tests/reference").join(name);
    std::fs::read_to_string(path).expect("the file is in the repository")
}

fn received(text: &str) -> Body {
    let design = hull_formats::step::read("foot.step", text.as_bytes(), &Watch::default()).expect("it is read");
    exact::body_of("foot.step", design, None, Reader::Trusting, &Watch::default()).expect("not cancelled")
}

fn findings(body: &Body, kind: &str) -> Vec<Finding> {
    let (survey, _) = survey(body, &Watch::default()).expect("not cancelled");
    survey.findings.into_iter().filter(|f| f.kind.id() == kind).collect()
}

/// Validation properties of the product (#5) and its shape (#4): volume and area in the file's millimetres or in metres,
/// centroid as a point; the context is the file's own (#855).
fn stating(volume: &str, area: f64, [x, y, z]: [f64; 3]) -> String {
    let more = format!(
        "#9001=PROPERTY_DEFINITION('geometric validation property','volume',#5);
#9002=PROPERTY_DEFINITION_REPRESENTATION(#9001,#9003);
#9003=REPRESENTATION('volume',(#9004),#855);
#9004=MEASURE_REPRESENTATION_ITEM('volume measure',{volume},#9005);
#9005=DERIVED_UNIT((#9006));
#9006=DERIVED_UNIT_ELEMENT(#9007,3.);
#9007=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT($,.METRE.));
#9011=PROPERTY_DEFINITION('geometric validation property','area',#4);
#9012=PROPERTY_DEFINITION_REPRESENTATION(#9011,#9013);
#9013=SHAPE_REPRESENTATION('area',(#9014,#9015),#855);
#9014=MEASURE_REPRESENTATION_ITEM('surface area measure',AREA_MEASURE({area}),$);
#9015=CARTESIAN_POINT('centre point',({x},{y},{z}));
#9021=DIMENSIONAL_SIZE($,'bore');
#9022=FLATNESS_TOLERANCE('','',$,$);
#9023=(GEOMETRIC_TOLERANCE('','',$,$)POSITION_TOLERANCE());
ENDSEC;"
    );
    let text = text(PUMP_FOOT);
    let (head, tail) = text.rsplit_once("ENDSEC;").expect("a data section");
    format!("{head}{more}{tail}")
}

#[test]
fn what_a_file_states_of_itself_is_compared() {
    let plain = received(&text(PUMP_FOOT));
    let figures = plain.facts.exact.as_ref().expect("exact").figures.clone();
    let (solid, area) = (&figures.bodies[0], figures.area);
    let volume = |factor: f64| format!("VOLUME_MEASURE({:E})", solid.volume * 1e-9 * factor);
    let right = received(&stating(&volume(1.0), area, solid.centroid));
    let said = |body: &Body| survey(body, &Watch::default()).expect("not cancelled").0.exactness.stated;
    let stated = said(&right);
    assert_eq!(stated.iter().map(|s| s.what.as_str()).collect::<Vec<_>>(), ["volume", "area", "centroid"]);
    assert!(stated.iter().all(|s| s.off < 1e-6), "{stated:?}");
    assert!(findings(&right, "not_as_stated").is_empty());
    // The representations add no geometry, and annotations are counted as what they are.
    assert_eq!(right.facts.exact.as_ref().expect("exact").figures.solids, 1);
    let told: Vec<_> = right.facts.source.annotations.iter().map(|a| (a.what.as_str(), a.count)).collect();
    assert_eq!(told, [("dimensions", 1), ("geometric tolerances", 2)]);
    // Each of them wrong by more than a thousandth.
    let [x, y, z] = solid.centroid;
    for wrong in [
        stating(&volume(1.002), area, solid.centroid),
        stating(&volume(1.0), area * 0.998, solid.centroid),
        stating(&volume(1.0), area, [x + 1.0, y, z]),
    ] {
        assert_eq!(findings(&received(&wrong), "not_as_stated").len(), 1);
    }
}

#[test]
fn an_exact_volume_that_the_facets_contradict_is_a_finding() {
    let mut body = received(&text(PUMP_FOOT));
    assert!(findings(&body, "doubtful_figure").is_empty());
    let facts = body.facts.exact.as_mut().expect("exact");
    facts.figures.bodies[0].volume *= 1.03;
    let found = findings(&body, "doubtful_figure");
    assert!(found.len() == 1 && found[0].text.contains("deviation explains"), "{found:?}");
}

/// Some systems state figures of each solid, through an aspect of the shape: they are compared where every solid has its own.
#[test]
fn figures_of_single_solids_are_compared_together() {
    let plain = received(&text(PUMP_FOOT));
    let (solid, area) = (plain.facts.exact.as_ref().expect("exact").figures.bodies[0].clone(), 1.0);
    let of_aspect = |factor: f64, more: &str| {
        let volume = format!("VOLUME_MEASURE({:E})", solid.volume * 1e-9 * factor);
        let aspects = format!("'volume',#9031);\n#9031=SHAPE_ASPECT('solid 1','',#4,.F.);{more}");
        stating(&volume, area, solid.centroid)
            .replace("'volume',#5);", &aspects)
            .replace("'area',#4);", "'area',#9032);\n#9032=SHAPE_ASPECT('no solid of it','',#9099,.F.);")
    };
    let stated = |text: &str| survey(&received(text), &Watch::default()).expect("not cancelled").0.exactness.stated;
    let right = stated(&of_aspect(1.0, ""));
    assert!(right.len() == 1 && right[0].what == "volume" && right[0].off < 1e-6, "{right:?}");
    assert_eq!(findings(&received(&of_aspect(1.01, "")), "not_as_stated").len(), 1);
    // A second solid is spoken of that is not there: what is said of the first is not held against the whole.
    let second = "\n#9033=SHAPE_ASPECT('solid 2','',#4,.F.);\n#9034=PROPERTY_DEFINITION('geometric validation property','',#9033);\
                  \n#9035=PROPERTY_DEFINITION_REPRESENTATION(#9034,#9003);";
    assert!(stated(&of_aspect(1.0, second)).is_empty());
}

/// One coordinate of a spline far off, as a wrong byte makes it: the surface is torn, its edges bend without end, and neither
/// gets facets without end: 100 001 and 60 274 as the shell's `check` told before there were bounds.
#[test]
fn a_torn_spline_face_has_no_more_facets_than_its_size_explains() {
    for (file, from, to, most) in [
        (
            "step/keel-fin-ap214-mm.step",
            "(140.34305107118,3.149145441543,330.)",
            "(4294967296,3.149145441543,330.)",
            50_000,
        ),
        (
            "step/water-pipe-ap242-m.step",
            "(8.875537255179E-02,2.170328741707E-02,",
            "(-0.0,2.170328741707E-02,",
            20_000,
        ),
    ] {
        let whole = text(file);
        assert!(whole.contains(from), "{file}");
        let torn = received(&whole.replacen(from, to, 1)).mesh.triangles.len();
        assert!(torn < most, "{file}: {torn} facets");
    }
}
