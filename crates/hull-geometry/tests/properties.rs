//! Properties of joining, topology, stitching, turning and filling on made-up dirt.

use hull_geometry::join::join_equal_points;
use hull_geometry::measure::mass;
use hull_geometry::regions::Regions;
use hull_geometry::shapes::{cuboid, sphere, torn, torus};
use hull_geometry::stitch::stitch;
use hull_geometry::topology::{Topology, open_edges};
use hull_geometry::triangulate::{face, flat, least_area};
use hull_geometry::vector::area_vector;
use hull_geometry::{FacetId, Mesh, PointId, Rebuilt, Watch, cleanup, grid, holes, orient, plot};
use proptest::prelude::*;
use std::collections::HashMap;
use typed_index_collections::ti_vec;

fn watch() -> Watch {
    Watch::default()
}

fn topology(mesh: &Mesh) -> Topology {
    Topology::of(mesh, &watch()).unwrap()
}

/// Open, overshared and misdirected edges counted the plain way.
fn edges_by_counting(mesh: &Mesh) -> [usize; 3] {
    let mut runs: HashMap<[PointId; 2], Vec<bool>> = HashMap::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        if !mesh.is_zero_area(FacetId(f.0)) {
            for k in 0..3 {
                let (a, b) = (t[k], t[(k + 1) % 3]);
                runs.entry([a.min(b), a.max(b)]).or_default().push(a < b);
            }
        }
    }
    let count = |test: fn(&[bool]) -> bool| runs.values().filter(|r| test(r)).count();
    [count(|r| r.len() == 1), count(|r| r.len() > 2), count(|r| r.len() == 2 && r[0] == r[1])]
}

/// Shells (sets of facets connected through edges) and non-manifold vertices, by plain search.
fn shells_and_pinched_by_search(mesh: &Mesh) -> (usize, Vec<PointId>) {
    let facets: Vec<FacetId> = mesh.triangles.keys().filter(|&f| !mesh.is_zero_area(f)).collect();
    let shared = |f: FacetId, g: FacetId| {
        let g = mesh.triangles[g];
        mesh.triangles[f].into_iter().filter(|p| g.contains(p)).collect::<Vec<PointId>>()
    };
    let sets = |members: &[FacetId], joined: &dyn Fn(FacetId, FacetId) -> bool| {
        let (mut left, mut count) = (members.to_vec(), 0);
        while let Some(first) = left.pop() {
            let mut reached = vec![first];
            while let Some(f) = reached.pop() {
                let (near, far) = left.iter().copied().partition(|&g| joined(f, g));
                (left, reached) = (far, [reached, near].concat());
            }
            count += 1;
        }
        count
    };
    let shells = sets(&facets, &|f, g| shared(f, g).len() >= 2);
    let pinched = mesh.points.keys().filter(|&p| {
        let star: Vec<FacetId> = facets.iter().copied().filter(|&f| mesh.triangles[f].contains(&p)).collect();
        sets(&star, &|f, g| shared(f, g).len() >= 2 && shared(f, g).contains(&p)) > 1
    });
    (shells, pinched.collect())
}

/// Two touching closed surfaces from which facets were taken, turned and doubled.
fn damaged() -> impl Strategy<Value = Mesh> {
    (prop::collection::vec((0..84usize, 0..3u8), 0..12), 0..3usize).prop_map(|(damage, corner)| {
        let mut mesh = torus(2.0, 1.0, 6, 6);
        let mut block = cuboid([1.0; 3]);
        let at = mesh.points[PointId::from(corner)];
        hull_geometry::transform::translate(&mut block, at);
        mesh.append(&block);
        join_equal_points(&mut mesh);
        for (f, what) in damage {
            let f = FacetId::from(f % mesh.triangles.len());
            match what {
                0 => drop(mesh.triangles.swap_remove(f)),
                1 => mesh.triangles[f].swap(0, 1),
                _ => mesh.triangles.push(mesh.triangles[f]),
            }
        }
        mesh
    })
}

