//! What the survey says of a body, where it says it, and what the view and the pictures are sent.

use hull_formats::{Format, Label, Received};
use hull_geometry::nearest::nearest_facet;
use hull_geometry::shapes::{cuboid, sphere, torn, torus};
use hull_geometry::transform::translate;
use hull_geometry::vector::distance;
use hull_geometry::{FacetId, Mesh, NONE, PointId, Unit, Watch};
use hull_workshop::steps::{name_boundary::NameBoundary, set_unit::SetUnit, turn_outward::TurnOutward};
use hull_workshop::survey::{Kind, crossings, survey, topology};
use hull_workshop::{Body, Destination, Role, Sheet, Step, Verdict, apply, picture, view};
use proptest::prelude::*;

fn body(mesh: Mesh) -> Body {
    Body::from_received("part.stl", Received::plain(Format::StlBinary, mesh))
}

fn two_words(bytes: &[u8]) -> Vec<u32> {
    bytes.as_chunks::<4>().0.iter().map(|w| u32::from_le_bytes(*w)).collect()
}

#[test]
fn every_defect_is_counted_and_found_where_it_was_made() {
    // A box with a missing facet, a repeated one, one turned over and one without area; a box that touches
    // it in a corner only; a far box inside out.
    let mut mesh = cuboid([2.0; 3]);
    let mut touching = cuboid([1.0; 3]);
    translate(&mut touching, [2.0; 3]);
    let mut far = cuboid([1.0; 3]);
    translate(&mut far, [50.0, 0.0, 0.0]);
    far.triangles.iter_mut().for_each(|t| t.swap(0, 1));
    mesh.append(&touching);
    mesh.append(&far);
    hull_geometry::join::join_equal_points(&mut mesh);
    let missing = mesh.triangles.remove(FacetId(0));
    mesh.triangles[FacetId(3)].swap(0, 1);
    let turned = mesh.triangles[FacetId(3)];
    let doubled = *mesh.triangles.last().unwrap();
    mesh.triangles.push(doubled);
    mesh.triangles.push([doubled[0], doubled[0], doubled[1]]);
    let body = body(mesh);
    let (found, lines) = survey(&body, &Watch::default()).unwrap();
    let f = &found.topology;
    assert_eq!((f.open_edges, f.open_loops, f.pinched_points, f.misdirected_edges), (3, 1, 1, 3));
    assert_eq!((f.duplicate_triangles, f.zero_area_triangles, f.overshared_edges, f.shells), (1, 1, 3, 3));
    assert!(!f.closed && found.direction.facets_to_turn.is_none(), "inside and outside cannot be told yet");
    assert_eq!((lines.open.len(), lines.misdirected.len(), lines.overshared.len()), (3, 3, 3));
    let at = |kind: Kind| found.findings.iter().find(|x| x.kind == kind).unwrap().at;
    let corners = |t: [PointId; 3]| t.map(|p| body.mesh.points[p]);
    let beside = |place: [f64; 3], t: [PointId; 3]| {
        hull_geometry::nearest::nearest_on_triangle(place, corners(t))
            .iter()
            .zip(place)
            .all(|(a, b)| (a - b).abs() < 1e-9)
    };
    assert!(beside(at(Kind::of(topology::OPEN)), missing));
    assert!(beside(at(Kind::of(topology::MISDIRECTED)), turned));
    assert!(beside(at(Kind::of(topology::DUPLICATE)), doubled));
    assert_eq!(at(Kind::of(topology::PINCHED)), [2.0; 3]);
    for finding in &found.findings {
        assert!(nearest_facet(&body.mesh, finding.at).unwrap().1 < 1e-9, "{finding:?} lies on the surface");
    }
}

#[test]
fn a_body_inside_out_says_how_many_facets_to_turn() {
    let mut inside_out = sphere(10.0, 20, 12);
    inside_out.triangles.iter_mut().for_each(|t| t.swap(0, 1));
    let facets = inside_out.triangles.len();
    let body = body(inside_out);
    let (found, _) = survey(&body, &Watch::default()).unwrap();
    assert!(found.topology.closed && found.size.volume < 0.0);
    assert_eq!(found.direction.facets_to_turn, Some(facets));
    let (turned, change) =
        apply(&body, &Step::TurnOutward(TurnOutward {}), &Destination::named("fluid").unwrap(), &Watch::default())
            .unwrap();
    let (after, _) = survey(&turned, &Watch::default()).unwrap();
    assert_eq!((after.direction.facets_to_turn, after.size.volume), (Some(0), -found.size.volume));
    assert!(change.sentence.contains(&facets.to_string()), "{}", change.sentence);
}

