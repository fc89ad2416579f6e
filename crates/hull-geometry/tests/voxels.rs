//! Bodies of unit cubes, of which everything can be counted: what the surface says of itself against plain counting in the grid.

use hull_geometry::bumps::{bumps, without_bumps};
use hull_geometry::caps::{mouths, plug};
use hull_geometry::handles::{cut_open, handles, loops};
use hull_geometry::nesting::nesting;
use hull_geometry::section::outlines;
use hull_geometry::shapes::cubes;
use hull_geometry::slice::{is_ahead, slice};
use hull_geometry::topology::Topology;
use hull_geometry::vector::norm;
use hull_geometry::{Mesh, PointId, Watch, holes, measure};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

type Cube = [i32; 3];

/// A set of unit heap.
#[derive(Clone, Debug, Default)]
struct Cubes(BTreeSet<Cube>);

impl Cubes {
    fn block(low: Cube, size: Cube) -> Cubes {
        let mut all = Cubes::default();
        all.change(low, size, true);
        all
    }

    /// Fills a block, or takes it out.
    fn change(&mut self, low: Cube, size: Cube, fill: bool) {
        for x in 0..size[0] {
            for y in 0..size[1] {
                for z in 0..size[2] {
                    let cube = [low[0] + x, low[1] + y, low[2] + z];
                    if fill {
                        self.0.insert(cube)
                    } else {
                        self.0.remove(&cube)
                    };
                }
            }
        }
    }

    fn has(&self, c: Cube) -> bool {
        self.0.contains(&c)
    }

    fn surface(&self) -> Mesh {
        cubes(&self.0)
    }

    /// Pieces that hang together by their sides.
    fn pieces(&self) -> usize {
        pieces(self.0.clone(), &sides())
    }

    /// Pieces of what is not filled, which hang together by sides, edges and corners: one of them is all around.
    fn pieces_around(&self) -> usize {
        let range = -1..=5;
        let all = range.clone().flat_map(|x| (-1..=5).flat_map(move |y| (-1..=5).map(move |z| [x, y, z])));
        pieces(all.filter(|c| !self.has(*c)).collect(), &steps(3))
    }

    /// Edges of the grid at which two cubes meet across, with nothing beside them.
    fn crossed_edges(&self) -> BTreeSet<[Cube; 2]> {
        let mut out = BTreeSet::new();
        for c in &self.0 {
            for axis in 0..3 {
                let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
                for (a, b) in [(1, 1), (1, -1)] {
                    let at = |x: i32, y: i32| {
                        let mut o = *c;
                        o[i] += x;
                        o[j] += y;
                        o
                    };
                    if self.has(at(a, b)) && !self.has(at(a, 0)) && !self.has(at(0, b)) {
                        let mut low = *c;
                        low[i] += i32::from(a > 0);
                        low[j] += i32::from(b > 0);
                        let mut high = low;
                        high[axis] += 1;
                        out.insert([low, high]);
                    }
                }
            }
        }
        out
    }
}

/// Steps from a cube to those around it that share a corner, and along so many axes at most.
fn steps(most: usize) -> Vec<Cube> {
    let all = (0..27).map(|d| [d % 3 - 1, d / 3 % 3 - 1, d / 9 - 1]);
    all.filter(|s| (1..=most).contains(&s.iter().filter(|x| **x != 0).count())).collect()
}

fn sides() -> Vec<Cube> {
    steps(1)
}

/// How many pieces cubes are in, walking by some steps.
fn pieces(mut left: BTreeSet<Cube>, steps: &[Cube]) -> usize {
    let mut count = 0;
    while let Some(first) = left.pop_first() {
        count += 1;
        let mut list = vec![first];
        while let Some(c) = list.pop() {
            list.extend(steps.iter().map(|s| [0, 1, 2].map(|k| c[k] + s[k])).filter(|o| left.remove(o)));
        }
    }
    count
}

fn topology(mesh: &Mesh) -> Topology {
    Topology::of(mesh, &Watch::default()).expect("not cancelled")
}

fn volume(mesh: &Mesh) -> f64 {
    measure::mass(mesh, &mesh.bounds()).volume
}

/// Any cubes in a small grid.
fn any_cubes(side: i32) -> impl Strategy<Value = Cubes> {
    prop::collection::btree_set(prop::array::uniform3(0..side), 1..(side * side * side) as usize).prop_map(Cubes)
}

