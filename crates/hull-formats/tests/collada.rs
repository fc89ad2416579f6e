//! COLLADA: what a scene places comes where it stands, with its colours; what makes no sense is refused with the reason.

use hull_formats::{Content, Received, read};
use hull_geometry::{Point, PointId, Watch};
use proptest::prelude::*;

/// A square of four corners, each with a normal beside it, and a strip; placed by two nodes, the second by reference.
const SCENE: &str = include_str!("reference/collada/plate.dae");

fn got(text: &str) -> Received {
    match read("plate.dae", text.as_bytes(), &Watch::default()) {
        Ok(got) => got,
        Err(e) => panic!("{e}"),
    }
}

fn near(a: Point, b: [f64; 3]) -> bool {
    (0..3).all(|k| (a[k] - b[k]).abs() < 1e-12)
}

#[test]
fn a_scene_comes_as_its_nodes_place_it() {
    let got = got(SCENE);
    // Two facets of the square and two of the strip, twice; four points each.
    assert_eq!((got.mesh.triangles.len(), got.mesh.points.len()), (8, 8));
    let unit = got.declared.unit.as_ref().expect("told");
    assert_eq!((unit.name.as_str(), unit.millimetres, got.declared.up.as_deref()), ("centimeter", 10.0, Some("+z")));
    // Turned a quarter about z, then moved: (2, 0, 0) comes to (10, 2, 0).
    assert!(got.mesh.points.iter().any(|p| near(*p, [10.0, 2.0, 0.0])), "{:?}", got.mesh.points);
    assert!(got.mesh.points.iter().any(|p| near(*p, [-2.0, 0.0, 5.0])), "{:?}", got.mesh.points);
    // The second is a mirror image, whose facets face as those of the first do only because they were turned.
    let up = |t: &[PointId; 3]| {
        let [a, b, c] = t.map(|p| got.mesh.points[p]);
        (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
    };
    assert!(got.mesh.triangles.iter().all(|t| up(t) > 0.0));
    let colours: Vec<_> = got.labels.iter().map(|l| (l.name.as_str(), l.material.as_deref())).collect();
    assert!(colours.contains(&("first", Some("#ff8000"))) && colours.contains(&("shared", Some("red"))), "{colours:?}");
    assert!(got.skipped.iter().any(|s| s.what == "lines" && s.count == 2), "{:?}", got.skipped);
}

#[test]
fn what_makes_no_sense_is_refused_with_the_reason() {
    for (from, to, why) in [
        ("9 0 9 1 9 2 9 3", "9 0 9 1 9 2 9 4", "names point 4, but there are 4 points"),
        ("<vcount>4</vcount>", "<vcount>5</vcount>", "more corners than the 4"),
        ("0 0 0 2 0 0", "0 0 0 x 0 0", "“x” is not a number"),
        ("0 0 0 2 0 0", "0 0 0 1e999 0 0", "not finite"),
        ("url=\"#g\"/>", "url=\"#nowhere\"/>", "“#nowhere” is named"),
        (
            "<instance_geometry url=\"#g\"/></node></library_nodes>",
            "<instance_node url=\"#shared\"/></node></library_nodes>",
            "more than 128 deep",
        ),
        ("<translate>10 0 0</translate>", "<translate>10 0</translate>", "needs 3 finite numbers"),
        ("</COLLADA>", "", "never closed"),
        ("<?xml version=\"1.0\"?>", "<!DOCTYPE x [<!ENTITY a \"b\">]>", "DTD"),
    ] {
        assert!(SCENE.contains(from), "{from}");
        let error = read("a.dae", SCENE.replacen(from, to, 1).as_bytes(), &Watch::default()).unwrap_err().to_string();
        assert!(error.contains(why), "{error} for {why}");
    }
    let doubled: String = (0..60)
        .map(|k| format!("<node id=\"t{k}\">{}</node>", format!("<instance_node url=\"#t{}\"/>", k + 1).repeat(2)))
        .collect();
    let bomb = SCENE.replacen("<library_nodes>", &format!("<library_nodes>{doubled}<node id=\"t60\"/>"), 1);
    let bomb = bomb.replacen("url=\"#shared\"", "url=\"#t0\"", 1);
    let error = read("a.dae", bomb.as_bytes(), &Watch::default()).unwrap_err().to_string();
    assert!(error.contains("placed more than 1000000 times"), "{error}");
    let german = got(&SCENE.replacen("2 0 0 2 2 0 0 2 0", "2,5 0 0 2 2 0 0 2 0", 1));
    assert!(german.mesh.points.iter().any(|p| near(*p, [10.0, 2.5, 0.0])));
    assert!(german.skipped.iter().any(|s| s.what.contains("decimal commas")));
}

proptest! {
    /// What refers to what can be anything: an answer comes, whatever the bytes.
    #[test]
    fn bytes_that_are_changed_never_panic(at in 0..SCENE.len(), word in "[#<>a-z0-9/\" -]{0,6}", cut in 0..40_usize) {
        let mut bytes = SCENE.as_bytes().to_vec();
        let end = (at + cut).min(bytes.len());
        bytes.splice(at..end, word.bytes());
        if let Ok(Content::Facets(got)) = (hull_formats::collada::FORMAT.read)("a.dae", &bytes, &Watch::default()) {
            prop_assert!(got.mesh.triangles.iter().flatten().all(|p| *p < got.mesh.points.next_key()));
        }
    }
}
