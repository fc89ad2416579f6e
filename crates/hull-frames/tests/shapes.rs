//! Outlines of sections against what sections carry, torsion and shear centres against closed forms, members at full size.

use hull_frames::role::roles;
use hull_frames::solids::solids;
use hull_frames::{Frame, Joint, Member, Role, Section, Shape};
use proptest::prelude::*;
use std::f64::consts::PI;

fn close(what: &str, ours: f64, exact: f64, relative: f64) {
    assert!((ours - exact).abs() <= relative * exact.abs(), "{what}: {ours} against {exact}");
}

/// Area, and second moments about y and z, of triangles from the origin to each side.
fn integrated(loops: &[Vec<[f64; 2]>]) -> [f64; 3] {
    let mut sum = [0.0; 3];
    for l in loops {
        for (i, p) in l.iter().enumerate() {
            let q = l[(i + 1) % l.len()];
            let twice = p[0] * q[1] - q[0] * p[1];
            sum[0] += twice / 2.0;
            sum[1] += twice / 12.0 * (p[1] * p[1] + p[1] * q[1] + q[1] * q[1]);
            sum[2] += twice / 12.0 * (p[0] * p[0] + p[0] * q[0] + q[0] * q[0]);
        }
    }
    sum
}

#[test]
fn every_outline_encloses_what_the_section_carries() {
    let names = ["CHS 60.3x4", "SHS 80x5", "RHS 120x80x6", "ROUND 20", "FLAT 100x10", "TIMBER 200x80", "U 100x50x5x8"];
    let more = [
        "L 60x60x6",
        "L 61x61x6",
        "L 100x60x8",
        "PIPE DN 80 SCH 80",
        "T 80x60x6x8",
        "T 40x100x6x8",
        "OUTLINE 0,0 0,60 40,30 60,0",
    ];
    let rolled = Shape::rolled_names();
    for name in names.into_iter().chain(more).chain(rolled) {
        let (title, shape) = Shape::named(name).unwrap();
        let s = Section::of(title, &shape);
        let [area, iy, iz] = integrated(&shape.loops());
        // Circles are drawn with 32 corners: 0.6 % of the area, 1.3 % of the second moment.
        close(&format!("{name}: area"), area, s.area, 8e-3);
        close(&format!("{name}: about y"), iy, s.iy, 1.5e-2);
        close(&format!("{name}: about z"), iz, s.iz, 1.5e-2);
    }
}

/// Area in cm², second moments in cm⁴ about the principal axes, within half a percent of the tables, which have three digits:
/// channels of EN 10365, angles of EN 10056-1, pipes of ASME B36.10M (in inches there); *from memory*.
#[test]
fn channels_angles_and_pipes_carry_what_their_tables_say() {
    for (name, area, major, minor) in [
        ("UPE 80", 10.1, 107.0, 25.5),
        ("UPE 100", 12.5, 207.0, 38.3),
        ("UPE 200", 29.0, 1910.0, 187.0),
        ("UPE 300", 56.6, 7820.0, 538.0),
        ("UPE 400", 91.9, 20980.0, 1045.0),
        ("L 50x50x5", 4.80, 17.4, 4.55),
        ("L 60x60x6", 6.91, 36.1, 9.44),
        ("L 80x80x8", 12.3, 115.0, 29.9),
        ("L 100x100x10", 19.2, 280.0, 73.0),
        ("PIPE DN 100 SCH 40", 3.17 * 6.4516, 7.23 * 41.6231, 7.23 * 41.6231),
        ("PIPE DN 200 SCH 40", 8.40 * 6.4516, 72.5 * 41.6231, 72.5 * 41.6231),
    ] {
        let s = Section::named(name).unwrap();
        close(&format!("{name}: area"), s.area / 100.0, area, 5e-3);
        close(&format!("{name}: about y"), s.iy / 1e4, major, 5e-3);
        close(&format!("{name}: about z"), s.iz / 1e4, minor, 5e-3);
    }
    assert_eq!(Section::named("pipe dn50 sch40").unwrap().name, "PIPE DN 50 SCH 40");
    for unknown in ["UPE 85", "PIPE DN 55 SCH 40", "PIPE DN 50 SCH 41"] {
        assert!(Section::named(unknown).is_err(), "{unknown}");
    }
}

/// Rectangle: Roark, as `FLAT` has it. Equilateral triangle: √3 a⁴ / 80 (Timoshenko and Goodier). Circle: π r⁴ / 2. Right
/// isosceles triangle of legs a: 0.0261 a⁴ (Roark, *from memory*).
#[test]
fn torsion_of_outlines_is_that_of_closed_forms() {
    let of = |corners: &[[f64; 2]]| {
        let all: Vec<String> = corners.iter().map(|[y, z]| format!("{y},{z}")).collect();
        Section::named(&format!("OUTLINE {}", all.join(" "))).unwrap()
    };
    for (h, b) in [(100.0, 100.0), (100.0, 40.0), (100.0, 8.0)] {
        let ours = of(&[[0.0, 0.0], [b, 0.0], [b, h], [0.0, h]]);
        close("rectangle", ours.torsion, Section::named(&format!("FLAT {h}x{b}")).unwrap().torsion, 6e-3);
    }
    let a = 50.0;
    let triangle = of(&[[0.0, 0.0], [a, 0.0], [a / 2.0, a * 0.75_f64.sqrt()]]);
    close("equilateral", triangle.torsion, 3.0_f64.sqrt() * a.powi(4) / 80.0, 5e-3);
    close("right", of(&[[0.0, 0.0], [a, 0.0], [0.0, a]]).torsion, 0.0261 * a.powi(4), 5e-3);
    let circle: Vec<[f64; 2]> =
        (0..180).map(|i| (PI * i as f64 / 90.0).sin_cos()).map(|(s, c)| [a * c, a * s]).collect();
    close("circle", of(&circle).torsion, PI * a.powi(4) / 2.0, 3e-3);
    for bad in [
        "OUTLINE",
        "OUTLINE 0,0 1,1",
        "OUTLINE 0,0 10,10 10,0 0,10",
        "OUTLINE 0,0 1,0 nan,1",
        "OUTLINE 0,0 9,0 3,0 5,5",
    ] {
        assert!(Section::named(bad).is_err(), "{bad}");
    }
}

