//! Bodies that lie anywhere are brought to where places, datums, their own shape or another body say.

use crate::common::{body, run};
use hull_fitting::{Fit, Shape};
use hull_geometry::dirt::Dice;
use hull_geometry::shapes::cuboid;
use hull_geometry::transform::translate;
use hull_geometry::vector::{add, cross, distance, dot, norm, scale, sub};
use hull_geometry::{Point, PointId, Watch};
use hull_workshop::best_fit::{Options, best_fit};
use hull_workshop::datums::Datum;
use hull_workshop::{Body, Destination, apply};
use proptest::prelude::*;

/// A block with a smaller one beside it: no two of its sides are alike.
fn lugged() -> Body {
    let mut mesh = cuboid([40.0, 30.0, 20.0]);
    let mut lug = cuboid([12.0, 7.0, 5.0]);
    translate(&mut lug, [44.0, 3.0, 11.0]);
    mesh.append(&lug);
    body(mesh)
}

fn text(p: Point) -> String {
    p.map(|x| x.to_string()).join(", ")
}

fn texts(all: &[Point]) -> String {
    all.iter().map(|p| text(*p)).collect::<Vec<_>>().join("; ")
}

/// The body turned about each axis by up to `most` degrees, and moved.
fn astray(b: &Body, by: [f64; 6], most: f64) -> Body {
    let turn = text([by[0], by[1], by[2]].map(|x| most * x));
    let shift = text([by[3], by[4], by[5]].map(|x| 50.0 * x));
    run(b, "move_turn", &[("turn", &turn), ("about", "0, 0, 0"), ("by", &shift)]).unwrap().0
}

fn any_way() -> impl Strategy<Value = [f64; 6]> {
    prop::array::uniform6(-1.0..1.0_f64)
}

fn apart(a: &Body, b: &Body) -> f64 {
    a.mesh.points.iter().zip(&b.mesh.points).map(|(p, q)| distance(*p, *q)).fold(0.0, f64::max)
}

const HOW: Options = Options { overlap: 1.0, from_scratch: false };

const AXES: [&str; 6] = ["+x", "-x", "+y", "-y", "+z", "-z"];

fn axis(name: &str) -> Point {
    ['x', 'y', 'z'].map(|k| {
        if !name.ends_with(k) {
            0.0
        } else if name.starts_with('-') {
            -1.0
        } else {
            1.0
        }
    })
}

/// Two axes across each other.
fn two_axes() -> impl Strategy<Value = (&'static str, &'static str)> {
    (0..6_usize, 0..4_usize).prop_map(|(up, other)| {
        let others: Vec<&str> = AXES.into_iter().filter(|a| a[1..] != AXES[up][1..]).collect();
        (AXES[up], others[other])
    })
}

