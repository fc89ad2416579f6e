//! Repairs composed for seeded dirt, and bodies put together and taken apart.

use hull_formats::{Label, named_edges};
use hull_geometry::crossings::crossings;
use hull_geometry::dirt::{Dice, Dirt, clean_body, mixture, spoil};
use hull_geometry::join::join_equal_points;
use hull_geometry::shapes::{cuboid, sphere, torus};
use hull_geometry::topology::Topology;
use hull_geometry::transform::{Axis, translate};
use hull_geometry::vector::{distance, norm};
use hull_geometry::{FacetId, Mesh, NONE, PointId, Unit, Watch, measure};
use hull_workshop::body::Boundary;
use hull_workshop::combine::{Apart, Together, split, together};
use hull_workshop::handover::{Form, hand_over};
use hull_workshop::prepare::prepare;
use hull_workshop::readings::{TwoReadings, usual_tolerance};
use hull_workshop::repair::{repair, run};
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::steps::{
    coarsen::Coarsen, cut_crossings::CutCrossings, drop_bumps::DropBumps, flatten_spikes::FlattenSpikes,
    keep_outside::KeepOutside, name_boundary::NameBoundary, orient::Orient, rebuild_tangles::Around,
    rebuild_tangles::RebuildTangles, set_unit::SetUnit, waive::Waive, wrap::Wrap,
};
use hull_workshop::{Body, Destination, Step, StepError, apply};
use proptest::prelude::*;
use rayon::prelude::*;
use typed_index_collections::ti_vec;

fn body(mesh: Mesh) -> Body {
    let columns = hull_workshop::body::Columns { boundary: ti_vec![NONE; mesh.triangles.len()], ..Default::default() };
    Body { columns, mesh, ..Default::default() }
}

fn at(mut mesh: Mesh, by: [f64; 3]) -> Mesh {
    translate(&mut mesh, by);
    mesh
}

fn volume(mesh: &Mesh) -> f64 {
    measure::mass(mesh, &mesh.bounds()).volume
}

fn assert_clean(mesh: &Mesh, what: &str) {
    let watch = Watch::default();
    let t = Topology::of(mesh, &watch).expect("not cancelled");
    assert!(t.is_closed() && t.misdirected.is_empty() && t.pinched.is_empty(), "{what}");
    assert_eq!(crossings(mesh, &watch).expect("not cancelled").len(), 0, "{what}");
    assert!(volume(mesh) > 0.0, "{what}");
}

/// The measure of the whole is the table that the example `repair_table` makes of 500 mixtures; here some of them.
#[test]
fn whatever_arrives_a_clean_surface_leaves() {
    let fluid = Destination::named("fluid").expect("it ships");
    let without: usize = (1..=16_u64)
        .into_par_iter()
        .map(|seed| {
            let mut dice = Dice(seed * 77_731);
            let whole = clean_body(&mut dice);
            let dirt = mixture(&mut dice);
            let spoiled = body(dirt.iter().fold(whole.clone(), |m, d| spoil(&m, *d, &mut dice)));
            let watch = Watch::default();
            let done = repair(&spoiled, &fluid, true, &watch).expect("not cancelled");
            assert_clean(&done.body.mesh, &format!("seed {seed}, {dirt:?}"));
            // The plan does on the body itself what it did when it was tried.
            let mut last = None;
            run(&spoiled, &fluid, &done.steps, &watch, |_, _, b| {
                last = Some(b.mesh.clone());
                Ok(())
            })
            .expect("it was tried");
            assert_eq!(last.unwrap_or(spoiled.mesh), done.body.mesh);
            let wrapped = done.steps.iter().any(|s| matches!(s.step, Step::Wrap(Wrap { .. })));
            let back = (volume(&done.body.mesh) / volume(&whole) - 1.0).abs() < 0.005;
            usize::from(!wrapped && (back || dirt.iter().any(Dirt::removes)))
        })
        .sum();
    assert!(without >= 15, "{without} of 16 without the wrap, with the volume they had");
}

