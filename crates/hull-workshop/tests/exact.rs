//! Steps on exact geometry, and what is written of it, on files that an independent kernel wrote.

use hull_exact::curve::{Curve, Piece};
use hull_exact::fineness::Fineness;
use hull_exact::model::{Model, Node, NodeId, Part, PartId};
use hull_exact::parameter_loops::Reader;
use hull_exact::shape::{EdgeId, Face, FaceId, Lump, Shape, Shell};
use hull_exact::wires::Wires;
use hull_exact::{Frame, Motion, Surface};
use hull_formats::Content;
use hull_formats::step::{self, Schema};
use hull_geometry::measure::mass;
use hull_geometry::topology::Topology;
use hull_geometry::transform::Axis;
use hull_geometry::{Unit, Watch};
use hull_workshop::body::{Facts, Scale};
use hull_workshop::combine::{Together, together};
use hull_workshop::export::{DesignForm, export};
use hull_workshop::repair::{Planned, repair};
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::sentence::LengthUnit;
use hull_workshop::steps::place::Anchor;
use hull_workshop::steps::{
    drop_bodies::DropBodies, drop_faces::DropFaces, facet::Facet, join_faces::JoinFaces, name_boundary::NameBoundary,
    name_edge::NameEdge, orient::Orient, place::Place, remove_duplicates::RemoveDuplicates,
    remove_features::RemoveFeatures,
};
use hull_workshop::{Body, Destination, Step, StepError, apply, exact};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use typed_index_collections::ti_vec;

fn body(name: &str) -> Body {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../hull-formats/tests/reference").join(name);
    let bytes = std::fs::read(path).expect("the file is in the repository");
    match hull_formats::open(name, &bytes, &Watch::default()).expect("it is read") {
        Content::Exact(d) => {
            exact::body_of(name, *d, None, Reader::Trusting, &Watch::default()).expect("not cancelled")
        }
        Content::Facets(_) | Content::Points(_) => panic!("{name} holds exact geometry"),
    }
}

fn after(body: &Body, steps: &[Step]) -> Body {
    steps.iter().fold(body.clone(), |b, s| {
        apply(&b, s, &Destination::named("fluid").unwrap(), &Watch::default()).unwrap_or_else(|e| panic!("{e}")).0
    })
}

fn pick(at: [f64; 3]) -> Selection {
    Selection::from(Pick::Grow { at, angle: 1.0 })
}

fn facets_by_name(body: &Body) -> BTreeMap<String, usize> {
    let mut out = BTreeMap::new();
    for b in &body.columns.boundary {
        let name = body.facts.boundaries.get(*b as usize).map_or("", |b| b.name.as_str());
        *out.entry(name.to_string()).or_default() += 1;
    }
    out
}

/// The foot stands on z = 0, 120 by 80; its boss ends at z = 42.
fn named_foot() -> Body {
    let names = [("bed", [60.0, 5.0, 0.0]), ("inlet", [45.0, 40.0, 42.0])];
    let steps =
        names.map(|(name, at)| Step::NameBoundary(NameBoundary { name: name.into(), role: None, pick: pick(at) }));
    after(&body("step/pump-foot-ap214-mm.step"), &steps)
}

#[test]
fn names_of_faces_outlive_new_facets_joins_and_removed_holes() {
    let named = named_foot();
    let fine = Fineness { deviation: 0.02, angle: 5.0, largest: None, smallest: None, even: false };
    let again = after(&named, &[Step::Facet(Facet { fineness: fine })]);
    assert_ne!(again.mesh.triangles.len(), named.mesh.triangles.len());
    let area = |body: &Body, name: &str| -> f64 {
        let at = body.facts.boundaries.iter().position(|b| b.name == name).expect("the name is kept") as u32;
        let double = |f| hull_geometry::vector::norm(body.mesh.area_vector(f));
        body.facets_of(at).into_iter().map(double).sum::<f64>() / 2.0
    };
    for name in ["bed", "inlet"] {
        let (a, b) = (area(&named, name), area(&again, name));
        assert!((a - b).abs() < 2e-3 * a, "{name}: {a} before, {b} after");
    }
    let role = again.facts.boundaries.iter().find(|b| b.name == "inlet").and_then(|b| b.role);
    assert_eq!(role, Some(hull_workshop::Role::Inlet));
    // Without its bolt holes the bed is a whole rectangle but for the bore: it keeps its name.
    let plain = after(&again, &[Step::RemoveFeatures(RemoveFeatures { up_to: 12.0 })]);
    assert!(area(&plain, "bed") > area(&again, "bed") + 200.0);
    assert!(plain.facts.exact.as_ref().expect("exact").figures.faces < again.facts.exact.expect("exact").figures.faces);
}

