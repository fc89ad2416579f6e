//! What is written reads back as it was: solids, faces, names, colours, and figures by quadrature.

use crate::common::{close, files, joined, model};
use hull_exact::as_spline::surface_as_spline;
use hull_exact::assembly::ModelFigures;
use hull_exact::curve::{Curve, Piece};
use hull_exact::explicit::explicit;
use hull_exact::model::{Model, Node, NodeId, Part, PartId, Tessellated};
use hull_exact::nurbs::{NurbsCurve, NurbsSurface};
use hull_exact::parameter_loops::{Reader, parameter_box};
use hull_exact::pcurve::bounds_on;
use hull_exact::shape::{Face, FaceId, Lump, Shape, Shell};
use hull_exact::{Frame, Motion, Surface, quadrature, sample};
use hull_formats::iges;
use hull_formats::iges::Form;
use hull_formats::step::{self, Schema};
use hull_geometry::join::join_equal_points;
use hull_geometry::topology::Topology;
use hull_geometry::{Mesh, Unit, Watch, measure};
use proptest::prelude::*;
use typed_index_collections::ti_vec;

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

#[test]
fn iges_reads_back_as_solids_and_as_surfaces_that_join_into_them() {
    for (path, form) in
        files("step").iter().chain(&files("iges")).flat_map(|p| [(p, Form::Solids), (p, Form::Surfaces)])
    {
        let sent = model(path);
        let figures = sent.figures(Reader::Trusting);
        let mm = sent.unit.as_ref().map_or(1.0, |u| u.millimetres);
        let unit = Unit::Mm;
        let name = format!("{} as IGES, {form:?}", path.display());
        let by = placed(mm, unit);
        let written = iges::write("part", &sent, &by, unit, form, &Watch::default()).expect("not cancelled");
        assert_eq!(written.left_out, [], "{name}: left out");
        assert!(written.bytes.split(|b| *b == b'\n').all(|l| l.is_empty() || l.len() == 80), "{name}: 80 columns");
        let back = iges::read("part.igs", &written.bytes, &Watch::default()).unwrap_or_else(|e| panic!("{e}"));
        assert_eq!((back.skipped, back.faces_given_up), (vec![], 0), "{name}: skipped");
        let gap = name.split("loose-").nth(1).and_then(|t| t.split("mm").next()?.parse().ok());
        let gap: f64 = gap.unwrap_or(0.0);
        let again = if form == Form::Surfaces { joined(&back.model) } else { back.model.clone() };
        compare(&name, &figures, &again.figures(Reader::Trusting), by.scale, 1e-7 + 0.05 * gap);
        if name.contains("assembly") {
            assert_eq!(paths(&back.model), paths(&sent), "{name}: the tree");
        }
        if form == Form::Solids {
            assert_eq!(face_colours(&back.model), face_colours(&sent), "{name}: colours of faces");
        }
        assert_eq!(back.model.occurrences().count(), sent.occurrences().count(), "{name}: places");
        assert_eq!(back.model.parts.len(), sent.parts.len(), "{name}: repeated parts are stored once");
    }
}