#[test]
fn the_unnamed_part_shrinks_as_names_are_given_and_roles_follow_from_names() {
    let body = body(cuboid([1.0, 1.0, 2.0]));
    let part = |b: &Body| survey(b, &Watch::default()).unwrap().0.names.unnamed_part();
    assert_eq!(part(&body), 1.0);
    let side = |at: [f64; 3]| {
        hull_workshop::selection::Selection::from(hull_workshop::selection::Pick::Grow { at, angle: 10.0 })
    };
    let step = Step::NameBoundary(NameBoundary { name: "Inlet port".into(), role: None, pick: side([0.5, 0.5, 0.0]) });
    let (body, _) = apply(&body, &step, &Destination::named("fluid").unwrap(), &Watch::default()).unwrap();
    assert!((part(&body) - 0.9).abs() < 1e-12, "one square metre of ten has a name");
    assert_eq!(body.facts.boundaries[0].role, Some(Role::Inlet));
    // The same facets under another name: they move, and the boundary left empty goes.
    let step = Step::NameBoundary(NameBoundary { name: "outlet".into(), role: None, pick: side([0.5, 0.5, 0.0]) });
    let (body, _) = apply(&body, &step, &Destination::named("fluid").unwrap(), &Watch::default()).unwrap();
    assert_eq!(body.facts.boundaries.iter().map(|b| b.name.as_str()).collect::<Vec<_>>(), ["outlet"]);
}

#[test]
fn names_of_the_file_arrive_as_boundaries() {
    let mut got = Received::plain(Format::StlAscii, cuboid([1.0; 3]));
    let label = |name: &str| Label { name: name.into(), material: None };
    got.labels = vec![label("cooling_inlet"), label(""), label("Wall")];
    got.label_of = (0..12).map(|f| f / 4).collect();
    let body = Body::from_received("a.stl", got);
    let named: Vec<_> = body.facts.boundaries.iter().map(|b| (b.name.as_str(), b.role)).collect();
    assert_eq!(named, [("cooling_inlet", Some(Role::Inlet)), ("Wall", Some(Role::Wall))]);
    assert_eq!(body.columns.boundary.raw, [0, 0, 0, 0, NONE, NONE, NONE, NONE, 1, 1, 1, 1]);
}

/// Whether each pixel of a body's picture shows something.
fn shown(mesh: Mesh) -> Vec<bool> {
    let bytes = picture::picture(&body(mesh));
    let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
    let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
    reader.next_frame(&mut pixels).unwrap();
    assert_eq!(pixels.len(), picture::WIDTH * picture::HEIGHT * 4);
    pixels.as_chunks::<4>().0.iter().map(|p| p[3] == 255).collect()
}

#[test]
fn a_picture_shows_the_whole_body_in_its_middle() {
    let (wide, high) = (picture::WIDTH as f64, picture::HEIGHT as f64);
    // A ball is a disc nine tenths as high as the picture, without holes between its facets.
    let radius = 0.45 * high;
    let ball = shown(sphere(3.0, 120, 80));
    let wrong = (0..ball.len()).filter(|i| {
        let (x, y) = ((i % picture::WIDTH) as f64 + 0.5 - wide / 2.0, (i / picture::WIDTH) as f64 + 0.5 - high / 2.0);
        ball[*i] != (x.hypot(y) < radius)
    });
    assert!(wrong.count() < 2500, "about a pixel's width along the rim at most");
    let middle = picture::WIDTH * (picture::HEIGHT / 2) + picture::WIDTH / 2;
    let ring = shown(torus(5.0, 1.0, 60, 20));
    assert!(ring.contains(&true) && ball[middle] && !ring[middle], "one looks through a ring");
    assert!(!shown(Mesh::default()).contains(&true));
}

