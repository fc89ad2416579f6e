//! Regions of drawings: outlines of straight sides and arcs, drawn in a file as such files have them, against their areas in
//! closed form; as exact faces, as triangles and quadrilaterals, and one cell thick.

use crate::common::run;
use hull_exact::parameter_loops::Reader;
use hull_exact::quadrature::of_faces;
use hull_geometry::topology::Topology;
use hull_geometry::vector::distance;
use hull_geometry::{FacetId, Watch, measure};
use hull_workshop::Body;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::fmt::Write as _;

/// A closed outline around the origin, a disc in it, and what they enclose.
#[derive(Clone, Debug)]
struct Drawing {
    text: String,
    /// Enclosed by the outline.
    area: f64,
    /// The length of its arcs, the disc's rim among them.
    round: f64,
    disc: f64,
}

/// Sides between corners at about equal angles; each bulges out or in by the tangent of a quarter of its arc's angle, as drawings
/// write it.
fn drawing() -> impl Strategy<Value = Drawing> {
    (prop::collection::vec((5.0..10.0_f64, -0.1..0.1_f64, prop_oneof![Just(0.0), -0.1..0.1_f64]), 4..9), 0.5..1.5_f64)
        .prop_map(|(corners, disc)| {
            let n = corners.len();
            let at: Vec<[f64; 2]> = (0..n)
                .map(|i| {
                    let (s, c) = (TAU * (i as f64 + corners[i].1) / n as f64).sin_cos();
                    [corners[i].0 * c, corners[i].0 * s]
                })
                .collect();
            let (mut area, mut round) = (0.0, TAU * disc);
            let mut text = format!("0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n8\nduct\n90\n{n}\n70\n1\n");
            for i in 0..n {
                let (p, q, bulge) = (at[i], at[(i + 1) % n], corners[i].2);
                let _ = write!(text, "10\n{}\n20\n{}\n42\n{bulge}\n", p[0], p[1]);
                area += (p[0] * q[1] - p[1] * q[0]) / 2.0;
                if bulge != 0.0 {
                    let chord = (q[0] - p[0]).hypot(q[1] - p[1]);
                    let angle = 4.0 * bulge.atan();
                    let radius = chord / 2.0 / (angle / 2.0).sin();
                    area += radius * radius / 2.0 * (angle - angle.sin());
                    round += radius * angle;
                }
            }
            let _ = write!(text, "0\nCIRCLE\n8\nduct\n10\n0\n20\n0\n40\n{disc}\n0\nENDSEC\n0\nEOF\n");
            Drawing { text, area, round, disc: PI * disc * disc }
        })
}

fn opened(text: &str) -> Body {
    let watch = Watch::default();
    Body::of("duct.dxf", hull_formats::open("duct.dxf", text.as_bytes(), &watch).unwrap(), &watch).unwrap()
}

/// The area of a flat mesh that faces up; each of its facets does.
fn area(b: &Body) -> f64 {
    let up = |f: FacetId| b.mesh.area_vector(f)[2] / 2.0;
    assert!(b.mesh.triangles.keys().all(|f| up(f) > 0.0), "every triangle faces up");
    b.mesh.triangles.keys().map(up).sum()
}

fn longest_side(b: &Body) -> f64 {
    let sides = b.mesh.triangles.iter().flat_map(|t| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]]);
    sides.map(|[p, q]| distance(b.mesh.points[p], b.mesh.points[q])).fold(0.0, f64::max)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Exact faces have the areas of the closed forms to rounding: what is around the disc, and the disc.
    #[test]
    fn regions_of_lines_and_arcs_have_their_areas(drawn in drawing()) {
        let (made, said) = run(&opened(&drawn.text), "make_regions", &[]).unwrap();
        let model = &made.exact.as_ref().expect("exact faces").model;
        let mut found: Vec<f64> = model
            .occurrences()
            .flat_map(|(_, part)| of_faces(&part.shape, Reader::Trusting).0)
            .map(|face| face.area)
            .collect();
        found.sort_by(f64::total_cmp);
        let expected = [drawn.disc, drawn.area - drawn.disc];
        prop_assert_eq!(found.len(), 2, "{} {:?}", said, found);
        for (a, e) in found.iter().zip(expected) {
            prop_assert!((a / e - 1.0).abs() < 1e-9, "{} for {}", a, e);
        }
    }

    /// Triangles fill what is enclosed but for what the chord takes away, meet side by side, and are no larger than asked; with the
    /// disc as a hole or as a region; one cell thick they are closed and hold area times thickness.
    #[test]
    fn a_plane_is_meshed_and_made_one_cell_thick(drawn in drawing(), size in 0.4..1.2_f64, chord in 0.001..0.01_f64, thickness in 0.1..3.0_f64, quads: bool) {
        let lines = opened(&drawn.text);
        let numbers = [size, chord, thickness].map(|x| x.to_string());
        let cells = if quads { "quads" } else { "triangles" };
        for (inner, expected) in [("holes", drawn.area - drawn.disc), ("regions", drawn.area)] {
            let typed = [("tolerance", "0.0001"), ("chord", &numbers[1]), ("size", &numbers[0]), ("inner", inner), ("cells", cells)];
            let (flat, said) = run(&lines, "mesh_plane", &typed).unwrap();
            let found = area(&flat);
            prop_assert!((found - expected).abs() <= chord * drawn.round + 1e-9, "{}: {} for {}", said, found, expected);
            let t = Topology::of(&flat.mesh, &Watch::default()).unwrap();
            prop_assert_eq!([t.overshared.len(), t.misdirected.len(), t.pinched.len(), t.shells - 1], [0; 4], "{}", said);
            prop_assert!(longest_side(&flat) < 2.0 * size, "{} for {}", longest_side(&flat), size);
            prop_assert_eq!(flat.facts.boundaries.len(), if inner == "holes" { 1 } else { 2 }, "a boundary for each region");
            let (thick, _) = run(&flat, "extrude_plane", &[("thickness", &numbers[2])]).unwrap();
            let t = Topology::of(&thick.mesh, &Watch::default()).unwrap();
            prop_assert!(t.is_closed() && t.misdirected.is_empty());
            let volume = measure::mass(&thick.mesh, &thick.mesh.bounds()).volume;
            prop_assert!((volume - found * thickness).abs() <= 1e-9 * volume, "{} for {}", volume, found * thickness);
        }
    }
}