#[test]
fn bounds_in_parameters_close_and_lie_on_those_in_space() {
    let (mut straight, mut fitted, mut seams, mut only_in_space) = (0, 0, 0, 0);
    for path in files("step").iter().chain(&files("iges")) {
        let sent = model(path);
        let loose = path.to_string_lossy().contains("loose-");
        for part in sent.parts.iter().filter(|_| !loose) {
            let (shape, _) = explicit(&part.shape);
            let samples = sample::evenly(&shape, 16);
            for face in &shape.faces {
                let needed = parameter_box(&shape, face, &samples).expect("bounds");
                let own = &shape.surfaces[face.surface];
                let surface = surface_as_spline(own, needed).expect("every surface has a form");
                let bounds = bounds_on(&surface, &shape, face, &samples);
                seams += usize::from(bounds.needs_parameters);
                for sides in &bounds.loops {
                    let ends: Option<Vec<[[f64; 3]; 2]>> =
                        sides.iter().map(|s| s.plane.as_ref().map(|p| [p.at(0.0)[0], p.at(1.0)[0]])).collect();
                    let Some(ends) = ends else {
                        only_in_space += 1;
                        continue;
                    };
                    let extent = needed.iter().map(|[a, b]| b - a).fold(0.0, f64::max);
                    for (i, side) in ends.iter().enumerate() {
                        let next = ends[(i + 1) % ends.len()][0];
                        let gap = hull_geometry::vector::distance(side[1], next);
                        assert!(gap <= 1e-6 * extent, "{}: open by {gap} of {extent}", path.display());
                    }
                    for side in sides {
                        let (Some(plane), Some(space)) = (&side.plane, &side.space) else { continue };
                        match plane.curve {
                            Curve::Line { .. } => straight += 1,
                            _ => fitted += 1,
                        }
                        for s in [0.0, 0.13, 0.5, 0.71, 1.0] {
                            let uv = plane.at(s)[0];
                            let off = hull_geometry::vector::distance(surface.point(uv[0], uv[1]), space.at(s)[0]);
                            let size = shape.rough_size();
                            assert!(off <= 1e-6 * size, "{}: off by {off} of {size} at {s}", path.display());
                        }
                    }
                }
            }
        }
    }
    assert!(
        straight > 400 && fitted > 20 && seams > 20,
        "{straight} lines, {fitted} splines, {seams} faces with seams"
    );
    assert!(only_in_space < straight / 10, "{only_in_space} bounds in space only");
}

/// One part at the root.
fn alone(part: Part, name: &str) -> Model {
    let node = Node { name: name.into(), parent: None, part: Some(PartId(0)), placement: Motion::NONE, colour: None };
    Model { parts: ti_vec![part], nodes: ti_vec![node], unit: None }
}