#[test]
fn bodies_go_by_name_and_faces_by_pick_and_the_rest_stays_exact() {
    let bed = body("step/pump-bed-assembly-ap214-mm.step");
    let names: Vec<String> = bed.facts.exact.iter().flat_map(|e| &e.figures.bodies).map(|b| b.name.clone()).collect();
    let pins = names.iter().find(|n| n.ends_with("dowel pin")).expect("pins").clone();
    let feet = after(&bed, &[Step::DropBodies(DropBodies { names: vec![pins] })]);
    let (before, now) = (bed.facts.exact.as_ref().expect("exact"), feet.facts.exact.as_ref().expect("exact"));
    assert_eq!((before.figures.bodies.len(), now.figures.bodies.len()), (10, 2));
    let of_feet: f64 = before.figures.bodies.iter().filter(|b| b.name.ends_with("foot")).map(|b| b.volume).sum();
    assert!((now.figures.volume - of_feet).abs() < 1e-9 * of_feet);
    let nothing = apply(
        &feet,
        &Step::DropBodies(DropBodies { names: vec![now.figures.bodies[0].name.clone()] }),
        &Destination::named("fluid").unwrap(),
        &Watch::default(),
    );
    assert!(matches!(nothing, Err(StepError::Refused(s)) if s.contains("Nothing would be left")));
    let foot = named_foot();
    let open = after(&foot, &[Step::DropFaces(DropFaces { pick: pick([60.0, 5.0, 0.0]) })]);
    let facts = open.facts.exact.as_ref().expect("exact");
    assert_eq!(facts.figures.faces, foot.facts.exact.as_ref().expect("exact").figures.faces - 1);
    assert_eq!(facts.figures.solids, 0, "a solid that loses a face is an open shell");
    assert_eq!(facts.edges.len(), facts.figures.open_edges);
    assert!(facets_by_name(&open).contains_key("inlet"), "other names stay");
}

#[test]
fn what_was_moved_scaled_and_named_is_written_and_reads_back() {
    let steps = [
        Step::Orient(Orient { up: Axis::PlusY, forward: Axis::MinusX }),
        Step::Place(Place { anchor: Anchor::Centroid, at: [10.0, 20.0, 30.0] }),
    ];
    let foot = after(&named_foot(), &steps);
    for form in DesignForm::ALL {
        let made = export("foot", &foot, Unit::In, form, &Watch::default()).unwrap_or_else(|e| panic!("{e}"));
        assert!(made.exact);
        let row = |figure: &str| made.comparison.iter().find(|c| c.figure == figure).expect("the row").clone();
        assert_eq!((row("solids").read_back.as_str(), row("named faces").read_back.as_str()), ("1", "2"));
        // 145 189.6 mm³ (reference/facts.json) in cubic inches.
        let volume: f64 = row("volume").read_back.parse().expect("a number");
        let stated = 145_189.643_471_168_15 / 25.4_f64.powi(3);
        assert!((volume - stated).abs() < 1e-6 * stated, "{}: {volume}", form.title());
    }
    // Facets that were changed are no longer what the exact geometry says: they are written themselves.
    let changed = after(&foot, &[Step::RemoveDuplicates(RemoveDuplicates {})]);
    let made = export("foot", &changed, Unit::Mm, DesignForm::Step(Schema::Ap242), &Watch::default());
    assert!(!made.expect("facets are written").exact);
    let refused = export("foot", &changed, Unit::Mm, DesignForm::Iges, &Watch::default());
    assert!(refused.is_err_and(|e| e.to_string().contains("no place for facets")));
}

