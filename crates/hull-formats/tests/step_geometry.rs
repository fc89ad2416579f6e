//! STEP curves and surfaces in every spelling, from statements written by hand after
//! ISO 10303-42, against closed forms. The texts of the standards are recalled from memory; the closed
//! forms are school geometry.

use crate::common::made::{DEGREE, MM, PLACES, RADIAN, at, context, curves, of, read, sum};
use crate::common::{close, placed_shapes};
use hull_geometry::Point;
use std::f64::consts::{FRAC_PI_2, PI, TAU};
use std::fmt::Write;

/// Simpson's rule over a smooth integrand.
fn simpson(f: impl Fn(f64) -> f64, a: f64, b: f64) -> f64 {
    let (n, h) = (2000, (b - a) / 2000.0);
    (0..=n).map(|i| f(a + h * i as f64) * [1.0, 4.0, 2.0][usize::from(i > 0 && i < n) * (2 - i % 2)]).sum::<f64>() * h
        / 3.0
}

#[test]
fn curves_are_as_long_as_their_closed_forms() {
    let ellipse = simpson(|t: f64| (3.0 * t.sin()).hypot(2.0 * t.cos()), 0.0, TAU);
    let hyperbola = simpson(|t: f64| (3.0 * t.sinh()).hypot(2.0 * t.cosh()), -1.0, 1.0);
    let parabola = 4.0 * (2.0_f64.sqrt() + 1.0_f64.asinh());
    let cosh = 1.0_f64.cosh();
    let cases: Vec<(&str, String, f64, Point, Point)> = vec![
        ("a whole circle", "#101=CIRCLE('',#12,4.);".into(), 4.0 * TAU, [9.0, 0.0, 0.0], [9.0, 0.0, 0.0]),
        ("a whole ellipse", "#101=ELLIPSE('',#10,3.,2.);".into(), ellipse, [3.0, 0.0, 0.0], [3.0, 0.0, 0.0]),
        (
            "a line by parameters, its vector two long",
            "#101=TRIMMED_CURVE('',#102,(PARAMETER_VALUE(1.)),(PARAMETER_VALUE(4.)),.T.,.PARAMETER.);\
             #102=LINE('',#2,#103);#103=VECTOR('',#5,2.);"
                .into(),
            6.0,
            [5.0, 2.0, 0.0],
            [5.0, 8.0, 0.0],
        ),
        (
            "a circle by points",
            "#101=TRIMMED_CURVE('',#102,(#103),(#104),.T.,.CARTESIAN.);#102=CIRCLE('',#10,2.);\
             #103=CARTESIAN_POINT('',(2.,0.,0.));#104=CARTESIAN_POINT('',(0.,-2.,0.));"
                .into(),
            1.5 * PI * 2.0,
            [2.0, 0.0, 0.0],
            [0.0, -2.0, 0.0],
        ),
        (
            "a circle against its sense",
            "#101=TRIMMED_CURVE('',#102,(PARAMETER_VALUE(0.)),(PARAMETER_VALUE(4.71238898038469)),.F.,.PARAMETER.);\
             #102=CIRCLE('',#10,2.);"
                .into(),
            PI,
            [0.0, -2.0, 0.0],
            [2.0, 0.0, 0.0],
        ),
        (
            "points are preferred where the file prefers them",
            "#101=TRIMMED_CURVE('',#102,(PARAMETER_VALUE(0.),#103),(PARAMETER_VALUE(90.),#104),.T.,.CARTESIAN.);\
             #102=CIRCLE('',#10,2.);#103=CARTESIAN_POINT('',(2.,0.,0.));#104=CARTESIAN_POINT('',(0.,2.,0.));"
                .into(),
            PI,
            [2.0, 0.0, 0.0],
            [0.0, 2.0, 0.0],
        ),
        (
            "a hyperbola",
            "#101=TRIMMED_CURVE('',#102,(PARAMETER_VALUE(-1.)),(PARAMETER_VALUE(1.)),.T.,.PARAMETER.);\
             #102=HYPERBOLA('',#10,3.,2.);"
                .into(),
            hyperbola,
            [3.0 * cosh, -2.0 * 1.0_f64.sinh(), 0.0],
            [3.0 * cosh, 2.0 * 1.0_f64.sinh(), 0.0],
        ),
        (
            "a parabola",
            "#101=TRIMMED_CURVE('',#102,(PARAMETER_VALUE(-1.)),(PARAMETER_VALUE(1.)),.T.,.PARAMETER.);\
             #102=PARABOLA('',#10,2.);"
                .into(),
            2.0 * parabola / 2.0,
            [2.0, -4.0, 0.0],
            [2.0, 4.0, 0.0],
        ),
        (
            "a polyline",
            "#101=POLYLINE('',(#1,#2,#2,#103));#103=CARTESIAN_POINT('',(5.,3.,4.));".into(),
            10.0,
            [0.0; 3],
            [5.0, 3.0, 4.0],
        ),
        (
            "a circle moved to the left, seen against the reference direction",
            "#101=OFFSET_CURVE_3D('',#102,1.,.F.,#3);#102=CIRCLE('',#10,4.);".into(),
            3.0 * TAU,
            [3.0, 0.0, 0.0],
            [3.0, 0.0, 0.0],
        ),
        (
            "a copy, twice as large",
            "#101=CURVE_REPLICA('',#102,#103);#102=CIRCLE('',#10,4.);\
             #103=CARTESIAN_TRANSFORMATION_OPERATOR_3D('','',$,$,#2,2.,$);"
                .into(),
            8.0 * TAU,
            [13.0, 0.0, 0.0],
            [13.0, 0.0, 0.0],
        ),
        (
            "a curve with its image on a surface",
            "#101=SURFACE_CURVE('',#102,(),.CURVE_3D.);#102=CIRCLE('',#10,4.);".into(),
            4.0 * TAU,
            [4.0, 0.0, 0.0],
            [4.0, 0.0, 0.0],
        ),
        (
            "a curve on a surface only",
            "#101=PCURVE('',#102,#103);#102=CYLINDRICAL_SURFACE('',#10,3.);#103=DEFINITIONAL_REPRESENTATION('',(#104),#105);\
             #104=POLYLINE('',(#106,#107));#105=(GEOMETRIC_REPRESENTATION_CONTEXT(2)PARAMETRIC_REPRESENTATION_CONTEXT()\
             REPRESENTATION_CONTEXT('',''));#106=CARTESIAN_POINT('',(0.,0.));#107=CARTESIAN_POINT('',(1.,4.));"
                .into(),
            5.0,
            [3.0, 0.0, 0.0],
            [3.0 * 1.0_f64.cos(), 3.0 * 1.0_f64.sin(), 4.0],
        ),
    ];
    for (name, data, long, from, to) in cases {
        let d = of(&format!("#100=GEOMETRIC_CURVE_SET('',(#101));{data}"));
        let (found, p, q) = curves(&d);
        close(name, "length", found, long, 1e-9);
        at(name, p, from);
        at(name, q, to);
        assert_eq!(d.skipped, [], "{name}");
    }
}

