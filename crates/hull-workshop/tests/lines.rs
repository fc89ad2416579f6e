//! Bodies of lines in space: what is told of them, what can be done with them, and what is written of them.

use hull_exact::curve::Curve;
use hull_exact::model::{Model, Node, Part, PartId};
use hull_exact::parameter_loops::Reader;
use hull_exact::shape::FaceId;
use hull_exact::wires::{CurveKind, Wires};
use hull_exact::{Frame, Motion, Shape};
use hull_formats::step::{self, Schema};
use hull_geometry::holes::FillingChoice;
use hull_geometry::mesh::Bounds;
use hull_geometry::transform::Axis;
use hull_geometry::vector::distance;
use hull_geometry::{Unit, Watch};
use hull_workshop::combine::{Apart, Together, split, together};
use typed_index_collections::ti_vec;

use hull_workshop::export::{DesignForm, export};
use hull_workshop::handover::{Form, hand_over};
use hull_workshop::prepare::prepare;
use hull_workshop::repair::repair;
use hull_workshop::steps::place::Anchor;
use hull_workshop::steps::{
    close_tunnels::CloseTunnels, coarsen::Coarsen, cut_crossings::CutCrossings, drop_bodies::DropBodies,
    drop_bumps::DropBumps, drop_doubles::DropDoubles, drop_shells::DropShells, fill_holes::FillHoles,
    flatten_spikes::FlattenSpikes, keep_outside::KeepOutside, mend_thin::MendThin, name_edge::NameEdge, orient::Orient,
    place::Place, remove_duplicates::RemoveDuplicates, remove_zero_area::RemoveZeroArea, set_unit::SetUnit,
    stitch::Stitch, turn_outward::TurnOutward, waive::Waive, wrap::Wrap,
};
use hull_workshop::survey::survey;
use hull_workshop::{Body, Destination, Sheet, Step, Verdict, apply, exact, view};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

/// A gantry as its axes: two legs 2000 high, a beam of 3000 and a half circle of radius 1500 above it, in millimetres.
fn gantry() -> Model {
    let mut shape = Shape::default();
    let mut wire = |name: &str, curve: Curve, range: [f64; 2]| {
        let ends = [0, 1].map(|k| shape.add_vertex(curve.point(range[k])));
        let edge = shape.add_edge(curve, range, ends);
        shape.wires.push(edge);
        shape.edge_names.insert(edge, name.into());
    };
    for (name, from, along) in [
        ("left leg", [0.0, 0.0, 0.0], [0.0, 0.0, 2000.0]),
        ("right leg", [3000.0, 0.0, 0.0], [0.0, 400.0, 2000.0]),
        ("beam", [0.0, 0.0, 2000.0], [3000.0, 400.0, 0.0]),
    ] {
        wire(name, Curve::Line { origin: from, along }, [0.0, 1.0]);
    }
    let frame = Frame::new([1500.0, 0.0, 2000.0], [0.0, -1.0, 0.0], Some([1.0, 0.0, 0.0]));
    wire("arch", Curve::Ellipse { frame, a: 1500.0, b: 1500.0 }, [0.0, PI]);
    alone(shape)
}

fn alone(shape: Shape) -> Model {
    let part = Part { name: "gantry".into(), shape, tessellated: Vec::new() };
    let node =
        Node { name: "gantry".into(), parent: None, part: Some(PartId(0)), placement: Motion::NONE, colour: None };
    Model { parts: ti_vec![part], nodes: ti_vec![node], unit: None }
}

fn arrived(model: &Model) -> Body {
    let watch = Watch::default();
    let sent = step::write("gantry", model, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch).expect("not cancelled");
    let design = step::read("gantry.step", &sent.bytes, &watch).expect("it is read");
    exact::body_of("gantry.step", design, None, Reader::Trusting, &watch).expect("not cancelled")
}

fn near(a: &Bounds, min: [f64; 3], max: [f64; 3], within: f64) -> bool {
    distance(a.min, min) <= within && distance(a.max, max) <= within
}

