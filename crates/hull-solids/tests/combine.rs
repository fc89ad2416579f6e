//! Bodies combined, against closed forms.

use hull_geometry::crossings::crossings;
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::topology::Topology;
use hull_geometry::transform::translate;
use hull_geometry::{Mesh, Point, Watch, measure};
use hull_solids::combine::{Combined, Rule, combine};
use proptest::prelude::*;

fn moved(mut mesh: Mesh, by: Point) -> Mesh {
    translate(&mut mesh, by);
    mesh
}

fn together(bodies: &[Mesh]) -> (Mesh, Vec<u32>) {
    let mut all = Mesh::default();
    let mut body_of = Vec::new();
    for (i, b) in bodies.iter().enumerate() {
        all.append(b);
        body_of.resize(all.triangles.len(), i as u32);
    }
    (all, body_of)
}

fn volume(mesh: &Mesh) -> f64 {
    measure::mass(mesh, &mesh.bounds()).volume
}

fn combined(bodies: &[Mesh], rule: Rule) -> Combined {
    let (all, body_of) = together(bodies);
    combine(&all, &body_of, rule, &Watch::default()).expect("closed bodies combine")
}

fn assert_clean(mesh: &Mesh) {
    let t = Topology::of(mesh, &Watch::default()).expect("no one cancels");
    assert!(t.is_closed(), "{} open, {} overshared", t.open.len(), t.overshared.len());
    assert!(t.misdirected.is_empty() && t.duplicates.is_empty() && t.pinched.is_empty());
}

#[test]
fn two_cubes_that_overlap() {
    let cube = cuboid([2.0; 3]);
    let other = moved(cube.clone(), [1.0; 3]);
    for (rule, expected) in [(Rule::Unite, 15.0), (Rule::Subtract, 7.0), (Rule::Intersect, 1.0)] {
        let c = combined(&[cube.clone(), other.clone()], rule);
        assert_clean(&c.rebuilt.mesh);
        assert!((volume(&c.rebuilt.mesh) - expected).abs() < 1e-12, "{rule:?}: {}", volume(&c.rebuilt.mesh));
    }
}

proptest! {
    /// Boxes on a coarse grid touch in faces, edges and corners and lie in each other: the volumes are those of the
    /// grid's cells, counted.
    #[test]
    fn boxes_on_a_grid(boxes in prop::collection::vec(([0i32..4, 0i32..4, 0i32..4], [1i32..4, 1i32..4, 1i32..4]), 2..6),
                       scale in prop_oneof![Just(1.0), Just(0.1), Just(1e-12), Just(1e12), Just(1.0 / 3.0)]) {
        let bodies: Vec<Mesh> = boxes.iter().map(|(at, size)| {
            let mut m = cuboid([1.0; 3]);
            // Equal grid coordinates are equal doubles, however they are reached.
            for p in &mut m.points {
                *p = [0, 1, 2].map(|k| f64::from(at[k] + (p[k] as i32) * size[k]) * scale);
            }
            m
        }).collect();
        for rule in [Rule::Unite, Rule::Subtract, Rule::Intersect] {
            let mut cells = 0;
            for x in 0..8 { for y in 0..8 { for z in 0..8 {
                let c = [x, y, z];
                let inside: Vec<bool> = boxes.iter().map(|(at, size)| (0..3).all(|k| c[k] >= at[k] && c[k] < at[k] + size[k])).collect();
                cells += i32::from(match rule {
                    Rule::Unite => inside.iter().any(|i| *i),
                    Rule::Subtract => inside[0] && !inside[1..].iter().any(|i| *i),
                    Rule::Intersect => inside.iter().all(|i| *i),
                });
            } } }
            let (all, body_of) = together(&bodies);
            let made = combine(&all, &body_of, rule, &Watch::default());
            if cells == 0 {
                prop_assert!(made.is_err());
                continue;
            }
            let made = made.expect("boxes are closed");
            let mesh = made.rebuilt.mesh;
            assert_clean(&mesh);
            prop_assert_eq!(crossings(&mesh, &Watch::default()).expect("not cancelled"), vec![]);
            let expected = f64::from(cells) * scale.powi(3);
            // What touched in an edge or a corner only was pulled apart.
            let off = if made.pulled > 0 { 1e-4 } else { 1e-9 };
            prop_assert!((volume(&mesh) - expected).abs() <= off * expected, "{} for {}", volume(&mesh), expected);
        }
    }

    /// Spheres and boxes anywhere: volumes of union, difference and intersection fit each other.
    #[test]
    fn volumes_fit_each_other(at in [-1.5f64..1.5, -1.5f64..1.5, -1.5f64..1.5], turned in -2.0f64..2.0, u in 3usize..20, v in 3usize..12) {
        let a = sphere(1.0, u, v);
        let mut b = cuboid([1.3; 3]);
        for p in &mut b.points {
            let (s, c) = turned.sin_cos();
            *p = [c * p[0] - s * p[1], s * p[0] + c * p[1], p[2]];
        }
        let b = moved(b, at);
        let (va, vb) = (volume(&a), volume(&b));
        let both = [a, b];
        let u = combined(&both, Rule::Unite);
        assert_clean(&u.rebuilt.mesh);
        let (all, body_of) = together(&both);
        let shared = combine(&all, &body_of, Rule::Intersect, &Watch::default()).map_or(0.0, |c| { assert_clean(&c.rebuilt.mesh); volume(&c.rebuilt.mesh) });
        let rest = combine(&all, &body_of, Rule::Subtract, &Watch::default()).map_or(0.0, |c| { assert_clean(&c.rebuilt.mesh); volume(&c.rebuilt.mesh) });
        let vu = volume(&u.rebuilt.mesh);
        prop_assert!((vu - (va + vb - shared)).abs() < 1e-9, "{vu} {va} {vb} {shared}");
        prop_assert!((rest - (va - shared)).abs() < 1e-9);
    }
}