/// Segments keep their own sense, whichever way they are run.
#[test]
fn composite_curves_run_through_their_segments() {
    let d = of("#100=GEOMETRIC_CURVE_SET('',(#101));#101=COMPOSITE_CURVE('',(#102,#103,#104),.F.);\
        #102=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.T.,#105);#103=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.F.,#106);\
        #104=COMPOSITE_CURVE_SEGMENT(.DISCONTINUOUS.,.T.,#107);#105=POLYLINE('',(#1,#2));\
        #106=TRIMMED_CURVE('',#108,(PARAMETER_VALUE(1.5707963267948966)),(PARAMETER_VALUE(0.)),.F.,.PARAMETER.);\
        #107=COMPOSITE_CURVE('',(#109),.F.);#108=CIRCLE('',#10,5.);\
        #109=COMPOSITE_CURVE_SEGMENT(.DISCONTINUOUS.,.T.,#110);#110=POLYLINE('',(#111,#1));\
        #111=CARTESIAN_POINT('',(0.,5.,0.));");
    let (long, from, to) = curves(&d);
    close("composite", "length", long, 10.0 + 5.0 * FRAC_PI_2, 1e-9);
    at("composite", from, [0.0; 3]);
    at("composite", to, [0.0; 3]);
}

/// Points of a net, numbered from 200, and the list that names them row by row.
fn net(points: &[&[[f64; 3]]]) -> (String, String) {
    let (mut text, mut rows, mut id) = (String::new(), Vec::new(), 200);
    for row in points {
        let mut names = Vec::new();
        for [x, y, z] in *row {
            write!(text, "#{id}=CARTESIAN_POINT('',({x:?},{y:?},{z:?}));").expect("a string");
            names.push(format!("#{id}"));
            id += 1;
        }
        rows.push(format!("({})", names.join(",")));
    }
    (text, rows.join(","))
}

