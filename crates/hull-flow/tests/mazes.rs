//! Rooms in a block with doors between them and out of it: whether there is a way out, against walking from room to room.

use hull_flow::leaks::{leak, length, tight_from};
use hull_geometry::shapes::cubes;
use hull_geometry::{Point, Watch};
use proptest::prelude::*;
use std::collections::BTreeSet;

/// Rooms of 4 by 4 by 4 behind walls of 1, in rows of three.
const SIDE: i32 = 3;
const ROOM: i32 = 4;
const STEP: i32 = ROOM + 1;

/// A door of 1 by 1 in each wall: at the low side of a room along x or y, for rows one longer than there are rooms.
type Doors = BTreeSet<(usize, [i32; 2])>;

fn block(doors: &Doors) -> BTreeSet<[i32; 3]> {
    let size = SIDE * STEP + 1;
    let mut filled = BTreeSet::new();
    for x in 0..size {
        for y in 0..size {
            for z in 0..ROOM + 2 {
                let in_room = |c: i32| c % STEP != 0;
                let hollow = in_room(x) && in_room(y) && (1..=ROOM).contains(&z);
                if !hollow {
                    filled.insert([x, y, z]);
                }
            }
        }
    }
    for (axis, [i, j]) in doors {
        let mut at = [i * STEP + 2, j * STEP + 2, 2];
        at[*axis] -= 2;
        filled.remove(&at);
    }
    filled
}

/// How many doors lie between a room and outside, if a way leads there.
fn doors_out(doors: &Doors, from: [i32; 2]) -> Option<usize> {
    let mut reached = BTreeSet::from([from]);
    let mut list = vec![from];
    for steps in 1.. {
        let mut next = Vec::new();
        for [i, j] in list {
            for (axis, by) in [(0, 0), (0, 1), (1, 0), (1, 1)] {
                let mut wall = [i, j];
                wall[axis] += by;
                let mut beyond = [i, j];
                beyond[axis] += 2 * by - 1;
                if !doors.contains(&(axis, wall)) {
                    continue;
                }
                if beyond.iter().any(|k| *k < 0 || *k >= SIDE) {
                    return Some(steps);
                }
                if reached.insert(beyond) {
                    next.push(beyond);
                }
            }
        }
        if next.is_empty() {
            return None;
        }
        list = next;
    }
    None
}

fn middle([i, j]: [i32; 2]) -> Point {
    [i, j, 0].map(|k| f64::from(k * STEP) + 1.0 + 0.5 * f64::from(ROOM) + 0.013)
}

fn any_doors() -> impl Strategy<Value = Doors> {
    let walls: Vec<(usize, [i32; 2])> = (0..2)
        .flat_map(|axis| {
            (0..=SIDE).flat_map(move |a| (0..SIDE).map(move |b| (axis, if axis == 0 { [a, b] } else { [b, a] })))
        })
        .collect();
    let count = walls.len();
    prop::collection::vec(prop::bool::weighted(0.35), count)
        .prop_map(move |open| walls.iter().zip(open).filter(|w| w.1).map(|w| *w.0).collect())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]

    /// At cells of a quarter of a door there is a way out where rooms lead to one; it is as long as the rooms between ask for and
    /// as narrow as a door. At cells too large for a door there is none.
    #[test]
    fn a_way_leads_out_where_rooms_do(doors in any_doors(), from in prop::array::uniform2(0..SIDE)) {
        let mesh = cubes(&block(&doors));
        let inside = middle(from);
        let watch = Watch::default();
        let found = leak(&mesh, inside, 0.25, &watch).expect("few cells");
        match (doors_out(&doors, from), &found) {
            (None, None) => {}
            (Some(steps), Some(way)) => {
                prop_assert!(way.width > 0.4 && way.width <= 1.0 + 1e-9, "{} wide", way.width);
                prop_assert!(length(way) > 2.0 + f64::from(STEP) * (steps as f64 - 1.0), "{} long through {} doors", length(way), steps);
                prop_assert!(mesh.bounds().grown(1.0).contains(&hull_geometry::mesh::Bounds::of(way.points.iter().copied())));
            }
            other => prop_assert!(false, "{:?} doors, {:?}", other.0, other.1.as_ref().map(length)),
        }
        prop_assert_eq!(leak(&mesh, inside, 1.6, &watch).expect("few cells"), None);
        let tight = tight_from(&mesh, inside, [0.25, 1.6], &watch).expect("few cells").expect("it is tight at the larger one");
        prop_assert!(if found.is_some() { tight > 0.25 && tight < 1.3 } else { tight == 0.25 }, "tight from {tight}");
    }
}
