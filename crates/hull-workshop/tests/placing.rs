//! Bodies are turned, moved, mirrored, enlarged and stretched, one after the other: everything that is remembered of a body
//! stays on it, and how it lies against its file is known.

use crate::common::body;
use hull_fitting::{Fit, Shape};
use hull_formats::ply;
use hull_frames::{Frame, Joint, Load, LoadKind, Member};
use hull_geometry::cloud::Cloud;
use hull_geometry::measure::mass;
use hull_geometry::shapes::torus;
use hull_geometry::vector::{distance, dot, norm, sub};
use hull_geometry::{FacetId, Point, PointId, Watch};
use hull_workshop::body::{Facts, Seam};
use hull_workshop::datums::Datum;
use hull_workshop::measures::{NamedMeasure, What};
use hull_workshop::pieces::Piece;
use hull_workshop::rules::Rule;
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::steps::{self, Step, StepError};
use hull_workshop::{Body, Destination, apply};
use proptest::prelude::*;
use std::sync::Arc;

/// Points of the mesh that what is remembered stands on.
const MARKS: [u32; 6] = [0, 7, 23, 40, 77, 101];

/// A ring with all that can be remembered of a body, each at a point of its mesh.
fn marked() -> Body {
    let mut b = body(torus(8.0, 3.0, 12, 9));
    let at = |i: usize| b.mesh.points[PointId(MARKS[i])];
    let middle = |f: u32| {
        let [p, q, r] = b.mesh.corners(FacetId(f));
        [0, 1, 2].map(|k| (p[k] + q[k] + r[k]) / 3.0)
    };
    let picks = vec![Pick::Facet { at: middle(5) }, Pick::Grow { at: middle(60), angle: 1.0 }];
    let rules =
        [Selection { include: picks, ..Selection::default() }, Selection::from(Pick::Connected { at: middle(9) })];
    let rule = |(name, pick): (&str, Selection)| {
        let (claims, _) = hull_workshop::rules::claims(
            &b,
            &[Rule { name: name.into(), role: None, pick: pick.clone(), area: 0.0, before: None }],
        );
        Rule { name: name.into(), role: None, pick, area: claims[0].area, before: Some(claims[0].area) }
    };
    let measure = |name: &str, what, places: &[usize]| NamedMeasure {
        name: name.into(),
        what,
        places: places.iter().map(|i| at(*i)).collect(),
        to: None,
        at_least: None,
        at_most: None,
    };
    let mut cloud = Cloud { points: MARKS.iter().map(|i| b.mesh.points[PointId(*i)]).collect(), ..Cloud::default() };
    cloud.normals = vec![[0.6, 0.0, 0.8]; MARKS.len()];
    b.facts = Facts {
        seams: vec![Seam {
            name: "rim".into(),
            edges: 2,
            length: distance(at(0), at(1)) + distance(at(1), at(2)),
            at: at(0),
            lines: vec![[at(0), at(1)], [at(1), at(2)]],
        }],
        rules: ["one", "all"].into_iter().zip(rules).map(rule).collect(),
        measures: vec![measure("long", What::Distance, &[3, 4]), measure("round", What::Radius, &[0, 3, 5])],
        datums: vec![Datum {
            name: "ball".into(),
            fit: Fit { shape: Shape::Sphere { at: at(5), radius: 2.0 }, rms: 0.1, largest: 0.2, points: 9 },
        }],
        ..b.facts.clone()
    };
    b.pieces = vec![Piece::Points(Arc::new(cloud))];
    b
}

/// A step, and what it does to a place, as plain numbers.
struct Drawn {
    step: Step,
    does: Box<dyn Fn(Point) -> Point>,
    /// Lengths become so many times as long; `None` where that depends on the direction.
    scale: Option<f64>,
}

fn typed(id: &str, values: &[(&str, String)]) -> Step {
    let typed: Vec<(String, String)> = values.iter().map(|(k, v)| (k.to_string(), v.clone())).collect();
    steps::read(id, &typed, None).unwrap_or_else(|e| panic!("{id}: {e:?}"))
}

