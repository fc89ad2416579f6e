//! Crossing facets against separating axes in whole numbers, and against plain search.

use hull_geometry::crossings::{Crossing, crossing, crossings, crossings_if_few, crossings_if_quick};
use hull_geometry::shapes::{cuboid, torus};
use hull_geometry::tree::FacetTree;
use hull_geometry::{FacetId, Mesh, PointId, Watch, nearest::nearest_on_triangle};
use proptest::prelude::*;
use typed_index_collections::TiVec;

type I3 = [i64; 3];

fn sub(a: I3, b: I3) -> I3 {
    [0, 1, 2].map(|k| a[k] - b[k])
}

fn cross(a: I3, b: I3) -> I3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn dot(a: I3, b: I3) -> i64 {
    (0..3).map(|k| a[k] * b[k]).sum()
}

/// Whether two convex sets of corners meet: no axis of the usual candidates separates them (C. Ericson, Real-Time
/// Collision Detection, 2005, 5.2.1). In whole numbers, so exactly.
fn meet(a: &[I3], b: &[I3]) -> bool {
    let edges = |c: &[I3]| (0..c.len()).map(|i| sub(c[(i + 1) % c.len()], c[i])).collect::<Vec<_>>();
    let (ea, eb) = (edges(a), edges(b));
    let normal = |e: &[I3]| if e.len() > 2 { cross(e[0], e[1]) } else { [0; 3] };
    let (na, nb) = (normal(&ea), normal(&eb));
    let mut axes = vec![na, nb];
    for x in &ea {
        axes.extend(eb.iter().map(|y| cross(*x, *y)));
        axes.extend([cross(*x, na), cross(*x, nb), *x]);
    }
    for y in &eb {
        axes.extend([cross(*y, na), cross(*y, nb), *y]);
    }
    axes.iter().filter(|n| **n != [0; 3]).all(|n| {
        let range = |c: &[I3]| {
            let all = c.iter().map(|p| dot(*p, *n));
            (all.clone().min().expect("corners"), all.max().expect("corners"))
        };
        let ((low_a, high_a), (low_b, high_b)) = (range(a), range(b));
        low_a <= high_b && low_b <= high_a
    })
}

fn flat(t: &[I3]) -> bool {
    cross(sub(t[1], t[0]), sub(t[2], t[0])) == [0; 3]
}

/// All pairs of facets, each once.
fn pairs(mesh: &Mesh) -> impl Iterator<Item = (FacetId, FacetId)> + '_ {
    let facets = || mesh.triangles.keys();
    facets().flat_map(move |f| facets().filter(move |g| f < *g).map(move |g| (f, g)))
}

/// Two facets given by distinct whole-numbered corners, scaled, on common points.
fn two(corners: &[I3], facets: [[usize; 3]; 2], scale: f64) -> Mesh {
    Mesh {
        points: corners.iter().map(|p| p.map(|x| x as f64 * scale)).collect(),
        triangles: facets.iter().map(|f| f.map(PointId::from)).collect(),
    }
}