/// Blocks put together and taken out of each other: shells, handles and rooms, with little that meets in edges alone.
fn any_building() -> impl Strategy<Value = Cubes> {
    let size = prop::sample::select(vec![1, 1, 2, 5]);
    let block = (prop::array::uniform3(0..4_i32), prop::array::uniform3(size), prop::bool::weighted(0.3));
    prop::collection::vec(block, 1..6).prop_map(|blocks| {
        let mut all = Cubes::block([0, 0, 0], [5, 5, 5]);
        for (low, size, fill) in blocks {
            all.change(low, [0, 1, 2].map(|k| size[k].min(5 - low[k])), fill);
        }
        if all.0.is_empty() { Cubes::block([0, 0, 0], [1, 1, 1]) } else { all }
    })
}

/// Blocks apart from each other on a plate: for places of a grid of five, their size and how far they rise or sink.
fn any_blocks() -> impl Strategy<Value = Vec<(Cube, [i32; 2], i32)>> {
    let block = (1..=3_i32, 1..=3_i32, prop::sample::select(vec![-2, -1, 1, 2]));
    prop::collection::vec(prop::option::of(block), 9).prop_map(|all| {
        let place = |i: usize| [1 + 5 * (i as i32 % 3), 1 + 5 * (i as i32 / 3), 0];
        all.into_iter().enumerate().filter_map(|(i, b)| b.map(|(w, d, h)| (place(i), [w, d], h))).collect()
    })
}

