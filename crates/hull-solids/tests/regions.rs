//! Regions against closed forms: nothing between them is lost or double, and interfaces are the same facets on both sides.

use hull_geometry::measure::mass;
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::topology::Topology;
use hull_geometry::transform::translate;
use hull_geometry::{Mesh, NONE, Point, Watch};
use hull_solids::regions::{Regions, regions};
use proptest::prelude::*;
use typed_index_collections::TiVec;

fn moved(mut mesh: Mesh, by: Point) -> Mesh {
    translate(&mut mesh, by);
    mesh
}

fn parted(bodies: &[Mesh], spaces: bool) -> Regions {
    let mut all = Mesh::default();
    let mut of = TiVec::new();
    for (i, b) in bodies.iter().enumerate() {
        all.append(b);
        of.resize(all.triangles.len(), i as u32);
    }
    let rank: Vec<u32> = (0..bodies.len() as u32).collect();
    regions(&all, &of, &rank, spaces, &Watch::default()).unwrap()
}

fn volume(r: &Regions, k: u32) -> f64 {
    let (mesh, _) = r.surface(k);
    let t = Topology::of(&mesh, &Watch::default()).unwrap();
    assert!(t.open.is_empty() && t.misdirected.is_empty(), "region {k}");
    mass(&mesh, &mesh.bounds()).volume
}

/// Duct, five fins standing on a heater that stands in the duct's bottom: duct less fins less heater.
#[test]
fn duct_fins_heater() {
    let duct = cuboid([100.0, 40.0, 30.0]);
    let heater = moved(cuboid([60.0, 30.0, 4.0]), [20.0, 5.0, -1.0]);
    let mut fins = Mesh::default();
    for i in 0..5 {
        fins.append(&moved(cuboid([60.0, 2.0, 18.0]), [20.0, 7.0 + 6.0 * f64::from(i), 3.0]));
    }
    let r = parted(&[duct, heater, fins], false);
    let near = |a: f64, b: f64| assert!((a - b).abs() < 1e-9 * b, "{a} for {b}");
    near(volume(&r, 0), 100.0 * 40.0 * 30.0 - 60.0 * 30.0 * 3.0 - 5.0 * 60.0 * 2.0 * 18.0);
    near(volume(&r, 1), 60.0 * 30.0 * 4.0);
    near(volume(&r, 2), 5.0 * 60.0 * 2.0 * 18.0);
    // Where fins stand on the heater is one facet between those two.
    let between = |a: u32, b: u32| -> f64 {
        let mesh = Mesh {
            points: r.points.clone(),
            triangles: r
                .facets
                .iter()
                .filter(|s| [s.front, s.back] == [a, b] || [s.back, s.front] == [a, b])
                .map(|s| s.corners)
                .collect(),
        };
        mesh.triangles.keys().map(|f| hull_geometry::vector::norm(mesh.area_vector(f)) / 2.0).sum()
    };
    near(between(1, 2), 5.0 * 60.0 * 2.0);
    near(between(0, 2), 5.0 * (2.0 * 60.0 * 18.0 + 2.0 * 2.0 * 18.0 + 60.0 * 2.0));
}

/// A shell around nothing: the space in it is a region, bounded by it alone; what is open to the outside is none.
#[test]
fn a_closed_space_is_a_region() {
    let outer = cuboid([10.0; 3]);
    let mut inner = moved(cuboid([6.0; 3]), [2.0; 3]);
    inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    let mut shell = outer;
    shell.append(&inner);
    let ball = moved(sphere(1.0, 16, 8), [5.0; 3]);
    let inside = mass(&ball, &ball.bounds()).volume;
    let r = parted(&[shell, ball], true);
    assert_eq!(r.count, 3);
    assert!((volume(&r, 2) - (216.0 - inside)).abs() < 1e-9);
    assert!(r.facets.iter().all(|s| s.front != 2 || s.back != NONE));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]

    /// Boxes on a grid, anywhere: every region closed, volumes add up to that of the union, as counted cube by cube.
    #[test]
    fn volumes_add_up(corners in prop::collection::vec(((0..5i32, 0..5i32, 0..5i32), (1..4i32, 1..4i32, 1..4i32)), 2..5)) {
        let bodies: Vec<Mesh> = corners.iter().map(|(c, s)| {
            moved(cuboid([f64::from(s.0), f64::from(s.1), f64::from(s.2)]), [f64::from(c.0), f64::from(c.1), f64::from(c.2)])
        }).collect();
        let r = parted(&bodies, false);
        let mut count = vec![0; bodies.len()];
        for x in 0..9 { for y in 0..9 { for z in 0..9 {
            let holds = |(c, s): &((i32, i32, i32), (i32, i32, i32))| x >= c.0 && x < c.0 + s.0 && y >= c.1 && y < c.1 + s.1 && z >= c.2 && z < c.2 + s.2;
            if let Some(b) = corners.iter().rposition(holds) { count[b] += 1; }
        }}}
        for (b, cubes) in count.iter().enumerate() {
            let (mesh, _) = r.surface(b as u32);
            let v = if mesh.triangles.is_empty() { 0.0 } else { volume(&r, b as u32) };
            prop_assert!((v - f64::from(*cubes)).abs() < 1e-9, "region {b}: {v} for {cubes}");
        }
    }
}