const UNITS: [(&str, f64); 5] = [("mm", 1.0), ("cm", 10.0), ("m", 1000.0), ("in", 25.4), ("ft", 304.8)];
const AXES: [&str; 6] = ["+x", "-x", "+y", "-y", "+z", "-z"];

fn axis(name: &str) -> Point {
    let k = ["x", "y", "z"].iter().position(|a| name.ends_with(a)).unwrap();
    let mut out = [0.0; 3];
    out[k] = if name.starts_with('-') { -1.0 } else { 1.0 };
    out
}

/// Rodrigues' formula: a turn about an axis through a place, by degrees.
fn turned(p: Point, about: Point, by: Point) -> Point {
    let angle = norm(by);
    if angle == 0.0 {
        return p;
    }
    let (u, v) = (by.map(|x| x / angle), sub(p, about));
    let (s, c) = angle.to_radians().sin_cos();
    let cross = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    [0, 1, 2].map(|k| about[k] + v[k] * c + cross[k] * s + u[k] * dot(u, v) * (1.0 - c))
}

/// A step of the given kind for a body as it is now.
fn drawn(kind: u8, x: [f64; 6], body: &Body, unit: f64) -> Drawn {
    let text = |v: &[f64]| v.iter().map(f64::to_string).collect::<Vec<_>>().join(", ");
    let (a, b) = ([x[0], x[1], x[2]].map(|v| 100.0 * v), [x[3], x[4], x[5]].map(|v| 20.0 * v));
    let rigid = |step, does: Box<dyn Fn(Point) -> Point>| Drawn { step, does, scale: Some(1.0) };
    match kind {
        0 => rigid(
            typed("move_turn", &[("turn", text(&a)), ("about", text(&b)), ("by", text(&[3.0, x[0], -2.0]))]),
            Box::new(move |p| {
                let q = turned(p, b, a);
                [q[0] + 3.0, q[1] + x[0], q[2] - 2.0]
            }),
        ),
        1 => {
            let min = body.bounds().min;
            rigid(
                typed("place", &[("anchor", "minimum_corner".into()), ("at", text(&b))]),
                Box::new(move |p| [0, 1, 2].map(|k| p[k] - min[k] + b[k])),
            )
        }
        2 => {
            let (k, in_place) = ((x[0].abs() * 3.0) as usize % 3, x[1] > 0.0);
            let about = if in_place { body.bounds().centre()[k] } else { 0.0 };
            rigid(
                typed(
                    "mirror",
                    &[("axis", ["x", "y", "z"][k].into()), ("in_place", if in_place { "yes" } else { "no" }.into())],
                ),
                Box::new(move |mut p| {
                    p[k] = 2.0 * about - p[k];
                    p
                }),
            )
        }
        3 => {
            let up = AXES[(x[0].abs() * 6.0) as usize % 6];
            let others: Vec<&str> = AXES.into_iter().filter(|a| !a.ends_with(&up[1..])).collect();
            let forward = others[(x[1].abs() * 4.0) as usize % 4];
            let (z, x) = (axis(up), axis(forward));
            let y = [z[1] * x[2] - z[2] * x[1], z[2] * x[0] - z[0] * x[2], z[0] * x[1] - z[1] * x[0]];
            rigid(
                typed("orient", &[("up", up.into()), ("forward", forward.into())]),
                Box::new(move |p| [dot(p, x), dot(p, y), dot(p, z)]),
            )
        }
        4 => {
            let (name, millimetres) = UNITS[(x[0].abs() * 5.0) as usize % 5];
            let factor = millimetres / unit;
            Drawn {
                step: typed("set_unit", &[("unit", name.into())]),
                does: Box::new(move |p| p.map(|v| v * factor)),
                scale: Some(factor),
            }
        }
        _ => {
            let factors = [x[0], x[1], x[2]].map(|v| 2.0_f64.powf(2.0 * v));
            Drawn {
                step: typed("scale_axes", &[("factors", text(&factors))]),
                does: Box::new(move |p| [0, 1, 2].map(|k| p[k] * factors[k])),
                scale: None,
            }
        }
    }
}