proptest! {
    /// The payload decoded as the page decodes it (web/src/geometry.ts).
    #[test]
    fn the_view_is_sent_every_facet_and_points_to_a_step_of_the_box(
        size in prop::array::uniform3(0.001..1000.0f64), at in prop::array::uniform3(-1e5..1e5f64), patches in 1..5usize,
    ) {
        let mut mesh = torn(&cuboid(size), patches, size[0] * 0.01);
        translate(&mut mesh, at);
        let (body, _) = apply(&body(mesh), &Step::SetUnit(SetUnit { unit: Unit::Mm }), &Destination::named("fluid").unwrap(), &Watch::default()).unwrap();
        let (found, lines) = survey(&body, &Watch::default()).unwrap();
        let words = two_words(&view::full(&body, &lines));
        prop_assert_eq!(words[0], u32::from_le_bytes(*b"RHV1"));
        let (points, facets, runs) = (words[1] as usize, words[2] as usize, words[3] as usize);
        prop_assert_eq!((points, facets, words[4] as usize), (body.mesh.points.len(), 12, found.topology.open_edges));
        let float = |i: usize| f64::from(f32::from_bits(words[i]));
        for (i, p) in body.mesh.points.iter().enumerate() {
            let packed = u64::from(words[16 + 2 * i]) | u64::from(words[17 + 2 * i]) << 32;
            for (k, &x) in p.iter().enumerate() {
                let (min, max) = (float(8 + k), float(11 + k));
                let shown = min + ((packed >> (21 * k)) & 0x1f_ffff) as f64 / 2_097_151.0 * (max - min);
                // Half a step of the box, and what single precision takes from its corners.
                let allowed = (max - min) / 2_097_151.0 + x.abs().max(max.abs()).max(min.abs()) * 1.2e-7;
                prop_assert!((shown - x).abs() <= allowed, "{} for {}", shown, x);
            }
        }
        let corners = &words[16 + 2 * points..16 + 2 * points + 36];
        prop_assert_eq!(corners, body.mesh.corner_numbers().flatten().collect::<Vec<_>>());
        let segments: usize = words[4..8].iter().map(|&n| n as usize).sum();
        prop_assert_eq!(words.len(), 16 + 2 * points + 3 * facets + 2 * runs + 2 * segments);
    }
}

#[test]
fn a_large_body_is_sent_within_twenty_bytes_a_facet_and_reduced_for_moving() {
    let large = body(torus(50.0, 20.0, 400, 200));
    let (_, lines) = survey(&large, &Watch::default()).unwrap();
    assert!(view::full(&large, &lines).len() <= 20 * 160_000);
    let moving = two_words(&view::moving(&large));
    assert!(moving[2] as usize <= view::MOVING_FACETS && moving[2] > 10_000, "{} facets", moving[2]);
    let far = f64::from(f32::from_bits(moving[11]));
    assert!(distance([far, 0.0, 0.0], [70.0, 0.0, 0.0]) < 2.0, "as large as the body");
}

#[test]
fn bodies_that_run_through_or_lie_on_each_other_are_short_with_their_places() {
    let pair = |size: [f64; 3], by: [f64; 3]| {
        let mut mesh = cuboid([4.0; 3]);
        let mut other = cuboid(size);
        translate(&mut other, by);
        mesh.append(&other);
        let body = body(mesh);
        let (found, _) = survey(&body, &Watch::default()).unwrap();
        let sheet = Sheet::of(&body.facts, &found, &Destination::named("fluid").unwrap());
        let short = |id: &str| sheet.rows.iter().find(|r| r.id == id).unwrap().verdict == Verdict::NotMet;
        (found.crossings.clone(), found.findings, short("no_crossings"), short("no_overlaps"))
    };
    // A rod through the box: one ring where it goes in, one where it comes out.
    let (figures, findings, crossing, overlap) = pair([1.0, 1.0, 9.0], [1.5, 1.2, -2.0]);
    assert!(crossing && !overlap && figures.self_intersections > Some(0) && figures.coplanar_overlaps == Some(0));
    let places: Vec<f64> =
        findings.iter().filter(|f| f.kind == Kind::of(crossings::CROSSING)).map(|f| f.at[2]).collect();
    assert!(!places.is_empty() && places.iter().all(|z| z.abs() < 1e-9 || (z - 4.0).abs() < 1e-9), "{places:?}");
    // A smaller box that stands on it: their faces lie on each other, and its sides end in the face.
    let (_, findings, _, overlap) = pair([2.0; 3], [1.0, 1.0, 4.0]);
    assert!(overlap && findings.iter().any(|f| f.kind == Kind::of(crossings::OVERLAP) && (f.at[2] - 4.0).abs() < 1e-9));
    // Side by side with room between: neither.
    let (figures, _, crossing, overlap) = pair([2.0; 3], [1.0, 1.0, 4.1]);
    assert!(!crossing && !overlap && figures.self_intersections == Some(0));
}

