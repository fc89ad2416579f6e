//! IGES entities one by one, from parameters written by hand after IGES 5.3 (recalled from memory), against closed forms of
//! school geometry.

use crate::common::iges::{Made, e, iges_file};
use crate::common::made::{at, curves, sum};
use crate::common::{close, placed_shapes};
use hull_exact::model::PartId;
use hull_exact::parameter_loops::Reader;
use hull_exact::quadrature::figures;
use hull_exact::shape::{FaceId, SurfaceId};
use hull_formats::{Design, iges};
use hull_geometry::{Point, Watch};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

fn read(entities: &[Made]) -> Design {
    let bytes = iges_file("2HMM", 2, 1.0, entities);
    iges::read("made.igs", &bytes, &Watch::default())
        .unwrap_or_else(|e| panic!("{e}\n{}", String::from_utf8_lossy(&bytes)))
}

/// The directory number of the entity that stands `i`th in the file, from 0.
fn de(i: usize) -> usize {
    2 * i + 1
}

#[test]
fn curves_are_as_long_as_their_closed_forms() {
    let parabola = 2.0_f64.sqrt() + 1.0_f64.asinh();
    let quarter = "0.,1.,0.,3.,0.,1.,2.";
    let cases: Vec<(&str, Vec<Made>, f64, Point, Point)> = vec![
        ("an arc at a height", vec![e(100, "7.,1.,0.,3.,0.,1.,2.")], PI, [3.0, 0.0, 7.0], [1.0, 2.0, 7.0]),
        ("a whole circle", vec![e(100, "0.,1.,0.,3.,0.,3.,0.")], 2.0 * TAU, [3.0, 0.0, 0.0], [3.0, 0.0, 0.0]),
        ("an arc through the cut", vec![e(100, "0.,0.,0.,0.,-2.,0.,2.")], TAU, [0.0, -2.0, 0.0], [0.0, 2.0, 0.0]),
        (
            "turned to stand and moved",
            vec![e(100, quarter).matrix(de(1)), e(124, "1.,0.,0.,5.,0.,0.,-1.,0.,0.,1.,0.,0.")],
            PI,
            [8.0, 0.0, 0.0],
            [6.0, 0.0, 2.0],
        ),
        (
            "a matrix in a matrix",
            vec![
                e(110, "0.,0.,0.,1.,0.,0.").matrix(de(1)),
                e(124, "0.,-1.,0.,0.,1.,0.,0.,0.,0.,0.,1.,0.").matrix(de(2)),
                e(124, "1.,0.,0.,5.,0.,1.,0.,0.,0.,0.,1.,0."),
            ],
            1.0,
            [5.0, 0.0, 0.0],
            [5.0, 1.0, 0.0],
        ),
        (
            "a quarter of an ellipse",
            vec![e(104, "4.,0.,9.,0.,0.,-36.,1.,3.,0.,0.,2.").form(1)],
            {
                let f = |t: f64| (3.0 * t.sin()).hypot(2.0 * t.cos());
                (0..2000).map(|i| f((f64::from(i) + 0.5) / 2000.0 * FRAC_PI_2)).sum::<f64>() * FRAC_PI_2 / 2000.0
            },
            [3.0, 0.0, 1.0],
            [0.0, 2.0, 1.0],
        ),
        // y = x² / 4 from (-2, 1) to (2, 1).
        (
            "a parabola",
            vec![e(104, "1.,0.,0.,0.,-4.,0.,0.,-2.,1.,2.,1.").form(3)],
            2.0 * parabola,
            [-2.0, 1.0, 0.0],
            [2.0, 1.0, 0.0],
        ),
        ("points in a plane", vec![e(106, "1,3,5.,0.,0.,3.,0.,3.,4.").form(11)], 7.0, [0.0, 0.0, 5.0], [3.0, 4.0, 5.0]),
        ("points in space", vec![e(106, "2,3,0.,0.,0.,3.,0.,0.,3.,4.,0.").form(12)], 7.0, [0.0; 3], [3.0, 4.0, 0.0]),
        (
            "points with vectors",
            vec![e(106, "3,2,0.,0.,0.,9.,9.,9.,3.,4.,12.,9.,9.,9.").form(13)],
            13.0,
            [0.0; 3],
            [3.0, 4.0, 12.0],
        ),
        ("a closed outline", vec![e(106, "1,3,0.,0.,0.,3.,0.,3.,4.").form(63)], 12.0, [0.0; 3], [0.0; 3]),
        (
            "a chain of a line, an arc and a point between them",
            vec![
                e(102, &format!("3,{},{},{}", de(1), de(3), de(2))),
                e(110, "0.,0.,0.,3.,0.,0.").part(),
                e(100, quarter).part(),
                e(116, "3.,0.,0.,0").part(),
            ],
            3.0 + PI,
            [0.0; 3],
            [1.0, 2.0, 0.0],
        ),
        // x = t, y = t², over two pieces.
        (
            "a parametric spline",
            vec![e(112, "3,2,2,2,0.,1.,2.,0.,1.,0.,0.,0.,0.,1.,0.,0.,0.,0.,0.,1.,1.,0.,0.,1.,2.,1.,0.,0.,0.,0.,0.")],
            0.5 * 2.0 * 17.0_f64.sqrt() + 0.25 * 4.0_f64.asinh(),
            [0.0; 3],
            [2.0, 4.0, 0.0],
        ),
        (
            "a rational arc, the first half of it",
            vec![e(
                126,
                "2,2,0,0,0,0,0.,0.,0.,1.,1.,1.,1.,.7071067811865476,1.,2.,0.,0.,2.,2.,0.,0.,2.,0.,0.,.5,0.,0.,1.",
            )],
            FRAC_PI_2,
            [2.0, 0.0, 0.0],
            [2.0_f64.sqrt(), 2.0_f64.sqrt(), 0.0],
        ),
    ];
    for (name, entities, long, from, to) in cases {
        let d = read(&entities);
        let (found, p, q) = curves(&d);
        close(name, "length", found, long, 1e-6);
        // An edge runs with its curve, which the file may go against.
        let ends = if (0..3).all(|k| (p[k] - from[k]).abs() < 1e-6) { [p, q] } else { [q, p] };
        at(name, ends[0], from);
        at(name, ends[1], to);
        assert_eq!(d.skipped, [], "{name}");
    }
}