#[test]
fn a_repair_joins_exact_faces_before_it_touches_facets() {
    let loose = body("iges/pump-foot-loose-0.2mm.igs");
    let fluid = Destination::named("fluid").expect("it ships");
    let found = repair(&loose, &fluid, false, &Watch::default()).expect("not cancelled");
    let titles: Vec<String> = found.steps.iter().map(|p| p.step.title().text(LengthUnit::Millimetres)).collect();
    assert!(matches!(found.steps[..], [Planned { step: Step::JoinFaces(JoinFaces { .. }), .. }]), "{titles:?}");
    assert!(found.after.is_clean());
    let facts = found.body.facts.exact.as_ref().expect("it stays exact");
    assert!(!facts.facets_changed && facts.figures.solids == 1);
    // Joined solids can be united: what two of them share is there once.
    let aside = after(&found.body, &[Step::Place(Place { anchor: Anchor::Origin, at: [30.0, 10.0, 5.0] })]);
    let both = |how| {
        let pair = [("foot".to_string(), found.body.clone()), ("other".to_string(), aside.clone())];
        let (one, _) = together(&pair, how, &Watch::default()).expect("both are closed");
        assert!(Topology::of(&one.mesh, &Watch::default()).expect("not cancelled").is_closed());
        mass(&one.mesh, &one.mesh.bounds()).volume
    };
    let (all, shared) = (both(Together::Unite), both(Together::Intersect));
    let one = mass(&found.body.mesh, &found.body.mesh.bounds()).volume;
    assert!(shared > 0.1 * one && (all + shared - 2.0 * one).abs() < 1e-9 * one, "{all} {shared} {one}");
}

#[test]
fn both_readings_are_told_and_a_bound_that_strays_is_not_trusted() {
    let foot = body("step/pump-foot-ap214-mm.step");
    let readings = &foot.facts.exact.as_ref().expect("exact").readings;
    assert_eq!((readings.proposal, readings.trusting.faces), (Reader::Trusting, 13));
    assert!((readings.trusting.volume - readings.rebuilding.volume).abs() < 1e-6 * readings.trusting.volume);
    // The file's parameter curve of one edge, put where it does not belong.
    let mut model = foot.exact.as_ref().expect("exact").model.clone();
    let shape = &mut model.parts[PartId(0)].shape;
    let hints = shape.faces.iter_mut().flat_map(|f| &mut f.loops).flat_map(|l| &mut l.uses);
    let hint = hints.filter_map(|u| u.hint.as_mut()).next().expect("the file has parameter curves");
    hint.curve = hint.curve.moved(&hull_exact::Motion::scaling(3.0));
    let (strayed, _) = hull_exact::readings::Readings::of(&model, Reader::Trusting);
    assert_eq!(strayed.proposal, Reader::Rebuilding, "{}", strayed.reason);
}

/// Flow regions drawn in a plane: a channel, and above its first half a chamber, whose sides do not have the same ends.
fn regions() -> Model {
    let mut shape = Shape::default();
    for (name, [x0, y0, x1, y1]) in [("channel", [0.0, 0.0, 80.0, 10.0]), ("chamber", [-10.0, 10.0, 40.0, 30.0])] {
        let at = [[x0, y0, 0.0], [x1, y0, 0.0], [x1, y1, 0.0], [x0, y1, 0.0]];
        let line = |i: usize| Piece {
            curve: Curve::Line { origin: at[i], along: hull_geometry::vector::sub(at[(i + 1) % 4], at[i]) },
            range: [0.0, 1.0],
        };
        let bound = shape.loop_of_pieces((0..4).map(line).collect()).expect("a rectangle");
        let surface = shape.add_surface(Surface::Plane(Frame::WORLD));
        let face = Face { surface, same_sense: true, loops: vec![bound], name: name.into(), colour: None, layer: None };
        shape.faces.push(face);
        let outer = Shell { faces: vec![(FaceId::from(shape.faces.len() - 1), true)] };
        shape.lumps.push(Lump { name: String::new(), colour: None, closed: false, outer, voids: Vec::new() });
    }
    let part = Part { name: "flow".into(), shape, tessellated: Vec::new() };
    let node = Node { name: "flow".into(), parent: None, part: Some(PartId(0)), placement: Motion::NONE, colour: None };
    Model { parts: ti_vec![part], nodes: ti_vec![node], unit: None }
}