fn after(b: &Body, step: &Step) -> Body {
    apply(b, step, &Destination::asking_nothing(), &Watch::default()).unwrap_or_else(|e| panic!("{step:?}: {e}")).0
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn what_is_remembered_of_a_body_stays_on_it(
        all in prop::collection::vec((0..6_u8, prop::array::uniform6(-1.0..1.0_f64)), 1..7),
    ) {
        let first = marked();
        let mut now = first.clone();
        let mut expected: Vec<Point> = first.mesh.points.raw.clone();
        let (mut unit, mut stretched) = (1.0, false);
        for (kind, x) in all {
            let Drawn { step, does, scale } = drawn(kind, x, &now, unit);
            unit *= if kind == 4 { scale.unwrap() } else { 1.0 };
            stretched |= kind == 5;
            now = after(&now, &step);
            expected.iter_mut().for_each(|p| *p = does(*p));
            // As a plain table of points has it.
            let size = now.bounds().diagonal();
            let near = |p: Point, q: Point| distance(p, q) <= 1e-9 * (size + norm(q));
            prop_assert!(now.mesh.points.iter().zip(&expected).all(|(p, q)| near(*p, *q)), "{:?}", step);
            prop_assert!(mass(&now.mesh, &now.bounds()).volume > 0.0, "it faces outward after {:?}", step);
            let mark = |i: usize| now.mesh.points[PointId(MARKS[i])];
            let facts = &now.facts;
            let seam = &facts.seams[0];
            prop_assert!(near(seam.at, mark(0)) && near(seam.lines[1][1], mark(2)), "a seam after {:?}", step);
            prop_assert!((seam.length - distance(mark(0), mark(1)) - distance(mark(1), mark(2))).abs() < 1e-6 * size);
            prop_assert!(near(facts.measures[0].places[0], mark(3)) && near(facts.measures[1].places[2], mark(5)), "a measure after {:?}", step);
            let cloud = now.cloud().unwrap();
            prop_assert!(cloud.points.iter().enumerate().all(|(i, p)| near(*p, mark(i))), "points after {:?}", step);
            prop_assert!(cloud.normals.iter().all(|n| (norm(n.map(f64::from)) - 1.0).abs() < 1e-4));
            // Rules claim the facets that they claimed, with the areas that these have now.
            let (claims, _) = hull_workshop::rules::claims(&now, &facts.rules);
            let (before, _) = hull_workshop::rules::claims(&first, &first.facts.rules);
            for ((rule, claim), was) in facts.rules.iter().zip(claims).zip(before) {
                prop_assert_eq!(&claim.facets, &was.facets, "{} after {:?}", &rule.name, &step);
                prop_assert!((rule.area - claim.area).abs() <= 1e-6 * claim.area, "{} of {}", rule.area, claim.area);
                prop_assert!((rule.before.unwrap() - claim.area).abs() <= 1e-6 * claim.area);
            }
            // A fitted shape goes along with a motion and is forgotten by a stretch.
            match (&facts.datums[..], stretched) {
                ([], true) => {}
                ([Datum { fit: Fit { shape: Shape::Sphere { at, radius }, .. }, .. }], false) => {
                    prop_assert!(near(*at, mark(5)) && (radius - 2.0 * unit).abs() < 1e-9 * radius, "a datum after {:?}", step);
                }
                other => prop_assert!(false, "{:?}", other),
            }
        }
    }

    /// From where it lay when its unit was set to where it is now leads one motion.
    #[test]
    fn one_motion_says_how_a_body_lies_against_its_file(
        unit in 0..5_usize, all in prop::collection::vec((0..4_u8, prop::array::uniform6(-1.0..1.0_f64)), 1..6),
    ) {
        let mut now = after(&marked(), &typed("set_unit", &[("unit", UNITS[unit].0.into())]));
        let set: Vec<Point> = now.mesh.points.raw.clone();
        for (kind, x) in all {
            let step = drawn(kind, x, &now, UNITS[unit].1).step;
            now = after(&now, &step);
        }
        let size = now.bounds().diagonal();
        let by = now.facts.placed.map_or(hull_exact::Motion::NONE, |p| p.by);
        for (p, q) in set.iter().zip(&now.mesh.points) {
            prop_assert!(distance(by.point(*p), *q) <= 1e-9 * (size + norm(*q)));
        }
    }

    /// What cannot be stretched is not lost by it: the step is refused, and the body is as it was.
    #[test]
    fn a_stretch_is_refused_where_something_would_not_follow(x in prop::array::uniform6(-1.0..1.0_f64)) {
        let mut b = marked();
        let mut frame = Frame { layers: vec!["all".into()], ..Frame::default() };
        frame.joints = [[0.0; 3], [1.0, 0.0, 0.0]].map(|at| Joint { at, ..Joint::default() }).to_vec();
        frame.members = vec![Member { ends: [0, 1], ..Member::default() }];
        frame.loads = vec![Load { case: "a".into(), kind: LoadKind::Joint { joint: 1, force: [0.0, 0.0, 1.0, 0.0, 2.0, 0.0] } }];
        b.pieces.push(Piece::Members(Arc::new(frame)));
        match apply(&b, &drawn(5, x, &b, 1.0).step, &Destination::asking_nothing(), &Watch::default()) {
            Err(StepError::Refused(why)) => prop_assert!(why.contains("1 member") && why.contains("not stretched"), "{}", why),
            other => prop_assert!(false, "{:?}", other.map(|_| ())),
        }
        // A motion takes it along: the load turns, and in a mirror its moment turns the other way round.
        let mirrored = after(&b, &typed("mirror", &[("axis", "x".into())]));
        match &mirrored.frame().unwrap().loads[0].kind {
            LoadKind::Joint { force, .. } => prop_assert_eq!(force.map(|v| v + 0.0), [0.0, 0.0, 1.0, 0.0, -2.0, 0.0]),
            other => prop_assert!(false, "{:?}", other),
        }
    }
}