/// x²/9 - y²/4 = 1, turned by 30°: both branches, by where they start.
#[test]
fn hyperbolas_take_the_branch_they_start_on() {
    let (s, c) = 30.0_f64.to_radians().sin_cos();
    let (p, q) = (1.0 / 9.0, -1.0 / 4.0);
    let [a, b, cc] = [p * c * c + q * s * s, 2.0 * (p - q) * c * s, p * s * s + q * c * c];
    for side in [1.0, -1.0] {
        let point = |t: f64| {
            let (x, y) = (side * 3.0 * t.cosh(), 2.0 * t.sinh());
            [x * c - y * s, x * s + y * c, 0.0]
        };
        let ([x0, y0, _], [x1, y1, _]) = (point(-1.0), point(1.0));
        let d = read(&[e(104, &format!("{a:?},{b:?},{cc:?},0.,0.,-1.,0.,{x0:?},{y0:?},{x1:?},{y1:?}")).form(2)]);
        let (long, from, to) = curves(&d);
        let f = |t: f64| (3.0 * t.sinh()).hypot(2.0 * t.cosh());
        let expected = (0..2000).map(|i| f(-1.0 + (f64::from(i) + 0.5) / 1000.0)).sum::<f64>() / 1000.0;
        close("hyperbola", "length", long, expected, 1e-6);
        let ends = if (from[1] - y0).abs() < 1e-6 { [from, to] } else { [to, from] };
        assert!((0..2).all(|k| (ends[0][k] - [x0, y0][k]).abs() < 1e-6 && (ends[1][k] - [x1, y1][k]).abs() < 1e-6));
    }
}

/// Lines of a drawing's annotation are no geometry.
#[test]
fn annotation_is_told_and_left_out() {
    let line = e(110, "0.,0.,0.,1.,0.,0.");
    for form in [20, 21, 31, 38, 40] {
        let d = read(&[line.clone(), e(106, "1,2,0.,0.,0.,9.,9.").form(form)]);
        assert_eq!(d.model.parts[PartId(0)].shape.wires.len(), 1, "form {form}");
        assert_eq!(d.skipped.len(), 1, "form {form}: {:?}", d.skipped);
    }
}