#[test]
fn curves_arrive_with_figures_and_are_never_ready_by_lack_of_facets() {
    let body = arrived(&gantry());
    assert_eq!((body.instead_of_surface().as_deref(), body.exact.is_none()), (Some("lines"), true));
    let (survey, _) = survey(&body, &Watch::default()).expect("not cancelled");
    let figures = &survey.lines;
    assert_eq!((figures.lines, &figures.kinds), (4, &vec![(CurveKind::Straight, 3), (CurveKind::Arc, 1)]));
    let length = 2000.0 + 2000.0_f64.hypot(400.0) + 3000.0_f64.hypot(400.0) + PI * 1500.0;
    assert!((figures.length / length - 1.0).abs() < 1e-12, "{} for {length}", figures.length);
    assert_eq!(figures.bundles.iter().map(|b| (b.0.as_str(), b.1)).collect::<Vec<_>>(), [("gantry", 4)]);
    assert!(near(&survey.size.bbox, [0.0; 3], [3000.0, 400.0, 3500.0], 1.0), "{:?}", survey.size.bbox);
    let sheet = Sheet::of(&body.facts, &survey, &Destination::named("fluid").expect("shipped"));
    for row in &sheet.rows {
        let expected = match row.measure.key {
            "skipped" | "unit" | "length" => Verdict::Met,
            _ => Verdict::Pending,
        };
        assert_eq!(row.verdict, expected, "{}: {}", row.phrase, row.measured);
    }
}

#[test]
fn waiving_everything_hands_over_no_empty_surface() {
    let watch = Watch::default();
    let fluid = Destination::named("fluid").expect("shipped");
    let waive =
        |id: &String| Step::Waive(Waive { requirement: id.clone(), reason: "a try".into(), by: "the test".into() });
    let steps: Vec<Step> = fluid.requirements.iter().map(|r| waive(&r.id)).collect();
    let prepared = prepare(arrived(&gantry()), &steps, &fluid, &watch).expect("prepared");
    assert!(prepared.sheet.is_ready());
    for form in [Form::Ascii, Form::Binary] {
        let made = hand_over("gantry", &prepared, &fluid, form, &watch);
        assert!(made.is_err_and(|e| e.to_string().contains("no facets")), "{form:?}");
    }
    for form in [Form::Ap203, Form::Ap214, Form::Ap242, Form::Iges] {
        let made = hand_over("gantry", &prepared, &fluid, form, &watch).unwrap_or_else(|e| panic!("{form:?}: {e}"));
        assert_eq!(made.manifest.boundaries, [], "{form:?}");
    }
}

/// What every step does with them: curves follow what is done to the whole body, and steps on surfaces are refused
/// with a sentence.
#[test]
fn the_whole_can_be_moved_and_surfaces_cannot_be_mended() {
    let watch = Watch::default();
    let body = arrived(&gantry());
    let whole = [
        Step::SetUnit(SetUnit { unit: Unit::M }),
        Step::Orient(Orient { up: Axis::PlusY, forward: Axis::PlusZ }),
        Step::Place(Place { anchor: Anchor::MinimumCorner, at: [1.0, 2.0, 3.0] }),
        Step::Place(Place { anchor: Anchor::Centroid, at: [0.0; 3] }),
        Step::NameEdge(NameEdge { name: "rail".into(), at: body.facts.edge_names[0].at }),
    ];
    for step in whole {
        let (after, _) = apply(&body, &step, &Destination::named("fluid").unwrap(), &watch)
            .unwrap_or_else(|e| panic!("{}: {e}", step.about().id));
        let Some(wires) = after.wires() else { panic!("{}: lines are lost", step.about().id) };
        assert_eq!(wires.model, body.wires().expect("lines").model, "{}", step.about().id);
        let of_edges = after.facts.edge_names.iter().map(|n| n.at);
        let inside = |p: [f64; 3]| after.bounds().contains(&Bounds { min: p, max: p });
        assert!(of_edges.clone().all(inside), "{}: names stay on the curves", step.about().id);
    }
    let moved = apply(
        &body,
        &Step::Place(Place { anchor: Anchor::MinimumCorner, at: [1.0, 2.0, 3.0] }),
        &Destination::named("fluid").unwrap(),
        &watch,
    )
    .expect("moved")
    .0;
    assert!(near(&moved.bounds(), [1.0, 2.0, 3.0], [3001.0, 402.0, 3503.0], 1.0), "{:?}", moved.bounds());
    let surfaces = [
        Step::Stitch(Stitch { tolerance: 1.0 }),
        Step::TurnOutward(TurnOutward {}),
        Step::FillHoles(FillHoles { up_to: 1.0, except: Vec::new(), wish: FillingChoice::default(), cap: None }),
        Step::RemoveDuplicates(RemoveDuplicates {}),
        Step::RemoveZeroArea(RemoveZeroArea {}),
        Step::CutCrossings(CutCrossings {}),
        Step::KeepOutside(KeepOutside {}),
        Step::DropShells(DropShells { up_to: 1.0 }),
        Step::DropBumps(DropBumps { up_to: 1.0, round: true }),
        Step::DropDoubles(DropDoubles { tolerance: 1.0 }),
        Step::FlattenSpikes(FlattenSpikes {}),
        Step::Coarsen(Coarsen { tolerance: 1.0 }),
        Step::MendThin(MendThin { tolerance: 1.0 }),
        Step::CloseTunnels(CloseTunnels { up_to: 1.0 }),
        Step::Wrap(Wrap { offset: 1.0, gap: 4.0 }),
    ];
    for step in surfaces {
        let refused = apply(&body, &step, &Destination::named("fluid").unwrap(), &watch).expect_err(step.about().id);
        assert!(refused.to_string().contains("lines and no faces"), "{}: {refused}", step.about().id);
    }
    let two = [("gantry".to_string(), body.clone()), ("again".to_string(), body.clone())];
    for how in [Together::Unite, Together::Subtract, Together::Intersect, Together::Merge] {
        assert!(together(&two, how, &watch).is_err_and(|e| e.to_string().contains("lines and no faces")));
    }
    assert!(split("gantry", &body, &Apart::Shells, &watch).is_err());
    let fluid = Destination::named("fluid").expect("shipped");
    assert!(repair(&body, &fluid, true, &watch).expect("not cancelled").steps.is_empty(), "nothing to repair");
}

