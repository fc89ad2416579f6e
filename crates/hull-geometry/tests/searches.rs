//! Searches and triangulations against the plainest way to the same: every facet tried, every triangulation tried.

use hull_geometry::cells::polygons;
use hull_geometry::dirt::Dice;
use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::regions::Regions;
use hull_geometry::sets::Sets;
use hull_geometry::shapes::sphere;
use hull_geometry::tree::FacetTree;
use hull_geometry::triangulate::{face, flat_between, goes_around, least_area, polygon_normal};
use hull_geometry::vector::{V3, area_vector, cross, dot, norm, sub, unit};
use hull_geometry::{Mesh, Point};
use proptest::prelude::*;
use std::collections::{BTreeSet, HashMap};
use std::f64::consts::TAU;
use typed_index_collections::TiVec;

/// Facets that have nothing to do with each other.
fn any_soup() -> impl Strategy<Value = Mesh> {
    let corner = || prop::array::uniform3(-5.0..5.0_f64);
    prop::collection::vec((corner(), corner(), corner()), 1..120)
        .prop_map(|all| Mesh::loose(all.into_iter().map(|(a, b, c)| [a, b, c])))
}

/// Where a ray meets a triangle: the distance, and how far inside of its sides, by areas.
fn meets(from: Point, way: V3, [a, b, c]: [Point; 3]) -> Option<(f64, f64)> {
    let normal = area_vector(a, b, c);
    let against = dot(way, normal);
    if against.abs() < 1e-9 * norm(normal) {
        return None;
    }
    let t = dot(sub(a, from), normal) / against;
    let p = [0, 1, 2].map(|k| from[k] + t * way[k]);
    let part = |u: Point, v: Point| dot(area_vector(u, v, p), normal) / dot(normal, normal);
    Some((t, part(a, b).min(part(b, c)).min(part(c, a))))
}

/// All triangulations of a polygon's corners `i..=j`, as lists of triangles.
fn triangulations(i: usize, j: usize) -> Vec<Vec<[usize; 3]>> {
    if j < i + 2 {
        return vec![Vec::new()];
    }
    let mut out = Vec::new();
    for k in i + 1..j {
        for left in triangulations(i, k) {
            for right in triangulations(k, j) {
                out.push([left.clone(), right, vec![[i, k, j]]].concat());
            }
        }
    }
    out
}

fn star(radii: &[f64], at: [f64; 2]) -> Vec<[f64; 2]> {
    let turn = |i: usize| TAU * i as f64 / radii.len() as f64;
    radii.iter().enumerate().map(|(i, r)| [at[0] + r * turn(i).cos(), at[1] + r * turn(i).sin()]).collect()
}

