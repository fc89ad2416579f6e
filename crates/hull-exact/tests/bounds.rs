//! Bounds of faces: made from parameters, read in either way, told against closed forms of their areas; parameters found between
//! two points.

use crate::common::{any_motion, patch};
use hull_exact::curve::{Curve, Piece};
use hull_exact::locate::Locator;
use hull_exact::parameter_loops::{Reader, loops_to_reverse, parameter_loops, signed_area, windings};
use hull_exact::shape::{Face, FaceId, Loop, Lump, Shell};
use hull_exact::{Frame, Shape, Surface, facet, join, quadrature, sample};
use hull_geometry::Watch;
use hull_geometry::vector::{distance, norm};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

const READERS: [Reader; 2] = [Reader::Trusting, Reader::Rebuilding];

/// A rectangle of parameters on an elementary surface, with its area by its closed form.
fn any_patch() -> impl Strategy<Value = (Surface, [[f64; 2]; 2], f64)> {
    let round = (0.0..TAU, 0.3..6.0_f64).prop_map(|(a, h)| [a, a + h]);
    let long = (-2.0..1.0_f64, 0.4..2.0_f64).prop_map(|(a, h)| [a, a + h]);
    let plane = (long.clone(), long.clone()).prop_map(|(u, v)| {
        let area = (u[1] - u[0]) * (v[1] - v[0]);
        (Surface::Plane(Frame::WORLD), [u, v], area)
    });
    let cylinder = (round.clone(), long.clone(), 0.5..3.0_f64).prop_map(|(u, v, radius)| {
        let area = radius * (u[1] - u[0]) * (v[1] - v[0]);
        (Surface::Cylinder { frame: Frame::WORLD, radius }, [u, v], area)
    });
    // The radius at height v is radius + v tan(angle), and a stretch of the side is longer by 1 / cos(angle).
    let cone = (round.clone(), long, 3.0..5.0_f64, -0.7..0.7_f64).prop_map(|(u, v, radius, half_angle)| {
        let mean = radius + 0.5 * (v[0] + v[1]) * half_angle.tan();
        let area = mean * (u[1] - u[0]) * (v[1] - v[0]) / half_angle.cos();
        (Surface::Cone { frame: Frame::WORLD, radius, half_angle }, [u, v], area)
    });
    let sphere = (round.clone(), -1.4..1.0_f64, 0.2..0.5_f64, 0.5..3.0_f64).prop_map(|(u, low, h, radius)| {
        let v = [low, low + h];
        let area = radius * radius * (u[1] - u[0]) * (v[1].sin() - v[0].sin());
        (Surface::Sphere { frame: Frame::WORLD, radius }, [u, v], area)
    });
    let torus = (round.clone(), round, 2.0..4.0_f64, 0.3..1.6_f64).prop_map(|(u, v, major, minor)| {
        let area = minor * (u[1] - u[0]) * (major * (v[1] - v[0]) + minor * (v[1].sin() - v[0].sin()));
        (Surface::Torus { frame: Frame::WORLD, major, minor }, [u, v], area)
    });
    prop_oneof![plane, cylinder, cone, sphere, torus]
}

/// A star-shaped polygon about a point.
fn star(at: [f64; 2], radii: &[f64]) -> Vec<[f64; 2]> {
    let turn = |i: usize| TAU * i as f64 / radii.len() as f64;
    radii.iter().enumerate().map(|(i, r)| [at[0] + r * turn(i).cos(), at[1] + r * turn(i).sin()]).collect()
}

fn shoelace(polygon: &[[f64; 2]]) -> f64 {
    let next = |i: usize| polygon[(i + 1) % polygon.len()];
    (0..polygon.len()).map(|i| polygon[i][0] * next(i)[1] - next(i)[0] * polygon[i][1]).sum::<f64>() / 2.0
}

