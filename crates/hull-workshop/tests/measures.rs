//! Kept measures: they follow the body, are measured again, and stand on the sheet where something is asked of them.

use hull_geometry::shapes::cuboid;
use hull_geometry::transform::translate;
use hull_geometry::vector::{distance, norm};
use hull_geometry::{Mesh, Point, Unit, Watch};
use hull_workshop::body::Scale;
use hull_workshop::measures::{Ruler, What};
use hull_workshop::neighbours::Neighbour;
use hull_workshop::steps::keep_measure::KeepMeasure;
use hull_workshop::steps::move_turn::MoveTurn;
use hull_workshop::steps::scale_axes::ScaleAxes;
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::steps::waive::Waive;
use hull_workshop::survey::survey;
use hull_workshop::{Body, Destination, Sheet, Step, Verdict, steps};
use proptest::prelude::*;
use std::sync::Arc;

/// A box of these sides with a hole that leaves walls of `wall`.
fn hollow(size: Point, wall: f64) -> Body {
    let mut mesh: Mesh = cuboid(size);
    let mut inner = cuboid(size.map(|s| s - 2.0 * wall));
    translate(&mut inner, [wall; 3]);
    inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    mesh.append(&inner);
    Body { mesh, ..Body::default() }
}

fn keep(name: &str, what: What, places: Vec<Point>, bounds: [Option<f64>; 2]) -> Step {
    Step::KeepMeasure(KeepMeasure {
        name: name.into(),
        what,
        places,
        to: None,
        at_least: bounds[0],
        at_most: bounds[1],
    })
}

fn taken(body: &Body, step: &Step) -> Result<Body, String> {
    let solid = Destination::named("solid").expect("shipped");
    steps::apply(body, step, &solid, &Watch::default()).map(|(b, _)| b).map_err(|e| e.to_string())
}