/// A channel's is outside of its web, on its axis of symmetry; a cross of legs of an angle lies on the bisector.
#[test]
fn shear_centres_lie_where_thin_walls_have_them() {
    let channel = Shape::named("U 200x75x6x10").unwrap().1;
    let web = channel.loops()[0].iter().map(|p| p[0]).fold(f64::INFINITY, f64::min);
    let [y, z] = channel.shear_centre();
    // e = 3 b² t / (h s + 6 b t) from the middle of the web, with b and h between middles of walls.
    let (b, h) = (72.0, 190.0);
    close("beyond the web", web + 3.0 - y, 3.0 * b * b * 10.0 / (h * 6.0 + 6.0 * b * 10.0), 1e-9);
    assert!(z.abs() < 1e-9);
    let angle = Shape::named("L 60x60x6").unwrap().1.shear_centre();
    // The principal axes of an even angle are its bisectors.
    assert!(angle[0].abs() < 1e-9 || angle[1].abs() < 1e-9, "{angle:?}");
    assert_eq!(Shape::named("RHS 100x50x5").unwrap().1.shear_centre(), [0.0; 2]);
}

proptest! {
    /// Whichever way a member points, it is as long and as heavy as it should be, closed, and faces outward.
    #[test]
    fn members_at_full_size_are_closed(end in prop::array::uniform3(-2000.0..2000.0_f64), turn in 0.0..360.0_f64, which in 0_usize..5) {
        let name = ["IPE 200", "CHS 60.3x4", "RHS 120x80x6", "L 60x60x6", "OUTLINE 0,0 80,0 80,20 20,20 20,90 0,90"][which];
        prop_assume!(end.iter().map(|x| x * x).sum::<f64>() > 100.0);
        let mut frame = Frame { joints: vec![Joint::default(), Joint { at: end, ..Joint::default() }], ..Frame::default() };
        let section = frame.take_section(Section::named(name).unwrap());
        frame.members = vec![Member { ends: [0, 1], section: Some(section), turn, ..Member::default() }];
        let all = solids(&frame);
        prop_assert_eq!(all.len(), 1);
        let mesh = &all[0].1;
        let corner = |p: hull_geometry::PointId| mesh.points[p];
        let volume: f64 = mesh.triangles.iter().map(|t| {
            let [a, b, c] = t.map(corner);
            (a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0])) / 6.0
        }).sum();
        let length = end.iter().map(|x| x * x).sum::<f64>().sqrt();
        let exact = frame.sections[0].area * length;
        prop_assert!((volume - exact).abs() < 8e-3 * exact, "{} against {}", volume, exact);
        let mut edges = std::collections::HashMap::new();
        for t in &mesh.triangles {
            for k in 0..3 {
                *edges.entry((t[k], t[(k + 1) % 3])).or_insert(0) += 1;
            }
        }
        prop_assert!(edges.iter().all(|((a, b), n)| *n == 1 && edges.contains_key(&(*b, *a))));
    }
}

/// Two portals, each with two columns and a rafter in two pieces, joined by an eaves beam each side and a purlin between the
/// rafters' middles, with a brace across a bay.
#[test]
fn columns_beams_purlins_and_braces_are_told_apart() {
    let mut frame = Frame::default();
    for x in [0.0, 5000.0] {
        let places = [[x, 0.0, 0.0], [x, 0.0, 4000.0], [x, 3000.0, 4200.0], [x, 6000.0, 4000.0], [x, 6000.0, 0.0]];
        frame.joints.extend(places.map(|at| Joint { at, ..Joint::default() }));
    }
    let member = |a: u32, b: u32| Member { ends: [a, b], ..Member::default() };
    frame.members = [(0, 1), (1, 2), (2, 3), (3, 4), (5, 6), (6, 7), (7, 8), (8, 9), (1, 6), (3, 8), (2, 7), (0, 6)]
        .map(|(a, b)| member(a, b))
        .to_vec();
    use Role::{Beam, Brace, Column, Purlin};
    // The ridge is no straight line: rafters of 3.8° meet there within 7.6°, and do not run on.
    let expected = [Column, Beam, Beam, Column, Column, Beam, Beam, Column, Beam, Beam, Beam, Brace];
    assert_eq!(roles(&frame), expected);
    for joint in [2, 7] {
        frame.joints[joint].at[2] = 4000.0;
    }
    assert_eq!(roles(&frame)[10], Purlin);
}
