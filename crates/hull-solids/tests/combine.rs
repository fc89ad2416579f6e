//! Bodies combined, against closed forms.

use hull_geometry::crossings::crossings;
use hull_geometry::dirt::Dice;
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::topology::Topology;
use hull_geometry::transform::translate;
use hull_geometry::{FacetId, Mesh, Point, Watch, measure};
use hull_solids::combine::{Combined, Rule, combine};
use proptest::prelude::*;
use typed_index_collections::TiVec;

fn moved(mut mesh: Mesh, by: Point) -> Mesh {
    translate(&mut mesh, by);
    mesh
}

fn together(bodies: &[Mesh]) -> (Mesh, TiVec<FacetId, u32>) {
    let mut all = Mesh::default();
    let mut body_of = TiVec::new();
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
    let rest = [t.misdirected.len(), t.duplicates.len(), t.pinched.len(), t.zero_area.len()];
    assert_eq!(rest, [0; 4], "misdirected, duplicates, non-manifold vertices, without area");
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

/// Boxes of a grid: corner and size.
type Cell = ([i32; 3], [i32; 3]);

fn on_grid(boxes: &[Cell], scale: f64) -> Vec<Mesh> {
    let made = |(at, size): &Cell| {
        let mut m = cuboid([1.0; 3]);
        // Equal grid coordinates are equal doubles, however they are reached.
        for p in &mut m.points {
            *p = [0, 1, 2].map(|k| f64::from(at[k] + (p[k] as i32) * size[k]) * scale);
        }
        m
    };
    boxes.iter().map(made).collect()
}

/// A point turned about the axes, one after the other.
fn turned(p: Point, by: [f64; 3]) -> Point {
    (0..3).fold(p, |p, k| {
        let (s, c) = by[k].sin_cos();
        let (i, j) = ((k + 1) % 3, (k + 2) % 3);
        let mut q = p;
        (q[i], q[j]) = (c * p[i] - s * p[j], s * p[i] + c * p[j]);
        q
    })
}

/// `n` segments of a wheel of spokes as a prism: the axis, and the rim from spoke `first` on.
fn wedge(rim: &[[f64; 2]], first: usize, n: usize, low: f64, high: f64) -> Mesh {
    let outline: Vec<[f64; 2]> =
        std::iter::once([0.0; 2]).chain((0..=n).map(|k| rim[(first + k) % rim.len()])).collect();
    let m = outline.len() as u32;
    let points = [low, high].iter().flat_map(|z| outline.iter().map(|[x, y]| [*x, *y, *z])).collect();
    let mut triangles = Vec::new();
    for k in 1..m - 1 {
        triangles.push([0, k + 1, k]);
        triangles.push([m, m + k, m + k + 1]);
    }
    for k in 0..m {
        let next = (k + 1) % m;
        triangles.extend([[k, next, m + next], [k, m + next, m + k]]);
    }
    Mesh::from_arrays(points, triangles)
}

/// Cells of the grid that a rule keeps.
fn counted(boxes: &[Cell], rule: Rule) -> i32 {
    let mut cells = 0;
    for i in 0..512 {
        let c = [i % 8, i / 8 % 8, i / 64];
        let inside = |b: &Cell| (0..3).all(|k| c[k] >= b.0[k] && c[k] < b.0[k] + b.1[k]);
        cells += i32::from(match rule {
            Rule::Unite => boxes.iter().any(inside),
            Rule::Subtract => inside(&boxes[0]) && !boxes[1..].iter().any(inside),
            Rule::Intersect => boxes.iter().all(inside),
        });
    }
    cells
}

/// Found at random on another machine: corners and sides that touch.
#[test]
fn boxes_that_touch_in_sides_and_corners() {
    let boxes = [([2, 1, 0], [1, 3, 3]), ([0, 2, 2], [1, 1, 1]), ([0, 0, 0], [3, 3, 2]), ([0, 3, 2], [2, 1, 1])];
    for scale in [1.0, 0.1, 1.0 / 3.0] {
        for part in [&boxes[..], &boxes[..3], &boxes[1..]] {
            let made = combined(&on_grid(part, scale), Rule::Unite);
            assert_clean(&made.rebuilt.mesh);
        }
    }
}

/// The boxes of a grid turned all together: what lay on each other nearly does so still, a few roundings apart. The result is
/// closed, and its volume that of the cells; in one of fifty facets cross by next to nothing all the same, which is told here.
#[test]
fn boxes_of_a_turned_grid() {
    let mut dice = Dice(11);
    let (mut runs, mut crossing) = (0, 0);
    for _ in 0..200 {
        let turn = [0; 3].map(|_| (dice.roll() % 6400) as f64 / 1000.0 - 3.2);
        let mut three = |least: u64, of: u64| [0; 3].map(|_| (least + dice.roll() % of) as i32);
        let boxes: Vec<Cell> = (0..4).map(|_| (three(0, 4), three(1, 3))).collect();
        let mut bodies = on_grid(&boxes, 25.4);
        bodies.iter_mut().flat_map(|b| &mut b.points).for_each(|p| *p = turned(*p, turn));
        let (all, body_of) = together(&bodies);
        for rule in [Rule::Unite, Rule::Subtract, Rule::Intersect] {
            let expected = f64::from(counted(&boxes, rule)) * 25.4_f64.powi(3);
            let Ok(made) = combine(&all, &body_of, rule, &Watch::default()) else {
                assert_eq!(expected, 0.0, "{rule:?} of {boxes:?}");
                continue;
            };
            assert_clean(&made.rebuilt.mesh);
            let v = volume(&made.rebuilt.mesh);
            assert!((v - expected).abs() <= 1e-3 * 25.4_f64.powi(3), "{rule:?}: {v} for {expected}");
            runs += 1;
            crossing +=
                usize::from(!crossings(&made.rebuilt.mesh, &Watch::default()).expect("not cancelled").is_empty());
        }
    }
    assert!(crossing * 50 <= 2 * runs, "{crossing} of {runs}");
}

proptest! {
    /// Boxes on a coarse grid touch in faces, edges and corners and lie in each other: the volumes are those of the
    /// grid's cells, counted.
    #[test]
    fn boxes_on_a_grid(boxes in prop::collection::vec(([0i32..4, 0i32..4, 0i32..4], [1i32..4, 1i32..4, 1i32..4]), 2..6),
                       scale in prop_oneof![Just(1.0), Just(0.1), Just(1e-12), Just(1e12), Just(1.0 / 3.0)]) {
        let bodies = on_grid(&boxes, scale);
        for rule in [Rule::Unite, Rule::Subtract, Rule::Intersect] {
            let cells = counted(&boxes, rule);
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

    /// Prisms around one axis that share sides, edges and corners of a wheel's spokes, one above the other.
    #[test]
    fn prisms_of_a_wheel(sides in 3usize..9, parts in prop::collection::vec((0usize..9, 1usize..9, 0i32..3, 1i32..3), 2..6), scale in prop_oneof![Just(1.0), Just(0.1), Just(1e3)]) {
        let rim: Vec<[f64; 2]> = (0..sides).map(|i| { let (s, c) = (std::f64::consts::TAU * i as f64 / sides as f64).sin_cos(); [c * scale, s * scale] }).collect();
        let bodies: Vec<Mesh> = parts.iter().map(|(first, n, low, high)| wedge(&rim, first % sides, 1 + (n - 1) % (sides - 1), f64::from(*low) * scale, f64::from(low + high) * scale)).collect();
        // Segments of the wheel by layer that any of them covers; all are alike.
        let mut covered = std::collections::BTreeSet::new();
        for (first, n, low, high) in &parts {
            for k in 0..1 + (n - 1) % (sides - 1) { for z in *low..low + high { covered.insert(((first + k) % sides, z)); } }
        }
        let segment = 0.5 * (std::f64::consts::TAU / sides as f64).sin() * scale.powi(3);
        let made = combined(&bodies, Rule::Unite);
        assert_clean(&made.rebuilt.mesh);
        prop_assert_eq!(crossings(&made.rebuilt.mesh, &Watch::default()).expect("not cancelled"), vec![]);
        let (v, expected) = (volume(&made.rebuilt.mesh), covered.len() as f64 * segment);
        prop_assert!((v - expected).abs() <= 1e-4 * expected, "{v} for {expected}");
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