fn now(body: &Body, name: &str) -> f64 {
    let kept = body.facts.measures.iter().find(|m| m.name == name).expect("kept");
    Ruler::of(body).measure(kept).expect("on the body").0
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// A distance between corners and a wall are what the box says; turned and moved they stay, in inches they are 25.4 times
    /// as much, and stretched along x they are what the stretched box says.
    #[test]
    fn measures_follow_the_body(
        size in prop::array::uniform3(5.0..50.0_f64),
        wall in 0.05..0.4_f64,
        by in prop::array::uniform3(-90.0..90.0_f64),
        stretch in 0.3..3.0_f64,
    ) {
        let wall = wall * size.iter().copied().fold(f64::INFINITY, f64::min);
        let body = hollow(size, wall);
        let diagonal = norm(size);
        let side = [0.0, 0.37 * size[1], 0.61 * size[2]];
        let body = taken(&body, &keep("diagonal", What::Distance, vec![[0.0; 3], size], [None; 2])).map_err(TestCaseError::fail)?;
        let body = taken(&body, &keep("wall", What::Thickness, vec![side], [Some(wall * 0.5), Some(wall * 1.5)])).map_err(TestCaseError::fail)?;
        prop_assert!((now(&body, "diagonal") - diagonal).abs() < 1e-9 * diagonal);
        prop_assert!((now(&body, "wall") - wall).abs() < 1e-9 * diagonal);
        let stretched = taken(&body, &Step::ScaleAxes(ScaleAxes { factors: [stretch, 1.0, 1.0] })).map_err(TestCaseError::fail)?;
        prop_assert!((now(&stretched, "diagonal") - distance([0.0; 3], [stretch * size[0], size[1], size[2]])).abs() < 1e-9 * diagonal);
        prop_assert!((now(&stretched, "wall") - stretch * wall).abs() < 1e-9 * diagonal);
        let inches = taken(&body, &Step::SetUnit(SetUnit { unit: Unit::In })).map_err(TestCaseError::fail)?;
        let turned = Step::MoveTurn(MoveTurn { turn: by, about: [1.0, 2.0, 3.0], by });
        let turned = taken(&inches, &turned).map_err(TestCaseError::fail)?;
        prop_assert!((now(&turned, "diagonal") - 25.4 * diagonal).abs() < 1e-7 * diagonal);
        prop_assert!((now(&turned, "wall") - 25.4 * wall).abs() < 1e-7 * diagonal);
        // An angle, a radius and a section: by the box's sides, and by the square of the unit where it is an area.
        let [a, b, c] = [[0.0; 3], [size[0], 0.0, 0.0], [0.0, size[1], 0.0]];
        let middle = size.map(|s| s / 2.0);
        let above = [middle[0], middle[1], size[2]];
        let kept = [
            ("angle", What::Angle, vec![a, b, c], (size[1] / size[0]).atan().to_degrees(), 0),
            ("radius", What::Radius, vec![a, b, c], 0.5 * size[0].hypot(size[1]), 1),
            ("area", What::SectionArea, vec![middle, above], size[0] * size[1] - (size[0] - 2.0 * wall) * (size[1] - 2.0 * wall), 2),
            ("perimeter", What::SectionPerimeter, vec![middle, above], 4.0 * (size[0] + size[1] - 2.0 * wall), 1),
        ];
        for (name, what, places, value, power) in kept {
            let body = taken(&body, &keep(name, what, places, [Some(0.9 * value), None])).map_err(TestCaseError::fail)?;
            prop_assert!((now(&body, name) / value - 1.0).abs() < 1e-9, "{name}: {} for {value}", now(&body, name));
            let inches = taken(&body, &Step::SetUnit(SetUnit { unit: Unit::In })).map_err(TestCaseError::fail)?;
            let inches = taken(&inches, &Step::MoveTurn(MoveTurn { turn: by, about: [1.0, 2.0, 3.0], by })).map_err(TestCaseError::fail)?;
            let larger = 25.4_f64.powi(power);
            prop_assert!((now(&inches, name) / (larger * value) - 1.0).abs() < 1e-7);
            let limit = inches.facts.measures.iter().find(|m| m.name == name).and_then(|m| m.at_least).expect("kept");
            prop_assert!((limit / (0.9 * larger * value) - 1.0).abs() < 1e-12);
        }
        // Its limits are in the unit that it is in now.
        let kept = turned.facts.measures.iter().find(|m| m.name == "wall").expect("kept");
        prop_assert!(kept.is_met(25.4 * wall) && !kept.is_met(wall));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// The clearance between two boxes along the axes is what their sides say, and follows the body, not the one beside it.
    #[test]
    fn the_clearance_to_a_body_beside_is_that_of_the_nearest_places(
        sizes in prop::array::uniform2(prop::array::uniform3(1.0..20.0_f64)),
        at in prop::array::uniform3(-40.0..40.0_f64),
        by in prop::array::uniform3(-10.0..10.0_f64),
    ) {
        let beside = |name: &str, at: Point| {
            let mut mesh = cuboid(sizes[1]);
            translate(&mut mesh, at);
            Neighbour { name: name.into(), mesh: Arc::new(mesh) }
        };
        let gap = |moved: Point| {
            let off = |k: usize| (at[k] - moved[k] - sizes[0][k]).max(moved[k] - at[k] - sizes[1][k]).max(0.0);
            norm([0, 1, 2].map(off))
        };
        let far = [500.0, 0.0, 0.0];
        let body = Body { mesh: cuboid(sizes[0]), beside: vec![beside("Winch drum", far), beside("Winch arm", at)], ..Body::default() };
        let to = |name: &str| {
            let keep = KeepMeasure { name: name.into(), what: What::Clearance, places: Vec::new(), to: Some(name.into()), at_least: Some(1.0), at_most: None };
            taken(&body, &Step::KeepMeasure(keep))
        };
        prop_assert!(to("winch hook").is_err_and(|e| e.contains("is called “winch hook”")));
        for name in ["winch arm", "winch *"] {
            let kept = to(name).map_err(TestCaseError::fail)?;
            prop_assert!((now(&kept, name) - gap([0.0; 3])).abs() < 1e-9, "{name}");
            let moved = Step::MoveTurn(MoveTurn { turn: [0.0; 3], about: [0.0; 3], by });
            let moved = taken(&kept, &moved).map_err(TestCaseError::fail)?;
            prop_assert!((now(&moved, name) - gap(by)).abs() < 1e-9, "{name} after it moved");
            let found = survey(&moved, &Watch::default()).unwrap().0;
            prop_assert_eq!(found.findings.iter().any(|f| f.text.contains("not as asked")), gap(by) < 1.0);
        }
    }
}

#[test]
fn what_is_asked_of_a_measure_stands_on_the_sheet_and_can_be_waived() {
    let mut body = hollow([30.0, 20.0, 10.0], 2.0);
    body.facts.scale = Some(Scale::Unit(Unit::Mm));
    let side = vec![[0.0, 9.0, 5.0]];
    let body = taken(&body, &keep("long", What::Distance, vec![[0.0; 3], [30.0, 0.0, 0.0]], [None; 2])).unwrap();
    let body = taken(&body, &keep("wall", What::Thickness, side.clone(), [Some(2.5), None])).unwrap();
    let sheet = |b: &Body| {
        let found = survey(b, &Watch::default()).unwrap();
        let sheet = Sheet::of(&b.facts, &found.0, &Destination::named("solid").unwrap());
        (sheet, found.0.findings)
    };
    let (rows, findings) = sheet(&body);
    let row = |s: &Sheet| s.rows.iter().find(|r| r.id == "measure-wall").cloned().expect("a row");
    assert_eq!(
        (row(&rows).verdict, row(&rows).measured.as_str(), row(&rows).limit.as_str()),
        (Verdict::NotMet, "2 mm", "≥ 2.5 mm")
    );
    assert!(rows.rows.iter().all(|r| r.phrase != "long"), "nothing is asked of it");
    assert!(
        findings.iter().any(|f| f.kind.id() == "measure_not_met" && f.text.contains("“wall” is 2 mm")),
        "{findings:?}"
    );
    let let_pass = Waive { requirement: "measure-wall".into(), reason: "as built".into(), by: "Ada".into() };
    let waived = taken(&body, &Step::Waive(let_pass)).unwrap();
    assert_eq!(row(&sheet(&waived).0).verdict, Verdict::Waived);
    let thinner = taken(&body, &keep("wall", What::Thickness, side, [Some(1.5), Some(2.5)])).unwrap();
    assert_eq!((row(&sheet(&thinner).0).verdict, thinner.facts.measures.len()), (Verdict::Met, 2));
    // Where there is nothing, nothing is kept, and that is said.
    for (step, why) in [
        (keep("x", What::Distance, vec![[0.0; 3], [300.0, 0.0, 0.0]], [None; 2]), "not on the body"),
        (keep("x", What::Distance, vec![[0.0; 3]], [None; 2]), "takes 2 places"),
        (keep("x", What::Thickness, vec![[0.0; 3]], [Some(3.0), Some(1.0)]), "above the largest"),
    ] {
        let told = taken(&body, &step).map(|_| ()).expect_err("refused");
        assert!(told.contains(why), "{told}");
    }
    // A part that goes takes its measures' places with it: they are told, not guessed.
    let mut gone = thinner;
    gone.mesh.points.iter_mut().for_each(|p| p[0] += 500.0);
    assert_eq!(row(&sheet(&gone).0).measured, "gone");
}