/// A loop of straight edges in a plane; `back` runs it the other way.
fn run(shape: &mut Shape, frame: &Frame, polygon: &[[f64; 2]], back: bool) -> Loop {
    let mut at: Vec<[f64; 3]> = polygon.iter().map(|p| frame.place([p[0], p[1], 0.0])).collect();
    if back {
        at.reverse();
    }
    let piece = |i: usize| {
        let (p, q) = (at[i], at[(i + 1) % at.len()]);
        Piece { curve: Curve::Line { origin: p, along: [0, 1, 2].map(|k| q[k] - p[k]) }, range: [0.0, 1.0] }
    };
    shape.loop_of_pieces((0..at.len()).map(piece).collect()).expect("a closed run")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    /// The area of a rectangle of parameters is the closed form, over a seam or not, moved anywhere, in either reading; the
    /// facets come to it from below or above, and lie as near as was asked.
    #[test]
    fn rectangles_of_parameters_have_the_areas_of_closed_forms((surface, sides, area) in any_patch(), m in any_motion()) {
        let moved = patch(surface, sides).moved(&m);
        let expected = area * m.scale * m.scale;
        for reader in READERS {
            let found = quadrature::figures(&moved, reader);
            prop_assert_eq!(found.faces_in_doubt, 0);
            prop_assert!((found.area / expected - 1.0).abs() < 1e-7, "{:?}: {} for {}", reader, found.area, expected);
            let size = moved.rough_size();
            let fineness = hull_exact::fineness::Fineness { deviation: 2e-3 * size, angle: 15.0, largest: None, smallest: None, even: true };
            let made = facet::facet(&moved, &fineness, reader, &Watch::default()).expect("not cancelled");
            prop_assert_eq!(&made.failed, &vec![]);
            let flat: f64 = made.mesh.triangles.keys().map(|f| norm(made.mesh.area_vector(f)) / 2.0).sum();
            prop_assert!((flat / expected - 1.0).abs() < 0.06, "{flat} of facets for {expected}");
        }
    }

    /// In the plane: each bound has its polygon's area with the face on its left, whichever way its file ran it if it is read
    /// anew; holes are taken out; what runs the wrong way is named, and set right.
    #[test]
    fn polygons_with_holes_keep_their_areas_whichever_way_they_run(
        outer in prop::collection::vec(6.0..9.0_f64, 3..14),
        holes in prop::collection::vec(prop::collection::vec(0.3..0.9_f64, 3..8), 0..4),
        wrong in prop::collection::vec(any::<bool>(), 4),
        same_sense: bool,
        m in any_motion(),
    ) {
        let frame = m.frame;
        let rim = star([0.0, 0.0], &outer);
        // Holes about the middle, apart from each other and within the smallest circle in the rim (a triangle's half radius).
        let holes: Vec<Vec<[f64; 2]>> =
            holes.iter().enumerate().map(|(i, r)| star([1.9 * (i as f64 * PI / 2.0).cos(), 1.9 * (i as f64 * PI / 2.0).sin()], r)).collect();
        let mut shape = Shape { tolerance: 1e-9, ..Shape::default() };
        // Seen against the face's normal, the outer bound runs anticlockwise and holes clockwise; a face turned over the other way.
        let mut loops = vec![run(&mut shape, &frame, &rim, wrong[0] == same_sense)];
        for (i, hole) in holes.iter().enumerate() {
            let bound = run(&mut shape, &frame, hole, wrong[i % 3 + 1] != same_sense);
            loops.push(bound);
        }
        let surface = shape.add_surface(Surface::Plane(frame));
        shape.faces.push(Face { surface, same_sense, loops, name: String::new(), colour: None, layer: None });
        let outer = Shell { faces: vec![(FaceId(0), true)] };
        shape.lumps.push(Lump { name: String::new(), colour: None, closed: false, outer, voids: Vec::new() });
        let area = shoelace(&rim) - holes.iter().map(|h| shoelace(h)).sum::<f64>();
        let found = quadrature::figures(&shape, Reader::Rebuilding).area;
        prop_assert!((found - area).abs() < 1e-9 * area, "{found} for {area}");
        let samples = sample::evenly(&shape, 4);
        let locator = Locator::new(&shape.surfaces[surface]);
        let face = &shape.faces[FaceId(0)];
        let read = parameter_loops(&shape, face, &samples, &locator, Reader::Rebuilding, None);
        prop_assert_eq!(read.loops.len(), 1 + holes.len());
        let areas: Vec<f64> = read.loops.iter().map(|l| signed_area(l) / 2.0).collect();
        prop_assert!((areas[0].abs() - shoelace(&rim)).abs() < 1e-9 * area);
        prop_assert!(areas[1..].iter().all(|a| a * areas[0] < 0.0), "{:?}", areas);
        prop_assert!(windings(&shape, face, &samples, &locator).iter().all(|w| *w == [0, 0]));
        let mirrored = frame.is_mirrored();
        let told = loops_to_reverse(&shape, face, &samples, &locator);
        let expected: Vec<bool> = (0..=holes.len()).map(|i| if i == 0 { wrong[0] } else { wrong[(i - 1) % 3 + 1] }).collect();
        if !mirrored {
            prop_assert_eq!(&told, &expected);
        }
        let mut straight = shape.clone();
        join::straighten_loops(&mut straight, FaceId(0));
        let face = &straight.faces[FaceId(0)];
        let after = loops_to_reverse(&straight, face, &samples, &Locator::new(&straight.surfaces[surface]));
        prop_assert!(after.iter().all(|w| !w), "{:?} after {:?}", after, told);
        let kept = quadrature::figures(&straight, Reader::Trusting);
        prop_assert!(kept.faces_in_doubt == 0 && (kept.area - area).abs() < 1e-9 * area);
    }

    /// A band that goes round a closed surface winds about it once on either rim, and has its area without any seam.
    #[test]
    fn bands_wind_once_on_either_rim(
        kind in 0..3_usize,
        (low, high) in (-0.9..-0.1_f64, 0.1..0.9_f64),
        (from, to) in (0.0..TAU, 0.0..TAU),
        m in any_motion(),
    ) {
        let (surface, area) = match kind {
            0 => (Surface::Cylinder { frame: Frame::WORLD, radius: 2.0 }, 2.0 * TAU * (high - low)),
            1 => (Surface::Sphere { frame: Frame::WORLD, radius: 2.0 }, 4.0 * TAU * (high.sin() - low.sin())),
            _ => {
                let area = TAU * (4.0 * (high - low) + high.sin() - low.sin());
                (Surface::Torus { frame: Frame::WORLD, major: 4.0, minor: 1.0 }, area)
            }
        };
        let mut shape = Shape { tolerance: 1e-9, ..Shape::default() };
        let mut ring = |v: f64, start: f64, back: bool| {
            let p = surface.point(0.0, v);
            let frame = Frame { origin: [0.0, 0.0, p[2]], ..Frame::WORLD };
            let range = if back { [start + TAU, start] } else { [start, start + TAU] };
            let curve = Curve::Ellipse { frame, a: p[0], b: p[0] };
            shape.loop_of_pieces(vec![Piece { curve, range }]).expect("a ring")
        };
        let loops = vec![ring(low, from, false), ring(high, to, true)];
        let surface = shape.add_surface(surface);
        shape.faces.push(Face { surface, same_sense: true, loops, name: String::new(), colour: None, layer: None });
        let outer = Shell { faces: vec![(FaceId(0), true)] };
        shape.lumps.push(Lump { name: String::new(), colour: None, closed: false, outer, voids: Vec::new() });
        let samples = sample::evenly(&shape, 8);
        let round = windings(&shape, &shape.faces[FaceId(0)], &samples, &Locator::new(&shape.surfaces[surface]));
        prop_assert_eq!(round, vec![[1, 0], [-1, 0]]);
        let moved = shape.moved(&m);
        let samples = sample::evenly(&moved, 8);
        let round = windings(&moved, &moved.faces[FaceId(0)], &samples, &Locator::new(&moved.surfaces[surface]));
        prop_assert_eq!(round.iter().map(|w| w[0] + w[1]).sum::<i32>(), 0);
        for reader in READERS {
            let found = quadrature::figures(&moved, reader);
            let whole = 4.0 * 4.0 * PI * PI * m.scale * m.scale;
            let expected = area * m.scale * m.scale;
            // Rims alone do not say which of its two parts of a torus is meant.
            let is_it = [expected, whole - expected].iter().take(if kind == 2 && reader == Reader::Rebuilding { 2 } else { 1 })
                .any(|e| (found.area / e - 1.0).abs() < 1e-7);
            prop_assert!(is_it, "{:?}: {} for {}", reader, found.area, expected);
        }
    }

    /// The stretch of a curve between two of its points is found from these; between one and itself a closed curve goes round.
    #[test]
    fn the_stretch_between_two_points_of_a_curve_is_found(
        kind in 0..5_usize,
        (a, b) in (0.5..4.0_f64, 0.5..4.0_f64),
        (from, long) in (-1.5..1.5_f64, 0.2..4.0_f64),
        m in any_motion(),
    ) {
        let frame = m.frame;
        let curve = match kind {
            0 => Curve::Line { origin: frame.origin, along: frame.z.map(|x| x * a) },
            1 => Curve::Ellipse { frame, a, b },
            2 => Curve::Hyperbola { frame, a, b },
            3 => Curve::Parabola { frame, focal: a },
            _ => Curve::Ellipse { frame, a, b: a },
        };
        let closed = curve.period().is_some();
        let to = from + if closed { long.min(TAU - 0.1) } else { long.min(2.0) };
        let mut shape = Shape { tolerance: 1e-9, ..Shape::default() };
        let ends = [shape.add_vertex(curve.point(from)), shape.add_vertex(curve.point(to))];
        let [s, t] = shape.range_between(&curve, ends).expect("both lie on it");
        prop_assert!(s < t);
        prop_assert!((t - s - (to - from)).abs() < 1e-5, "{s} to {t} for {from} to {to}");
        prop_assert!(distance(curve.point(s), curve.point(from)) < 1e-6 && distance(curve.point(t), curve.point(to)) < 1e-6);
        if closed {
            let [s, t] = shape.range_between(&curve, [ends[1], ends[0]]).expect("the rest");
            prop_assert!((t - s - (TAU - to + from)).abs() < 1e-5, "the rest is {}", t - s);
            let [s, t] = shape.range_between(&curve, [ends[0]; 2]).expect("once round");
            prop_assert!((t - s - TAU).abs() < 1e-12);
        }
        // A point far aside is none of it.
        let aside = shape.add_vertex(frame.place([0.0, 0.0, 70.0]));
        prop_assert!(kind == 0 || shape.range_between(&curve, [ends[0], aside]).is_none());
    }
}
