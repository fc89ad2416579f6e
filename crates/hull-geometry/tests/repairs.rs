//! Properties of moving, joining, cleaning, filling, reducing and searching on made-up surfaces.

use hull_geometry::dirt::gridded;
use hull_geometry::join::{by_partitions, in_no_order, join_equal_points};
use hull_geometry::measure::{Mass, figures_by_group, mass};
use hull_geometry::nearest::{nearest_facet, nearest_on_triangle};
use hull_geometry::reduce::reduced;
use hull_geometry::shapes::{cone, cuboid, sphere, torus};
use hull_geometry::slice::{is_ahead, slice};
use hull_geometry::topology::{Topology, neighbours, open_edges};
use hull_geometry::transform::{Axis, apply, enlarge, product, rotate, rotation, translate};
use hull_geometry::vector::{cross, distance, dot, lerp};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId, Watch, cleanup, holes};
use proptest::prelude::*;
use typed_index_collections::{TiVec, ti_vec};

fn watch() -> Watch {
    Watch::default()
}

fn topology(mesh: &Mesh) -> Topology {
    Topology::of(mesh, &watch()).unwrap()
}

fn whole(mesh: &Mesh) -> Mass {
    mass(mesh, &mesh.bounds())
}

fn near(a: f64, b: f64, relative: f64) -> bool {
    (a - b).abs() <= relative * a.abs().max(b.abs())
}

/// A closed surface of one of several kinds, somewhere.
fn closed() -> impl Strategy<Value = Mesh> {
    (0..4usize, prop::array::uniform3(-50.0..50.0f64)).prop_map(|(kind, at)| {
        let mut mesh = match kind {
            0 => cuboid([3.0, 2.0, 1.0]),
            1 => sphere(2.0, 14, 9),
            2 => cone(1.0, 3.0, 17),
            _ => torus(3.0, 1.0, 15, 9),
        };
        translate(&mut mesh, at);
        mesh
    })
}

fn place() -> impl Strategy<Value = Point> {
    prop::array::uniform3(-4.0..4.0f64)
}

#[test]
fn every_pair_of_axes_gives_a_rotation_and_never_a_mirror() {
    for up in Axis::ALL {
        for forward in Axis::ALL {
            let aligned = dot(up.direction(), forward.direction()) != 0.0;
            let Some(m) = rotation(up, forward) else {
                assert!(aligned, "{} and {} stand square to each other", up.symbol(), forward.symbol());
                continue;
            };
            assert!(!aligned);
            assert_eq!(apply(&m, up.direction()), [0.0, 0.0, 1.0]);
            assert_eq!(apply(&m, forward.direction()), [1.0, 0.0, 0.0]);
            assert_eq!(dot(m[0], cross(m[1], m[2])), 1.0, "a determinant of one: not a mirror");
            let back: [[f64; 3]; 3] = std::array::from_fn(|i| std::array::from_fn(|j| m[j][i]));
            assert_eq!(product(&m, &back), [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]);
        }
    }
}