/// Facets over few points of a small lattice: every kind of defect comes up by itself.
fn soup() -> impl Strategy<Value = Mesh> {
    let corner = || (0..3u32, 0..3u32, 0..2u32);
    prop::collection::vec((corner(), corner(), corner()), 1..60).prop_map(|facets| {
        let mut mesh = Mesh::default();
        for (a, b, c) in facets {
            mesh.push_loose([a, b, c].map(|(x, y, z)| [f64::from(x), f64::from(y), f64::from(z)]));
        }
        join_equal_points(&mut mesh);
        mesh
    })
}

proptest! {
    // Each tries many tolerances.
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn a_torn_torus_is_closed_again_by_the_proposed_tolerance(patches in 2..12usize, gap in 1e-4..0.02f64) {
        let whole = torus(5.0, 2.0, 40, 24);
        let found = plot::tolerance_plot(&torn(&whole, patches, gap), &watch()).unwrap();
        let proposal = found.proposal.expect("gaps far smaller than facets are always proposed for stitching");
        let done = stitch(&torn(&whole, patches, gap), proposal.tolerance, &watch()).unwrap();
        prop_assert!(topology(&done.rebuilt.mesh).is_closed());
        prop_assert!(proposal.tolerance <= gap * 1.5 + 1e-9, "{} for gaps of {gap}", proposal.tolerance);
        prop_assert_eq!(done.rebuilt.mesh.triangles.len(), whole.triangles.len());
        let (a, b) = (mass(&whole, &whole.bounds()).volume, mass(&done.rebuilt.mesh, &whole.bounds()).volume);
        prop_assert!((a - b).abs() < gap * 200.0);
    }
}

proptest! {
    #[test]
    fn topology_agrees_with_plain_counting(mesh in prop_oneof![soup(), damaged()]) {
        let t = topology(&mesh);
        prop_assert_eq!((t.shells, t.pinched.clone()), shells_and_pinched_by_search(&mesh));
        prop_assert_eq!([t.open.len(), t.overshared.len(), t.misdirected.len()], edges_by_counting(&mesh));
        let mut seen = std::collections::HashSet::new();
        let repeats = mesh.triangles.iter_enumerated().filter(|(f, t)| {
            let mut key = **t;
            key.sort_unstable();
            !mesh.is_zero_area(*f) && !seen.insert(key)
        }).count();
        prop_assert_eq!(t.duplicates.len(), repeats);
    }

    #[test]
    fn topology_does_not_depend_on_the_thread_count(mesh in soup()) {
        let alone = rayon_pool(1, || topology(&mesh));
        let many = rayon_pool(5, || topology(&mesh));
        prop_assert_eq!(alone.open, many.open);
        prop_assert_eq!(alone.pinched, many.pinched);
        prop_assert_eq!(alone.shell_of, many.shell_of);
    }

    #[test]
    fn stitching_never_collapses_a_facet_or_adds_an_overshared_edge(mesh in soup(), tolerance in 0.01..3.0f64) {
        // Facets without area take no part in topology until a corner moves; they are removed before.
        let Rebuilt { mesh, .. } = Rebuilt::keeping(&mesh, |f| !mesh.is_zero_area(f));
        let before = topology(&mesh);
        let done = stitch(&mesh, tolerance, &watch()).unwrap();
        let after = topology(&done.rebuilt.mesh);
        prop_assert_eq!(after.zero_area.len(), 0);
        prop_assert!(after.overshared.len() <= before.overshared.len());
        prop_assert!(done.report.largest_move <= tolerance);
    }

    #[test]
    fn facets_turned_at_random_all_face_outward_again(turn in prop::collection::vec(any::<bool>(), 480)) {
        let whole = torus(5.0, 2.0, 20, 12);
        let mut mesh = whole.clone();
        for (t, _) in mesh.triangles.iter_mut().zip(&turn).filter(|(_, turn)| **turn) {
            t.swap(1, 2);
        }
        let found = orient::facets_to_turn(&mesh, &watch()).unwrap();
        let expected: Vec<FacetId> = mesh.triangles.keys().zip(&turn).filter(|(_, turn)| **turn).map(|(f, _)| f).collect();
        prop_assert_eq!(found.turned, expected);
    }

    #[test]
    fn a_star_shaped_polygon_is_triangulated_exactly(radii in prop::collection::vec(0.3..2.0f64, 3..40)) {
        let n = radii.len();
        let polygon: Vec<[f64; 3]> = radii.iter().enumerate().map(|(i, r)| {
            let a = std::f64::consts::TAU * i as f64 / n as f64;
            [r * a.cos(), r * a.sin(), 0.0]
        }).collect();
        let exact: f64 = (0..n).map(|i| {
            let (p, q) = (polygon[i], polygon[(i + 1) % n]);
            (p[0] * q[1] - p[1] * q[0]) / 2.0
        }).sum();
        for triangles in [face(&polygon), least_area(&polygon, |_, _| false).unwrap()] {
            prop_assert_eq!(triangles.len(), n - 2);
            let area: f64 = triangles.iter()
                .map(|t| area_vector(polygon[t[0] as usize], polygon[t[1] as usize], polygon[t[2] as usize])[2] / 2.0)
                .sum();
            prop_assert!((area - exact).abs() < 1e-9, "signed areas add up to the polygon's");
        }
    }
}