/// A box of walls 1.5 thick, open to the air by nothing: an outer box with a cavity.
#[test]
fn the_thinnest_wall_is_measured_also_where_it_is_not_thin_against_the_size() {
    let hollow = |size: [f64; 3], wall: f64| {
        let mut mesh = cuboid(size);
        let mut cavity = cuboid(size.map(|x| x - 2.0 * wall));
        translate(&mut cavity, [wall; 3]);
        cavity.triangles.iter_mut().for_each(|t| t.swap(1, 2));
        mesh.append(&cavity);
        let mut body = body(mesh);
        body.facts.scale = Some(hull_workshop::body::Scale::Unit(hull_geometry::Unit::Mm));
        body
    };
    let print = Destination::named("print").unwrap();
    for (wall, met) in [(0.5, false), (1.5, true), (2.5, true)] {
        let body = hollow([40.0, 30.0, 20.0], wall);
        let (found, _) = survey(&body, &Watch::default()).unwrap();
        let thinnest = found.thickness.thinnest.expect("thinner than a tenth of the diagonal");
        assert!((thinnest - wall).abs() < 1e-9, "{thinnest} for {wall}");
        let sheet = Sheet::of(&body.facts, &found, &print);
        let row = sheet.rows.iter().find(|r| r.id == "walls_can_be_made").unwrap();
        assert_eq!(row.verdict == Verdict::Met, met, "{}", row.measured);
    }
    let solid = Body { facts: hollow([4.0; 3], 1.0).facts, ..body(cuboid([4.0; 3])) };
    let (found, _) = survey(&solid, &Watch::default()).unwrap();
    assert_eq!(found.thickness.thinnest, None, "a cube is thicker than a tenth of its diagonal");
}

/// The edges of a box are as long as its sides; a facet of twelve has a known mean area.
#[test]
fn the_shortest_edge_of_the_shape_is_held_against_the_facets() {
    let (found, _) = survey(&body(cuboid([10.0, 6.0, 0.25])), &Watch::default()).unwrap();
    assert_eq!(found.features.shortest, Some(0.25));
    let area = 2.0 * (60.0 + 2.5 + 1.5) / 12.0;
    assert!((found.features.facet_size - (4.0 * area / 3.0_f64.sqrt()).sqrt()).abs() < 1e-12);
    // The four short edges are places.
    let small = found.findings.iter().filter(|f| f.kind.id() == "smallest_feature").count();
    assert_eq!(small, 4);
    // A torus has no edges at all.
    let (round, _) = survey(&body(hull_geometry::shapes::torus(5.0, 2.0, 40, 30)), &Watch::default()).unwrap();
    assert_eq!(round.features.shortest, None);
}

/// What is stored by an earlier version counts as not looked at where nobody looked then.
#[test]
fn a_survey_without_a_probe_awaits_it() {
    let (found, _) = survey(&body(cuboid([1.0; 3])), &Watch::default()).unwrap();
    let mut stored = serde_json::to_value(&found).unwrap();
    assert_eq!(serde_json::from_value::<hull_workshop::Survey>(stored.clone()).unwrap(), found);
    stored.as_object_mut().unwrap().remove("thickness");
    let read: hull_workshop::Survey = serde_json::from_value(stored).unwrap();
    assert_eq!(read.awaited, ["thickness"]);
    let scale = Some(hull_workshop::body::Scale::Unit(hull_geometry::Unit::Mm));
    let facts = hull_workshop::body::Facts { scale, ..Default::default() };
    let sheet = Sheet::of(&facts, &read, &Destination::named("print").unwrap());
    let row = sheet.rows.iter().find(|r| r.id == "walls_can_be_made").unwrap();
    assert_eq!((row.verdict, row.measured.as_str()), (Verdict::Pending, "not looked at"));
}
