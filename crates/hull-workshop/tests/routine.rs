//! The whole way of a dirty part through the rules of the job.

use hull_formats::{Format, Received};
use hull_geometry::shapes::{cuboid, torn, torus};
use hull_geometry::transform::{Axis, enlarge};
use hull_geometry::{Unit, Watch, measure};
use hull_workshop::handover::{Form, HandoverError, hand_over};
use hull_workshop::prepare::{Prepared, prepare};
use hull_workshop::routine::Routine;
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::size::candidates;
use hull_workshop::steps::{
    fill_holes::FillHoles, name_boundary::NameBoundary, orient::Orient, set_size::SetSize, set_unit::SetUnit,
    stitch::Stitch, turn_outward::TurnOutward, waive::Waive,
};
use hull_workshop::{Body, Destination, Role, Step, Verdict, apply};

fn fluid() -> Destination {
    Destination::named("fluid").unwrap()
}

fn received(mesh: hull_geometry::Mesh) -> Body {
    Body::from_received("part.stl", Received::plain(Format::StlBinary, mesh))
}

/// A box 10 by 6 by 4 inches whose sides do not quite meet.
fn torn_box() -> Body {
    received(torn(&cuboid([10.0, 6.0, 4.0]), 6, 0.002))
}

fn name(name: &str, role: Role, at: [f64; 3]) -> Step {
    let pick = Selection::from(Pick::Grow { at, angle: 20.0 });
    Step::NameBoundary(NameBoundary { name: name.into(), role: Some(role), pick })
}

fn steps() -> Vec<Step> {
    vec![
        Step::SetUnit(SetUnit { unit: Unit::In }),
        Step::Orient(Orient { up: Axis::PlusY, forward: Axis::PlusX }),
        Step::Stitch(Stitch { tolerance: 0.2 }),
        Step::TurnOutward(TurnOutward {}),
        // In mm, after the turn: x to 254, the old z is y now.
        name("inlet", Role::Inlet, [0.0, -50.0, 80.0]),
        name("outlet", Role::Outlet, [254.0, -50.0, 80.0]),
        Step::NameBoundary(NameBoundary { name: "wall".into(), role: None, pick: Selection::from(Pick::Unnamed) }),
    ]
}

fn prepared(steps: &[Step]) -> Prepared {
    prepare(torn_box(), steps, &fluid(), &Watch::default()).unwrap()
}

#[test]
fn a_torn_box_is_ready_after_its_routine_and_reads_back() {
    let p = prepared(&steps());
    let short: Vec<_> = p.sheet.outstanding().map(|r| format!("{} {}", r.phrase, r.measured)).collect();
    assert!(short.is_empty(), "{short:?}");
    for (form, files) in [
        (Form::Ascii, 1),
        (Form::Binary, 3),
        (Form::Obj, 1),
        (Form::PlySurface, 3),
        (Form::ThreeMf, 1),
        (Form::Glb, 1),
        (Form::Vtu, 1),
        (Form::Dxf, 1),
    ] {
        let made = hand_over("torn box", &p, &fluid(), form, &Watch::default()).unwrap();
        assert_eq!(made.manifest.files.len(), files);
        assert!(made.manifest.comparison.iter().all(|c| c.same));
        // 240 cubic inches in cubic metres, less what the gaps took.
        let volume: f64 =
            made.manifest.comparison.iter().find(|c| c.figure == "volume").unwrap().read_back.parse().unwrap();
        let exact = 240.0 * 0.0254f64.powi(3);
        assert!((volume - exact).abs() < 1e-3 * exact, "{volume}");
        let again = hand_over("torn box", &p, &fluid(), form, &Watch::default()).unwrap();
        assert!(made.zip == again.zip, "the same body gives the same package");
    }
}

