//! Rooms joined by narrow and by wide doors: what cells of a size would close, against a tree of the widest ways.

use hull_flow::passages::{Passage, lost};
use hull_flow::tightness::{Tightness, tightness};
use hull_geometry::shapes::cubes;
use hull_geometry::{Mesh, Point, Watch};
use proptest::prelude::*;
use std::collections::BTreeSet;

/// Rooms of 8 by 8 by 8 behind walls of 1, in rows of three, counted in halves.
const ROOMS: i32 = 3;
const INSIDE: i32 = 16;
const STEP: i32 = INSIDE + 2;
const UNIT: f64 = 0.5;
const OUTSIDE: usize = (ROOMS * ROOMS) as usize;

/// A square door through a wall: which rooms it joins (or a room and outside), the wall's axis and place, its width.
#[derive(Clone, Copy, Debug)]
struct Door {
    joins: [usize; 2],
    axis: usize,
    wall: [i32; 2],
    halves: i32,
}

impl Door {
    fn width(&self) -> f64 {
        UNIT * f64::from(self.halves)
    }
}

fn room([i, j]: [i32; 2]) -> usize {
    if i < 0 || j < 0 || i >= ROOMS || j >= ROOMS { OUTSIDE } else { (i * ROOMS + j) as usize }
}

fn any_doors() -> impl Strategy<Value = Vec<Door>> {
    let walls: Vec<(usize, [i32; 2])> = (0..2)
        .flat_map(|axis| {
            (0..=ROOMS).flat_map(move |a| (0..ROOMS).map(move |b| (axis, if axis == 0 { [a, b] } else { [b, a] })))
        })
        .collect();
    let many = walls.len();
    prop::collection::vec(prop_oneof![2 => Just(0), 1 => Just(2), 1 => Just(4)], many).prop_map(move |halves| {
        let doors = walls.iter().zip(halves).filter(|w| w.1 > 0);
        doors
            .map(|((axis, wall), halves)| {
                let mut before = *wall;
                before[*axis] -= 1;
                Door { joins: [room(before), room(*wall)], axis: *axis, wall: *wall, halves }
            })
            .collect()
    })
}

fn block(doors: &[Door]) -> Mesh {
    let size = ROOMS * STEP + 2;
    let in_room = |c: i32| c % STEP >= 2;
    let mut filled = BTreeSet::new();
    for x in 0..size {
        for y in 0..size {
            for z in 0..INSIDE + 4 {
                if !(in_room(x) && in_room(y) && (2..INSIDE + 2).contains(&z)) {
                    filled.insert([x, y, z]);
                }
            }
        }
    }
    for door in doors {
        let from = 2 + (INSIDE - door.halves) / 2;
        for deep in 0..2 {
            for a in from..from + door.halves {
                for b in from..from + door.halves {
                    let mut at = [door.wall[0] * STEP, door.wall[1] * STEP, b];
                    at[door.axis] += deep;
                    at[1 - door.axis] += a;
                    filled.remove(&at);
                }
            }
        }
    }
    let mut mesh = cubes(&filled);
    mesh.points.iter_mut().for_each(|p| *p = p.map(|x| x * UNIT));
    mesh
}

