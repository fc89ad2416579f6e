//! Heaps of unit cubes combined, parted and resolved, against sets of cubes: inputs that share whole sides, touch in edges and
//! corners, and meet themselves there.

use hull_geometry::dirt::Dice;
use hull_geometry::shapes::cubes;
use hull_geometry::topology::Topology;
use hull_geometry::{FacetId, Mesh, Point, Watch, measure};
use hull_solids::combine::{CombineError, Rule, combine, resolve};
use hull_solids::regions::regions;
use proptest::prelude::*;
use std::collections::BTreeSet;
use typed_index_collections::TiVec;

type Heap = BTreeSet<[i32; 3]>;

fn any_heap(side: i32, most: usize) -> impl Strategy<Value = Heap> {
    prop::collection::btree_set(prop::array::uniform3(0..side), 1..most)
}

fn volume(mesh: &Mesh) -> f64 {
    measure::mass(mesh, &mesh.bounds()).volume
}

/// Bodies one behind the other; with `turn` turned about all axes, so that hardly a coordinate is a whole number.
fn together(heaps: &[Heap], turn: bool) -> (Mesh, TiVec<FacetId, u32>) {
    let (mut all, mut body_of) = (Mesh::default(), TiVec::new());
    for (i, heap) in heaps.iter().enumerate() {
        all.append(&cubes(heap));
        body_of.resize(all.triangles.len(), i as u32);
    }
    if turn {
        let turned = |p: Point| {
            let (x, y) = (0.8 * p[0] - 0.6 * p[1], 0.6 * p[0] + 0.8 * p[1]);
            [0.28 * x + 0.96 * p[2], y, 0.28 * p[2] - 0.96 * x]
        };
        all.points.iter_mut().for_each(|p| *p = turned(*p));
    }
    (all, body_of)
}

/// Closed, facing one way, and nothing shared by more than two.
fn clean(mesh: &Mesh) -> Result<(), TestCaseError> {
    let t = Topology::of(mesh, &Watch::default()).expect("not cancelled");
    prop_assert!(t.is_closed(), "{} open, {} overshared", t.open.len(), t.overshared.len());
    prop_assert_eq!([t.misdirected.len(), t.duplicates.len(), t.pinched.len(), t.zero_area.len()], [0; 4]);
    Ok(())
}

fn kept(heaps: &[Heap], rule: Rule) -> Heap {
    let others = |c: &[i32; 3]| heaps[1..].iter().any(|h| h.contains(c));
    match rule {
        Rule::Unite => heaps.iter().flatten().copied().collect(),
        Rule::Subtract => heaps[0].iter().copied().filter(|c| !others(c)).collect(),
        Rule::Intersect => heaps[0].iter().copied().filter(|c| heaps.iter().all(|h| h.contains(c))).collect(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// What is left of heaps has as many cubes as the sets have, and is clean, whatever touches; nothing left is said.
    #[test]
    fn heaps_combine_as_their_sets_do(
        heaps in prop::collection::vec(any_heap(4, 40), 1..4),
        rule in prop::sample::select(vec![Rule::Unite, Rule::Subtract, Rule::Intersect]),
        turn: bool,
    ) {
        let (all, body_of) = together(&heaps, turn);
        let expected = kept(&heaps, rule).len() as f64;
        match combine(&all, &body_of, rule, &Watch::default()) {
            Ok(made) => {
                clean(&made.rebuilt.mesh)?;
                let found = volume(&made.rebuilt.mesh);
                // What touches is pulled apart by a millionth of the size.
                prop_assert!((found - expected).abs() < 1e-4 * expected.max(1.0), "{:?}: {} for {}", rule, found, expected);
                prop_assert!(made.rebuilt.origin.iter().all(|f| *f < all.triangles.next_key()));
            }
            Err(CombineError::Nothing) => prop_assert_eq!(expected, 0.0),
            Err(other) => prop_assert!(false, "{}", other),
        }
    }

    /// Heaps parted into regions: each has its cubes, what lies in several goes to the one of the highest rank, common facets are
    /// there once, and what is closed in between becomes regions of its own.
    #[test]
    fn heaps_part_as_their_sets_do(heaps in prop::collection::vec(any_heap(4, 30), 1..4), seed: u64, turn: bool) {
        let (all, body_of) = together(&heaps, turn);
        let mut rank: Vec<u32> = (0..heaps.len() as u32).collect();
        let mut dice = Dice(seed);
        for i in (1..rank.len()).rev() {
            rank.swap(i, (dice.roll() % (i as u64 + 1)) as usize);
        }
        let parted = regions(&all, &body_of, &rank, true, &Watch::default()).expect("closed bodies are parted");
        for (i, heap) in heaps.iter().enumerate() {
            let own = heap.iter().filter(|c| (0..heaps.len()).all(|j| j == i || rank[j] < rank[i] || !heaps[j].contains(*c))).count();
            let (mesh, of) = parted.surface(i as u32);
            prop_assert_eq!(mesh.triangles.len(), of.len());
            let found = if mesh.triangles.is_empty() { 0.0 } else { volume(&mesh) };
            prop_assert!((found - own as f64).abs() < 1e-6, "region {}: {} for {}", i, found, own);
        }
        // Spaces: cubes that nothing fills, walled in by sides.
        let filled: Heap = heaps.iter().flatten().copied().collect();
        let mut left: Heap = (-1..=4)
            .flat_map(|x| (-1..=4).flat_map(move |y| (-1..=4).map(move |z| [x, y, z])))
            .filter(|c| !filled.contains(c))
            .collect();
        let mut rooms: Vec<usize> = Vec::new();
        while let Some(first) = left.pop_first() {
            let (mut list, mut size, mut outside) = (vec![first], 0, false);
            while let Some(c) = list.pop() {
                size += 1;
                outside |= c == [-1; 3];
                for axis in 0..3 {
                    for by in [-1, 1] {
                        let mut other = c;
                        other[axis] += by;
                        if left.remove(&other) {
                            list.push(other);
                        }
                    }
                }
            }
            if !outside {
                rooms.push(size);
            }
        }
        rooms.sort_unstable_by(|a, b| b.cmp(a));
        let found: Vec<f64> = (heaps.len()..parted.count).map(|i| volume(&parted.surface(i as u32).0)).collect();
        prop_assert_eq!(found.len(), rooms.len(), "{:?} for {:?}", &found, &rooms);
        prop_assert!(found.iter().zip(&rooms).all(|(a, b)| (a - *b as f64).abs() < 1e-6), "{:?} for {:?}", &found, &rooms);
    }

    /// A surface that runs through itself, as several heaps in one do, becomes the outside of what it winds around.
    #[test]
    fn heaps_in_one_surface_are_resolved(heaps in prop::collection::vec(any_heap(4, 30), 2..4), turn: bool) {
        let (all, _) = together(&heaps, turn);
        let made = resolve(&all, &Watch::default()).expect("closed");
        clean(&made.rebuilt.mesh)?;
        let expected = kept(&heaps, Rule::Unite).len() as f64;
        let found = volume(&made.rebuilt.mesh);
        prop_assert!((found - expected).abs() < 1e-4 * expected, "{} for {}", found, expected);
    }
}