#[test]
fn regions_of_a_plane_arrive_connected_and_their_edges_can_be_named() {
    let watch = Watch::default();
    let sent = step::write("flow", &regions(), &Motion::NONE, Unit::Mm, Schema::Ap214, &watch).expect("not cancelled");
    let design = step::read("flow.step", &sent.bytes, &watch).expect("it is read");
    let flow = exact::body_of("flow.step", design, None, Reader::Trusting, &watch).expect("not cancelled");
    let facts = flow.facts.exact.as_ref().expect("exact");
    assert!(facts.sheet);
    // The channel's top is cut at 40 and the chamber's bottom at 0: the stretch between is one edge.
    let shared: Vec<f64> = facts.edges.iter().filter(|e| e.faces == 2).map(|e| e.length).collect();
    assert_eq!(shared, [40.0]);
    assert_eq!(facts.edges.len(), 9);
    let names: Vec<&str> = flow.facts.boundaries.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(names, ["channel", "chamber"]);
    let topology = hull_geometry::topology::Topology::of(&flow.mesh, &watch).expect("not cancelled");
    assert_eq!((topology.shells, topology.overshared.len()), (1, 0));
    // Named, turned and moved, written and read: the names are where they were given.
    let steps = [
        Step::NameEdge(NameEdge { name: "inlet".into(), at: [0.0, 5.0, 0.0] }),
        Step::NameEdge(NameEdge { name: "wrong".into(), at: [80.0, 5.0, 0.0] }),
        Step::NameEdge(NameEdge { name: "outlet".into(), at: [80.0, 4.0, 0.0] }),
        Step::Orient(Orient { up: Axis::PlusX, forward: Axis::PlusY }),
        Step::Place(Place { anchor: Anchor::Origin, at: [5.0, 6.0, 7.0] }),
    ];
    let named = after(&flow, &steps);
    let made = export("flow", &named, Unit::M, DesignForm::Step(Schema::Ap242), &watch).expect("it reads back");
    assert!(made.comparison.iter().any(|c| c.figure == "named edges" && c.read_back == "2"));
    let back = step::read("flow.step", &made.bytes, &watch).expect("it is read");
    let again = exact::body_of("flow.step", back, None, Reader::Trusting, &watch).expect("not cancelled");
    for n in &named.facts.edge_names {
        let same = again.facts.edge_names.iter().find(|m| m.name == n.name).expect("the name came back");
        assert!(hull_geometry::vector::distance(same.at, n.at) < 1e-9, "{}: {:?} and {:?}", n.name, same.at, n.at);
    }
    assert_eq!(again.facts.edge_names.len(), 2);
}

/// A curve beside faces is told, kept as it is, and written again.
#[test]
fn a_curve_beside_faces_is_kept() {
    let watch = Watch::default();
    let mut model = body("step/pump-foot-ap214-mm.step").exact.expect("exact").model.clone();
    let shape = &mut model.parts[PartId(0)].shape;
    let ends = [[0.0, 0.0, 90.0], [50.0, 0.0, 90.0]].map(|p| shape.add_vertex(p));
    let line = Curve::Line { origin: [0.0, 0.0, 90.0], along: [50.0, 0.0, 0.0] };
    let edge = shape.add_edge(line, [0.0, 1.0], ends);
    shape.wires.push(edge);
    let sent = step::write("foot", &model, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch).expect("not cancelled");
    let design = step::read("foot.step", &sent.bytes, &watch).expect("it is read");
    let foot = exact::body_of("foot.step", design, None, Reader::Trusting, &watch).expect("not cancelled");
    let figures = &foot.facts.exact.as_ref().expect("exact").figures;
    assert_eq!((foot.wires().map(hull_exact::wires::Wires::count), figures.solids), (Some(1), 1));
    for form in DesignForm::ALL {
        let made = export("foot", &foot, Unit::Mm, form, &watch).unwrap_or_else(|e| panic!("{}: {e}", form.title()));
        let row = made.comparison.iter().find(|c| c.figure == "curves without faces").expect("told");
        assert_eq!((row.sent.as_str(), row.read_back.as_str()), ("1", "1"), "{}", form.title());
    }
}