/// Widths of the doors that join rooms which hang together by no wider ones, as a forest grows (J. Kruskal, 1956).
fn widest_ways(doors: &[Door]) -> Vec<f64> {
    let mut of: Vec<usize> = (0..=OUTSIDE).collect();
    let mut sorted = doors.to_vec();
    sorted.sort_by_key(|d| -d.halves);
    let mut out = Vec::new();
    for door in sorted {
        let [a, b] = door.joins.map(|r| of[r]);
        if a != b {
            of.iter_mut().filter(|r| **r == a).for_each(|r| *r = b);
            out.push(door.width());
        }
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 8, ..ProptestConfig::default() })]

    /// Cells that fit through no door lose one passage for each joint of the widest ways, as wide as its door and in it; cells that
    /// fit through the wide ones lose what only narrow ones join.
    #[test]
    fn lost_passages_are_the_joints_of_the_widest_ways(doors in any_doors()) {
        let mesh = block(&doors);
        let widths = |cell: f64| {
            let (found, seen_from) = lost(&mesh, cell, &Watch::default()).expect("few cells");
            assert!(seen_from < 1.0, "narrow doors are seen: {seen_from}");
            // Each stands in a door, and is told as wide as its door but for the cells that walls take of it.
            let width = |p: &Passage| {
                let in_door = |d: &&Door| {
                    let middle = [d.wall[0] * STEP, d.wall[1] * STEP, 0].map(|c| UNIT * f64::from(c + 2 + INSIDE / 2));
                    let deep = (p.at[d.axis] - UNIT * f64::from(d.wall[d.axis] * STEP + 1)).abs() < 0.5 + cell / 6.0;
                    let across = [1 - d.axis, 2].iter().all(|k| (p.at[*k] - middle[*k]).abs() < 0.5 * d.width());
                    deep && across
                };
                let door = doors.iter().find(in_door).unwrap_or_else(|| panic!("{p:?} stands in no door"));
                assert!(p.width <= door.width() + 1e-9 && p.width > door.width() - 1.5 * seen_from, "{p:?} in {door:?}");
                assert!(p.rooms[0] <= p.rooms[1] && p.rooms[0] < 10.0 * 512.0, "{p:?}");
                door.width()
            };
            let mut widths: Vec<f64> = found.iter().map(width).collect();
            widths.sort_by(|a, b| b.total_cmp(a));
            widths
        };
        let expected = widest_ways(&doors);
        prop_assert_eq!(widths(2.2), expected.clone());
        let narrow: Vec<f64> = expected.into_iter().filter(|w| *w < 1.5).collect();
        prop_assert_eq!(widths(1.4), narrow);
    }
}

/// Squares of 1 by 1 of a sheet from a place, but those left out.
fn sheet(mesh: &mut Mesh, from: Point, [u, v]: [Point; 2], [n, m]: [i32; 2], out: impl Fn(i32, i32) -> bool) {
    for i in 0..n {
        for j in 0..m {
            if !out(i, j) {
                let at = |i: i32, j: i32| [0, 1, 2].map(|k| from[k] + f64::from(i) * u[k] + f64::from(j) * v[k]);
                let [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
                mesh.push_loose([a, b, c]);
                mesh.push_loose([a, c, d]);
            }
        }
    }
}

/// A case of thin sheets with a floor halfway: a hole of 2 by 2 in the floor, one of 1 by 1 in the top.
#[test]
fn all_that_a_size_asks_is_told_at_once() {
    let [x, y, z] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
    let case = |open: bool| {
        let mut mesh = Mesh::default();
        let hole = |size: i32| move |i: i32, j: i32| (5..5 + size).contains(&i) && (5..5 + size).contains(&j);
        sheet(&mut mesh, [0.0; 3], [y, x], [12, 12], |_, _| false);
        sheet(&mut mesh, [0.0, 0.0, 6.0], [y, x], [12, 12], hole(2));
        sheet(&mut mesh, [0.0, 0.0, 12.0], [x, y], [12, 12], |i, j| open && hole(1)(i, j));
        for (from, ways) in
            [([0.0; 3], [x, z]), ([0.0; 3], [z, y]), ([12.0, 0.0, 0.0], [y, z]), ([0.0, 12.0, 0.0], [z, x])]
        {
            sheet(&mut mesh, from, ways, [12, 12], |_, _| false);
        }
        mesh
    };
    let asked = |open: bool, cell: f64| tightness(&case(open), cell, &Watch::default()).expect("few cells");
    let widths = |of: &Tightness| -> Vec<f64> {
        let all = &of.passages.as_ref().expect("few cells").all;
        all.iter().map(|p| p.width.ceil()).collect()
    };
    // The floor's hole lets small cells through, and large ones do not find the way out.
    let fine = asked(true, 0.4);
    assert!((0..3).all(|k| fine.inside[k] > 1.0 && fine.inside[k] < 11.0), "{:?}", fine.inside);
    let way = fine.way.as_ref().expect("it leads through the top");
    assert!(
        way.width > 0.5 && way.width <= 1.0 + 1e-9 && fine.tight_from.is_some_and(|t| t > 0.4 && t < 1.3),
        "{fine:?}"
    );
    assert_eq!(widths(&fine), [0.0; 0]);
    let coarse = asked(true, 2.2);
    assert!(coarse.way.is_none() && coarse.tight_from.is_none());
    assert_eq!(widths(&coarse), [1.0, 2.0], "both halves lie behind the hole in the top, one behind that in the floor");
    let closed = asked(false, 0.4);
    assert!(closed.way.is_none() && closed.tight_from.is_none() && widths(&closed).is_empty());
    assert!(tightness(&Mesh::default(), 1.0, &Watch::default()).is_err());
}