/// A routine of motions on points as they come from a file: read, placed, written and read again they lie there.
#[test]
fn points_lie_where_the_steps_put_them_also_in_the_file_that_is_written() {
    let cloud = marked().cloud().unwrap().clone();
    let opened = hull_formats::open("a.ply", &ply::write_points(&cloud, false), &Watch::default()).unwrap();
    let mut b = Body::of("a.ply", opened, &Watch::default()).unwrap();
    let steps = [
        typed("set_unit", &[("unit", "in".into())]),
        typed("orient", &[("up", "+y".into()), ("forward", "-z".into())]),
        typed("mirror", &[("axis", "x".into())]),
        typed("place", &[("anchor", "origin".into()), ("at", "10, 20, 30".into())]),
    ];
    for step in &steps {
        b = after(&b, step);
    }
    for (p, q) in cloud.points.iter().zip(&b.cloud().unwrap().points) {
        // Inches; y up, −z ahead (so −x is left); mirrored; moved.
        let expected = [25.4 * p[2] + 10.0, -25.4 * p[0] + 20.0, 25.4 * p[1] + 30.0];
        assert!(distance(expected, *q) < 1e-4, "{q:?} for {expected:?}");
    }
    let written = ply::write_points(b.cloud().unwrap(), false);
    let Ok(hull_formats::Content::Points(back)) = hull_formats::open("b.ply", &written, &Watch::default()) else {
        panic!("points")
    };
    assert!(back.cloud.points.iter().zip(&b.cloud().unwrap().points).all(|(p, q)| distance(*p, *q) < 1e-4));
}