proptest! {
    /// On a small grid nearly every case is degenerate: corners on edges, edges in planes, planes in one.
    #[test]
    fn a_crossing_is_what_no_axis_separates(
        corners in prop::collection::btree_set(prop::array::uniform3(-2..=2_i64), 6),
        shared in 0..3_usize,
        order in Just([0, 1, 2, 3, 4, 5_usize]).prop_shuffle(),
        exponent in -40..40_i32,
    ) {
        let all: Vec<I3> = corners.into_iter().collect();
        let c: Vec<I3> = order.iter().map(|&i| all[i]).collect();
        let facets = match shared {
            0 => [[0, 1, 2], [3, 4, 5]],
            1 => [[0, 1, 2], [3, 0, 5]],
            _ => [[0, 1, 2], [1, 0, 5]],
        };
        let t: Vec<I3> = facets[0].iter().map(|&i| c[i]).collect();
        let u: Vec<I3> = facets[1].iter().map(|&i| c[i]).collect();
        prop_assume!(!flat(&t) && !flat(&u));
        let expected = match shared {
            0 => meet(&t, &u),
            // Beyond the common corner: the side across from it meets the other facet.
            1 => meet(&[c[1], c[2]], &u) || meet(&[c[3], c[5]], &t),
            // Over a common edge: in one plane and on one side of it.
            _ => {
                let n = cross(sub(c[1], c[0]), sub(c[2], c[0]));
                let m = cross(sub(c[1], c[0]), sub(c[5], c[0]));
                cross(n, m) == [0; 3] && dot(n, m) > 0
            }
        };
        let mesh = two(&c, facets, f64::from(exponent).exp2());
        let found = crossing(&mesh, FacetId(0), FacetId(1));
        prop_assert_eq!(found.is_some(), expected, "{:?} {:?}", t, u);
        prop_assert_eq!(crossing(&mesh, FacetId(1), FacetId(0)).is_some(), expected, "the other way round");
        if let Some(Crossing { coplanar, .. }) = found {
            let n = cross(sub(t[1], t[0]), sub(t[2], t[0]));
            prop_assert_eq!(coplanar, u.iter().all(|p| dot(sub(*p, t[0]), n) == 0));
        }
    }

    /// The tree finds what plain search finds, and the nearest facet too, on surfaces pushed into each other.
    #[test]
    fn the_tree_finds_what_plain_search_finds(
        by in prop::array::uniform3(-12.0..12.0_f64),
        (rings, sides) in (4..12_usize, 3..9_usize),
        at in prop::array::uniform3(-30.0..30.0_f64),
    ) {
        let mut mesh = torus(10.0, 3.0, rings * 2, sides);
        let mut other = cuboid([8.0, 6.0, 5.0]);
        other.points.iter_mut().for_each(|p| (0..3).for_each(|k| p[k] += by[k]));
        mesh.append(&other);
        let found = crossings(&mesh, &Watch::default()).expect("not cancelled");
        let plain: Vec<Crossing> = pairs(&mesh).filter_map(|(f, g)| crossing(&mesh, f, g)).collect();
        // Who sets a limit gets all of them within it, and none above it.
        let few = |most| crossings_if_few(&mesh, most, &Watch::default()).expect("not cancelled");
        let quick = |pairs| crossings_if_quick(&mesh, usize::MAX, pairs, &Watch::default()).expect("not cancelled");
        prop_assert_eq!(few(plain.len()), Some(plain.clone()));
        prop_assert_eq!(quick(mesh.triangles.len().pow(2)), Some(plain.clone()));
        if let Some(less) = plain.len().checked_sub(1) {
            prop_assert_eq!(few(less), None);
            prop_assert_eq!(quick(less), None);
        }
        prop_assert_eq!(found, plain);
        let tree = FacetTree::of(&mesh);
        let (facet, d2, _) = tree.nearest(&mesh, at, f64::INFINITY).expect("a facet");
        let off = |f: FacetId| {
            let q = nearest_on_triangle(at, mesh.corners(f));
            (0..3).map(|k| (q[k] - at[k]).powi(2)).sum::<f64>()
        };
        let least = mesh.triangles.keys().map(off).fold(f64::INFINITY, f64::min);
        prop_assert_eq!(d2, least);
        prop_assert_eq!(facet, mesh.triangles.keys().find(|f| off(*f) == least).expect("a facet"));
    }

    /// Sheets are passed over without looking at their pairs: whatever is folded, torn, wound over itself or laid
    /// beside itself, on whole numbers or between them, nothing is missed that plain search finds.
    #[test]
    fn what_lies_in_sheets_is_not_missed(
        shape in 0..4_usize,
        moved in prop::collection::vec((any::<prop::sample::Index>(), prop::array::uniform3(-2.0..2.0_f64)), 0..2),
        dropped in prop::collection::vec(any::<prop::sample::Index>(), 0..6),
        torn in prop::collection::vec((any::<prop::sample::Index>(), 0..3_usize), 0..2),
        copy in prop::option::weighted(0.3, prop::array::uniform3(-1.0..1.0_f64)),
        whole in any::<bool>(),
    ) {
        let mut mesh = match shape {
            0 => torus(10.0, 3.0, 24, 14),
            1 => strip(40, |i, j| [i as f64, 2.0 * j as f64, 0.0]),
            // Wound twice around, the rims inside each other.
            2 => strip(60, |i, j| turned(i as f64 / 30.0, 6.0 + 4.0 * j as f64 + i as f64 / 40.0)),
            _ => double_cover(),
        };
        for (at, by) in moved {
            let p = PointId::from(at.index(mesh.points.len()));
            (0..3).for_each(|k| mesh.points[p][k] += if shape == 0 || k < 2 { by[k] } else { 0.0 });
        }
        for at in dropped {
            mesh.triangles.remove(FacetId::from(at.index(mesh.triangles.len())));
        }
        for (at, k) in torn {
            let f = FacetId::from(at.index(mesh.triangles.len()));
            mesh.triangles[f][k] = mesh.points.push_and_get_key(mesh.points[mesh.triangles[f][k]]);
        }
        if let Some(by) = copy {
            let mut other = mesh.clone();
            other.points.iter_mut().for_each(|p| (0..3).for_each(|k| p[k] += by[k]));
            mesh.append(&other);
        }
        if whole {
            mesh.points.iter_mut().flatten().for_each(|x| *x = x.round());
        }
        let found = crossings(&mesh, &Watch::default()).expect("not cancelled");
        let flat: TiVec<FacetId, bool> = mesh.triangles.keys().map(|f| mesh.is_zero_area(f)).collect();
        let pairs = pairs(&mesh).filter(|(f, g)| !flat[*f] && !flat[*g]);
        let plain: Vec<Crossing> = pairs.filter_map(|(f, g)| crossing(&mesh, f, g)).collect();
        prop_assert_eq!(found, plain);
    }
}

