//! Files written by an independent geometry kernel, against what that kernel computed of them
//! (`reference/facts.json`).

use crate::common::{close, placed_shapes};
use hull_exact::facet::{Facetted, facet};
use hull_exact::fineness::Fineness;
use hull_exact::parameter_loops::Reader;
use hull_exact::patch::sharpest;
use hull_exact::{Shape, Surface, join_plot, quadrature};
use hull_formats::{Design, iges, step};
use hull_geometry::crossings::crossings;
use hull_geometry::plot::round_up;
use hull_geometry::vector::{distance, scale};
use hull_geometry::{FacetId, Mesh, Watch, measure, topology::Topology};
use serde_json::Value;
use std::path::PathBuf;

fn folder() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/reference")
}

fn facts() -> Vec<(String, Value)> {
    let text = std::fs::read_to_string(folder().join("facts.json")).expect("facts.json is in the repository");
    let Value::Object(all) = serde_json::from_str(&text).expect("facts.json is JSON") else { panic!("an object") };
    all.into_iter().collect()
}

fn read(name: &str) -> Design {
    let bytes = std::fs::read(folder().join(name)).expect("the file is in the repository");
    let watch = Watch::default();
    let design =
        if name.ends_with(".step") { step::read(name, &bytes, &watch) } else { iges::read(name, &bytes, &watch) };
    design.unwrap_or_else(|e| panic!("{e}"))
}

fn number(v: &Value) -> f64 {
    v.as_f64().expect("a number")
}

/// Loose faces joined at the tolerance that is proposed.
fn joined(shape: &Shape) -> Shape {
    join_plot::join_as_proposed(shape, &Watch::default()).expect("not cancelled")
}

fn solids_of(name: &str, design: &Design) -> Vec<Shape> {
    let loose = name.contains("surfaces") || name.contains("loose");
    placed_shapes(design).iter().map(|s| if loose { joined(s) } else { s.clone() }).collect()
}

fn gap_of(name: &str) -> f64 {
    name.split("loose-").nth(1).and_then(|t| t.split("mm").next()).map_or(0.0, |t| t.parse().expect("a gap"))
}

#[test]
fn solids_faces_units_and_exact_figures_are_the_kernels() {
    for (name, fact) in facts() {
        let design = read(&name);
        let solids = solids_of(&name, &design);
        let count = |f: &dyn Fn(&Shape) -> usize| solids.iter().map(f).sum::<usize>();
        assert_eq!(count(&|s| s.solids().count()) as f64, number(&fact["solids"]), "{name}: solids");
        assert_eq!(count(&|s| s.faces.len()) as f64, number(&fact["faces"]), "{name}: faces");
        assert_eq!(count(&|s| s.open_edges().len()), 0, "{name}: open edges");
        assert_eq!(design.skipped, [], "{name}: skipped");
        // One file's facts name a unit that the file does not declare; its geometry is right in the declared one.
        let unit = design.model.unit.as_ref().map(|u| u.name.as_str());
        if name != "step/pump-foot-ap203-inch.step" {
            let stated = match fact["declared_unit"].as_str() {
                Some("mm") => "millimetre",
                Some("m") => "metre",
                _ => "inch",
            };
            assert_eq!(unit, Some(stated), "{name}: unit");
        }
        let figures: Vec<_> = solids.iter().map(|s| quadrature::figures(s, Reader::Trusting)).collect();
        let volume: f64 = figures.iter().map(|f| f.volume).sum();
        let area: f64 = figures.iter().map(|f| f.area).sum();
        let moment = figures.iter().fold([0.0; 3], |m, f| hull_geometry::vector::add(m, scale(f.centroid, f.volume)));
        // Faces that were moved apart enclose another volume: by at most their area times the gap.
        let gap = gap_of(&name);
        let slack = gap * number(&fact["area_mm2"]) / number(&fact["volume_mm3"]);
        close(&name, "volume", volume, number(&fact["volume_mm3"]), 1e-6 + slack);
        close(&name, "area", area, number(&fact["area_mm2"]), if gap > 0.0 { 0.05 * gap } else { 1e-6 });
        let centroid = scale(moment, 1.0 / volume);
        let stated = [0, 1, 2].map(|k| number(&fact["centroid_mm"][k]));
        assert!(distance(centroid, stated) < 1e-5 + 2.0 * gap, "{name}: centroid {centroid:?}, expected {stated:?}");
    }
}