/// Two balls run through each other, one with a hole in it, so that inside and outside cannot be told: the seam is rebuilt,
/// and what is not near it stays to the bit.
#[test]
fn tangles_are_rebuilt_where_they_are_and_nothing_else_moves() {
    let fluid = Destination::named("fluid").expect("it ships");
    let mut mesh = sphere(1.0, 48, 24);
    let bump = at(sphere(0.2, 16, 8), [0.95, 0.013, 0.007]);
    mesh.append(&bump);
    let far = mesh.triangles.keys().find(|f| mesh.corners(*f).iter().all(|p| p[0] < -0.8)).expect("a facet");
    mesh.triangles.remove(FacetId::from(usize::from(far)));
    let before = body(mesh);
    let watch = Watch::default();
    let step = Step::RebuildTangles(RebuildTangles { around: Around::One });
    let (after, change) = apply(&before, &step, &fluid, &watch).expect("it helps");
    assert!(change.sentence.contains("taken away"), "{}", change.sentence);
    let t = Topology::of(&after.mesh, &watch).expect("not cancelled");
    assert_eq!((t.open.len(), t.overshared.len(), t.misdirected.len()), (3, 0, 0), "the hole stays a hole");
    let met = |m: &Mesh| crossings(m, &watch).expect("not cancelled").len();
    assert!(met(&before.mesh) > 40 && met(&after.mesh) < 4, "{} → {}", met(&before.mesh), met(&after.mesh));
    let bits = |m: &Mesh, f: FacetId| m.corners(f).map(|p| p.map(f64::to_bits));
    let kept: std::collections::HashSet<_> = after.mesh.triangles.keys().map(|f| bits(&after.mesh, f)).collect();
    for f in before.mesh.triangles.keys() {
        let away = before.mesh.corners(f).iter().all(|p| p[0] < 0.5);
        assert!(!away || kept.contains(&bits(&before.mesh, f)), "{f:?} is far from the seam");
    }
    // On the whole body the press does it and closes the hole.
    let done = repair(&before, &fluid, false, &watch).expect("not cancelled");
    assert!(done.after.is_clean(), "{:?}", done.after);
    assert!(done.steps.windows(2).all(|w| w[0].after != w[1].after), "no state twice");
    // Cutting what faces inward would leave next to nothing: it is refused.
    let mut inward = body(cuboid([1.0; 3]));
    inward.mesh.triangles.iter_mut().for_each(|t| t.swap(0, 1));
    let cut = apply(&inward, &Step::CutCrossings(CutCrossings {}), &fluid, &watch);
    assert!(matches!(cut, Err(StepError::Refused(s)) if s.contains("inward")));
}

#[test]
fn a_repair_that_does_worse_than_when_it_was_tried_stops_there() {
    let fluid = Destination::named("fluid").expect("it ships");
    let mut open = cuboid([2.0; 3]);
    open.triangles.pop();
    let plan = repair(&body(open.clone()), &fluid, false, &Watch::default()).expect("not cancelled").steps;
    assert_eq!(plan.len(), 1);
    // Another body, from which more is missing than a flat hole could cover.
    let mut other = open;
    other.append(&at(cuboid([1.0; 3]), [0.5; 3]));
    let mut states = 0;
    let told = run(&body(other), &fluid, &plan, &Watch::default(), |_, _, _| {
        states += 1;
        Ok(())
    });
    // The lost cube inside faces out: it is left, and was not there.
    let Err(StepError::Refused(sentence)) = told else { panic!("it went on") };
    assert!(states == 0 && sentence.contains("Fill holes") && sentence.contains("expected"), "{sentence}");
}