fn shoelace(p: &[[f64; 2]]) -> f64 {
    (0..p.len()).map(|i| (p[i], p[(i + 1) % p.len()])).map(|(a, b)| a[0] * b[1] - b[0] * a[1]).sum::<f64>() / 2.0
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    /// The first facet that a ray meets, as trying all finds it; also along an axis, and among some facets only.
    #[test]
    fn a_ray_meets_what_trying_all_finds(
        mesh in any_soup(),
        from in prop::array::uniform3(-6.0..6.0_f64),
        way in prop::array::uniform3(-1.0..1.0_f64),
        straight in prop::option::of((0..3_usize, any::<bool>())),
        within in prop_oneof![Just(f64::INFINITY), 0.5..6.0_f64],
        every in 1..4_u32,
    ) {
        let way = match straight {
            Some((axis, up)) => [0, 1, 2].map(|k| if k == axis { if up { 1.0 } else { -1.0 } } else { 0.0 }),
            None => unit(way).unwrap_or([1.0, 0.0, 0.0]),
        };
        let of = |f: FacetId| f.0.is_multiple_of(every);
        let tried: Vec<(FacetId, f64, f64)> = mesh.triangles.keys()
            .filter(|f| of(*f))
            .filter_map(|f| meets(from, way, mesh.corners(f)).map(|(t, inside)| (f, t, inside)))
            .collect();
        // What the ray grazes is neither met nor missed.
        prop_assume!(tried.iter().all(|(_, t, inside)| inside.abs() > 1e-9 && t.abs() > 1e-9 && (t - within).abs() > 1e-9));
        let first = tried.iter().filter(|x| x.1 > 0.0 && x.1 < within && x.2 > 0.0).min_by(|a, b| a.1.total_cmp(&b.1));
        let mut opened = 0;
        let found = FacetTree::of(&mesh).first_hit(&mesh, from, way, within, of, &mut opened);
        match (first, found) {
            (None, None) => {}
            (Some(a), Some(b)) => prop_assert!(a.0 == b.0 && (a.1 - b.1).abs() < 1e-9, "{:?} and {:?}", a, b),
            other => prop_assert!(false, "{:?}", other),
        }
        prop_assert!(opened <= 4 * mesh.triangles.len() + 4);
    }

    /// A box finds every facet whose own box meets it, and none twice.
    #[test]
    fn a_box_finds_all_that_it_meets(mesh in any_soup(), a in prop::array::uniform3(-6.0..6.0_f64), size in prop::array::uniform3(0.0..8.0_f64)) {
        let asked = Bounds { min: a, max: [0, 1, 2].map(|k| a[k] + size[k]) };
        let mut found = Vec::new();
        FacetTree::of(&mesh).in_box(&asked, |f| found.push(f));
        let once: BTreeSet<FacetId> = found.iter().copied().collect();
        prop_assert_eq!(once.len(), found.len());
        for f in mesh.triangles.keys() {
            let own = Bounds::of(mesh.corners(f));
            let meets = (0..3).all(|k| own.min[k] <= asked.max[k] && own.max[k] >= asked.min[k]);
            prop_assert!(!meets || once.contains(&f), "{f:?}");
        }
    }

    /// The least area of all triangulations of a loop in space, without the sides that may not be.
    #[test]
    fn no_triangulation_has_less_area(
        polygon in prop::collection::vec(prop::array::uniform3(-3.0..3.0_f64), 3..9),
        taken in prop::collection::btree_set((0..8_usize, 0..8_usize), 0..5),
    ) {
        let n = polygon.len();
        let is_taken = |i: usize, j: usize| taken.contains(&(i.min(j), i.max(j)));
        let is_side = |i: usize, j: usize| i.abs_diff(j) == 1 || i.abs_diff(j) == n - 1;
        let allowed = |all: &Vec<[usize; 3]>| {
            all.iter().flat_map(|&[a, b, c]| [(a, b), (b, c), (a, c)]).all(|(i, j)| is_side(i, j) || !is_taken(i, j))
        };
        let area = |all: &[[usize; 3]]| all.iter().map(|t| norm(area_vector(polygon[t[0]], polygon[t[1]], polygon[t[2]]))).sum::<f64>();
        let least = triangulations(0, n - 1).iter().filter(|t| allowed(t)).map(|t| area(t)).reduce(f64::min);
        let found = least_area(&polygon, is_taken);
        prop_assert_eq!(found.is_some(), least.is_some());
        if let (Some(found), Some(least)) = (found, least) {
            let found: Vec<[usize; 3]> = found.iter().map(|t| t.map(|i| i as usize)).collect();
            prop_assert_eq!(found.len(), n - 2);
            prop_assert!(allowed(&found), "{:?}", found);
            prop_assert!(area(&found) <= least * (1.0 + 1e-12), "{} and {least}", area(&found));
        }
    }

    /// Between an outline and the outlines in it: the area that is left, every side of each outline used once, all facets upright.
    #[test]
    fn what_lies_between_outlines_is_filled(
        outer in prop::collection::vec(6.0..9.0_f64, 3..20),
        inner in prop::collection::vec(prop::collection::vec(0.3..0.9_f64, 3..9), 0..5),
        tilt in prop::array::uniform3(-1.0..1.0_f64),
        backwards: bool,
    ) {
        let holes: Vec<Vec<[f64; 2]>> = inner
            .iter()
            .enumerate()
            .map(|(i, r)| star(r, [1.9 * (i as f64 * TAU / 5.0).cos(), 1.9 * (i as f64 * TAU / 5.0).sin()]))
            .collect();
        let rim = star(&outer, [0.0, 0.0]);
        let area = shoelace(&rim) - holes.iter().map(|h| shoelace(h)).sum::<f64>();
        let z = unit(tilt).unwrap_or([0.0, 0.0, 1.0]);
        let x = unit(cross(z, if z[0].abs() < 0.5 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] })).expect("across");
        let y = cross(z, x);
        let mut rings: Vec<Vec<[f64; 2]>> = vec![rim];
        rings.extend(holes);
        if backwards {
            rings.iter_mut().for_each(|r| r.reverse());
        }
        let places: Vec<Point> =
            rings.concat().iter().map(|p| [0, 1, 2].map(|k| p[0] * x[k] + p[1] * y[k] + 4.0 * z[k])).collect();
        let lengths: Vec<usize> = rings.iter().map(Vec::len).collect();
        let made = flat_between(&places, &lengths).expect("outlines that do not meet");
        prop_assert_eq!(made.len(), places.len() + 2 * (rings.len() - 1) - 2);
        let normal = polygon_normal(&places[..lengths[0]]);
        let mut sum = 0.0;
        let mut sides: HashMap<(u32, u32), usize> = HashMap::new();
        for t in &made {
            let own = area_vector(places[t[0] as usize], places[t[1] as usize], places[t[2] as usize]);
            prop_assert!(dot(own, normal) > 0.0);
            sum += norm(own) / 2.0;
            (0..3).for_each(|k| *sides.entry((t[k], t[(k + 1) % 3])).or_default() += 1);
        }
        prop_assert!((sum - area).abs() < 1e-9 * area, "{sum} for {area}");
        let mut first = 0;
        for n in &lengths {
            for i in 0..*n {
                let (a, b) = ((first + i) as u32, (first + (i + 1) % n) as u32);
                let runs = sides.get(&(a, b)).copied().unwrap_or(0) + sides.get(&(b, a)).copied().unwrap_or(0);
                prop_assert_eq!(runs, 1, "side {} {}", a, b);
            }
            first += n;
        }
    }

    /// Whether an outline goes around a place, as the angle says that it turns about it.
    #[test]
    fn an_outline_goes_around_what_it_turns_about(
        polygon in prop::collection::vec((-3.0..3.0_f64, -3.0..3.0_f64), 3..9),
        p in (-3.0..3.0_f64, -3.0..3.0_f64),
    ) {
        let polygon: Vec<[f64; 2]> = polygon.into_iter().map(|(x, y)| [x, y]).collect();
        let angle: f64 = (0..polygon.len())
            .map(|i| {
                let [a, b] = [polygon[i], polygon[(i + 1) % polygon.len()]].map(|q| [q[0] - p.0, q[1] - p.1]);
                (a[0] * b[1] - a[1] * b[0]).atan2(a[0] * b[0] + a[1] * b[1])
            })
            .sum();
        let turns = (angle / TAU).round() as i32;
        // By crossings what it goes around twice is outside again.
        prop_assert_eq!(goes_around(&polygon, [p.0, p.1]), turns % 2 != 0, "{} turns", turns);
    }

    /// Polygons made into facets and told by their cells come back as they were, in their order, from whatever corner.
    #[test]
    fn polygons_come_back_from_their_facets(sizes in prop::collection::vec((3..9_usize, 0.5..2.0_f64), 1..12), seed: u64) {
        let (mut points, mut given): (TiVec<PointId, Point>, Vec<Vec<PointId>>) = (TiVec::new(), Vec::new());
        for (i, (corners, radius)) in sizes.iter().enumerate() {
            let ring = star(&vec![*radius; *corners], [5.0 * i as f64, 0.0]);
            given.push(ring.iter().map(|p| points.push_and_get_key([p[0], p[1], 0.3 * p[0]])).collect());
        }
        let (mut triangles, mut cell_of): (TiVec<FacetId, _>, TiVec<FacetId, u32>) = (TiVec::new(), TiVec::new());
        for (cell, polygon) in given.iter().enumerate() {
            let places: Vec<Point> = polygon.iter().map(|p| points[*p]).collect();
            for t in face(&places) {
                triangles.push(t.map(|i| polygon[i as usize]));
                cell_of.push(cell as u32);
            }
        }
        // Facets of a cell need not stand beside each other.
        let mut dice = Dice(seed);
        for i in (1..triangles.len()).rev() {
            let j = (dice.roll() % (i as u64 + 1)) as usize;
            triangles.raw.swap(i, j);
            cell_of.raw.swap(i, j);
        }
        let turned = |p: &[PointId]| {
            let least = (0..p.len()).min_by_key(|i| p[*i]).unwrap_or(0);
            [&p[least..], &p[..least]].concat()
        };
        let found: BTreeSet<Vec<PointId>> = polygons(&points, &triangles, &cell_of).iter().map(|p| turned(p)).collect();
        prop_assert_eq!(found, given.into_iter().collect::<BTreeSet<_>>());
    }

    /// Sets that are united one by one, from any threads' order, against colours painted over.
    #[test]
    fn united_sets_are_those_that_painting_gives(n in 1..60_usize, pairs in prop::collection::vec((any::<prop::sample::Index>(), any::<prop::sample::Index>()), 0..80)) {
        let sets = Sets::new(n);
        let mut colour: Vec<usize> = (0..n).collect();
        for (a, b) in &pairs {
            let (a, b) = (a.index(n), b.index(n));
            sets.unite(a as u32, b as u32);
            let (old, new) = (colour[a].max(colour[b]), colour[a].min(colour[b]));
            colour.iter_mut().filter(|c| **c == old).for_each(|c| *c = new);
        }
        let (number, count) = sets.numbered(|_| false);
        prop_assert_eq!(count, colour.iter().collect::<BTreeSet<_>>().len());
        for i in 0..n {
            prop_assert_eq!(sets.root(i as u32) as usize, colour[i], "the least of each set is its root");
            prop_assert!((0..n).all(|j| (number.raw[i] == number.raw[j]) == (colour[i] == colour[j])));
        }
    }
}

