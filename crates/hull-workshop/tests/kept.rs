//! What is kept of a body and let go again: waivers, measures, readings of exact faces, members that stand alone or go on.

use crate::common::run;
use hull_exact::curve::Curve;
use hull_formats::bundles::Bundles;
use hull_formats::{Format, Received};
use hull_geometry::dirt::Dice;
use hull_geometry::measure::mass;
use hull_geometry::shapes::{cuboid, torn};
use hull_geometry::vector::{add, distance, scale};
use hull_geometry::{Mesh, Point, Watch};
use hull_workshop::survey::survey_for;
use hull_workshop::{Body, Destination, Sheet, Verdict};
use proptest::prelude::*;
use std::path::Path;

fn sheet(body: &Body, destination: &Destination) -> Sheet {
    let (survey, _) = survey_for(body, destination, &Watch::default()).unwrap();
    Sheet::of(&body.facts, &survey, destination)
}

#[test]
fn a_withdrawn_waiver_leaves_the_sheet_as_it_was() {
    let solid = Destination::named("solid").unwrap();
    let body =
        Body::from_received("torn.stl", Received::plain(Format::StlBinary, torn(&cuboid([40.0, 30.0, 20.0]), 6, 0.01)));
    let before = sheet(&body, &solid);
    let is_short = |r: &&hull_workshop::Row| r.verdict == Verdict::NotMet;
    let row = before.rows.iter().find(is_short).expect("it is torn").id.clone();
    let typed = [("requirement", row.as_str()), ("reason", "as built"), ("by", "R. Teal")];
    // The rule of what may be waived is the destination's: the step is told which.
    let step = hull_workshop::steps::read("waive", &typed.map(|(k, v)| (k.into(), v.into())), None).unwrap();
    let (waived, _) = hull_workshop::apply(&body, &step, &solid, &Watch::default()).unwrap();
    let of = |sheet: &Sheet| sheet.rows.iter().find(|r| r.id == row).expect("its row").verdict;
    assert_eq!((of(&before), of(&sheet(&waived, &solid))), (Verdict::NotMet, Verdict::Waived));
    let (back, said) = run(&waived, "unwaive", &[("requirement", &row)]).unwrap();
    assert!(said.contains("withdrawn"), "{said}");
    assert_eq!(serde_json::to_value(sheet(&back, &solid)).unwrap(), serde_json::to_value(&before).unwrap());
    // What was not waived cannot be asked for again.
    let why = run(&back, "unwaive", &[("requirement", &row)]).unwrap_err();
    assert!(why.contains("is not waived"), "{why}");
}

#[test]
fn a_measure_that_is_let_go_takes_its_row_along() {
    let solid = Destination::named("solid").unwrap();
    let body = Body::from_received("block.stl", Received::plain(Format::StlBinary, cuboid([40.0, 30.0, 20.0])));
    let typed = [("name", "length"), ("what", "distance"), ("places", "0, 0, 0; 40, 0, 0"), ("at_least", "41")];
    let (kept, _) = run(&body, "keep_measure", &typed).unwrap();
    let asked = |b: &Body| sheet(b, &solid).rows.iter().any(|r| r.id == "measure-length");
    assert!(asked(&kept) && !asked(&body));
    let (gone, _) = run(&kept, "drop_measure", &[("name", " length ")]).unwrap();
    assert!(!asked(&gone) && gone.facts.measures.is_empty());
    let why = run(&gone, "drop_measure", &[("name", "length")]).unwrap_err();
    assert!(why.contains("There is no measure “length”"), "{why}");
    let why = run(&gone, "drop_datum", &[("name", "floor")]).unwrap_err();
    assert!(why.contains("there is none; fit a shape first"), "{why}");
}

/// Exact faces of other systems, read the other way and back: both enclose the same, and the way back gives the same facets.
#[test]
fn both_ways_of_reading_enclose_the_same_and_lead_back() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../hull-formats/tests/reference");
    let mut read = 0;
    for name in ["step/frustum-ap214-mm.step", "step/sphere-ap203-inch.step", "step/rounded-plate-ap242-m.step"] {
        let bytes = std::fs::read(folder.join(name)).expect("a reference file");
        let content = hull_formats::open(name, &bytes, &Watch::default()).expect("a good file");
        let first = Body::of(name, content, &Watch::default()).expect("not cancelled");
        let volume = |b: &Body| mass(&b.mesh, &b.mesh.bounds()).volume;
        let mut at = first.clone();
        for reader in ["rebuilding", "trusting"] {
            at = run(&at, "read_again", &[("reader", reader)]).unwrap_or_else(|e| panic!("{name}: {e}")).0;
            assert!(
                (volume(&at) / volume(&first) - 1.0).abs() < 2e-3,
                "{name}, {reader}: {} for {}",
                volume(&at),
                volume(&first)
            );
            let same = at.facts.exact.as_ref().expect("exact").figures.solids;
            assert_eq!(same, first.facts.exact.as_ref().expect("exact").figures.solids, "{name}, {reader}");
        }
        assert_eq!(at.mesh, first.mesh, "{name}: the way back");
        read += 1;
    }
    assert_eq!(read, 3);
}