fn rayon_pool<T: Send>(threads: usize, work: impl FnOnce() -> T + Send) -> T {
    rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap().install(work)
}

#[test]
fn a_t_junction_is_closed_by_splitting_the_long_edge() {
    // A unit square in two halves; the right one has a point in the middle of the common side.
    let points = vec![
        [0.0, 0.0, 0.0],
        [1.0, 0.0, 0.0],
        [1.0, 1.0, 0.0],
        [0.0, 1.0, 0.0],
        [1.002, 0.0, 0.0],
        [2.0, 0.5, 0.0],
        [1.001, 1.0, 0.0],
        [1.001, 0.4, 0.0],
    ];
    let mesh = Mesh {
        points: points.into(),
        triangles: ti_vec![
            [PointId(0), PointId(1), PointId(2)],
            [PointId(0), PointId(2), PointId(3)],
            [PointId(4), PointId(5), PointId(7)],
            [PointId(7), PointId(5), PointId(6)],
        ],
    };
    let done = stitch(&mesh, 0.01, &watch()).unwrap();
    assert_eq!(done.report.edges_split, 1);
    assert_eq!(open_edges(&done.rebuilt.mesh).len(), 5, "only the outline is open");
    assert_eq!(done.rebuilt.origin.raw, [0, 0, 1, 2, 3].map(FacetId));
}

#[test]
fn two_cubes_pinch_at_a_corner_and_overshare_at_an_edge() {
    let beside = |by: [f64; 3]| {
        let mut mesh = cuboid([1.0; 3]);
        let mut other = cuboid([1.0; 3]);
        hull_geometry::transform::translate(&mut other, by);
        mesh.append(&other);
        join_equal_points(&mut mesh);
        topology(&mesh)
    };
    let corner = beside([1.0, 1.0, 1.0]);
    assert_eq!((corner.pinched.len(), corner.overshared.len(), corner.shells, corner.is_closed()), (1, 0, 2, true));
    let edge = beside([1.0, 1.0, 0.0]);
    assert_eq!((edge.overshared.len(), edge.overshared[0].facets, edge.shells, edge.is_closed()), (1, 4, 1, false));
}

#[test]
fn a_box_falls_into_its_sides_and_touching_sides_differ_in_tint() {
    let mesh = cuboid([3.0, 2.0, 1.0]);
    let regions = Regions::new(&mesh);
    let (tint, count) = regions.tints(89.0, 12);
    assert_eq!(count, 6);
    let side = |f: FacetId| mesh.area_vector(f).map(|x| x.signum() * f64::from(x != 0.0));
    for f in mesh.triangles.keys() {
        for g in mesh.triangles.keys() {
            let opposite = hull_geometry::vector::dot(side(f), side(g)) != 0.0;
            assert_eq!(tint[f] == tint[g], opposite, "three tints are enough: only opposite sides share one");
        }
    }
    assert_eq!(regions.tints(90.5, 12).1, 1, "at the angle of its edges a box is one region");
    assert_eq!(regions.grow(FacetId(0), 89.0).len(), 2);
}