#[test]
fn surfaces_have_the_areas_of_their_closed_forms() {
    let line = e(110, "3.,0.,0.,3.,0.,5.").part();
    // The bilinear saddle over four corners: z = xy over the unit square.
    let saddle: f64 = {
        let n = 400;
        let f = |x: f64, y: f64| (1.0 + x * x + y * y).sqrt();
        let mid = |i: i32| (f64::from(i) + 0.5) / f64::from(n);
        (0..n).flat_map(|i| (0..n).map(move |j| f(mid(i), mid(j)))).sum::<f64>() / f64::from(n * n)
    };
    let mut patch = vec!["0."; 48];
    // x = s, y = t, z = s t; coefficients run through s first, then t; for x, y, z one after the other.
    (patch[1], patch[16 + 4], patch[32 + 5]) = ("1.", "1.", "1.");
    let padding = ["0."; 48].join(",");
    let cases = [
        (
            "extruded",
            vec![e(122, &format!("{},3.,0.,4.", de(1))), e(100, "0.,0.,0.,3.,0.,0.,3.").part()],
            3.0 * FRAC_PI_2 * 4.0,
        ),
        (
            "revolved by 90 degrees",
            vec![
                e(120, &format!("{},{},0.,1.5707963267948966", de(1), de(2))),
                e(110, "0.,0.,0.,0.,0.,1.").part(),
                line.clone(),
            ],
            3.0 * FRAC_PI_2 * 5.0,
        ),
        (
            "ruled between lines",
            vec![
                e(118, &format!("{},{},0,0", de(1), de(2))).form(1),
                e(110, "0.,0.,0.,1.,0.,0.").part(),
                e(110, "0.,1.,0.,1.,1.,1.").part(),
            ],
            saddle,
        ),
        (
            "ruled between lines that run against each other",
            vec![
                e(118, &format!("{},{},1,0", de(1), de(2))).form(1),
                e(110, "0.,0.,0.,1.,0.,0.").part(),
                e(110, "1.,1.,1.,0.,1.,0.").part(),
            ],
            saddle,
        ),
        (
            "a spline sheet",
            vec![e(
                128,
                "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,1.,0.,1.,0.,1.",
            )],
            saddle,
        ),
        (
            "half of a spline sheet",
            vec![e(
                128,
                "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,0.,0.,.5,0.,1.",
            )],
            0.5,
        ),
        (
            "a parametric spline sheet",
            vec![e(114, &format!("3,1,1,1,0.,1.,0.,1.,{},{padding},{padding},{padding}", patch.join(",")))],
            saddle,
        ),
        (
            "an offset, outwards",
            vec![
                e(140, &format!("1.,0.,0.,2.,{}", de(1))),
                e(122, &format!("{},3.,0.,4.", de(2))).part(),
                e(100, "0.,0.,0.,3.,0.,0.,3.").part(),
            ],
            5.0 * FRAC_PI_2 * 4.0,
        ),
        (
            "an offset, inwards",
            vec![
                e(140, &format!("-1.,0.,0.,2.,{}", de(1))),
                e(122, &format!("{},3.,0.,4.", de(2))).part(),
                e(100, "0.,0.,0.,3.,0.,0.,3.").part(),
            ],
            1.0 * FRAC_PI_2 * 4.0,
        ),
    ];
    for (name, entities, area) in cases {
        let d = read(&entities);
        close(name, "area", sum(&placed_shapes(&d)).area, area, 2e-6);
        assert_eq!(d.skipped, [], "{name}");
    }
}

/// Between an even half circle and a line whose spline runs unevenly, form 0 goes by arc length, form 1 by parameters.
#[test]
fn ruled_surfaces_go_by_length_or_by_parameter_as_their_form_says() {
    // y = 2: x = 4 t², so that by parameters the rulings lean; by length they stand across.
    let uneven = e(126, "2,2,0,0,1,0,0.,0.,0.,1.,1.,1.,1.,1.,1.,0.,2.,0.,0.,2.,0.,4.,2.,0.,0.,1.,0.,0.,1.").part();
    let even = e(110, "0.,0.,0.,4.,0.,0.").part();
    for (form, x) in [(0, 2.0), (1, 1.5)] {
        let d = read(&[e(118, &format!("{},{},0,0", de(1), de(2))).form(form), even.clone(), uneven.clone()]);
        let shape = &d.model.parts[PartId(0)].shape;
        let p = shape.surfaces[SurfaceId(0)].point(0.5, 0.5);
        at(&format!("form {form}"), p, [x, 1.0, 0.0]);
    }
}