#[test]
fn united_bodies_keep_the_names_of_both_and_get_a_named_edge() {
    let named = |mesh: Mesh, name: &str| {
        let mut b = body(mesh);
        b.facts.boundaries = vec![Boundary::new(name, None, "file")];
        b.columns.boundary.fill(0);
        (name.to_string(), b)
    };
    let arm = named(cuboid([10.0, 2.0, 2.0]), "arm");
    let hub = named(at(sphere(2.0, 40, 24), [9.0, 1.0, 1.0]), "hub");
    let (one, change) = together(&[arm.clone(), hub.clone()], Together::Unite, &Watch::default()).expect("both closed");
    assert_clean(&one.mesh, "union");
    let names: Vec<&str> = one.facts.boundaries.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(names, ["arm", "hub"]);
    assert!(
        one.columns.boundary.contains(&0) && one.columns.boundary.contains(&1) && !one.columns.boundary.contains(&NONE)
    );
    let labels: Vec<&str> = one.facts.labels.iter().map(|l| l.name.as_str()).collect();
    assert_eq!(labels, ["arm", "hub"]);
    let [seam] = &one.facts.seams[..] else { panic!("{:?}", one.facts.seams) };
    assert_eq!(seam.name, "arm × hub");
    // The arm's section passes the ball where its corners come out: between a square's 8 and a circle's.
    assert!(seam.length > 7.5 && seam.length < 9.5, "{}", seam.length);
    assert!(change.sentence.contains("new edges in 1 loop,"), "{}", change.sentence);
    // Every facet of a name lies where that body was.
    let level = |f: FacetId| one.mesh.corners(f).iter().all(|p| p[1] > -1e-9 && p[1] < 2.0 + 1e-9);
    assert!(one.columns.boundary.keys().all(|f| one.columns.boundary[f] == 1 || level(f)));

    let mut open = hub;
    open.1.mesh.triangles.pop();
    open.1.columns.boundary.pop();
    let Err(StepError::Refused(why)) = together(&[arm, open], Together::Unite, &Watch::default()) else {
        panic!("an open body has no inside")
    };
    assert!(why.contains("“hub”") && why.contains("closed"), "{why}");
}

#[test]
fn pieces_of_a_body_add_up_to_it() {
    let whole = body(torus(10.0, 3.0, 60, 30));
    let watch = Watch::default();
    let all = volume(&whole.mesh);
    let cuts = [
        Apart::Plane { at: [1.0, 0.5, 0.0], normal: [0.3, 1.0, 0.2] },
        Apart::Box { min: [0.0; 3], max: [14.0, 14.0, 14.0] },
    ];
    for cut in cuts {
        let pieces = split("ring", &whole, &cut, &watch).expect("it is closed");
        assert_eq!(pieces.len(), 2);
        pieces.iter().for_each(|(name, b)| assert_clean(&b.mesh, name));
        let sum: f64 = pieces.iter().map(|p| volume(&p.1.mesh)).sum();
        assert!((sum / all - 1.0).abs() < 1e-9, "{cut:?}: {sum} for {all}");
    }
    let mut two = whole.clone();
    two.mesh.append(&at(sphere(2.0, 12, 8), [40.0, 0.0, 0.0]));
    two.columns.boundary.resize(two.mesh.triangles.len(), NONE);
    let shells = split("both", &two, &Apart::Shells, &watch).expect("two shells");
    assert_eq!(shells.iter().map(|s| s.1.mesh.triangles.len()).collect::<Vec<_>>(), [3600, 168]);
    assert!(split("ring", &whole, &Apart::Shells, &watch).is_err());
}

#[test]
fn an_open_body_falls_apart_along_a_plane_or_a_box_and_loses_nothing() {
    // Half a ball, with colours on its quarters.
    let mut half = sphere(10.0, 30, 21);
    half.triangles.retain(|t| t.iter().map(|p| half.points[*p][2]).sum::<f64>() > 0.0);
    half.drop_unused_points();
    let mut bowl = body(half);
    let colour = |c: Option<&str>, name: &str| Label { name: name.into(), material: c.map(str::to_string) };
    bowl.facts.labels = vec![colour(Some("red"), "a"), colour(None, "b"), colour(Some("red"), "c")];
    bowl.columns.label = bowl.mesh.triangles.keys().map(|f| f.0 % 3).collect();
    let watch = Watch::default();
    let open_length = |m: &Mesh| {
        let t = Topology::of(m, &watch).expect("not cancelled");
        assert!(t.overshared.is_empty() && t.misdirected.is_empty());
        t.open.iter().map(|e| distance(m.points[e.from], m.points[e.to])).sum::<f64>()
    };
    let area = |m: &Mesh| measure::mass(m, &m.bounds()).area;
    for cut in [
        Apart::Plane { at: [1.0, 0.5, 2.0], normal: [0.3, 1.0, 0.2] },
        Apart::Box { min: [-4.0, -5.0, -1.0], max: [6.0, 5.0, 20.0] },
    ] {
        let pieces = split("bowl", &bowl, &cut, &watch).expect("open bodies can be cut");
        assert_eq!(pieces.len(), 2);
        let sum: f64 = pieces.iter().map(|p| area(&p.1.mesh)).sum();
        assert!((sum / area(&bowl.mesh) - 1.0).abs() < 1e-12, "{cut:?}");
        // Both pieces run along the cut, once each.
        let [rim, one, other] = [&bowl.mesh, &pieces[0].1.mesh, &pieces[1].1.mesh].map(open_length);
        match cut {
            Apart::Box { .. } => assert!((other - rim - one).abs() < 1e-9, "a piece out of the middle"),
            _ => assert!(one + other > rim + 2.0 * 15.0),
        }
        for (name, piece) in &pieces {
            let colours: Vec<f64> = (0..3)
                .map(|l| {
                    let facets = piece.mesh.triangles.keys().filter(|f| piece.label(*f) == l);
                    facets.map(|f| norm(piece.mesh.area_vector(f))).sum()
                })
                .collect();
            assert!(colours.iter().all(|a| *a > 0.0), "{name} keeps its labels");
        }
    }
    let pieces = split("bowl", &bowl, &Apart::Colours, &watch).expect("two colours");
    let names: Vec<&str> = pieces.iter().map(|p| p.0.as_str()).collect();
    assert_eq!(names, ["bowl, red", "bowl, no colour"]);
    assert_eq!(pieces[1].1.mesh.triangles.len(), bowl.mesh.triangles.len() / 3);
}