/// A chain of a line, an arc run backwards and a spline is one curve in every form, as long as it was and in its order.
#[test]
fn a_chain_is_one_curve_in_a_design_file() {
    let watch = Watch::default();
    let mut lines = hull_formats::bundles::Bundles::default();
    let frame = Frame { origin: [50.0, 10.0, 0.0], ..Frame::WORLD };
    let quarter = std::f64::consts::FRAC_PI_2;
    let wave = [[60.0, 10.0, 0.0], [60.0, 20.0, 5.0], [70.0, 30.0, 5.0]];
    let wave = hull_exact::nurbs::NurbsCurve::new(2, vec![0.0, 0.0, 0.0, 1.0, 1.0, 1.0], &wave, None).expect("a curve");
    let pieces = vec![
        Piece { curve: Curve::Line { origin: [0.0; 3], along: [50.0, 0.0, 0.0] }, range: [0.0, 1.0] },
        // From below to the right: an arc that is stored the other way round.
        Piece {
            curve: Curve::Ellipse {
                frame: Frame { y: [0.0, -1.0, 0.0], z: [0.0, 0.0, -1.0], ..frame },
                a: 10.0,
                b: 10.0,
            },
            range: [quarter, 0.0],
        },
        Piece { curve: Curve::Nurbs(Box::new(wave)), range: [0.0, 1.0] },
    ];
    let drawn: Vec<[f64; 3]> = pieces.iter().flat_map(|p| [p.at(0.0)[0], p.at(0.5)[0], p.at(1.0)[0]]).collect();
    lines.chain("edge", pieces);
    lines.polyline("outline", &[[0.0; 3], [0.0, 0.0, 40.0], [30.0, 0.0, 40.0], [0.0; 3]]);
    let model = lines.finish(None);
    let mut body = Body { facts: Facts { scale: Some(Scale::Unit(Unit::Mm)), ..Facts::default() }, ..Body::default() };
    body.pieces = vec![hull_workshop::pieces::Piece::Lines(Arc::new(Wires { model, placed: Motion::NONE }))];
    for form in DesignForm::ALL {
        let made = export("chain", &body, Unit::Mm, form, &watch).unwrap_or_else(|e| panic!("{}: {e}", form.title()));
        let row = made.comparison.iter().find(|c| c.figure == "curves without faces").expect("told");
        assert_eq!((row.sent.as_str(), row.read_back.as_str()), ("2", "2"), "{}", form.title());
        let back = match hull_formats::open(&made.name, &made.bytes, &watch)
            .unwrap_or_else(|e| panic!("{}: {e}", made.name))
        {
            Content::Exact(design) => design.model,
            Content::Facets(received) => received.lines,
            Content::Points(_) => panic!("curves were sent"),
        };
        let edges = back.parts.iter().flat_map(|p| p.shape.wires.iter().map(|w| &p.shape.edges[*w]));
        let chains: Vec<_> =
            edges.filter_map(|e| if let Curve::Chain(c) = &e.curve { Some(c) } else { None }).collect();
        assert_eq!(chains.iter().map(|c| c.len()).collect::<Vec<_>>(), [3, 3], "{}", form.title());
        let off = |chain: &[Piece]| {
            let again = chain.iter().flat_map(|p| [p.at(0.0)[0], p.at(0.5)[0], p.at(1.0)[0]]);
            again.zip(&drawn).map(|(p, q)| hull_geometry::vector::distance(p, *q)).fold(0.0, f64::max)
        };
        let off = chains.iter().map(|c| off(c)).fold(f64::INFINITY, f64::min);
        assert!(off < 1e-9, "{}: {off}", form.title());
    }
}

/// Curves without faces, in no order and run either way: a frame with a dividing line that ends on its sides, a disc in
/// one half with a ring in it, a loose end.
fn outlines(discs: &[[f64; 3]]) -> Model {
    let mut shape = Shape::default();
    let mut wire = |curve: Curve, range: [f64; 2]| {
        let ends = [0, 1].map(|k| shape.add_vertex(curve.point(range[k])));
        let ends = if matches!(curve, Curve::Ellipse { .. }) { [ends[0]; 2] } else { ends };
        let edge = shape.add_edge(curve, range, ends);
        shape.wires.push(edge);
    };
    let lines = [
        ([0.0, 0.0], [60.0, 0.0]),
        ([0.0, 40.0], [0.0, 0.0]),
        ([60.0, 40.0], [60.0, 0.0]),
        ([0.0, 40.0], [60.0, 40.0]),
        ([30.0, 40.0], [30.0, 0.0]),
        ([60.0, 0.0], [70.0, -5.0]),
    ];
    for ([x0, y0], [x1, y1]) in lines {
        wire(Curve::Line { origin: [x0, y0, 3.0], along: [x1 - x0, y1 - y0, 0.0] }, [0.0, 1.0]);
    }
    for [x, y, r] in discs {
        let frame = Frame { origin: [*x, *y, 3.0], ..Frame::WORLD };
        wire(Curve::Ellipse { frame, a: *r, b: *r }, [0.0, std::f64::consts::TAU]);
    }
    let part = Part { name: "flow".into(), shape, tessellated: Vec::new() };
    let node = Node { name: "flow".into(), parent: None, part: Some(PartId(0)), placement: Motion::NONE, colour: None };
    Model { parts: ti_vec![part], nodes: ti_vec![node], unit: None }
}