#[test]
fn a_handover_is_refused_with_the_list_of_what_is_short() {
    let p = prepared(&steps()[..4]);
    let Err(HandoverError::NotReady(list)) = hand_over("x", &p, &fluid(), Form::Ascii, &Watch::default()) else {
        panic!("handed over without names");
    };
    assert_eq!(list.len(), 3, "names, inlet, outlet: {list:?}");
    let waive =
        |id: &str| Step::Waive(Waive { requirement: id.into(), reason: "closed vessel".into(), by: "R. Teal".into() });
    let mut more = steps()[..4].to_vec();
    more.extend([Step::NameBoundary(NameBoundary {
        name: "wall".into(),
        role: None,
        pick: Selection::from(Pick::Unnamed),
    })]);
    more.extend([waive("inlet_present"), waive("outlet_present")]);
    let p = prepared(&more);
    assert_eq!(p.sheet.number(Verdict::Waived), 2);
    let made = hand_over("x", &p, &fluid(), Form::Ascii, &Watch::default()).unwrap();
    let page = String::from_utf8(made.files.iter().find(|f| f.0 == "readiness-sheet.html").unwrap().1.clone()).unwrap();
    assert!(page.contains("closed vessel (R. Teal)"), "a waiver stands on the sheet with its reason and name");
}

#[test]
fn a_routine_survives_toml_and_replays_to_the_same_bytes() {
    let routine = Routine { name: "box".into(), made_from: Some("part.stl".into()), steps: steps() };
    let again = Routine::from_toml(&routine.to_toml().unwrap()).unwrap();
    assert_eq!(again, routine);
    let threads = |n| rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap();
    let (one, three) = (threads(1).install(|| prepared(&steps())), threads(3).install(|| prepared(&again.steps)));
    assert_eq!(one.body, three.body);
    assert!(Routine::from_toml("steps = [{ step = \"bend\" }]").unwrap_err().contains("bend"));
}

#[test]
fn a_unit_can_be_corrected_and_a_measured_distance_sets_the_size() {
    let watch = Watch::default();
    let body = received(cuboid([10.0, 6.0, 4.0]));
    let (wrong, _) =
        apply(&body, &Step::SetUnit(SetUnit { unit: Unit::M }), &Destination::named("fluid").unwrap(), &watch).unwrap();
    let (right, _) =
        apply(&wrong, &Step::SetUnit(SetUnit { unit: Unit::In }), &Destination::named("fluid").unwrap(), &watch)
            .unwrap();
    assert!((right.mesh.bounds().max[0] - 254.0).abs() < 1e-9);
    let (measured, _) = apply(
        &body,
        &Step::SetSize(SetSize { measured: 6.0, should_be: 152.4 }),
        &Destination::named("fluid").unwrap(),
        &watch,
    )
    .unwrap();
    assert!((measured.mesh.bounds().max[0] - 254.0).abs() < 1e-9);
    assert!(
        apply(
            &body,
            &Step::SetSize(SetSize { measured: 0.0, should_be: 1.0 }),
            &Destination::named("fluid").unwrap(),
            &watch
        )
        .is_err()
    );
    assert!(
        apply(
            &body,
            &Step::Orient(Orient { up: Axis::PlusX, forward: Axis::MinusX }),
            &Destination::named("fluid").unwrap(),
            &watch
        )
        .is_err()
    );
}

#[test]
fn the_unit_of_a_part_with_round_millimetres_is_found() {
    // Common practice, no source: a dimension that is round in one unit and odd in another gives it away.
    let mm = candidates([342.0, 204.0, 171.0], &fluid(), &[], &[]);
    assert_eq!(mm[0].unit, Unit::Mm);
    let inches = candidates([342.0 / 25.4, 204.0 / 25.4, 171.0 / 25.4], &fluid(), &[], &[]);
    assert_eq!(inches[0].unit, Unit::In);
    assert!(inches[0].reasons.iter().any(|r| r.contains("3 of 3 sides")));
}