#[test]
fn new_edges_follow_the_body_and_stand_in_a_file_of_their_own() {
    let watch = Watch::default();
    let named = |mesh: Mesh, name: &str| (name.to_string(), body(mesh));
    let pair = [named(cuboid([100.0, 20.0, 20.0]), "arm"), named(at(cuboid([30.0; 3]), [80.0, -5.0, -5.0]), "hub")];
    let (one, _) = together(&pair, Together::Unite, &watch).expect("both closed");
    let mut steps = vec![
        Step::SetUnit(SetUnit { unit: Unit::Cm }),
        Step::Orient(Orient { up: Axis::PlusX, forward: Axis::PlusZ }),
        Step::NameBoundary(NameBoundary { name: "wall".into(), role: None, pick: Selection::from(Pick::Unnamed) }),
    ];
    let waived = ["inlet_present", "outlet_present", "smallest_angle"];
    steps.extend(
        waived.map(|id| Step::Waive(Waive { requirement: id.into(), reason: "a casting".into(), by: "me".into() })),
    );
    let fluid = Destination::named("fluid").expect("it ships");
    let ready = prepare(one, &steps, &fluid, &watch).expect("every step can be done");
    let made = hand_over("winch", &ready, &fluid, Form::Ascii, &watch).expect("ready");
    let (_, bytes) = made.files.iter().find(|f| f.0 == "winch-edges.obj").expect("the edges have a file");
    let edges = named_edges::read("winch-edges.obj", bytes).expect("ours");
    assert_eq!(edges.iter().map(|e| e.name.as_str()).collect::<Vec<_>>(), ["arm × hub"]);
    // The arm's section, 20 by 20 cm, where it enters the hub: 80 cm along the file's x, which is up now; in metres.
    let length: f64 = edges[0].lines.iter().map(|l| distance(l[0], l[1])).sum();
    assert!((length - 0.8).abs() < 1e-9, "{length}");
    assert!(edges[0].lines.as_flattened().iter().all(|p| (p[2] - 0.8).abs() < 1e-9));
    assert!(made.manifest.files.iter().any(|f| f.boundaries == ["arm × hub"]));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// A plate with bosses on it and pockets and bores in it comes back plain: details up to a size go, larger ones stay.
    #[test]
    fn bumps_and_dents_up_to_a_size_go(kinds in prop::collection::vec(0..5u8, 6), sizes in prop::collection::vec(2.0..8.0f64, 6)) {
        let watch = Watch::default();
        let mut plate = ("plate".to_string(), body(cuboid([60.0, 40.0, 10.0])));
        plate.1.facts.boundaries = vec![Boundary::new("wall", None, "file")];
        plate.1.columns.boundary.fill(0);
        let mut large = 0;
        for (k, (kind, size)) in kinds.iter().zip(&sizes).enumerate() {
            let middle = [10.0 + 20.0 * (k % 3) as f64, 10.0 + 20.0 * (k / 3) as f64];
            let block = |from: f64, to: f64| {
                at(cuboid([*size, *size, to - from]), [middle[0] - size / 2.0, middle[1] - size / 2.0, from])
            };
            let (tool, how) = match kind {
                1 => (block(9.0, 10.0 + size), Together::Unite),
                2 => (block(10.0 - size, 12.0), Together::Subtract),
                3 => (block(-1.0, 11.0), Together::Subtract),
                // As wide as the limit is.
                4 => (at(cuboid([14.0, 14.0, 5.0]), [middle[0] - 7.0, middle[1] - 7.0, 8.0]), Together::Unite),
                _ => continue,
            };
            large += usize::from(*kind == 4);
            plate.1 = together(&[plate.clone(), ("tool".into(), body(tool))], how, &watch).expect("both closed").0;
        }
        let step = Step::DropBumps(DropBumps { up_to: 18.0, round: false });
        let there = kinds.iter().any(|k| (1..4).contains(k));
        let done = apply(&plate.1, &step, &Destination::named("fluid").unwrap(), &watch);
        prop_assert_eq!(done.is_ok(), there, "{:?}", done.as_ref().err());
        if let Ok((plain, change)) = done {
            assert_clean(&plain.mesh, &change.sentence);
            let expected = 60.0 * 40.0 * 10.0 + large as f64 * 14.0 * 14.0 * 3.0;
            prop_assert!((volume(&plain.mesh) / expected - 1.0).abs() < 1e-9, "{}", change.sentence);
            // What stays of the tools has no name.
            prop_assert!(large > 0 || !plain.columns.boundary.contains(&NONE), "caps go with the face they lie in");
        }
    }
}