/// A quarter of a circle of radius 3 as a rational arc of degree two (The NURBS Book, 7.3).
#[test]
fn every_spelling_of_a_rational_curve_is_the_same_arc() {
    let w = 0.5_f64.sqrt();
    let (points, list) = net(&[&[[3.0, 0.0, 0.0], [3.0, 3.0, 0.0], [0.0, 3.0, 0.0]]]);
    let base = format!("2,{list},.UNSPECIFIED.,.F.,.F.");
    let common = "BOUNDED_CURVE()CURVE()GEOMETRIC_REPRESENTATION_ITEM()REPRESENTATION_ITEM('')";
    let weights = format!("RATIONAL_B_SPLINE_CURVE((1.,{w:?},1.))");
    let forms = [
        format!("(BEZIER_CURVE()B_SPLINE_CURVE({base}){common}{weights})"),
        format!("(QUASI_UNIFORM_CURVE()B_SPLINE_CURVE({base}){common}{weights})"),
        format!("(B_SPLINE_CURVE({base})B_SPLINE_CURVE_WITH_KNOTS((3,3),(0.,1.),.UNSPECIFIED.){common}{weights})"),
        // The order of the parts is alphabetical in the standard; not every writer keeps to it.
        format!(
            "({weights}{common}B_SPLINE_CURVE_WITH_KNOTS((3,3),(2.,7.),.QUASI_UNIFORM_KNOTS.)B_SPLINE_CURVE({base}))"
        ),
        format!("(b_spline_curve({base})b_spline_curve_with_knots((3,3),(0.,1.),.UNSPECIFIED.){common}{weights})"),
    ];
    for form in forms {
        let (long, from, to) = curves(&of(&format!("#100=GEOMETRIC_CURVE_SET('',(#101));#101={form};{points}")));
        close(&form, "length", long, 3.0 * FRAC_PI_2, 1e-9);
        at(&form, from, [3.0, 0.0, 0.0]);
        at(&form, to, [0.0, 3.0, 0.0]);
    }
}