/// A plate of odd sides with bores for M8 (8.4 mm, ISO 273 from memory) in inches: the bores say which unit it is, found on the
/// facets themselves and told with what they are.
#[test]
fn bores_for_screws_say_in_which_unit_a_part_is() {
    use hull_workshop::survey::survey;
    let n = 48;
    let circle = |at: [f64; 2]| hull_stock::solids::circle(at, 4.2, n);
    let outer = vec![[0.0, 0.0], [61.3, 0.0], [61.3, 43.7], [0.0, 43.7]];
    let mut holes = vec![circle([15.2, 15.4]), circle([45.9, 27.1])];
    holes.iter_mut().for_each(|h| h.reverse());
    let mut plate = hull_stock::solids::prism(&outer, &holes, 7.9);
    enlarge(&mut plate, 1.0 / 25.4);
    let body = received(plate);
    let (found, _) = survey(&body, &Watch::default()).unwrap();
    let diameters: Vec<f64> = found.round_edges.diameters.iter().map(|d| d.0).collect();
    // Two bores with two rims each.
    assert!(found.round_edges.diameters.len() == 1 && found.round_edges.diameters[0].1 == 4, "{:?}", found.round_edges);
    assert!((diameters[0] - 8.4 / 25.4).abs() < 1e-9);
    let with = candidates(found.size.bbox.size(), &fluid(), &[], &diameters);
    assert_eq!(with[0].unit, Unit::In);
    assert!(
        with[0].reasons.iter().any(|r| r == "a round edge of 8.4 mm is that of a clearance hole for M8 (ISO 273)"),
        "{:?}",
        with[0].reasons
    );
    assert!(with[1..].iter().all(|c| c.reasons.iter().all(|r| !r.contains("ISO 273"))));
}

#[test]
fn names_follow_facets_through_stitching_and_filling() {
    let watch = Watch::default();
    let mut whole = torus(50.0, 20.0, 24, 16);
    enlarge(&mut whole, 1.0);
    whole.triangles.truncate(760);
    let body = received(whole);
    let pick = Selection {
        include: vec![Pick::Grow { at: [70.0, 0.0, 0.0], angle: 180.0 }],
        exclude: vec![Pick::Facet { at: [70.0, 1.0, 0.0] }],
        ..Selection::default()
    };
    let (body, _) = apply(
        &body,
        &Step::NameBoundary(NameBoundary { name: "skin".into(), role: Some(Role::Wall), pick }),
        &Destination::named("fluid").unwrap(),
        &watch,
    )
    .unwrap();
    assert_eq!(body.facets_of(0).len(), 759, "all but the facet taken out again");
    let (filled, _) = apply(
        &body,
        &Step::FillHoles(FillHoles { up_to: 500.0, except: vec![], wish: Default::default(), cap: None }),
        &Destination::named("fluid").unwrap(),
        &watch,
    )
    .unwrap();
    assert_eq!(filled.facets_of(0).len(), filled.mesh.triangles.len() - 1, "the cap takes the name around it");
    assert_eq!(filled.facts.labels.last().unwrap().name, "filled");
    // The cap cuts off no more than the bulge of eight facets of 768.
    let volume = |mesh: &hull_geometry::Mesh| measure::mass(mesh, &mesh.bounds()).volume;
    let (got, full) = (volume(&filled.mesh), volume(&torus(50.0, 20.0, 24, 16)));
    assert!((0.99 * full..=full).contains(&got), "{got} of {full}");
    let cap = Some("outlet".into());
    let (capped, _) = apply(
        &body,
        &Step::FillHoles(FillHoles { up_to: 500.0, except: vec![], wish: Default::default(), cap }),
        &Destination::named("fluid").unwrap(),
        &watch,
    )
    .unwrap();
    assert_eq!(capped.facets_of(0).len(), 759, "a cap with a name is a boundary of its own");
    assert_eq!(capped.facets_of(1).len(), filled.mesh.triangles.len() - 760);
    assert_eq!(capped.facts.boundaries[1].role, Some(Role::Outlet));
}