#[test]
fn facets_get_larger_and_boundaries_stay_where_they_are() {
    let mut part = body(torus(10.0, 3.0, 200, 80));
    let outer = |m: &Mesh, f: usize| m.corners(FacetId::from(f)).iter().all(|p| p[0].hypot(p[1]) > 9.999);
    let named: Vec<u32> = (0..part.mesh.triangles.len()).map(|f| if outer(&part.mesh, f) { 0 } else { NONE }).collect();
    part.columns.boundary = named.into();
    part.facts.boundaries.push(Boundary::new("outside", None, "picked"));
    let area = |b: &Body| -> f64 {
        let of = |f: &FacetId| b.columns.boundary[*f] == 0;
        b.mesh.triangles.keys().filter(of).map(|f| norm(b.mesh.area_vector(f)) / 2.0).sum()
    };
    let watch = Watch::default();
    let (lean, change) =
        apply(&part, &Step::Coarsen(Coarsen { tolerance: 0.05 }), &Destination::named("fluid").unwrap(), &watch)
            .expect("fewer facets");
    let bound = change.moved.as_ref().expect("measured").bound();
    assert!(bound <= 0.05 * (1.0 + 1e-6), "{bound}");
    assert!(lean.mesh.triangles.len() * 4 < part.mesh.triangles.len(), "{}", change.sentence);
    assert_clean(&lean.mesh, "larger facets");
    assert!((volume(&lean.mesh) / volume(&part.mesh) - 1.0).abs() < 0.03);
    assert!((area(&lean) / area(&part) - 1.0).abs() < 0.03, "{} {}", area(&lean), area(&part));
    for (tolerance, why) in [(0.0, "must be a number"), (f64::NAN, "must be a number"), (1e-12, "further than")] {
        let refused =
            apply(&part, &Step::Coarsen(Coarsen { tolerance }), &Destination::named("fluid").unwrap(), &watch)
                .map(|_| ())
                .expect_err("refused")
                .to_string();
        assert!(refused.contains(why), "{refused}");
    }
}