/// The number behind some words of a sentence.
fn told(said: &str, words: &str) -> f64 {
    let rest = said.split_once(words).unwrap_or_else(|| panic!("{words} in {said}")).1.trim_start();
    let number: String = rest.chars().take_while(|c| c.is_ascii_digit() || ".-e".contains(*c)).collect();
    number.trim_end_matches('.').parse().unwrap_or_else(|_| panic!("{number} in {said}"))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// Pairs that fit bring every point back; with pairs that do not, what is left is no more than the way back leaves, as least
    /// squares must.
    #[test]
    fn pairs_bring_a_body_back(by in any_way(), many in 3..9_usize, seed: u64, off in prop_oneof![Just(0.0), 0.01..2.0_f64]) {
        let first = lugged();
        let away = astray(&first, by, 180.0);
        let mut dice = Dice(seed);
        // The first three corners are not on one line.
        let chosen: Vec<PointId> =
            (0..many).map(|i| if i < 3 { PointId([0, 1, 3][i]) } else { PointId(dice.below(16) as u32) }).collect();
        let from: Vec<Point> = chosen.iter().map(|p| away.mesh.points[*p]).collect();
        let noise: Vec<Point> = chosen.iter().map(|_| [0; 3].map(|_| off * (dice.part() - 0.5))).collect();
        let to: Vec<Point> = chosen.iter().zip(&noise).map(|(p, n)| add(first.mesh.points[*p], *n)).collect();
        let (back, said) = run(&away, "align_pairs", &[("from", &texts(&from)), ("to", &texts(&to))]).unwrap();
        let rms = |b: &Body| {
            let sum: f64 = chosen.iter().zip(&to).map(|(p, q)| distance(b.mesh.points[*p], *q).powi(2)).sum();
            (sum / many as f64).sqrt()
        };
        prop_assert!(rms(&back) <= rms(&first) * (1.0 + 1e-9) + 1e-9, "{} for {}", rms(&back), rms(&first));
        prop_assert!((told(&said, "root mean square") - rms(&back)).abs() <= 1e-3 * rms(&back) + 1e-8, "{}", said);
        if off == 0.0 {
            prop_assert!(apart(&back, &first) < 1e-9, "{}", apart(&back, &first));
        }
    }

    /// 3-2-1: the three points share a height of 0 with the body above, the two lie along the other axis, the one stands at 0.
    #[test]
    fn three_two_and_one_point_say_how_a_body_stands(by in any_way(), (up, forward) in two_axes(), seed: u64) {
        let away = astray(&lugged(), by, 180.0);
        let mut dice = Dice(seed);
        let mut three = || [0; 3].map(|_| PointId(dice.below(16) as u32));
        let (plane, line) = (three(), three());
        let at = |b: &Body, p: PointId| b.mesh.points[p];
        let normal = cross(sub(at(&away, plane[1]), at(&away, plane[0])), sub(at(&away, plane[2]), at(&away, plane[0])));
        let way = sub(at(&away, line[1]), at(&away, line[0]));
        let middle = away.bounds().centre();
        let above = dot(normal, sub(middle, at(&away, plane[0]))) / norm(normal).max(1e-300);
        // Neither on one line nor straight up, and the body's middle is not in the plane itself.
        prop_assume!(norm(normal) > 1.0 && norm(cross(way, normal)) > 0.05 * norm(way) * norm(normal) && above.abs() > 0.1);
        let places = |all: &[PointId]| texts(&all.iter().map(|p| at(&away, *p)).collect::<Vec<_>>());
        let typed =
            [("plane", places(&plane)), ("up", up.into()), ("line", places(&line[..2])), ("forward", forward.into()), ("origin", places(&line[2..]))];
        let stands = run(&away, "align_points", &typed.each_ref().map(|(k, v)| (*k, v.as_str()))).unwrap().0;
        let (z, x) = (axis(up), axis(forward));
        prop_assert_eq!(stands.facts.axes.clone(), Some([up.to_string(), forward.to_string()]));
        // Every point stands as high as it was above the plane, on the side of the body's middle.
        let height = |p: Point| dot(normal, sub(p, at(&away, plane[0]))) / norm(normal) * above.signum();
        for (p, q) in away.mesh.points.iter().zip(&stands.mesh.points) {
            prop_assert!((dot(*q, z) - height(*p)).abs() < 1e-9);
        }
        let along = sub(at(&stands, line[1]), at(&stands, line[0]));
        let side = sub(along, add(scale(z, dot(along, z)), scale(x, dot(along, x))));
        prop_assert!(norm(side) < 1e-9 && dot(along, x) > 0.0);
        let origin = at(&stands, line[2]);
        prop_assert!(norm(sub(origin, scale(z, dot(origin, z)))) < 1e-9, "{:?}", origin);
        // Nothing but a motion: all distances stay, and no mirror.
        for (p, q) in [(0, 6), (3, 12), (8, 15)] {
            let way = |b: &Body| distance(at(b, PointId(p)), at(b, PointId(q)));
            prop_assert!((way(&stands) - way(&away)).abs() < 1e-9);
        }
        prop_assert!(hull_geometry::measure::mass(&stands.mesh, &stands.bounds()).volume > 0.0);
    }

    /// A plane, an axis and a ball say how a body stands; each brings as much of the origin as it tells.
    #[test]
    fn datums_say_how_a_body_stands(by in any_way(), (up, forward) in two_axes(), facing: bool, origin in 0..4_usize) {
        let mut first = lugged();
        let datum = |name: &str, shape| Datum { name: name.into(), fit: Fit { shape, rms: 0.0, largest: 0.0, points: 20 } };
        let floor = Shape::Plane { at: [11.0, 5.0, 0.0], normal: [0.0, 0.0, if facing { 1.0 } else { -1.0 }] };
        // Askew to the floor, which comes first.
        let bore = Shape::Cylinder { at: [4.0, 9.0, 8.0], direction: [0.8, 0.0, 0.6], radius: 3.0 };
        let ball = Shape::Sphere { at: [20.0, 15.0, 25.0], radius: 2.0 };
        first.facts.datums = vec![datum("floor", floor), datum("bore", bore), datum("ball", ball)];
        let away = astray(&first, by, 180.0);
        let name = ["", "floor", "bore", "ball"][origin];
        let typed = [("first", "floor"), ("up", up), ("second", "bore"), ("forward", forward), ("origin", name)];
        let stands = run(&away, "align_datums", &typed).unwrap().0;
        let shape = |name: &str| stands.datum(name).unwrap().fit.shape;
        let (z, x) = (axis(up), axis(forward));
        let Shape::Plane { normal, .. } = shape("floor") else { panic!("a plane") };
        prop_assert!((dot(normal, z).abs() - 1.0).abs() < 1e-12);
        let height = |p: Point| dot(sub(p, shape("floor").at()), z);
        prop_assert!(stands.mesh.points.iter().all(|p| height(*p) > -1e-9), "the body stands on its floor");
        let along = shape("bore").direction().unwrap();
        prop_assert!((dot(along, x) - 0.8).abs() < 1e-9 && dot(along, cross(z, x)).abs() < 1e-9, "{:?}", along);
        match name {
            "floor" => prop_assert!(dot(shape("floor").at(), z).abs() < 1e-9),
            "bore" => prop_assert!(norm(cross(shape("bore").at(), along)) < 1e-9, "the axis runs through 0, 0, 0"),
            "ball" => prop_assert!(norm(shape("ball").at()) < 1e-9),
            // The middle of the box stays where it is, whatever turns about it.
            _ => {
                let middle = away.bounds().centre();
                for (p, q) in away.mesh.points.iter().zip(&stands.mesh.points) {
                    prop_assert!((distance(*p, middle) - distance(*q, middle)).abs() < 1e-9);
                }
            }
        }
        let refused = |typed: &[(&str, &str)]| run(&away, "align_datums", typed).unwrap_err();
        prop_assert!(refused(&[("first", "ball"), ("second", "bore")]).contains("is a sphere"));
        prop_assert!(refused(&[("first", "roof"), ("second", "bore")]).contains("There is no datum “roof”: there are “floor”, “bore”, “ball”."));
        let (gone, _) = run(&away, "drop_datum", &[("name", "bore")]).unwrap();
        prop_assert!(run(&gone, "align_datums", &typed).unwrap_err().contains("There is no datum “bore”"));
    }

    /// A block that lies askew gets its three sizes back, the longest along x, whatever tells its axes; its middle stays.
    #[test]
    fn a_body_is_turned_by_its_own_shape(by in any_way(), size in [20.0..30.0_f64, 11.0..18.0_f64, 3.0..9.0_f64], which: bool) {
        let mut sizes = size;
        sizes.rotate_left(which as usize);
        let block = body(cuboid(sizes));
        let away = astray(&block, by, 180.0);
        let middle = |b: &Body| scale(b.mesh.points.iter().fold([0.0; 3], |s, p| add(s, *p)), 1.0 / 8.0);
        for tells in ["smallest_box", "principal_axes"] {
            let (stands, said) = run(&away, "align_body", &[("by", tells)]).unwrap();
            let found = stands.bounds().size();
            prop_assert!((0..3).all(|k| (found[k] - size[k]).abs() < 1e-6), "{}: {:?} for {:?}", tells, found, size);
            prop_assert!(distance(middle(&stands), middle(&away)) < 1e-9, "{}", tells);
            prop_assert!((told(&said, "it is") - size[0]).abs() < 0.01, "{}", said);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]

    /// A body that lies a little beside its like comes to lie on it, and is told how well.
    #[test]
    fn a_body_is_brought_onto_its_like(by in any_way()) {
        let first = lugged();
        let away = astray(&first, [by[0], by[1], by[2], 0.06 * by[3], 0.06 * by[4], 0.06 * by[5]], 6.0);
        let (step, found) = best_fit(&away, &first, HOW, &Watch::default()).expect("it fits");
        let (back, _) = apply(&away, &step, &Destination::asking_nothing(), &Watch::default()).unwrap();
        prop_assert!(apart(&back, &first) < 0.05, "{} of {} before", apart(&back, &first), apart(&away, &first));
        prop_assert!(found.rms <= found.rounds[0], "{:?}", found);
        let said = hull_workshop::best_fit::told(&found, "block", "mm");
        prop_assert!(said.contains("Brought onto “block”") && (told(&said, "root mean square") - found.rms).abs() <= 1e-3 * found.rms + 1e-12);
    }
}

#[test]
fn what_does_not_tell_how_a_body_lies_is_refused_with_a_sentence() {
    let block = lugged();
    let pairs = |from: &str, to: &str| run(&block, "align_pairs", &[("from", from), ("to", to)]).unwrap_err();
    let three = "0, 0, 0; 1, 0, 0; 0, 1, 0";
    assert!(pairs(three, "0, 0, 0; 1, 0, 0").contains("3 places of the body and 2 where they belong"));
    let few = pairs("0, 0, 0; 1, 0, 0", "0, 0, 0; 1, 0, 0");
    let in_line = pairs("0, 0, 0; 1, 0, 0; 2, 0, 0", three);
    assert!(few.contains("three") && in_line.contains("one line"), "{few} {in_line}");
    let points = |plane: &str, line: &str, forward: &str| {
        let typed = [("plane", plane), ("line", line), ("forward", forward), ("origin", "0, 0, 0")];
        run(&block, "align_points", &typed).unwrap_err()
    };
    assert!(points("0, 0, 0; 1, 0, 0", "0, 0, 0; 1, 0, 0", "+x").contains("three points"));
    assert!(points(three, "0, 0, 0", "+x").contains("two points"));
    for (plane, line, forward) in [
        ("0, 0, 0; 1, 0, 0; 2, 0, 0", "0, 0, 0; 1, 0, 0", "+x"),
        (three, "0, 0, 0; 0, 0, 5", "+x"),
        (three, "0, 0, 0; 1, 0, 0", "-z"),
    ] {
        let why = points(plane, line, forward);
        assert!(why.ends_with('.') && why.len() > 20, "{why}");
    }
    let mut sized = block.clone();
    sized.facts.scale = run(&block, "set_unit", &[("unit", "mm")]).unwrap().0.facts.scale;
    let why = best_fit(&block, &sized, HOW, &Watch::default()).unwrap_err().to_string();
    assert!(why.contains("set the unit of both"), "{why}");
    let why = best_fit(&Body::default(), &block, HOW, &Watch::default()).unwrap_err().to_string();
    assert!(why.contains("need a surface or points"), "{why}");
}