/// A line whose spline runs as t², from (0, 0) to (4, 0), with a curve at a distance from 0 to 1 beside it: by the length
/// that is the straight line to (4, 1), by the parameter it bends; or the distance is the y of a third curve.
#[test]
fn distances_of_offset_curves_follow_length_parameter_or_another_curve() {
    let uneven = e(126, "2,2,0,0,1,0,0.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,0.,0.,0.,4.,0.,0.,0.,1.,0.,0.,1.").part();
    // y = x² from 0 to 2, its parameter 0 to 4 along x/2.
    let third = e(126, "2,2,0,0,1,0,0.,0.,0.,4.,4.,4.,1.,1.,1.,0.,0.,0.,1.,0.,0.,2.,4.,0.,0.,4.,0.,0.,1.").part();
    let parabola = 0.5 * 4.0 * 5.0_f64.sqrt() + 2.0_f64.asinh();
    for (name, data, long, end) in [
        ("by length", format!("{},2,0,0,1,0.,0.,1.,4.,0.,0.,1.,0.,1.", de(1)), 17.0_f64.sqrt(), 1.0),
        (
            "by parameter",
            format!("{},2,0,0,2,0.,0.,1.,1.,0.,0.,1.,0.,1.", de(1)),
            {
                // (4 t², t)
                (0..4000).map(|i| (8.0 * (f64::from(i) + 0.5) / 4000.0).hypot(1.0)).sum::<f64>() / 4000.0
            },
            1.0,
        ),
        // At the length s the third curve's y is s²/4: y = x²/4.
        ("by a third curve", format!("{},3,{},2,1,0.,0.,0.,0.,0.,0.,1.,0.,1.", de(1), de(2)), parabola, 4.0),
    ] {
        let d = read(&[e(130, &data), uneven.clone(), third.clone()]);
        let (found, p, q) = curves(&d);
        close(name, "length", found, long, 1e-6);
        assert!((0..3).all(|k| (p[k]).abs() < 1e-6 && (q[k] - [4.0, end, 0.0][k]).abs() < 1e-6), "{name}: {p:?} {q:?}");
    }
}

/// A disc with a hole, by 144 with curves in space, with curves in parameters only, and by 143.
#[test]
fn trimmed_surfaces_have_their_holes() {
    let sheet = || {
        e(
            128,
            "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,-5.,-5.,0.,5.,-5.,0.,-5.,5.,0.,5.,5.,0.,0.,1.,0.,1.",
        )
        .part()
    };
    let circle = |r: f64| e(100, &format!("0.,0.,0.,{r:?},0.,{r:?},0.")).part();
    // In the sheet's parameters, ten to the millimetre.
    let small = |r: f64| {
        let r = r / 10.0;
        e(100, &format!("0.,.5,.5,{:?},.5,{:?},.5", 0.5 + r, 0.5 + r)).part()
    };
    let on = |plane: usize, space: usize| e(142, &format!("1,{},{plane},{space},2", de(1))).part();
    for (name, entities) in [
        (
            "curves in space",
            vec![
                e(144, &format!("{},1,1,{},{}", de(1), de(2), de(3))),
                sheet(),
                on(0, de(4)),
                on(0, de(5)),
                circle(4.0),
                circle(1.0),
            ],
        ),
        (
            "curves in parameters",
            vec![
                e(144, &format!("{},1,1,{},{}", de(1), de(2), de(3))),
                sheet(),
                on(de(4), 0),
                on(de(5), 0),
                small(4.0),
                small(1.0),
            ],
        ),
        (
            "a bounded surface",
            vec![
                e(143, &format!("0,{},2,{},{}", de(1), de(2), de(3))),
                sheet(),
                e(141, &format!("0,1,{},1,{},1,0", de(1), de(4))).part(),
                e(141, &format!("0,1,{},1,{},2,0", de(1), de(5))).part(),
                circle(4.0),
                circle(1.0),
            ],
        ),
    ] {
        let d = read(&entities);
        close(name, "area", sum(&placed_shapes(&d)).area, 15.0 * PI, 1e-6);
        assert_eq!((d.skipped.as_slice(), d.faces_given_up), (&[][..], 0), "{name}");
    }
    // The sheet's own sides for the outer bound.
    let natural = [e(144, &format!("{},0,1,0,{}", de(1), de(2))), sheet(), on(0, de(3)), circle(1.0)];
    close("natural", "area", sum(&placed_shapes(&read(&natural))).area, 100.0 - PI, 1e-6);
}