#[test]
fn curves_and_their_names_are_written_and_read_back_in_every_form() {
    let body = arrived(&gantry());
    for form in DesignForm::ALL {
        let made =
            export("gantry", &body, Unit::In, form, &Watch::default()).unwrap_or_else(|e| panic!("{form:?}: {e}"));
        let row = |figure: &str| made.comparison.iter().find(|c| c.figure == figure).expect(figure);
        assert_eq!(row("curves without faces").read_back, "4", "{form:?}");
        assert_eq!(row("named edges").read_back, "4", "{form:?}");
        let content = hull_formats::open(&made.name, &made.bytes, &Watch::default()).expect("it is read");
        let hull_formats::Content::Exact(design) = content else { panic!("{form:?}: exact geometry") };
        let mut names: Vec<String> = design.model.parts[PartId(0)].shape.edge_names.values().cloned().collect();
        names.sort_unstable();
        assert_eq!(names, ["arch", "beam", "left leg", "right leg"], "{form:?}");
    }
}

/// Curves go by name like other bodies of a file, and what stands beside them is not touched.
#[test]
fn curves_beside_faces_are_a_body_of_their_own_name() {
    let watch = Watch::default();
    let mut model = gantry();
    let mut shape = std::mem::take(&mut model.parts[PartId(0)].shape);
    let disc = Curve::Ellipse { frame: Frame::WORLD, a: 50.0, b: 50.0 };
    let end = shape.add_vertex([50.0, 0.0, 0.0]);
    let round = shape.add_edge(disc, [0.0, TAU], [end; 2]);
    let surface = shape.add_surface(hull_exact::Surface::Plane(Frame::WORLD));
    let around = hull_exact::shape::Use { edge: round, forward: true, hint: None };
    shape.faces.push(hull_exact::shape::Face {
        surface,
        same_sense: true,
        loops: vec![hull_exact::shape::Loop { uses: vec![around] }],
        name: "pad".into(),
        colour: None,
        layer: None,
    });
    let outer = hull_exact::shape::Shell { faces: vec![(FaceId(0), true)] };
    let lump = hull_exact::shape::Lump { name: "pad".into(), colour: None, closed: false, outer, voids: Vec::new() };
    shape.lumps.push(lump);
    model.parts[PartId(0)].shape = shape;
    let body = arrived(&model);
    let of_faces: Vec<&str> =
        body.facts.exact.as_ref().expect("exact").figures.bodies.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(
        (of_faces.as_slice(), body.wires().expect("lines").bundles()),
        (&["gantry"][..], vec!["gantry / curves".into()])
    );
    let without = |name: &str| {
        let step = Step::DropBodies(DropBodies { names: vec![name.into()] });
        apply(&body, &step, &Destination::named("fluid").unwrap(), &watch).expect("dropped").0
    };
    let (bare, pad) = (without("gantry"), without("gantry / curves"));
    assert_eq!(bare.instead_of_surface().as_deref(), Some("lines"));
    assert_eq!(bare.wires(), body.wires());
    assert!(pad.wires().is_none() && pad.mesh == body.mesh && pad.pieces.is_empty());
    // The view draws both: the last chunk has the lines, each with as many points as are drawn of it.
    let chunks = |b: &Body| {
        let bytes = view::full(b, &hull_workshop::survey::Lines::default());
        u32::from_le_bytes([bytes[60], bytes[61], bytes[62], bytes[63]])
    };
    assert_eq!((chunks(&body), chunks(&bare), chunks(&pad)), (1, 1, 0));
    // A design file has both in one part again, as they came.
    let made = export("gantry", &body, Unit::Mm, DesignForm::ALL[1], &watch).expect("written");
    let hull_formats::Content::Exact(back) = hull_formats::open(&made.name, &made.bytes, &watch).expect("read") else {
        panic!("exact geometry");
    };
    let shape = &back.model.parts[PartId(0)].shape;
    assert_eq!((back.model.parts.len(), shape.faces.len(), shape.wires.len()), (1, 1, 4));
}