#[test]
fn facets_read_back_as_facets_or_as_a_faceted_solid() {
    // A box in two named pieces: its top, and the rest.
    let corners: Vec<[f64; 3]> = (0..8).map(|i| [i & 1, i >> 1 & 1, i >> 2].map(|x| 0.1 * f64::from(x))).collect();
    let quads = [[4, 5, 7, 6], [0, 2, 3, 1], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let piece = |range: std::ops::Range<usize>| {
        let triangles = quads[range].iter().flat_map(|&[a, b, c, d]| [[a, b, c], [a, c, d]]).collect();
        let mut mesh = Mesh::from_arrays(corners.clone(), triangles);
        mesh.drop_unused_points();
        mesh
    };
    let named = |name: &str, mesh: Mesh| Tessellated { name: name.into(), colour: Some([0.2, 0.4, 0.6]), mesh };
    let names = ["Deckel „oben“ \u{1F527}", "it's the \\rest"];
    let tessellated = vec![named(names[0], piece(0..1)), named(names[1], piece(1..6))];
    let model = alone(Part { name: "box".into(), tessellated, ..Part::default() }, "Kasten ü");
    let watch = Watch::default();
    let send = |schema| step::write("box", &model, &Motion::NONE, Unit::M, schema, &watch).expect("not cancelled");
    let back = |bytes: &[u8]| step::read("box.step", bytes, &watch).unwrap_or_else(|e| panic!("{e}")).model;
    let tessellated = back(&send(Schema::Ap242).bytes);
    assert_eq!(tessellated.nodes[NodeId(0)].name, "Kasten ü");
    let pieces = &tessellated.parts[PartId(0)].tessellated;
    assert_eq!(pieces.iter().map(|t| t.name.as_str()).collect::<Vec<_>>(), names);
    assert!(pieces.iter().all(|t| t.colour.is_some_and(|c| (c[1] - 0.4).abs() < 1e-6)), "colours");
    let mut whole = Mesh::default();
    pieces.iter().for_each(|t| whole.append(&t.mesh));
    join_equal_points(&mut whole);
    assert!(Topology::of(&whole, &watch).expect("not cancelled").is_closed());
    assert!((measure::mass(&whole, &whole.bounds()).volume - 1e-3).abs() < 1e-15);
    let faceted = back(&send(Schema::Ap214).bytes);
    let figures = faceted.figures(Reader::Trusting);
    assert_eq!((figures.solids, figures.faces, figures.open_edges), (1, 12, 0));
    assert!((figures.volume - 1e-3).abs() < 1e-12);
    let refused =
        iges::write("box", &model, &Motion::NONE, Unit::M, Form::Solids, &watch).expect("not cancelled").left_out;
    assert_eq!(refused.iter().map(|s| s.count).sum::<usize>(), 12, "IGES says that it has no place for facets");
}

fn wave(n: usize, step: f64, height: f64) -> Vec<[f64; 3]> {
    (0..n).map(|i| [i as f64 * step, height * (i as f64 * 1.7).sin(), height * (i as f64 * 0.9).cos()]).collect()
}

/// Curves that may be a profile: every kind, with its range.
fn profile(kind: usize, a: f64, b: f64) -> (Curve, [f64; 2]) {
    // Off the axis about which it may be turned.
    let frame = Frame::new([5.0, 0.0, 1.0], [0.1, 1.0, 0.2], Some([1.0, 0.2, 0.0]));
    let spline = |degree: usize| {
        let points: Vec<[f64; 3]> = wave(6, 1.0, 0.4 * b).iter().map(|p| [p[0] + 4.0, p[1], p[2]]).collect();
        let inner = (1..6 - degree).map(|i| i as f64);
        let end = (6 - degree) as f64;
        let knots = std::iter::repeat_n(0.0, degree + 1).chain(inner).chain(std::iter::repeat_n(end, degree + 1));
        let weights = [1.0, 0.7, 1.0, 1.3, 1.0, 1.0];
        Curve::Nurbs(Box::new(NurbsCurve::new(degree, knots.collect(), &points, Some(&weights)).expect("a spline")))
    };
    match kind {
        0 => (Curve::Line { origin: [4.0, 0.0, 0.0], along: [0.3, 0.2, a] }, [-0.5, 1.5]),
        1 => (Curve::Ellipse { frame, a, b: a }, [0.3, 2.9]),
        2 => (Curve::Ellipse { frame, a, b }, [-1.0, 2.0]),
        3 => (Curve::Hyperbola { frame, a, b }, [-0.6, 0.8]),
        4 => (Curve::Parabola { frame, focal: 0.4 * a }, [-0.8, 0.9]),
        5 => (spline(3), [0.0, 3.0]),
        6 => (
            Curve::Offset { base: Box::new(spline(3)), by: 0.05 * a, growth: 0.01 * a, normal: [0.0, 1.0, 0.0] },
            [0.0, 3.0],
        ),
        _ => {
            let corner = [5.0, 0.0, 1.0 + b];
            let line = |p: [f64; 3], q: [f64; 3]| Piece {
                curve: Curve::Line { origin: p, along: [q[0] - p[0], q[1] - p[1], q[2] - p[2]] },
                range: [0.0, 1.0],
            };
            // The second stretch is stored the other way round.
            let second = line([5.0 + a, 0.3, 1.0 + 2.0 * b], corner);
            let chain = vec![line([5.0, 0.0, 1.0], corner), Piece { range: [1.0, 0.0], ..second }];
            (Curve::Chain(chain), [0.0, 2.0])
        }
    }
}

/// A stretch of a surface of every kind.
fn patch(kind: usize, curve: usize, a: f64, b: f64) -> (Surface, [[f64; 2]; 2]) {
    let frame = Frame::new([1.0, 2.0, 3.0], [1.0, 0.5, 2.0], None);
    let (profile, range) = profile(curve, a, b);
    match kind {
        0 => (Surface::Plane(frame), [[-a, b], [0.0, 1.0]]),
        1 => (Surface::Cylinder { frame, radius: a }, [[-0.5, 1.5], [-b, b]]),
        2 => (Surface::Cone { frame, radius: 2.0, half_angle: 0.3 * a - 0.3 }, [[5.5, 7.5], [0.0, b]]),
        3 => (Surface::Sphere { frame, radius: a }, [[0.2, 2.0], [-0.8, 1.1]]),
        4 => (Surface::Torus { frame, major: 3.0, minor: a }, [[0.2, 2.0], [2.0, 4.4]]),
        5 => (Surface::Extrusion { profile, along: [0.2, b, 0.1] }, [range, [-0.5, 1.0]]),
        6 => (Surface::Revolution { profile, axis: Frame::WORLD }, [[0.4, 2.2], range]),
        7 => {
            let lower = profile.moved(&Motion { frame: Frame { origin: [0.0, 3.0, 0.5], ..Frame::WORLD }, scale: 0.7 });
            (Surface::Ruled { curves: Box::new([profile, lower]), ranges: [range, range] }, [[0.0, 1.0], [0.0, 1.0]])
        }
        8 => {
            let rows: Vec<[f64; 3]> = (0..5)
                .flat_map(|i| wave(4, 1.0, 0.3 * b).into_iter().map(move |p| [p[0], f64::from(i) * 0.8, p[1] + p[2]]))
                .collect();
            let knots = [vec![0.0, 0.0, 0.0, 0.4, 0.7, 1.0, 1.0, 1.0], vec![0.0, 0.0, 0.0, 0.0, 1.0, 1.0, 1.0, 1.0]];
            let weights: Vec<f64> = (0..20).map(|i| 1.0 + 0.2 * f64::from(i % 3)).collect();
            let n = NurbsSurface::new([2, 3], knots, 4, &rows, Some(&weights)).expect("a surface");
            (Surface::Nurbs(Box::new(n)), [[0.1, 0.9], [0.2, 0.8]])
        }
        _ => {
            let (base, sides) = patch(kind % 9, curve, a, b);
            (Surface::Offset { base: Box::new(base), by: 0.05 * a }, sides)
        }
    }
}

proptest! {
    /// Every surface bounded by every curve, turned, moved and mirrored, reads back with its area and its moments.
    #[test]
    fn any_face_reads_back(
        kind in 0..13_usize,
        curve in 0..8_usize,
        (a, b) in (0.3..1.4_f64, 0.3..1.4_f64),
        axis in prop::array::uniform3(-1.0..1.0_f64),
        mirror: bool,
    ) {
        let (surface, sides) = patch(kind, curve, a, b);
        let mut shape = Shape::default();
        let bound = shape.rectangle_loop(&surface, sides).expect("a rectangle");
        let surface = shape.add_surface(surface);
        let face = |name: &str| Face {
            surface, same_sense: true, loops: vec![bound.clone()], name: name.into(), colour: None, layer: None,
        };
        shape.faces = ti_vec![face("patch")];
        let outer = Shell { faces: vec![(FaceId(0), true)] };
        shape.lumps = vec![Lump { name: "sheet".into(), colour: None, closed: false, outer, voids: Vec::new() }];
        let mut frame = Frame::new([3.0, -2.0, 1.0], axis, None);
        if mirror {
            frame.y = frame.y.map(|x| -x);
        }
        let by = Motion { frame, scale: 2.5 };
        let sent = quadrature::of_faces(&shape.moved(&by), Reader::Trusting).0[FaceId(0)];
        let model = alone(Part { name: "sheet".into(), shape, ..Part::default() }, "sheet");
        let watch = Watch::default();
        let step = step::write("sheet", &model, &by, Unit::Mm, Schema::Ap214, &watch).expect("not cancelled");
        let [solids, surfaces] = [Form::Solids, Form::Surfaces]
            .map(|form| iges::write("sheet", &model, &by, Unit::Mm, form, &watch).expect("not cancelled"));
        for (form, written) in [("STEP", &step), ("IGES shells", &solids), ("IGES surfaces", &surfaces)] {
            prop_assert_eq!(&written.left_out, &vec![], "{} left something out", form);
            let back = match form {
                "STEP" => step::read("sheet.step", &written.bytes, &watch),
                _ => iges::read("sheet.igs", &written.bytes, &watch),
            };
            let back = back.unwrap_or_else(|e| panic!("{e}")).model;
            let shape = &back.parts[PartId(0)].shape;
            prop_assert_eq!(&shape.faces[FaceId(0)].name, "patch");
            let (found, doubts) = quadrature::of_faces(shape, Reader::Trusting);
            prop_assert_eq!((found.len(), doubts), (1, 0));
            let off = (found[FaceId(0)].area - sent.area).abs();
            prop_assert!(off <= 2e-7 * sent.area, "{form}: area {} sent, {} read back", sent.area, found[FaceId(0)].area);
        }
    }
}