/// A cylinder of radius 2 and height 5 as a solid of 186, with a sphere of radius 1 taken out of it.
fn cylinder_with_cavity(outer_flag: u8, void_flag: u8) -> Vec<Made> {
    let circle = |z: f64| e(100, &format!("{z:?},0.,0.,2.,0.,2.,0.")).part();
    vec![
        e(186, &format!("{},{outer_flag},1,{},{void_flag}", de(1), de(2))),
        e(514, &format!("3,{},1,{},1,{},1", de(3), de(4), de(5))).form(1).part(),
        e(514, &format!("1,{},1", de(6))).form(1).part(),
        e(510, &format!("{},2,1,{},{}", de(7), de(11), de(12))).form(1).part(),
        e(510, &format!("{},1,1,{}", de(8), de(13))).form(1).part(),
        e(510, &format!("{},1,1,{}", de(9), de(14))).form(1).part(),
        e(510, &format!("{},0,0", de(10))).form(1).part(),
        e(192, &format!("{},{},2.", de(15), de(17))).part(),
        e(190, &format!("{},{}", de(15), de(18))).part(),
        e(190, &format!("{},{}", de(16), de(17))).part(),
        e(196, &format!("{},1.", de(19))).part(),
        e(508, &format!("1,0,{},1,1,0", de(20))).form(1).part(),
        e(508, &format!("1,0,{},2,0,0", de(20))).form(1).part(),
        e(508, &format!("1,0,{},1,0,0", de(20))).form(1).part(),
        e(508, &format!("1,0,{},2,1,0", de(20))).form(1).part(),
        e(116, "0.,0.,0.,0").part(),
        e(116, "0.,0.,5.,0").part(),
        e(123, "0.,0.,1.").part(),
        e(123, "0.,0.,-1.").part(),
        e(116, "0.,0.,2.,0").part(),
        e(504, &format!("2,{},{},1,{},1,{},{},2,{},2", de(22), de(21), de(21), de(23), de(21), de(21))).form(1).part(),
        e(502, "2,2.,0.,0.,2.,0.,5.").form(1).part(),
        circle(0.0),
        circle(5.0),
    ]
}

#[test]
fn solids_have_their_cavities_however_their_shells_are_turned() {
    for (outer, void) in [(1, 1), (1, 0), (0, 0)] {
        let d = read(&cylinder_with_cavity(outer, void));
        let found = sum(&placed_shapes(&d));
        close("cylinder", "volume", found.volume, 20.0 * PI - 4.0 * PI / 3.0, 1e-9);
        close("cylinder", "area", found.area, (20.0 + 8.0 + 4.0) * PI, 1e-9);
        assert_eq!((d.skipped.as_slice(), d.faces), (&[][..], 4));
        assert_eq!(d.model.parts[PartId(0)].shape.solids().count(), 1);
    }
}

/// A subfigure within a subfigure: moved, enlarged and turned by its matrix.
#[test]
fn subfigures_are_placed_within_each_other() {
    let d = read(&[
        e(408, &format!("{},100.,0.,0.,2.", de(1))).matrix(de(5)),
        e(308, &format!("1,5Houter,1,{}", de(2))).part(),
        e(408, &format!("{},10.,0.,0.,1.", de(3))).part(),
        e(308, &format!("0,5Hinner,1,{}", de(4))).part(),
        e(128, "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,0.,0.,1.,0.,1.")
            .part(),
        // A quarter turn about z.
        e(124, "0.,-1.,0.,0.,1.,0.,0.,0.,0.,0.,1.,0."),
    ]);
    let shapes = placed_shapes(&d);
    assert_eq!(shapes.len(), 1);
    close("sheet", "area", figures(&shapes[0], Reader::Trusting).area, 4.0, 1e-9);
    // (0, 0) goes to 10, doubled and moved to 120 along x, turned onto y.
    let corner = shapes[0].vertices.iter().map(|p| p[1]).fold(f64::MAX, f64::min);
    close("sheet", "corner", corner, 120.0, 1e-9);
    assert_eq!(d.model.occurrences().map(|(n, _)| d.model.path(n)).collect::<Vec<_>>(), ["outer / inner"]);
}