/// Bodies of an earlier version kept lines in their exact geometry; they open as pieces.
#[test]
fn lines_that_were_stored_in_exact_geometry_become_a_piece() {
    let now = arrived(&gantry());
    let (wires, mut stored) = (now.wires().expect("lines").clone(), now.clone());
    stored.pieces.clear();
    stored.exact = Some(std::sync::Arc::new(exact::Exact { model: wires.model.clone(), placed: wires.placed }));
    stored.lines_to_pieces();
    assert_eq!(stored, now);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Points along a drawn curve keep within what was asked, wherever it stands and however large it is.
    #[test]
    fn a_drawn_curve_keeps_its_deviation(a in 1.0..80.0f64, b in 0.5..80.0f64, to in 0.3..6.2f64, scale in 0.01..100.0f64, part in 1e-4..0.05f64) {
        let frame = Frame::new([3.0, -2.0, 5.0], [0.2, 0.4, 1.0], None);
        let arc = Curve::Ellipse { frame, a, b };
        let mut shape = Shape::default();
        let ends = [0.0, to].map(|t| shape.add_vertex(arc.point(t)));
        let edge = shape.add_edge(arc.clone(), [0.0, to], ends);
        shape.wires.push(edge);
        let placed = Motion { frame: Frame::new([10.0, 0.0, 0.0], [1.0, 0.3, 0.0], None), scale };
        let within = part * a.max(b) * scale;
        let drawn = Wires { model: alone(shape), placed }.along(within).remove(0);
        for i in 0..=400 {
            let p = placed.point(arc.point(to * f64::from(i) / 400.0));
            let off = drawn.windows(2).map(|w| to_segment(p, w[0], w[1])).fold(f64::INFINITY, f64::min);
            prop_assert!(off <= within * (1.0 + 1e-9), "{off} where {within} was asked, {} points", drawn.len());
        }
    }
}

fn to_segment(p: [f64; 3], a: [f64; 3], b: [f64; 3]) -> f64 {
    use hull_geometry::vector::{add, dot, scale, sub};
    let along = sub(b, a);
    let t = (dot(sub(p, a), along) / dot(along, along)).clamp(0.0, 1.0);
    distance(p, add(a, scale(along, t)))
}

/// Kinds are left out under one name or all, as steps; what is not there is told.
#[test]
fn lines_are_left_out_by_what_they_are() {
    use hull_workshop::steps::drop_lines::DropLines;
    let body = arrived(&gantry());
    let said = |kinds: &[&str], layer: &str| {
        let step: Step = DropLines { kinds: kinds.iter().map(|k| (*k).into()).collect(), layer: layer.into() }.into();
        apply(&body, &step, &Destination::named("lines").unwrap(), &Watch::default()).map_err(|e| e.to_string())
    };
    let kinds = |b: &Body| b.wires().unwrap().lines().iter().map(|l| l.kind).collect::<Vec<_>>();
    for layer in ["", "gantry"] {
        let (left, change) = said(&["straight lines"], layer).unwrap();
        assert_eq!(kinds(&left), [CurveKind::Arc], "{}", change.sentence);
    }
    let (left, _) = said(&["arc"], "").unwrap();
    let length = |b: &Body| b.wires().unwrap().lines().iter().map(|l| l.length).sum::<f64>();
    // The half circle of radius 1500 went.
    assert!((length(&body) - length(&left) - 1500.0 * PI).abs() < 1e-6 && kinds(&left) == [CurveKind::Straight; 3]);
    assert!(said(&["arc", "straight line"], "").unwrap_err().contains("Nothing would be left"));
    assert!(said(&["spline"], "").unwrap_err().contains("No line is of these kinds"));
    assert!(said(&["ellipse"], "").unwrap_err().contains("no kind of line"));
    assert!(said(&["arc"], "rail").unwrap_err().contains("No lines stand under"));
}