/// Of degree two with three points all simple forms are parts of one parabola: (t, t², 0) from its control points.
#[test]
fn simple_spline_curves_of_every_form_end_where_they_should() {
    let (points, list) = net(&[&[[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [2.0, 4.0, 0.0]]]);
    // y = x²: its length from 0 to 2 and, of the form without clamped ends, from the first side's middle to the second's.
    let long = |x: f64| 0.5 * x * (4.0 * x * x + 1.0).sqrt() + 0.25 * (2.0 * x).asinh();
    let whole = long(2.0);
    let base = format!("'',2,{list},.UNSPECIFIED.,.F.,.F.");
    for (form, length, from, to) in [
        (format!("BEZIER_CURVE({base})"), whole, [0.0; 3], [2.0, 4.0, 0.0]),
        (format!("QUASI_UNIFORM_CURVE({base})"), whole, [0.0; 3], [2.0, 4.0, 0.0]),
        (format!("B_SPLINE_CURVE_WITH_KNOTS({base},(3,3),(0.,2.),.UNSPECIFIED.)"), whole, [0.0; 3], [2.0, 4.0, 0.0]),
    ] {
        let (found, p, q) = curves(&of(&format!("#100=GEOMETRIC_CURVE_SET('',(#101));#101={form};{points}")));
        close(&form, "length", found, length, 1e-9);
        at(&form, p, from);
        at(&form, q, to);
    }
    let uniform = format!("UNIFORM_CURVE({base})");
    let (_, p, q) = curves(&of(&format!("#100=GEOMETRIC_CURVE_SET('',(#101));#101={uniform};{points}")));
    at(&uniform, p, [0.5, 0.0, 0.0]);
    at(&uniform, q, [1.5, 2.0, 0.0]);
}

/// A quarter of a cylinder of radius 3 and height 5.
#[test]
fn every_spelling_of_a_rational_surface_is_the_same_quarter_cylinder() {
    let w = 0.5_f64.sqrt();
    let (points, list) = net(&[
        &[[3.0, 0.0, 0.0], [3.0, 0.0, 5.0]],
        &[[3.0, 3.0, 0.0], [3.0, 3.0, 5.0]],
        &[[0.0, 3.0, 0.0], [0.0, 3.0, 5.0]],
    ]);
    let base = format!("2,1,({list}),.UNSPECIFIED.,.F.,.F.,.F.");
    let common = "BOUNDED_SURFACE()GEOMETRIC_REPRESENTATION_ITEM()REPRESENTATION_ITEM('')SURFACE()";
    let weights = format!("RATIONAL_B_SPLINE_SURFACE(((1.,1.),({w:?},{w:?}),(1.,1.)))");
    let knots = "B_SPLINE_SURFACE_WITH_KNOTS((3,3),(2,2),(0.,1.),(0.,5.),.UNSPECIFIED.)";
    for form in [
        format!("(BEZIER_SURFACE()B_SPLINE_SURFACE({base}){common}{weights})"),
        format!("(QUASI_UNIFORM_SURFACE()B_SPLINE_SURFACE({base}){common}{weights})"),
        format!("(B_SPLINE_SURFACE({base}){knots}{common}{weights})"),
        format!("({weights}{knots}{common}B_SPLINE_SURFACE({base}))"),
    ] {
        let d = of(&format!("#100=GEOMETRIC_SET('',(#101));#101={form};{points}"));
        close(&form, "area", sum(&placed_shapes(&d)).area, 15.0 * FRAC_PI_2, 1e-9);
    }
    // Without weights: a flat sheet, three by five, whose middle row only sets how u runs.
    let (points, list) = net(&[
        &[[0.0, 0.0, 0.0], [0.0, 0.0, 5.0]],
        &[[2.0, 0.0, 0.0], [2.0, 0.0, 5.0]],
        &[[3.0, 0.0, 0.0], [3.0, 0.0, 5.0]],
    ]);
    let base = format!("'',2,1,({list}),.UNSPECIFIED.,.F.,.F.,.F.");
    for (form, area) in [
        (format!("BEZIER_SURFACE({base})"), 15.0),
        (format!("QUASI_UNIFORM_SURFACE({base})"), 15.0),
        (format!("B_SPLINE_SURFACE_WITH_KNOTS({base},(3,3),(2,2),(0.,1.),(0.,1.),.UNSPECIFIED.)"), 15.0),
        // Not clamped: from the middle of the first two rows to that of the last two.
        (format!("UNIFORM_SURFACE({base})"), 1.5 * 5.0),
    ] {
        let d = of(&format!("#100=GEOMETRIC_SET('',(#101));#101={form};{points}"));
        close(&form, "area", sum(&placed_shapes(&d)).area, area, 1e-9);
    }
}

/// Name, surface, whether u and v are angles, their ranges (in radians), and the area.
type Rectangle = (&'static str, String, [bool; 2], [f64; 4], f64);

/// Rectangles of every surface, with angles in radians and in degrees.
#[test]
fn trimmed_rectangles_have_their_areas_in_either_unit_of_angle() {
    let slant = 0.3_f64;
    let cone = |h: f64| (2.0 * h + 0.5 * h * h * slant.tan()) / slant.cos();
    let cases: Vec<Rectangle> = vec![
        ("plane", "PLANE('',#10)".into(), [false; 2], [0.0, 3.0, -1.0, 4.0], 15.0),
        ("cylinder", "CYLINDRICAL_SURFACE('',#12,2.)".into(), [true, false], [0.5, 2.0, 1.0, 4.0], 9.0),
        ("cone", "CONICAL_SURFACE('',#10,2.,ANGLE)".into(), [true, false], [0.0, 1.5, 0.0, 4.0], 1.5 * cone(4.0)),
        (
            "sphere",
            "SPHERICAL_SURFACE('',#10,3.)".into(),
            [true, true],
            [0.0, 2.0, -0.5, 1.0],
            9.0 * 2.0 * (1.0_f64.sin() + 0.5_f64.sin()),
        ),
        (
            "torus",
            "TOROIDAL_SURFACE('',#10,5.,2.)".into(),
            [true, true],
            [0.0, 1.0, 0.0, 1.5],
            2.0 * (5.0 * 1.5 + 2.0 * 1.5_f64.sin()),
        ),
        (
            "extruded",
            "SURFACE_OF_LINEAR_EXTRUSION('',#102,#103);#102=CIRCLE('',#10,2.);#103=VECTOR('',#3,2.)".into(),
            [true, false],
            [0.0, 1.5, 0.0, 3.0],
            18.0,
        ),
        (
            "revolved",
            "SURFACE_OF_REVOLUTION('',#102,#13);#102=LINE('',#2,#103);#103=VECTOR('',#3,2.)".into(),
            [true, false],
            [0.0, 1.5, 0.0, 2.0],
            1.5 * 5.0 * 4.0,
        ),
        (
            "offset",
            "OFFSET_SURFACE('',#102,1.,.F.);#102=CYLINDRICAL_SURFACE('',#10,2.)".into(),
            [true, false],
            [0.0, 1.0, 0.0, 4.0],
            12.0,
        ),
        (
            "copied and doubled",
            "SURFACE_REPLICA('',#102,#103);#102=PLANE('',#10);\
             #103=CARTESIAN_TRANSFORMATION_OPERATOR_3D('','',#5,#3,#2,2.,#4)"
                .into(),
            [false, false],
            [0.0, 1.0, 0.0, 3.0],
            12.0,
        ),
    ];
    for (unit, factor) in [(RADIAN, 1.0), (DEGREE, 180.0 / PI)] {
        for (name, surface, angles, [a, b, c, d], area) in &cases {
            let scaled = |x: f64, angle: bool| if angle { x * factor } else { x };
            let [a, b] = [a, b].map(|x| scaled(*x, angles[0]));
            let [c, d] = [c, d].map(|x| scaled(*x, angles[1]));
            let surface = surface.replace("ANGLE", &format!("{:?}", slant * factor));
            let data = format!(
                "{PLACES}{}#99=GEOMETRICALLY_BOUNDED_SURFACE_SHAPE_REPRESENTATION('',(#100),#900);\
                 #100=GEOMETRIC_SET('',(#101));\
                 #101=RECTANGULAR_TRIMMED_SURFACE('',#110,{a:?},{b:?},{c:?},{d:?},.T.,.T.);#110={surface};",
                context(MM, unit)
            );
            let found = read(&data);
            assert_eq!(found.skipped, [], "{name}");
            close(name, "area", sum(&placed_shapes(&found)).area, *area, 1e-9);
        }
    }
}

/// Against the sense of a closed direction a rectangle is the rest of the round.
#[test]
fn a_rectangle_against_the_sense_takes_the_other_part() {
    for (sense, area) in [(".T.", 2.0 * 1.5 * 3.0), (".F.", 2.0 * (TAU - 1.5) * 3.0)] {
        let d = of(&format!(
            "#100=GEOMETRIC_SET('',(#101));\
             #101=RECTANGULAR_TRIMMED_SURFACE('',#102,0.5,2.,1.,4.,{sense},.T.);#102=CYLINDRICAL_SURFACE('',#10,2.);"
        ));
        close(sense, "area", sum(&placed_shapes(&d)).area, area, 1e-9);
    }
}

#[test]
fn a_surface_bounded_by_curves_has_its_hole() {
    let d = of("#100=GEOMETRIC_SET('',(#101));#101=CURVE_BOUNDED_SURFACE('',#102,(#103,#104),.F.);#102=PLANE('',#10);\
        #103=OUTER_BOUNDARY_CURVE('',(#105),.F.);#104=BOUNDARY_CURVE('',(#106),.F.);\
        #105=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.T.,#107);#106=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.F.,#108);\
        #107=CIRCLE('',#10,4.);#108=CIRCLE('',#10,1.);");
    close("ring", "area", sum(&placed_shapes(&d)).area, 15.0 * PI, 1e-9);
}