fn lines(name: &str, all: &[[Point; 2]]) -> Body {
    let mut lines = Bundles::default();
    all.iter().for_each(|[a, b]| lines.line(name, *a, *b));
    let mut received = Received::plain(Format::Dxf, Mesh::default());
    received.lines = lines.finish(None);
    let body = Body::from_received("frame.dxf", received);
    let (body, _) = run(&body, "set_unit", &[("unit", "mm")]).unwrap();
    run(&body, "make_members", &[("tolerance", "0.01"), ("chord", "1"), ("crossings", "no")]).unwrap().0
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// A beam drawn in pieces, some of them the other way round and in any order, becomes one member again; where it bends it stays
    /// apart, and so it does where a post meets it.
    #[test]
    fn pieces_that_go_straight_on_become_one_member(
        from in prop::array::uniform3(-900.0..900.0_f64), way in prop::array::uniform3(-1.0..1.0_f64), seed: u64,
        parts in prop::collection::vec(0.05..1.0_f64, 1..9), bend in 1.0..60.0_f64, post: bool, angle in 0.1..0.9_f64,
    ) {
        prop_assume!(way.iter().map(|x| x * x).sum::<f64>() > 0.05);
        let mut dice = Dice(seed);
        let along = |t: f64| add(from, scale(way, 1000.0 * t));
        let mut ends = vec![along(0.0)];
        let mut t = 0.0;
        for p in &parts {
            t += p;
            ends.push(along(t));
        }
        let mut all: Vec<[Point; 2]> = ends.windows(2).map(|w| [w[0], w[1]]).collect();
        // A last piece that bends off by some degrees.
        let aside = hull_geometry::vector::unit(hull_geometry::vector::cross(way, [0.3, -0.5, 0.8])).unwrap_or([0.0, 0.0, 1.0]);
        let ahead = hull_geometry::vector::unit(way).unwrap();
        let (s, c) = bend.to_radians().sin_cos();
        all.push([along(t), add(along(t), add(scale(ahead, 400.0 * c), scale(aside, 400.0 * s)))]);
        let met = post && parts.len() > 1;
        if met {
            all.push([ends[1], add(ends[1], scale(aside, 700.0))]);
        }
        for line in &mut all {
            if dice.part() < 0.5 {
                line.swap(0, 1);
            }
        }
        for i in (1..all.len()).rev() {
            all.swap(i, dice.below(i + 1));
        }
        let made = lines("beam", &all);
        prop_assert_eq!(made.frame().unwrap().members.len(), all.len());
        let (merged, said) = run(&made, "merge_members", &[("angle", &angle.to_string())]).unwrap();
        let frame = merged.frame().unwrap();
        let expected = 2 + if met { 2 } else { 0 };
        prop_assert_eq!(frame.members.len(), expected, "{}", said);
        let lengths = |b: &Body| -> f64 {
            let f = b.frame().unwrap();
            f.members.iter().map(|m| { let [p, q] = f.places(m); distance(p, q) }).sum()
        };
        prop_assert!((lengths(&merged) - lengths(&made)).abs() < 1e-6 * lengths(&made));
        if !met {
            let long = frame.members.iter().map(|m| { let [p, q] = frame.places(m); distance(p, q) }).fold(0.0, f64::max);
            let whole = distance(ends[0], along(t)).max(400.0);
            prop_assert!((long - whole).abs() < 1e-6 * whole, "{} for {}", long, whole);
        }
    }

    /// Groups that hang together: all but the one with the most members go.
    #[test]
    fn members_that_stand_alone_go(sizes in prop::collection::hash_set(1..9_usize, 1..5)) {
        let mut all = Vec::new();
        for (g, size) in sizes.iter().enumerate() {
            let at = |i: usize| [5000.0 * g as f64 + 100.0 * i as f64, if i.is_multiple_of(2) { 0.0 } else { 40.0 }, 0.0];
            all.extend((0..*size).map(|i| [at(i), at(i + 1)]));
        }
        let made = lines("mast", &all);
        let most = *sizes.iter().max().unwrap();
        let (kept, said) = run(&made, "drop_lone", &[]).unwrap();
        prop_assert_eq!(kept.frame().unwrap().members.len(), most, "{}", said);
        prop_assert_eq!(kept.frame().unwrap().joints.len(), most + 1);
        prop_assert!(said.starts_with(&format!("{} ", all.len() - most)) || all.len() == most, "{}", said);
    }
}

/// Curves become chords within what was asked.
#[test]
fn a_curve_becomes_members_within_its_chord() {
    let mut lines = Bundles::default();
    let frame = hull_exact::Frame { origin: [0.0, 0.0, 500.0], ..hull_exact::Frame::WORLD };
    lines.curve("arch", Curve::Ellipse { frame, a: 2000.0, b: 2000.0 }, [0.0, std::f64::consts::PI]);
    let mut received = Received::plain(Format::Dxf, Mesh::default());
    received.lines = lines.finish(None);
    let body = Body::from_received("arch.dxf", received);
    let (body, _) = run(&body, "set_unit", &[("unit", "mm")]).unwrap();
    let mut before = 2;
    for chord in [50.0, 10.0, 2.0] {
        let typed = [("tolerance", "0.01"), ("chord", &f64::to_string(&chord)), ("crossings", "no")];
        let made = run(&body, "make_members", &typed).unwrap().0;
        let f = made.frame().unwrap();
        for m in &f.members {
            let [p, q] = f.places(m);
            // The sagitta of a chord: r − √(r² − l²/4).
            let sagitta = 2000.0 - (2000.0_f64.powi(2) - distance(p, q).powi(2) / 4.0).sqrt();
            assert!(sagitta <= chord * (1.0 + 1e-9), "{sagitta} for {chord}");
        }
        assert!(f.members.len() >= before, "finer chords are no fewer members");
        before = f.members.len();
    }
    let typed = [("tolerance", "0.01"), ("chord", "1"), ("crossings", "no"), ("number", "8")];
    let eight = run(&body, "make_members", &typed).unwrap().0;
    let f = eight.frame().unwrap();
    assert_eq!(f.members.len(), 8);
    for m in &f.members {
        let [p, q] = f.places(m);
        assert!((distance(p, q) - 4000.0 * (std::f64::consts::PI / 16.0).sin()).abs() < 1e-6);
    }
}