#[test]
fn a_cavity_is_turned_inward() {
    let mut mesh = sphere(2.0, 24, 12);
    let outer_facets = mesh.triangles.len();
    mesh.append(&sphere(1.0, 24, 12));
    let found = orient::facets_to_turn(&mesh, &watch()).unwrap();
    assert_eq!(found.turned, mesh.triangles.keys().skip(outer_facets).collect::<Vec<_>>());
}

#[test]
fn holes_are_filled_flat_and_least_area_without_oversharing() {
    let whole = cuboid([2.0, 1.0, 1.0]);
    let mesh = Mesh { triangles: whole.triangles.raw[2..].to_vec().into(), ..whole.clone() };
    let found = holes::find_holes(&mesh, &open_edges(&mesh));
    let filled = holes::fill(&mesh, &found, holes::FillingChoice::Plain, &watch()).unwrap();
    assert_eq!(filled.fillings, [(holes::Filling::Flat, 2)]);
    assert!(topology(&filled.rebuilt.mesh).is_closed());
    assert!((mass(&filled.rebuilt.mesh, &whole.bounds()).volume - 2.0).abs() < 1e-12);

    let ball = sphere(1.0, 32, 16);
    let open = Mesh {
        triangles: ball
            .triangles
            .iter()
            .copied()
            .filter(|t| {
                let c: f64 = t.iter().map(|&p| ball.points[p][0]).sum();
                c < 2.4
            })
            .collect(),
        ..ball.clone()
    };
    let found = holes::find_holes(&open, &open_edges(&open));
    let filled = holes::fill(&open, &found, holes::FillingChoice::Plain, &watch()).unwrap();
    assert_eq!(filled.fillings[0].0, holes::Filling::LeastArea);
    let t = topology(&filled.rebuilt.mesh);
    assert!(t.is_closed() && t.misdirected.is_empty());
}

#[test]
fn removing_a_flat_facet_leaves_no_gap() {
    // A tetrahedron whose side 0-1 carries a fifth point through a facet without area.
    let points = vec![[0.0; 3], [2.0, 0.0, 0.0], [0.0, 2.0, 0.0], [0.0, 0.0, 2.0], [1.0, 0.0, 0.0]];
    let triangles = vec![[0, 2, 1], [0, 4, 3], [4, 1, 3], [0, 1, 4], [0, 3, 2], [1, 2, 3]];
    let mesh = Mesh::from_arrays(points, triangles);
    assert_eq!(topology(&mesh).zero_area, [FacetId(3)]);
    let (rebuilt, gone) = cleanup::without_zero_area(&mesh, &watch()).unwrap();
    assert_eq!(gone, 1);
    assert!(topology(&rebuilt.mesh).is_closed());
    assert!((mass(&rebuilt.mesh, &mesh.bounds()).volume - 8.0 / 6.0).abs() < 1e-12);
}

#[test]
fn a_polygon_that_crosses_itself_is_not_called_flat() {
    let bow = [[0.0, 0.0, 0.0], [1.0, 1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [-0.5, 0.5, 0.0]];
    assert_eq!(flat(&bow), None);
}

#[test]
fn cancelling_stops_the_work() {
    let w = watch();
    w.cancel();
    assert!(stitch(&torn(&torus(5.0, 2.0, 40, 24), 4, 0.01), 0.1, &w).is_err());
}

proptest! {
    /// What lies within a cell's side is in the cells around, however far out; and every cell has 27 around it.
    #[test]
    fn near_places_are_in_cells_around(
        at in prop::array::uniform3(-1.0..1.0_f64), off in prop::array::uniform3(-0.999..0.999_f64), digits in -20..300_i32,
    ) {
        let side = 1.0;
        let far = at.map(|x| x * 10_f64.powi(digits));
        let near = std::array::from_fn(|k| far[k] + off[k]);
        let around: Vec<[i64; 3]> = grid::around(grid::cell(far, side)).collect();
        prop_assert_eq!(around.len(), 27);
        prop_assert!(around.contains(&grid::cell(near, side)));
    }
}
