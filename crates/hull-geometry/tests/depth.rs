//! What the deeper survey finds and what its remedies do, on surfaces whose answers are known.

use hull_geometry::dirt::{Dice, Dirt, spoil};
use hull_geometry::holes::{self, FillingChoice};
use hull_geometry::shapes::{cone, cuboid, sphere, torus};
use hull_geometry::topology::Topology;
use hull_geometry::vector::norm;
use hull_geometry::{FacetId, Mesh, PointId, Watch, doubles, folds, handles, measure, nesting, spikes, thin, walls};
use proptest::prelude::*;
use typed_index_collections::{TiVec, ti_vec};

fn topology(mesh: &Mesh) -> Topology {
    Topology::of(mesh, &Watch::default()).expect("not cancelled")
}

fn volume(mesh: &Mesh) -> f64 {
    measure::mass(mesh, &mesh.bounds()).volume
}

fn filled(mesh: &Mesh, wish: FillingChoice) -> Mesh {
    let found = holes::find_holes(mesh, &topology(mesh).open);
    holes::fill(mesh, &found, wish, &Watch::default()).expect("not cancelled").rebuilt.mesh
}

/// A cap cut off a sphere comes back as a cap: Liepa's patch carries the curvature on, a sheet of least area is flat.
#[test]
fn a_smooth_patch_goes_on_as_the_sphere_does() {
    let mut open = sphere(10.0, 48, 32);
    open.triangles.retain(|t| t.iter().any(|p| open.points[*p][2] < 7.5));
    // Off the plane, so that the hole is not flat.
    let tilted = |p: [f64; 3]| p[2] > 7.0 && p[0] > 0.0;
    open.triangles.retain(|t| !t.iter().all(|p| tilted(open.points[*p])));
    open.drop_unused_points();
    let first = open.points.len();
    let patched = filled(&open, FillingChoice::Smooth);
    assert!(topology(&patched).is_closed());
    assert!(patched.points.len() > first + 30, "the patch is as dense as its surroundings");
    let worst = patched.points.raw[first..].iter().map(|p| (norm(*p) - 10.0).abs()).fold(0.0, f64::max);
    assert!(worst < 0.8, "{worst} off the sphere");
    let whole = volume(&sphere(10.0, 48, 32));
    let [smooth, plain] = [&patched, &filled(&open, FillingChoice::Plain)].map(|m| (volume(m) / whole - 1.0).abs());
    assert!(smooth < 0.01 && plain > 5.0 * smooth, "{smooth} {plain}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// A flange around a hole, that comes from wherever: the patch does not swing further out than half a ball over the hole.
    #[test]
    fn a_smooth_patch_stays_where_its_hole_is(wide in 0.2..4.0f64, deep in -2.0..2.0f64, wave in 0.05..0.8f64, n in 16..60u32) {
        let ring = |r: f64, z: f64| (0..n).map(move |i| {
            let a = std::f64::consts::TAU * f64::from(i) / f64::from(n);
            // Not flat, or a plain sheet would do.
            [r * a.cos(), r * a.sin(), z + wave * (2.0 * a).cos()]
        });
        let points: Vec<[f64; 3]> = ring(1.0, 0.0).chain(ring(wide, deep)).chain([[0.0, 0.0, -5.0]]).collect();
        let wall = |i: u32| {
            let j = (i + 1) % n;
            [[i, n + i, n + j], [i, n + j, j], [n + i, 2 * n, n + j]]
        };
        let open = Mesh::from_arrays(points, (0..n).flat_map(wall).collect());
        let room = hull_geometry::mesh::Bounds::of(open.points.raw[..2 * n as usize].iter().copied());
        let rim = hull_geometry::mesh::Bounds::of(open.points.raw[..n as usize].iter().copied());
        let first = open.points.len();
        let patched = filled(&open, FillingChoice::Smooth);
        let out = patched.points.raw[first..].iter().map(|p| (0..3).map(|k| (p[k] - room.max[k]).max(room.min[k] - p[k])).fold(0.0, f64::max)).fold(0.0, f64::max);
        prop_assert!(out <= 0.5 * rim.diagonal() * (1.0 + 1e-9), "{out} out of {room:?}");
    }

    /// Pieces that lie loose in a hole of a sphere: one filling goes around them, whatever it is like.
    #[test]
    fn a_hole_is_filled_around_its_islands(islands in 1..4usize, from in 0.0..6.3f64, reach in 1.0..1.3f64) {
        let whole = sphere(10.0, 48, 32);
        let mut open = whole.clone();
        // A cap around the pole goes, but for patches within it.
        let near = |p: [f64; 3], to: [f64; 3], angle: f64| hull_geometry::vector::dot(p, to) > 100.0 * angle.cos();
        let kept: Vec<[f64; 3]> = (0..islands)
            .map(|k| {
                let (a, tilt) = (from + std::f64::consts::TAU * k as f64 / islands as f64, 0.5f64);
                [a.cos() * tilt.sin() * 10.0, a.sin() * tilt.sin() * 10.0, tilt.cos() * 10.0]
            })
            .collect();
        let points = open.points.clone();
        let at = |p: &PointId| points[*p];
        open.triangles.retain(|t| {
            !t.iter().all(|p| near(at(p), [0.0, 0.0, 10.0], reach))
                || kept.iter().any(|k| t.iter().all(|p| near(at(p), *k, 0.22)))
        });
        open.drop_unused_points();
        let before = topology(&open);
        prop_assume!(before.shells == islands + 1);
        let found = holes::find_holes(&open, &before.open);
        prop_assert_eq!(found.len(), 1, "one hole with {} islands", islands);
        prop_assert_eq!(found[0].islands.len(), islands);
        for wish in [FillingChoice::Proposed, FillingChoice::Plain, FillingChoice::Smooth] {
            let closed = filled(&open, wish);
            let after = topology(&closed);
            let left = (after.open.len(), after.overshared.len(), after.misdirected.len(), after.shells);
            prop_assert_eq!(left, (0, 0, 0, 1), "{:?}", wish);
            prop_assert!(handles::handles(&closed, &after).into_iter().sum::<usize>() == 0);
            // Straight lines from rim to rim cut off more than a patch that bulges.
            let most = if wish == FillingChoice::Plain { 0.25 } else { 0.06 };
            let off = (volume(&closed) / volume(&whole) - 1.0).abs();
            prop_assert!(off < most, "{:?}: {off}", wish);
        }
    }

    /// In a plane the ring between hole and islands is filled exactly; what is left open is the sheet's own rim.
    #[test]
    fn islands_in_a_plane_are_bridged_in_it(x in 4..7usize, y in 4..7usize, w in 1..3usize, h in 1..3usize) {
        let n = 12;
        let points = (0..=n).flat_map(|i| (0..=n).map(move |j| [i as f64, j as f64, 0.0])).collect();
        let number = |i: usize, j: usize| (i * (n + 1) + j) as u32;
        let in_block = |i: usize, j: usize, m: usize| i + m >= x && i < x + w + m && j + m >= y && j < y + h + m;
        let triangles = (0..n * n)
            .map(|k| (k / n, k % n))
            .filter(|&(i, j)| in_block(i, j, 0) || !in_block(i, j, 2))
            .flat_map(|(i, j)| {
                let [a, b, c, d] = [number(i, j), number(i + 1, j), number(i + 1, j + 1), number(i, j + 1)];
                [[a, b, c], [a, c, d]]
            })
            .collect();
        let mut sheet = Mesh::from_arrays(points, triangles);
        sheet.drop_unused_points();
        let found = holes::find_holes(&sheet, &topology(&sheet).open);
        prop_assert_eq!(found.len(), 2);
        let ring = &found[1];
        prop_assert!(ring.flat && ring.islands.len() == 1);
        prop_assert_eq!(ring.area, ((w + 4) * (h + 4) - w * h) as f64);
        let done = holes::fill(&sheet, &found[1..], FillingChoice::Proposed, &Watch::default()).expect("not cancelled");
        prop_assert_eq!(done.fillings[0].0, holes::Filling::Flat);
        prop_assert_eq!(topology(&done.rebuilt.mesh).open.len(), 4 * n);
        let area: f64 = done.rebuilt.mesh.triangles.keys()
            .map(|f| norm(done.rebuilt.mesh.area_vector(f)) / 2.0)
            .sum();
        prop_assert!((area - (n * n) as f64).abs() < 1e-9);
    }
}

#[test]
fn walls_and_gaps_are_as_thick_as_they_were_made() {
    // A shell 0.3 thick: an outer box, and an inner one that faces into the cavity.
    let mut shell = cuboid([4.0, 5.0, 6.0]);
    let mut cavity = cuboid([3.4, 4.4, 5.4]);
    cavity.points.iter_mut().for_each(|p| *p = p.map(|x| x + 0.3));
    cavity.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    shell.append(&cavity);
    let [thin_walls, gaps] = walls::walls_and_gaps(&shell, 0.5, &Watch::default()).expect("not cancelled");
    assert_eq!((thin_walls.found.len(), gaps.found.len()), (24, 0));
    assert!(thin_walls.found.iter().all(|f| (f.2 - 0.3).abs() < 1e-12));
    let [_, gaps] = walls::walls_and_gaps(&shell, 3.5, &Watch::default()).expect("not cancelled");
    // Across the cavity's narrowest side.
    assert!(!gaps.found.is_empty() && gaps.found.iter().all(|f| (f.2 - 3.4).abs() < 1e-12));
}

#[test]
fn shells_in_shells_are_told() {
    let ball = |r: f64, turned: bool| {
        let mut s = sphere(r, 16, 12);
        if turned {
            s.triangles.iter_mut().for_each(|t| t.swap(1, 2));
        }
        s
    };
    let mut all = ball(10.0, false);
    [ball(8.0, true), ball(5.0, false), ball(3.0, false)].iter().for_each(|s| all.append(s));
    let mut away = ball(1.0, true);
    away.points.iter_mut().for_each(|p| p[0] += 30.0);
    all.append(&away);
    let t = topology(&all);
    let shells = nesting::nesting(&all, &t, &Watch::default()).expect("not cancelled");
    let told: Vec<_> = shells.iter().map(|s| (s.inside, s.is_cavity(), s.is_lost(), s.is_inside_out())).collect();
    let expected = [
        (0, false, false, false),
        (1, true, false, false),
        (2, false, false, false),
        (3, false, true, true),
        (0, false, false, true),
    ];
    assert_eq!(told, expected);
}

#[test]
fn handles_are_counted_and_closed() {
    let ring = torus(10.0, 2.0, 40, 16);
    let t = topology(&ring);
    assert_eq!(handles::handles(&ring, &t), [1]);
    let found = handles::loops(&ring, &t, &Watch::default()).expect("not cancelled");
    // Around the tube: 16 edges of 2 · 2 sin(π/16).
    let around = 16.0 * 4.0 * (std::f64::consts::PI / 16.0).sin();
    assert_eq!(found.len(), 1);
    assert!((found[0].length - around).abs() < 1e-9, "{} for {around}", found[0].length);
    let closed = filled(&handles::cut_open(&ring, &found), FillingChoice::Proposed);
    let t = topology(&closed);
    assert!(t.is_closed() && t.misdirected.is_empty() && t.pinched.is_empty());
    assert_eq!((handles::handles(&closed, &t), t.shells), (vec![0], 1));
    assert_eq!(handles::handles(&sphere(1.0, 12, 8), &topology(&sphere(1.0, 12, 8))), [0]);
}

#[test]
fn spikes_are_told_from_tips() {
    let mut ball = sphere(10.0, 40, 24);
    assert!(spikes::spikes(&ball).is_empty() && spikes::spikes(&cone(1.0, 10.0, 24)).is_empty());
    for (p, by) in [(PointId(300), 1.8), (PointId(500), 0.3)] {
        ball.points[p] = ball.points[p].map(|x| x * by);
    }
    let found = spikes::spikes(&ball);
    assert_eq!(found.iter().map(|s| s.point).collect::<Vec<_>>(), [PointId(300), PointId(500)]);
    spikes::flatten(&mut ball, &found);
    let whole = volume(&sphere(10.0, 40, 24));
    assert!((volume(&ball) / whole - 1.0).abs() < 0.002);
}

#[test]
fn needles_caps_and_folds() {
    let place = |x: f64, y: f64, z: f64| [x, y, z];
    let points = vec![
        place(0.0, 0.0, 0.0),
        place(1.0, 0.0, 0.0),
        place(0.5, 0.001, 0.0),
        place(0.5, 1.0, 0.0),
        place(0.999, 0.005, 0.0),
        place(0.5, 0.9, 0.01),
    ];
    let mesh = Mesh {
        points: points.into(),
        triangles: ti_vec![
            [PointId(0), PointId(1), PointId(2)],
            [PointId(0), PointId(1), PointId(3)],
            [PointId(0), PointId(4), PointId(1)],
            [PointId(1), PointId(0), PointId(5)],
        ],
    };
    let bad = folds::bad_shapes(&mesh);
    assert_eq!((bad.caps, bad.needles), (vec![FacetId(0)], vec![FacetId(2)]));
    let lid = Mesh {
        triangles: ti_vec![[PointId(0), PointId(1), PointId(3)], [PointId(1), PointId(0), PointId(5)]],
        points: mesh.points,
    };
    assert_eq!(folds::folds(&lid), [[FacetId(0), FacetId(1)]]);
}

#[test]
fn a_skin_is_found_and_what_lies_under_it_stays() {
    let mut dice = Dice(7);
    let ball = sphere(10.0, 30, 20);
    let both = spoil(&ball, Dirt::Skin { gap: 1e-5 }, &mut dice);
    let t = topology(&both);
    let found = doubles::doubles(&both, &t, Default::default(), 0.01, &Watch::default()).expect("not cancelled");
    assert_eq!((found.whole.len(), found.redundant.len()), (1, ball.triangles.len()));
    // A skin that shares its points with what lies under it, in four colours there, is the same shell: told by labels.
    let mut coloured = ball.clone();
    let own = ball.triangles.len() as u32;
    coloured.triangles.extend(ball.triangles.iter().map(|t| [t[1], t[2], t[0]]));
    let label: TiVec<FacetId, u32> = (0..2 * own).map(|f| if f < own { 1 + f * 4 / own } else { 0 }).collect();
    let t = topology(&coloured);
    let found = doubles::doubles(&coloured, &t, &label, 0.01, &Watch::default()).expect("not cancelled");
    assert_eq!(found.redundant, (own..2 * own).map(FacetId).collect::<Vec<_>>(), "the skin goes, not the colours");
    // Names of the two sides of thin sheet, and of neighbours in one plane, are no skins.
    let sheet = cuboid([100.0, 100.0, 0.02]);
    let sides: TiVec<FacetId, u32> = (0..12).collect();
    let t = topology(&sheet);
    assert!(doubles::doubles(&sheet, &t, &sides, 0.05, &Watch::default()).expect("not cancelled").redundant.is_empty());
    // Two boxes that stand face to face are no skin of each other.
    let mut boxes = cuboid([1.0; 3]);
    let mut other = cuboid([1.0; 3]);
    other.points.iter_mut().for_each(|p| p[0] += 1.0);
    boxes.append(&other);
    let t = topology(&boxes);
    assert!(
        doubles::doubles(&boxes, &t, Default::default(), 0.01, &Watch::default())
            .expect("not cancelled")
            .redundant
            .is_empty()
    );
}

proptest! {
    /// Points close to each other on a closed surface: thin facets go, the surface stays closed and where it was.
    #[test]
    fn thin_facets_go_and_the_surface_stays(seed in 0u64..1_000_000, share in 1usize..30) {
        let mut dice = Dice(seed);
        let mut mesh = sphere(10.0, 24, 16);
        // Split facets beside a corner or near an edge: needles and caps.
        for _ in 0..share {
            let f = FacetId::from(dice.below(mesh.triangles.len()));
            let t = mesh.triangles[f];
            let [a, b, c] = mesh.corners(f);
            let (u, v) = if dice.below(2) == 0 { (1e-5, 1e-5) } else { (0.3 + 0.4 * dice.part(), 1e-5) };
            let m = mesh.points.push_and_get_key([0, 1, 2].map(|k| a[k] + u * (b[k] - a[k]) + v * (c[k] - a[k])));
            mesh.triangles[f] = [t[0], t[1], m];
            mesh.triangles.extend([[t[1], t[2], m], [t[2], t[0], m]]);
        }
        let tolerance = 1e-3;
        let before = thin::count_thin(&mesh, tolerance);
        let (out, mended) = thin::mend_thin(&mesh, tolerance, |_| true, &Watch::default()).expect("not cancelled");
        let t = topology(&out.mesh);
        prop_assert!(t.is_closed() && t.misdirected.is_empty() && t.pinched.is_empty() && t.duplicates.is_empty());
        prop_assert!(mended.largest_move <= tolerance);
        prop_assert_eq!(thin::count_thin(&out.mesh, tolerance), mended.left);
        // One may have nowhere to go where several lie in one facet.
        prop_assert!(before > 0 && mended.left * 20 <= before, "{before} thin, {} left", mended.left);
        prop_assert!((volume(&out.mesh) / volume(&mesh) - 1.0).abs() < 1e-4);
    }
}