fn turned(round: f64, radius: f64) -> [f64; 3] {
    let (sin, cos) = (std::f64::consts::TAU * round).sin_cos();
    [radius * cos, radius * sin, 0.0]
}

/// A strip of `n` by four squares, halved; point `5 i + j` at `place(i, j)`.
fn strip(n: u32, place: impl Fn(u32, u32) -> [f64; 3]) -> Mesh {
    let points = (0..=n).flat_map(|i| (0..5).map(move |j| (i, j))).map(|(i, j)| place(i, j)).collect();
    let square = |i: u32, j: u32| {
        let [a, b] = [5 * i + j, 5 * (i + 1) + j];
        [[a, b, b + 1], [a, b + 1, a + 1]]
    };
    Mesh::from_arrays(points, (0..n).flat_map(|i| (0..4).flat_map(move |j| square(i, j))).collect())
}

/// Two strips, cut open along their middle and joined crosswise there: one surface that lies over itself everywhere,
/// although its two rims lie inside each other without meeting.
fn double_cover() -> Mesh {
    let one = strip(14, |i, j| [i as f64, 2.0 * j as f64, 0.0]);
    let count = one.points.len() as u32;
    let smaller = one.points.iter().map(|p| [7.0 + 0.97 * (p[0] - 7.0), 4.0 + 0.97 * (p[1] - 4.0), 0.0]);
    let points = one.points.iter().copied().chain(smaller).collect();
    let (middle, ends) = (|p: u32| p % 5 == 2 && (5..9).contains(&(p / 5)), [5 * 5 + 2, 9 * 5 + 2]);
    let triangles = (0..2_u32).flat_map(|copy| {
        one.corner_numbers().map(move |t| {
            let beyond = t.iter().any(|p| p % 5 > 2);
            t.map(|p| match (ends.contains(&p), middle(p) && beyond) {
                (true, _) => p,
                (_, true) => p + (1 - copy) * count,
                _ => p + copy * count,
            })
        })
    });
    Mesh::from_arrays(points, triangles.collect())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, ..ProptestConfig::default() })]

    /// Long facets whose boxes all meet, many of them in one plane, at corners of a grid, scaled and turned so that rounding has
    /// its say: what is told apart by a plane or a side is what pair by pair is told apart by exact signs.
    #[test]
    fn facets_that_lie_across_each_other_are_told_apart_rightly(
        corners in prop::collection::vec(prop::array::uniform3(-3..=3_i64), 8..14),
        picks in prop::collection::vec(prop::array::uniform3(any::<prop::sample::Index>()), 4..40),
        flat in any::<bool>(),
        scale in prop::sample::select(vec![1.0, 0.1, 1e7 / 3.0, 1e-6]),
        turn in prop::option::of(-3.0..3.0_f64),
    ) {
        let (s, c) = turn.unwrap_or(0.0).sin_cos();
        let place = |p: &I3| {
            let [x, y, z] = if flat { [p[0], p[1], 0] } else { *p }.map(|x| x as f64 * scale);
            [c * x - s * z, y, s * x + c * z]
        };
        let triangles: Vec<[u32; 3]> = picks.iter().map(|t| t.each_ref().map(|i| i.index(corners.len()) as u32)).collect();
        let mesh = Mesh::from_arrays(corners.iter().map(place).collect(), triangles);
        let flats = mesh.flat_facets();
        let mut expected = Vec::new();
        for (f, g) in pairs(&mesh).filter(|(f, g)| !flats[*f] && !flats[*g]) {
            expected.extend(crossing(&mesh, f, g));
        }
        prop_assert_eq!(crossings(&mesh, &Watch::default()).unwrap(), expected);
    }
}