/// Facets of everything in a file, in millimetres, with the worst measured deviation and the least angle on
/// faces that bend.
struct Facets {
    meshes: Vec<Mesh>,
    deviation: f64,
    least_angle: f64,
    /// Facets of faces that bend with an angle below 14.5°.
    slivers: usize,
}

fn facets_of(solids: &[Shape], fineness: &Fineness) -> Facets {
    let mut out = Facets { meshes: Vec::new(), deviation: 0.0, least_angle: 180.0, slivers: 0 };
    for shape in solids {
        let made: Facetted = facet(shape, fineness, Reader::Trusting, &Watch::default()).expect("not cancelled");
        assert_eq!(made.failed, [], "faces without facets");
        out.deviation = out.deviation.max(made.deviation);
        for (t, f) in made.face_of.iter().enumerate() {
            if !matches!(shape.surfaces[shape.faces[*f].surface], Surface::Plane(_)) {
                let angle = sharpest(made.mesh.corners(FacetId::from(t))).min(1.0).acos().to_degrees();
                out.least_angle = out.least_angle.min(angle);
                out.slivers += usize::from(angle < 14.5);
            }
        }
        out.meshes.push(made.mesh);
    }
    out
}

#[test]
fn facets_close_keep_the_deviation_and_are_no_more_than_the_kernels() {
    for (name, fact) in facts() {
        let design = read(&name);
        let solids = solids_of(&name, &design);
        for (deviation, angle) in [(0.1, 10.0), (0.02, 5.0)] {
            // Lean facets, as the kernel's: surfaces that bend one way are not cut across.
            let lean = Fineness { deviation, angle, largest: None, smallest: None, even: false };
            let made = facets_of(&solids, &lean);
            let gap = gap_of(&name);
            assert!(made.deviation <= deviation + 3.0 * gap, "{name}: deviation {} at {deviation}", made.deviation);
            let stated = &fact["facets"][format!("{deviation} mm, {} deg", angle)];
            let count: usize = made.meshes.iter().map(|m| m.triangles.len()).sum();
            if let Some(stated) = stated.as_u64() {
                assert!(count as u64 <= stated, "{name}: {count} facets, the kernel made {stated}");
            }
            let mut volume = 0.0;
            for mesh in &made.meshes {
                let topology = Topology::of(mesh, &Watch::default()).expect("not cancelled");
                assert!(
                    topology.is_closed(),
                    "{name}: facets are open at {deviation}: {} {} {} zero {}",
                    topology.open.len(),
                    topology.overshared.len(),
                    topology.misdirected.len(),
                    topology.zero_area.len()
                );
                // Points that bridge a gap lie off their surfaces by it, and facets finer than that show it.
                if gap < deviation {
                    let crossing = crossings(mesh, &Watch::default()).expect("not cancelled");
                    assert_eq!(crossing, [], "{name}: facets run through each other at {deviation}");
                }
                volume += measure::mass(mesh, &mesh.bounds()).volume;
            }
            // What a chord deviation explains: no more than the area times it.
            let slack = (deviation + gap) * number(&fact["area_mm2"]) / number(&fact["volume_mm3"]);
            close(&name, "volume of the facets", volume, number(&fact["volume_mm3"]), slack);
            let bounds = made.meshes.iter().map(Mesh::bounds).reduce(|a, b| a.union(b)).expect("a mesh");
            for k in 0..3 {
                let (low, high) = (number(&fact["box_mm"][0][k]), number(&fact["box_mm"][1][k]));
                let reach = deviation + 2.0 * gap + 1e-6;
                assert!(
                    (bounds.min[k] - low).abs() <= reach,
                    "{name}: box from {} on axis {k}, expected {low}",
                    bounds.min[k]
                );
                assert!(
                    (bounds.max[k] - high).abs() <= reach,
                    "{name}: box to {} on axis {k}, expected {high}",
                    bounds.max[k]
                );
            }
        }
    }
}