#[test]
fn outlines_without_faces_become_the_regions_they_enclose() {
    let watch = Watch::default();
    let pi = std::f64::consts::PI;
    let drawn = outlines(&[[15.0, 20.0, 8.0], [15.0, 20.0, 3.0], [45.0, 20.0, 5.0]]);
    let sent = step::write("flow", &drawn, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch).expect("not cancelled");
    let design = step::read("flow.step", &sent.bytes, &watch).expect("it is read");
    let flow = exact::body_of("flow.step", design, None, Reader::Trusting, &watch).expect("not cancelled");
    let model = &flow.exact.as_ref().expect("exact").model;
    let shape = &model.parts[PartId(0)].shape;
    let (faces, doubts) = hull_exact::quadrature::of_faces(shape, Reader::Trusting);
    assert_eq!(doubts, 0);
    let mut areas: Vec<f64> = faces.iter().map(|f| f.area).collect();
    areas.sort_by(f64::total_cmp);
    let expected = [9.0 * pi, 25.0 * pi, 55.0 * pi, 1200.0 - 64.0 * pi, 1200.0 - 25.0 * pi];
    assert_eq!(areas.len(), expected.len(), "{areas:?}");
    assert!(areas.iter().zip(expected).all(|(a, e)| (a / e - 1.0).abs() < 1e-9), "{areas:?} for {expected:?}");
    // One connected surface: the dividing line is there once, between two regions.
    let topology = Topology::of(&flow.mesh, &watch).expect("not cancelled");
    assert_eq!((topology.shells, topology.overshared.len(), topology.misdirected.len()), (1, 0, 0));
    assert!(flow.facts.exact.as_ref().is_some_and(|e| e.sheet));
    // The loose end encloses nothing, and stays a curve.
    let loose: Vec<f64> = flow.wires().expect("lines").lines().iter().map(|l| l.length).collect();
    assert!(matches!(loose[..], [l] if (l - 125.0_f64.sqrt()).abs() < 1e-9), "{loose:?}");
    // A plane frame with a free end among lines of another plane is no drawing.
    let mut frames = outlines(&[]);
    let mut aside = frames.nodes[NodeId(0)].clone();
    aside.placement.frame.origin = [0.0, 0.0, 50.0];
    frames.nodes.push(aside);
    let sent = step::write("two", &frames, &Motion::NONE, Unit::Mm, Schema::Ap214, &watch).expect("not cancelled");
    let design = step::read("two.step", &sent.bytes, &watch).expect("it is read");
    let two = exact::body_of("two.step", design, None, Reader::Trusting, &watch).expect("not cancelled");
    assert_eq!((two.wires().map(hull_exact::wires::Wires::count), two.exact.is_none()), (Some(12), true));
    // Curves in space enclose nothing, also where only a loose end leaves the plane.
    for which in [EdgeId(1), EdgeId(5)] {
        let mut lifted = outlines(&[]);
        if let Curve::Line { along, .. } = &mut lifted.parts[PartId(0)].shape.edges[which].curve {
            along[2] = 5.0;
        }
        assert!(hull_exact::outlines::regions(&lifted.parts[PartId(0)].shape, true).is_none(), "{which:?}");
    }
}

/// Values that would make more facets than there is room for are refused at once, with what would do.
#[test]
fn facets_beyond_all_room_are_refused_before_they_are_made() {
    use hull_workshop::steps::facet::Facet;
    let ball = body("step/sphere-ap214-mm.step");
    let fluid = Destination::named("fluid").unwrap();
    let with = |deviation: f64, largest: Option<f64>| {
        let fineness = hull_exact::fineness::Fineness { deviation, angle: 10.0, largest, smallest: None, even: true };
        apply(&ball, &Step::Facet(Facet { fineness }), &fluid, &Watch::default())
            .map(|made| made.0.mesh.triangles.len())
    };
    let size = ball.bounds().diagonal();
    for (deviation, largest, words) in [
        (2e-18, None, "finer than a millionth"),
        (1e-7 * size, None, "finer than a millionth"),
        (0.1, Some(1e-4 * size), "the longest side must be"),
    ] {
        let refused = with(deviation, largest).expect_err("too many");
        assert!(refused.to_string().contains(words), "{deviation:e} {largest:?}: {refused}");
    }
    assert!(with(1e-4 * size, Some(0.02 * size)).expect("made") > 1000);
}