const PLATE: Cube = [15, 15, 4];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    /// Of any heap of cubes: volume, area, what more than two facets share, which points pinch, and how the whole hangs together.
    #[test]
    fn a_heap_of_cubes_is_told_as_it_is_counted(heap in prop_oneof![1 => any_cubes(4), 3 => any_building()]) {
        let mesh = heap.surface();
        let found = topology(&mesh);
        prop_assert!(found.open.is_empty() && found.duplicates.is_empty() && found.zero_area.is_empty());
        prop_assert!((volume(&mesh) - heap.0.len() as f64).abs() < 1e-9);
        let area: f64 = mesh.triangles.keys().map(|f| norm(mesh.area_vector(f)) / 2.0).sum();
        prop_assert!((area - mesh.triangles.len() as f64 / 2.0).abs() < 1e-9);
        let place = |p: PointId| mesh.points[p].map(|x| x as i32);
        let shared: BTreeSet<[Cube; 2]> = found.overshared.iter().map(|e| {
            let [a, b] = e.ends.map(place);
            [a.min(b), a.max(b)]
        }).collect();
        prop_assert!(found.overshared.iter().all(|e| e.facets == 4));
        prop_assert_eq!(&shared, &heap.crossed_edges());
        // Euler: points less edges plus facets, every edge counted once whatever shares it.
        let edges: BTreeSet<[PointId; 2]> = mesh.triangles.iter()
            .flat_map(|t| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]])
            .map(|[a, b]| [a.min(b), a.max(b)])
            .collect();
        prop_assert_eq!(found.used_points, mesh.points.len());
        if shared.is_empty() && found.pinched.is_empty() {
            // Shells that touch nowhere: one for each piece of the cubes and of what they enclose.
            prop_assert_eq!(found.shells, heap.pieces() + heap.pieces_around() - 1);
            let euler = mesh.points.len() as i64 - edges.len() as i64 + mesh.triangles.len() as i64;
            let missing = 2 * found.shells as i64 - euler;
            prop_assert!(missing >= 0 && missing % 2 == 0);
            prop_assert_eq!(handles(&mesh, &found).iter().sum::<usize>() as i64, missing / 2);
        }
        // A point pinches where the cubes around it, or what is left between them, fall apart.
        for (p, at) in mesh.points.iter_enumerated() {
            let at = at.map(|x| x as i32);
            let around: Vec<(Cube, bool)> = (0..8).map(|d| {
                let c = [at[0] - (d & 1), at[1] - (d >> 1 & 1), at[2] - (d >> 2)];
                (c, heap.has(c))
            }).collect();
            let fans = |filled: bool| {
                pieces(around.iter().filter(|x| x.1 == filled).map(|x| x.0).collect(), &sides())
            };
            let crossed = shared.iter().any(|e| e.contains(&at));
            if !crossed {
                prop_assert_eq!(found.pinched.contains(&p), fans(true) > 1 || fans(false) > 1, "at {:?}", at);
            }
        }
    }

    /// Shells in shells: cavities in a block and cubes within them.
    #[test]
    fn cavities_and_what_floats_in_them_are_told(
        rooms in prop::collection::vec((any::<bool>(), any::<bool>()), 8),
    ) {
        let mut heap = Cubes::block([0, 0, 0], [13, 13, 13]);
        let (mut cavities, mut islands) = (0, 0);
        for (i, (room, island)) in rooms.iter().enumerate().filter(|(_, r)| r.0) {
            let low = [i & 1, i >> 1 & 1, i >> 2].map(|k| 1 + 6 * k as i32);
            heap.change(low, [5, 5, 5], false);
            cavities += usize::from(*room);
            if *island {
                heap.change(low.map(|x| x + 2), [1, 1, 1], true);
                islands += 1;
            }
        }
        let mesh = heap.surface();
        let shells = nesting(&mesh, &topology(&mesh), &Watch::default()).expect("not cancelled");
        prop_assert_eq!(shells.len(), 1 + cavities + islands);
        prop_assert_eq!(shells.iter().filter(|s| s.is_cavity()).count(), cavities);
        prop_assert_eq!(shells.iter().filter(|s| s.inside == 2 && (s.volume - 1.0).abs() < 1e-9).count(), islands);
        prop_assert!(shells.iter().all(|s| !s.is_inside_out() && s.closed));
        let sum: f64 = shells.iter().map(|s| s.volume).sum();
        prop_assert!((sum - heap.0.len() as f64).abs() < 1e-9);
    }

    /// Every hole through a plate is a handle; cut open along its loops and filled, the plate has none.
    #[test]
    fn holes_through_a_plate_are_handles(blocks in any_blocks()) {
        let mut heap = Cubes::block([0, 0, 0], PLATE);
        for (at, [w, d], _) in &blocks {
            heap.change(*at, [*w, *d, PLATE[2]], false);
        }
        let mesh = heap.surface();
        let found = topology(&mesh);
        prop_assert_eq!(handles(&mesh, &found), vec![blocks.len()]);
        let mut now = mesh;
        // Loops of several handles may share points: one after the other.
        for left in (0..blocks.len()).rev() {
            let all = loops(&now, &topology(&now), &Watch::default()).expect("not cancelled");
            prop_assert!(!all.is_empty());
            let open = cut_open(&now, &all[..1]);
            let rim = topology(&open).open;
            let gaps = holes::find_holes(&open, &rim);
            prop_assert_eq!(gaps.len(), 2, "a cut has two sides");
            let filled = holes::fill(&open, &gaps, holes::FillingChoice::Proposed, &Watch::default()).expect("not cancelled");
            now = filled.rebuilt.mesh;
            let found = topology(&now);
            prop_assert!(found.is_closed());
            prop_assert_eq!(handles(&now, &found).iter().sum::<usize>(), left);
        }
    }

    /// Blocks on a plate and pockets in it are found with their volumes, up to the size that is asked; without them the rest
    /// is there, closed.
    #[test]
    fn blocks_and_pockets_are_found_and_go(blocks in any_blocks(), size in 1.0..6.0_f64) {
        let mut heap = Cubes::block([0, 0, 0], PLATE);
        for (at, [w, d], h) in &blocks {
            match *h > 0 {
                true => heap.change([at[0], at[1], PLATE[2]], [*w, *d, *h], true),
                false => heap.change([at[0], at[1], PLATE[2] + h], [*w, *d, -h], false),
            }
        }
        let mesh = heap.surface();
        let diagonal = |[w, d]: [i32; 2], h: i32| f64::from(w * w + d * d + h * h).sqrt();
        // A size between two of those that occur, so that rounding decides nothing.
        let size = size + 0.001;
        let mut kept = f64::from(PLATE[0] * PLATE[1] * PLATE[2]);
        for out in [true, false] {
            let mut expected: Vec<i64> = blocks.iter()
                .filter(|(_, side, h)| (*h > 0) == out && diagonal(*side, *h) <= size)
                .map(|(_, [w, d], h)| i64::from(w * d * h))
                .collect();
            expected.sort_unstable();
            let mut found: Vec<i64> = bumps(&mesh, out, size).iter().map(|b| b.volume.round() as i64).collect();
            found.sort_unstable();
            prop_assert_eq!(found, expected, "{} of up to {}", if out { "blocks" } else { "pockets" }, size);
        }
        kept += blocks.iter().filter(|(_, s, h)| diagonal(*s, *h) > size).map(|(_, [w, d], h)| f64::from(w * d * h)).sum::<f64>();
        let done = without_bumps(&mesh, size, false, &Watch::default()).expect("not cancelled");
        prop_assert_eq!(done.bumps + done.dents, blocks.iter().filter(|(_, s, h)| diagonal(*s, *h) <= size).count());
        prop_assert!(topology(&done.rebuilt.mesh).is_closed());
        let left = volume(&done.rebuilt.mesh);
        prop_assert!((left - kept).abs() < 1e-9 * kept, "{left} for {kept}");
    }

    /// Bores through a plate have two mouths, pockets one, each of the area of its block; a plug has that times its depth.
    #[test]
    fn bores_have_two_mouths_and_pockets_one(blocks in any_blocks(), depth in 0.5..3.0_f64) {
        let mut heap = Cubes::block([0, 0, 0], PLATE);
        let mut expected: BTreeMap<i32, usize> = BTreeMap::new();
        for (at, [w, d], h) in &blocks {
            let through = *h > 0;
            let low = if through { 0 } else { PLATE[2] + h };
            heap.change([at[0], at[1], low], [*w, *d, PLATE[2] - low], false);
            *expected.entry(w * d).or_default() += if through { 2 } else { 1 };
        }
        let mesh = heap.surface();
        let mut found: BTreeMap<i32, usize> = BTreeMap::new();
        for mouth in mouths(&mesh) {
            prop_assert!(mouth.normal[2].abs() > 1.0 - 1e-12, "{:?}", mouth.normal);
            prop_assert!((mouth.area - mouth.area.round()).abs() < 1e-9);
            *found.entry(mouth.area.round() as i32).or_default() += 1;
            let closed = plug(&mesh, &mouth, depth).expect("a rectangle");
            prop_assert!(topology(&closed).is_closed());
            prop_assert!((volume(&closed) - mouth.area * depth).abs() < 1e-9, "{} of a plug", volume(&closed));
            // It stands outside of the plate.
            let [low, high] = [closed.bounds().min[2], closed.bounds().max[2]];
            prop_assert!(high <= 1e-12 || low >= f64::from(PLATE[2]) - 1e-12);
        }
        prop_assert_eq!(found, expected);
    }

    /// Cut by a plane, each part lies on its side, and the outline of the cut has the area of the cubes that the plane is in.
    #[test]
    fn a_cut_through_cubes_shows_those_that_it_passes(heap in any_cubes(5), axis in 0..3_usize, layer in 0..5_i32, part in 0.1..0.9_f64) {
        let mesh = heap.surface();
        let mut normal = [0.0; 3];
        normal[axis] = 1.0;
        let mut at = [0.0; 3];
        at[axis] = f64::from(layer) + part;
        let passed = heap.0.iter().filter(|c| c[axis] == layer).count() as f64;
        let found = outlines(&mesh, at, normal);
        prop_assert!(found.iter().all(|o| o.closed));
        let figures = hull_geometry::section::figures(&found, at, normal);
        prop_assert!((figures.area - passed).abs() < 1e-9, "{} of {passed}", figures.area);
        let cut = slice(&mesh, at, normal, |_| true).mesh;
        let area = |m: &Mesh| m.triangles.keys().map(|f| norm(m.area_vector(f)) / 2.0).sum::<f64>();
        prop_assert!((area(&cut) - area(&mesh)).abs() < 1e-9 * area(&mesh));
        prop_assert!(topology(&cut).open.is_empty());
        for f in cut.triangles.keys() {
            let heights = cut.corners(f).map(|p| p[axis] - at[axis]);
            let ahead = is_ahead(&cut, f, at, normal);
            let on_its_side = heights.iter().all(|h| if ahead { *h >= -1e-12 } else { *h <= 1e-12 });
            prop_assert!(on_its_side, "{:?}", heights);
        }
    }
}