#[test]
fn every_remedy_says_how_far_the_surface_moved() {
    let watch = Watch::default();
    let mut spiked = sphere(10.0, 30, 20);
    spiked.points[PointId(200)] = spiked.points[PointId(200)].map(|x| x * 1.5);
    let (_, change) =
        apply(&body(spiked), &Step::FlattenSpikes(FlattenSpikes {}), &Destination::named("fluid").unwrap(), &watch)
            .expect("there is a spike");
    let moved = change.moved.expect("it moved");
    // The spike's tip stood 5 off; the ball is as it was elsewhere.
    assert!((moved.there.largest - 5.0).abs() < 0.3 && moved.there.within_95 == 0.0, "{moved:?}");
    let through: Vec<Mesh> = vec![cuboid([4.0, 2.0, 2.0]), at(cuboid([2.0, 1.0, 6.0]), [1.0, 0.5, -2.0])];
    let mut both = through[0].clone();
    both.append(&through[1]);
    let (one, change) =
        apply(&body(both), &Step::CutCrossings(CutCrossings {}), &Destination::named("fluid").unwrap(), &watch)
            .expect("they are closed");
    assert_clean(&one.mesh, "cut");
    assert!((volume(&one.mesh) - (16.0 + 12.0 - 4.0)).abs() < 1e-9);
    // A cavity with a crumb in it goes with the outside only, and stays where crossings are cut.
    let mut hollow = one.clone();
    let mut cavity = at(cuboid([0.5; 3]), [0.2; 3]);
    cavity.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    hollow.mesh.append(&cavity);
    hollow.mesh.append(&at(cuboid([0.1; 3]), [0.4; 3]));
    hollow.columns.boundary.resize(hollow.mesh.triangles.len(), NONE);
    let (outside, _) =
        apply(&hollow, &Step::KeepOutside(KeepOutside {}), &Destination::named("fluid").unwrap(), &watch)
            .expect("it is closed");
    let (cut, _) = apply(&hollow, &Step::CutCrossings(CutCrossings {}), &Destination::named("fluid").unwrap(), &watch)
        .expect("it is closed");
    assert!((volume(&outside.mesh) - 24.0).abs() < 1e-9);
    assert!((volume(&cut.mesh) - (24.0 - 0.125 + 0.001)).abs() < 1e-9, "{}", volume(&cut.mesh));
    // Only what lay inside went: from the result to what was, nothing moved.
    assert!(change.moved.expect("facets went").back.largest < 1e-9);
}

/// A ball whose facets were each written by themselves and rounded, some twice, some turned: read tolerantly it is the ball
/// again, strictly it is what the file says. Nothing that is meant is joined: two plates a thousandth of their size apart.
#[test]
fn the_tolerant_reading_forgives_rounding_and_nothing_else() {
    let clean = sphere(50.0, 24, 12);
    let mut dice = Dice(7);
    let mut mesh = Mesh::default();
    for f in clean.triangles.keys() {
        let corners = clean.corners(f).map(|p| p.map(|x| x + (dice.part() - 0.5) * 1e-4));
        for _ in 0..=u32::from(f.0 % 40 == 3) {
            let [a, b, c] = corners.map(|p| mesh.points.push_and_get_key(p));
            mesh.triangles.push(if f.0 % 17 == 5 { [a, c, b] } else { [a, b, c] });
        }
    }
    // As every reader does.
    join_equal_points(&mut mesh);
    let written = body(mesh);
    let both = TwoReadings::of(&written, usual_tolerance(&written.bounds()), &Watch::default()).expect("not cancelled");
    // A facet that is there twice shares its edges with itself.
    let alone = written.mesh.triangles.len() - 2 * both.forgiven.duplicates;
    assert_eq!(both.strict.open_edges, 3 * alone);
    assert_eq!((both.tolerant.open_edges, both.tolerant.shells), (0, 1));
    assert_eq!(both.tolerant.facets, clean.triangles.len());
    assert!((both.tolerant.volume / volume(&clean) - 1.0).abs() < 1e-5);
    assert!(both.forgiven.turned > 0 && both.forgiven.duplicates > 0);
    assert!(both.forgiven.largest_move > 0.0 && both.forgiven.largest_move <= both.forgiven.within);

    let plates = [0.0, 10.01].map(|z| at(cuboid([10.0; 3]), [0.0, 0.0, z]));
    let mut both_plates = plates[0].clone();
    both_plates.append(&plates[1]);
    let apart = body(both_plates);
    let both = TwoReadings::of(&apart, usual_tolerance(&apart.bounds()), &Watch::default()).expect("not cancelled");
    assert!(both.forgiven.is_nothing());
    assert_eq!(both.strict, both.tolerant);
}