/// Regions by angle against walking from facet to facet: what grows from each facet is its region, regions touch in drawn edges
/// only, and those that touch have other tints.
#[test]
fn regions_are_what_walking_reaches() {
    let mut dice = Dice(7);
    for round in 0..12 {
        let mut mesh = sphere(2.0, 12, 8);
        for p in &mut mesh.points {
            let by = 1.0 + 0.2 * ((dice.roll() % 1000) as f64 / 1000.0 - 0.5);
            *p = p.map(|x| x * by);
        }
        let angle = [5.0, 12.0, 20.0, 33.0, 50.0, 180.0][round % 6];
        let regions = Regions::new(&mesh);
        let (region_of, count) = regions.split(angle);
        let facets = || mesh.triangles.keys();
        // Plainly: neighbours by their two common points, angles by normals.
        let normal = |f: FacetId| unit(mesh.area_vector(f)).expect("facets with area");
        let next = |f: FacetId| -> Vec<FacetId> {
            let own = mesh.triangles[f];
            facets()
                .filter(|g| *g != f && mesh.triangles[*g].iter().filter(|p| own.contains(p)).count() == 2)
                .filter(|g| dot(normal(f), normal(*g)).clamp(-1.0, 1.0).acos().to_degrees() <= angle)
                .collect()
        };
        let mut seen: BTreeSet<FacetId> = BTreeSet::new();
        let mut walked = 0;
        for f in facets() {
            if seen.contains(&f) {
                continue;
            }
            walked += 1;
            let (mut own, mut list) = (BTreeSet::from([f]), vec![f]);
            while let Some(g) = list.pop() {
                list.extend(next(g).into_iter().filter(|h| own.insert(*h)));
            }
            assert_eq!(regions.grow(f, angle), own.iter().copied().collect::<Vec<_>>());
            assert!(own.iter().all(|g| region_of[*g] == region_of[f]));
            seen.extend(&own);
        }
        assert_eq!(count, walked, "at {angle}°");
        let (tint, _) = regions.tints(angle, 8);
        let drawn: BTreeSet<[PointId; 2]> =
            regions.outlines(angle, |_, _| false).into_iter().map(|[a, b]| [a.min(b), a.max(b)]).collect();
        let across = hull_geometry::topology::neighbours(&mesh);
        for f in facets() {
            for (k, &g) in across[f].iter().enumerate().filter(|(_, g)| **g != FacetId::NONE) {
                let t = mesh.triangles[f];
                let edge = [t[k].min(t[(k + 1) % 3]), t[k].max(t[(k + 1) % 3])];
                if region_of[f] != region_of[g] {
                    assert!(drawn.contains(&edge), "an edge between regions");
                    assert!(count > 8 || tint[f] != tint[g], "two that touch look alike");
                }
            }
        }
    }
}