/// Facets without slivers where a longest side is asked: no angle of a curved face below 15°, a hair less where bounds leave no room and beside the
/// poles of the sphere. The nose and the tail of the keel fin bend within less than a thousandth of its size: one facet
/// in five thousand may be sharper there, one in five hundred where it was joined of loose faces, whose bounds lie off
/// them; and the facets that this takes are still no more than the kernel's.
#[test]
fn even_facets_keep_the_deviation_and_have_no_slivers() {
    for (name, fact) in facts() {
        let design = read(&name);
        let solids = solids_of(&name, &design);
        let gap = gap_of(&name);
        for (deviation, angle) in [(0.1, 10.0), (0.02, 5.0)] {
            // Once is enough of what takes seconds.
            if deviation < 0.1 && name.contains("iges/keel-fin") {
                continue;
            }
            // Longer than any part: asked, so that what bends one way only is cut across too.
            let even = Fineness { deviation, angle, largest: Some(1e4), smallest: None, even: true };
            let made = facets_of(&solids, &even);
            let count: usize = made.meshes.iter().map(|m| m.triangles.len()).sum();
            let fin = name.contains("keel-fin");
            let joined = name.contains("surfaces") || gap > 0.0;
            let least = if name.contains("sphere") { 10.0 } else { 14.5 };
            let free = joined || fin || made.least_angle >= least;
            assert!(free, "{name}: {:.2}° at {deviation}", made.least_angle);
            // Faces that stand apart by more than facets may be off leave no room beside their bounds.
            let roomy = 4.0 * gap < deviation;
            let most = if joined { 0.002 } else { 0.0002 } * count as f64;
            assert!(!(fin && roomy) || made.slivers as f64 <= most, "{name}: {} slivers of {count}", made.slivers);
            assert!(made.deviation <= deviation + 3.0 * gap, "{name}: deviation {} at {deviation}", made.deviation);
            let kernels = &fact["facets"][format!("{deviation} mm, {angle} deg")];
            if let Some(kernels) = kernels.as_u64().filter(|_| name.contains("keel-fin")) {
                assert!(count as u64 <= kernels, "{name}: {count} facets, the kernel made {kernels}");
            }
        }
    }
}

/// What people get who ask for nothing: facets without slivers, at the fineness a body arrives in.
#[test]
fn even_facets_are_closed_and_do_not_cross() {
    for (name, fact) in facts() {
        let design = read(&name);
        let size = (0..3).map(|k| number(&fact["box_mm"][1][k]) - number(&fact["box_mm"][0][k])).fold(0.0, f64::max);
        let even =
            Fineness { deviation: round_up(size * 5e-4), angle: 10.0, largest: None, smallest: None, even: true };
        for mesh in facets_of(&solids_of(&name, &design), &even).meshes {
            assert!(Topology::of(&mesh, &Watch::default()).expect("not cancelled").is_closed(), "{name}");
            if gap_of(&name) < even.deviation {
                assert_eq!(crossings(&mesh, &Watch::default()).expect("not cancelled"), [], "{name}");
            }
        }
    }
}

#[test]
fn the_assembly_has_its_tree_names_and_colours() {
    let design = read("step/pump-bed-assembly-ap214-mm.step");
    let model = &design.model;
    assert_eq!(model.parts.len(), 2, "repeated parts are stored once");
    let paths: Vec<String> = model.occurrences().map(|(n, _)| model.path(n)).collect();
    let count = |end: &str| paths.iter().filter(|p| p.ends_with(end)).count();
    assert_eq!(
        (count("pump bed / foot with pins / dowel pin"), count("pump bed / foot with pins / pump foot")),
        (8, 2)
    );
    let part = |name: &str| model.parts.iter().find(|p| p.name == name).expect("the part");
    // The file has the colours as the screen needs them (sRGB), the facts before that encoding.
    let near = |c: Option<[f32; 3]>, rgb: [f32; 3]| c.is_some_and(|c| (0..3).all(|k| (c[k] - rgb[k]).abs() < 0.01));
    let pin = &part("dowel pin").shape;
    assert!(pin.lumps.iter().all(|l| near(l.colour, [0.906, 0.349, 0.349])), "pins are red: {:?}", pin.lumps[0].colour);
    let blue = part("pump foot").shape.faces.iter().filter(|f| near(f.colour, [0.349, 0.485, 0.906])).count();
    assert_eq!(blue, 3, "three faces of the foot are blue");
    let mut whole = Mesh::default();
    for shape in placed_shapes(&design) {
        let fineness = Fineness { deviation: 0.1, angle: 20.0, largest: None, smallest: None, even: false };
        whole.append(&facet(&shape, &fineness, Reader::Trusting, &Watch::default()).expect("not cancelled").mesh);
    }
    assert_eq!(Topology::of(&whole, &Watch::default()).expect("not cancelled").shells, 10);
}