/// A group only says that its members belong together; colours, levels and names are the members' own.
#[test]
fn names_colours_and_levels_arrive_with_every_kind() {
    let circle = || e(100, "0.,0.,0.,3.,0.,0.,3.").part();
    let named = |text: &str| format!("0,1,{}", text);
    let name = || e(406, "1,4Hkeel").form(15).part();
    let last = |n: usize| named(&de(n).to_string());
    let sheet = "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,0.,0.,1.,0.,1.";
    let cases: Vec<(&str, Vec<Made>)> = vec![
        ("128", vec![e(128, &format!("{sheet},{}", last(1))), name()]),
        ("122", vec![e(122, &format!("{},3.,0.,4.,{}", de(1), last(2))), circle(), name()]),
        (
            "120",
            vec![
                e(120, &format!("{},{},0.,1.,{}", de(1), de(2), last(3))),
                e(110, "0.,0.,0.,0.,0.,1.").part(),
                e(110, "3.,0.,0.,3.,0.,5.").part(),
                name(),
            ],
        ),
        (
            "118",
            vec![
                e(118, &format!("{},{},0,0,{}", de(1), de(2), last(3))).form(1),
                e(110, "0.,0.,0.,1.,0.,0.").part(),
                e(110, "0.,1.,0.,1.,1.,1.").part(),
                name(),
            ],
        ),
        (
            "140",
            vec![
                e(140, &format!("1.,0.,0.,2.,{},{}", de(1), last(3))),
                e(122, &format!("{},3.,0.,4.", de(2))).part(),
                circle(),
                name(),
            ],
        ),
        ("144", vec![e(144, &format!("{},0,0,0,{}", de(1), last(2))), e(128, sheet).part(), name()]),
    ];
    for (kind, mut entities) in cases {
        let colour = entities.len();
        entities[0] = entities[0].clone().colour(-(de(colour) as i64)).level(7);
        entities.push(e(314, "100.,50.,0.,"));
        entities.push(e(402, &format!("1,{}", de(0))).form(7));
        let d = read(&entities);
        let face = &d.model.parts[PartId(0)].shape.faces[FaceId(0)];
        assert_eq!(face.name, "keel", "{kind}");
        assert_eq!(face.colour, Some([1.0, 0.5, 0.0]), "{kind}");
        assert_eq!(face.layer.as_deref(), Some("level 7"), "{kind}");
        assert_eq!(d.skipped, [], "{kind}");
    }
    for (kind, data) in [
        (100, "0.,0.,0.,3.,0.,0.,3."),
        (104, "4.,0.,9.,0.,0.,-36.,1.,3.,0.,0.,2."),
        (106, "2,2,0.,0.,0.,3.,0.,0."),
        (110, "0.,0.,0.,3.,0.,5."),
        (112, "3,2,2,1,0.,1.,0.,1.,0.,0.,0.,0.,1.,0.,0.,0.,0.,0.,1.,1.,0.,0.,1.,2.,2.,2.,0.,0.,0.,0."),
        (126, "1,1,0,0,1,0,0.,0.,1.,1.,1.,1.,0.,0.,0.,10.,0.,0.,0.,1.,0.,0.,1."),
    ] {
        let form = if kind == 106 { 12 } else { 0 };
        let d = read(&[e(kind, &format!("{data},{}", last(1))).form(form), name()]);
        let names: Vec<_> = d.model.parts[PartId(0)].shape.edge_names.values().collect();
        assert_eq!(names, ["keel"], "type {kind}");
    }
}

/// The unit's flag, its name where the flag says so, and the scale of the model (global parameters 13 to 15).
#[test]
fn units_follow_flag_name_and_scale() {
    let line = || [e(110, "0.,0.,0.,1.,0.,0.")];
    let found = |name: &str, flag: u32, scale: f64| {
        let d = iges::read("a.igs", &iges_file(name, flag, scale, &line()), &Watch::default()).expect("readable");
        d.model.unit.expect("a unit").millimetres
    };
    for (flag, millimetres) in [
        (1, 25.4),
        (2, 1.0),
        (4, 304.8),
        (5, 1_609_344.0),
        (6, 1e3),
        (7, 1e6),
        (8, 0.0254),
        (9, 1e-3),
        (10, 10.0),
        (11, 2.54e-5),
    ] {
        close("flag", &flag.to_string(), found("", flag, 1.0), millimetres, 1e-12);
    }
    for (name, millimetres) in [("2HMM", 1.0), ("2HCM", 10.0), ("1HM", 1e3), ("4HINCH", 25.4), ("2HFT", 304.8)] {
        close("name", name, found(name, 3, 1.0), millimetres, 1e-12);
    }
    // Half scale: one millimetre of the file is two of the part.
    close("scale", "1:2", found("2HMM", 2, 0.5), 2.0, 1e-12);
}