proptest! {
    #[test]
    fn moving_turning_and_enlarging_change_figures_as_they_must(mesh in closed(), factor in 0.01..100.0f64, axes in (0..6usize, 0..6usize)) {
        let before = whole(&mesh);
        let mut after = mesh.clone();
        if let Some(m) = rotation(Axis::ALL[axes.0], Axis::ALL[axes.1]) {
            rotate(&mut after, &m);
            let turned = whole(&after);
            prop_assert!(near(turned.volume, before.volume, 1e-9) && near(turned.area, before.area, 1e-12));
            prop_assert!(distance(turned.centroid, apply(&m, before.centroid)) < 1e-9);
            // The trace of the inertia tensor does not depend on the axes.
            let trace = |m: &Mass| m.inertia[0] + m.inertia[1] + m.inertia[2];
            prop_assert!(near(trace(&turned), trace(&before), 1e-8));
        }
        enlarge(&mut after, factor);
        let larger = whole(&after);
        prop_assert!(near(larger.volume, before.volume * factor.powi(3), 1e-9));
        prop_assert!(near(larger.area, before.area * factor.powi(2), 1e-12));
    }

    #[test]
    fn joining_undoes_taking_a_mesh_apart(mesh in closed(), seed in any::<u64>()) {
        // Every facet with its own three points, the facets in any order.
        let mut order: Vec<FacetId> = mesh.triangles.keys().collect();
        order.sort_by_key(|&f| (u64::from(f.0) ^ seed).wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let corner = |f: &FacetId| mesh.corners(*f);
        let mut loose = Mesh::loose(order.iter().map(corner));
        let gone = join_equal_points(&mut loose);
        prop_assert_eq!(loose.points.len(), mesh.points.len());
        prop_assert_eq!(gone, 3 * mesh.triangles.len() - mesh.points.len());
        for (f, &from) in order.iter().enumerate() {
            prop_assert_eq!(loose.corners(FacetId::from(f)), corner(&from), "facets keep their order and corners");
        }
        let mut seen = PointId(0);
        for &p in loose.triangles.iter().flatten() {
            prop_assert!(p <= seen, "points are numbered by first appearance");
            seen = seen.max(p + PointId(1));
        }
    }

    #[test]
    fn corners_dealt_to_partitions_get_the_numbers_of_first_appearance(picks in prop::collection::vec(any::<u16>(), 3..900)) {
        // Few of some values, many of others, both zeros.
        let corner = |c: usize| [f32::from(picks[c] % 40), -0.0 * f32::from(picks[c] % 3), f32::from(picks[c] / 900)];
        let corners = picks.len() / 3 * 3;
        let joined = by_partitions(corners, |c| Ok::<_, ()>(corner(c))).expect("no corner is refused");
        let mut known: Vec<Point> = Vec::new();
        for (c, number) in joined.triangles.iter().flatten().enumerate() {
            let p = corner(c).map(f64::from);
            let expected = known.iter().position(|q| *q == p).unwrap_or_else(|| {
                known.push(p);
                known.len() - 1
            });
            prop_assert_eq!(usize::from(*number), expected);
        }
        prop_assert_eq!(joined.points.raw, known);
        let refused = |c: usize| if c == corners / 2 { Err(c) } else { Ok(corner(c)) };
        prop_assert_eq!(by_partitions(corners, refused), Err(corners / 2));
    }

    #[test]
    fn joining_gives_the_same_mesh_whatever_the_thread_count(picks in prop::collection::vec(0..9u8, 3..400)) {
        let points: Vec<Point> = picks.iter().map(|&p| [f64::from(p % 3), f64::from(p / 3), -0.0]).collect();
        let mesh = Mesh::loose(points.as_chunks::<3>().0.iter().copied());
        let joined = |threads| {
            rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap().install(|| {
                let mut mesh = mesh.clone();
                join_equal_points(&mut mesh);
                mesh
            })
        };
        let one = joined(1);
        for threads in [2, 3, 7] {
            prop_assert_eq!(&joined(threads), &one);
        }
    }

    #[test]
    fn holes_of_any_outline_are_filled_to_a_closed_surface(out in prop::collection::btree_set((0..270_u32).prop_map(FacetId), 1..9)) {
        let ring = torus(3.0, 1.0, 15, 9);
        let open = Mesh {
            triangles: ring.triangles.iter_enumerated().filter(|(f, _)| !out.contains(f)).map(|(_, t)| *t).collect(),
            points: ring.points.clone(),
        };
        let before = topology(&open);
        // Where holes touch at a point their loops may be walked more than one way.
        if !before.pinched.is_empty() {
            return Ok(());
        }
        let found = holes::find_holes(&open, &open_edges(&open));
        let filled = holes::fill(&open, &found, holes::FillingChoice::Plain, &watch()).unwrap();
        let after = topology(&filled.rebuilt.mesh);
        prop_assert!(after.is_closed() && after.misdirected.is_empty() && after.pinched.is_empty());
        prop_assert!(filled.rebuilt.mesh.triangles.starts_with(&open.triangles), "what was there stays");
        prop_assert_eq!(filled.rebuilt.mesh.triangles.len(), 270, "a patch of a disc has as many facets as went");
    }

    /// Corners of such a rim lie in lines: triangles between them cost no area, and leave edges of one facet.
    #[test]
    fn holes_over_the_edges_of_a_cube_are_filled_without_facets_of_no_area(out in prop::collection::btree_set(0..10usize, 3..9), at in (0..768_u32).prop_map(FacetId)) {
        let cube = gridded(3);
        let middle = |f: &FacetId| cube.corners(*f).iter().fold([0.0; 3], |s, p| [0, 1, 2].map(|k| s[k] + p[k] / 3.0));
        let mut near: Vec<FacetId> = cube.triangles.keys().collect();
        near.sort_by(|a, b| distance(middle(a), middle(&at)).total_cmp(&distance(middle(b), middle(&at))));
        let gone: Vec<FacetId> = out.iter().map(|i| near[*i]).collect();
        let triangles = cube.triangles.iter_enumerated().filter(|(f, _)| !gone.contains(f)).map(|(_, t)| *t).collect();
        let open = Mesh { points: cube.points.clone(), triangles };
        if !topology(&open).pinched.is_empty() {
            return Ok(());
        }
        let found = holes::find_holes(&open, &open_edges(&open));
        let filled = holes::fill(&open, &found, holes::FillingChoice::Plain, &watch()).unwrap();
        let after = topology(&filled.rebuilt.mesh);
        prop_assert!(after.zero_area.is_empty() && after.is_closed());
    }

    #[test]
    fn duplicates_go_and_nothing_else(mesh in closed(), again in prop::collection::vec(any::<prop::sample::Index>(), 0..20)) {
        let mut doubled = mesh.clone();
        for (i, f) in again.iter().enumerate() {
            let [a, b, c] = mesh.triangles[FacetId::from(f.index(mesh.triangles.len()))];
            doubled.triangles.push(if i % 2 == 0 { [b, c, a] } else { [c, b, a] });
        }
        let (rebuilt, gone) = cleanup::without_duplicates(&doubled, &watch()).unwrap();
        prop_assert_eq!(gone, again.len());
        prop_assert_eq!(rebuilt.mesh, mesh);
    }

    #[test]
    fn facets_without_area_go_without_opening_a_gap(mesh in closed(), cuts in prop::collection::vec((any::<prop::sample::Index>(), 0.1..0.9f64), 1..6)) {
        let mut cut = mesh.clone();
        for (f, t) in cuts {
            // A point on an edge, tied in by a facet without area: the neighbours do not know it.
            let f = FacetId::from(f.index(cut.triangles.len()));
            let [a, b, c] = cut.triangles[f];
            let at = lerp(cut.points[a], cut.points[b], t);
            let p = cut.points.push_and_get_key(at);
            cut.triangles[f] = [a, p, c];
            cut.triangles.extend([[p, b, c], [a, b, p]]);
        }
        let (rebuilt, _) = cleanup::without_zero_area(&cut, &watch()).unwrap();
        let after = topology(&rebuilt.mesh);
        prop_assert!(after.is_closed() && after.zero_area.is_empty() && after.misdirected.is_empty());
        prop_assert!(near(whole(&rebuilt.mesh).volume, whole(&mesh).volume, 1e-9));
    }

    #[test]
    fn a_reduced_body_keeps_to_its_limit_and_to_the_box(target in 60..2000usize) {
        let ball = sphere(10.0, 60, 40);
        let small = reduced(&ball, target);
        prop_assert!(small.mesh.triangles.len() <= target);
        prop_assert!(small.mesh.triangles.len() * 8 > target.min(ball.triangles.len()), "not far fewer than allowed");
        for p in &small.mesh.points {
            prop_assert!(distance(*p, [0.0; 3]) <= 10.0 + 1e-9, "means of points of a ball lie within it");
        }
        for (t, &from) in small.mesh.triangles.iter().zip(&small.origin) {
            prop_assert!(from < ball.triangles.next_key() && t[0] != t[1] && t[1] != t[2] && t[2] != t[0]);
        }
    }

    #[test]
    fn no_point_of_a_facet_is_nearer_than_the_nearest(a in place(), b in place(), c in place(), p in place(), u in 0.0..1.0f64, v in 0.0..1.0f64) {
        let found = nearest_on_triangle(p, [a, b, c]);
        let (u, v) = if u + v > 1.0 { (1.0 - u, 1.0 - v) } else { (u, v) };
        let other = lerp(a, b, u).iter().zip(lerp(a, c, v)).zip(a).map(|((x, y), o)| x + y - o).collect::<Vec<_>>();
        prop_assert!(distance(found, p) <= distance([other[0], other[1], other[2]], p) + 1e-9);
    }

    #[test]
    fn the_nearest_facet_is_found_as_by_trying_all(mesh in closed(), p in place()) {
        let (facet, far) = nearest_facet(&mesh, p).unwrap();
        let of = |f: FacetId| distance(nearest_on_triangle(p, mesh.corners(f)), p);
        let least = mesh.triangles.keys().map(of).fold(f64::INFINITY, f64::min);
        prop_assert!((far - least).abs() < 1e-9 && (of(facet) - least).abs() < 1e-9);
    }

    #[test]
    fn groups_add_up_to_the_whole(mesh in closed(), keys in prop::collection::vec(0..4u32, 300)) {
        let group_of: TiVec<FacetId, u32> = (0..mesh.triangles.len()).map(|f| if keys[f % 300] == 3 { NONE } else { keys[f % 300] }).collect();
        let groups = figures_by_group(&mesh, &group_of, 3, mesh.bounds().centre());
        for (number, group) in groups.iter().enumerate() {
            let mine: Vec<FacetId> = group_of.keys().filter(|&f| group_of[f] == number as u32).collect();
            prop_assert_eq!(group.facets, mine.len());
            let area: f64 = mine.iter().map(|&f| hull_geometry::vector::norm(mesh.area_vector(f)) / 2.0).sum();
            prop_assert!((group.area - area).abs() < 1e-9);
        }
        let all = figures_by_group(&mesh, &ti_vec![0; group_of.len()], 1, mesh.bounds().centre());
        prop_assert!(near(all[0].volume, whole(&mesh).volume, 1e-9));
    }

    #[test]
    fn neighbours_are_mutual_and_none_only_at_open_edges(mesh in closed(), out in any::<prop::sample::Index>()) {
        let mut open = mesh.clone();
        open.triangles.swap_remove(FacetId::from(out.index(mesh.triangles.len())));
        let across = neighbours(&open);
        let alone = across.iter().flatten().filter(|&&g| g == FacetId::NONE).count();
        prop_assert_eq!(alone, 3, "the three edges of the facet that went");
        for (f, edges) in across.iter_enumerated() {
            for &g in edges.iter().filter(|&&g| g != FacetId::NONE) {
                prop_assert!(across[g].contains(&f));
            }
        }
    }
}

proptest! {
    #[test]
    fn facets_cut_along_a_plane_lie_on_one_side_and_stay_whole(
        mesh in closed(), at in place(), normal in place(), some in any::<u64>(),
    ) {
        let Some(normal) = hull_geometry::vector::unit(normal) else { return Ok(()) };
        let chosen = |f: FacetId| some >> (f.0 % 64) & 1 == 1;
        for cut in [slice(&mesh, at, normal, |_| true), slice(&mesh, at, normal, chosen)] {
            prop_assert!(topology(&cut.mesh).is_closed());
            prop_assert!(near(whole(&cut.mesh).volume, whole(&mesh).volume, 1e-9));
            prop_assert!(near(whole(&cut.mesh).area, whole(&mesh).area, 1e-9));
        }
        let cut = slice(&mesh, at, normal, |_| true).mesh;
        for f in cut.triangles.keys() {
            let ahead = is_ahead(&cut, f, at, normal);
            let height = |p: &Point| dot(hull_geometry::vector::sub(*p, at), normal) * if ahead { 1.0 } else { -1.0 };
            prop_assert!(cut.corners(f).iter().all(|p| height(p) > -1e-7));
        }
    }
}

#[test]
fn facets_in_no_order_are_told_from_those_that_stand_beside_their_neighbours() {
    let ring = torus(3.0, 1.0, 600, 200);
    let corner = |c: usize| ring.points[ring.triangles[FacetId::from(c / 3)][c % 3]];
    let n = ring.triangles.len();
    assert!(!in_no_order(n, corner));
    // 7 919 is prime: every facet once, each far from the one before.
    assert!(in_no_order(n, |c| corner(3 * (c / 3 * 7919 % n) + c % 3)));
}
