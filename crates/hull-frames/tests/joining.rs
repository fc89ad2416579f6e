//! Frames that were spoilt come back as they were.

use hull_frames::checks::Figures;
use hull_frames::join::{Piece, frame_of, plot};
use hull_geometry::vector::{add, lerp, scale};
use hull_geometry::{Point, Watch};
use proptest::prelude::*;
use std::f64::consts::PI;

/// A grid of bays: uprights, beams both ways, and a brace in each front bay.
fn grid(nx: usize, ny: usize, floors: usize) -> Vec<Piece> {
    let at = |i: usize, j: usize, k: usize| [i as f64 * 4000.0, j as f64 * 5000.0, k as f64 * 3000.0];
    let mut out = Vec::new();
    let mut add = |a, b, layer| out.push(Piece { ends: [a, b], layer });
    for i in 0..=nx {
        for j in 0..=ny {
            for k in 0..floors {
                add(at(i, j, k), at(i, j, k + 1), 0);
                if i < nx {
                    add(at(i, j, k + 1), at(i + 1, j, k + 1), 1);
                }
                if j < ny {
                    add(at(i, j, k + 1), at(i, j + 1, k + 1), 1);
                }
                if j == 0 && i < nx {
                    add(at(i, j, k), at(i + 1, j, k + 1), 2);
                }
            }
        }
    }
    out
}

/// Lines between places, on one layer.
fn lines(between: impl IntoIterator<Item = [Point; 2]>) -> Vec<Piece> {
    between.into_iter().map(|ends| Piece { ends, layer: 0 }).collect()
}

/// A truss of chords, posts and diagonals that change their way in the middle.
fn truss(panels: usize, deep: f64) -> Vec<Piece> {
    let at = |i: usize, z: f64| [i as f64 * 1500.0, 0.0, z];
    let mut out = vec![[at(0, 0.0), at(0, deep)]];
    for i in 0..panels {
        out.extend([[at(i, 0.0), at(i + 1, 0.0)], [at(i, deep), at(i + 1, deep)], [at(i + 1, 0.0), at(i + 1, deep)]]);
        let falls = i < panels / 2;
        out.push(if falls { [at(i, deep), at(i + 1, 0.0)] } else { [at(i, 0.0), at(i + 1, deep)] });
    }
    lines(out)
}

/// A dome of rings and meridians up to one place.
fn dome(meridians: usize, rings: usize) -> Vec<Piece> {
    let at = |m: usize, r: usize| {
        let (up, around) = (PI / 2.0 * r as f64 / rings as f64, 2.0 * PI * (m % meridians) as f64 / meridians as f64);
        if r == rings {
            [0.0, 0.0, 9000.0]
        } else {
            [9000.0 * up.cos() * around.cos(), 9000.0 * up.cos() * around.sin(), 9000.0 * up.sin()]
        }
    };
    let of = |m: usize, r: usize| [[at(m, r), at(m, r + 1)], [at(m, r), at(m + 1, r)]];
    lines((0..rings).flat_map(|r| (0..meridians).flat_map(move |m| of(m, r))))
}

/// A tower of four legs that lean inward, with rings and a diagonal in each face.
fn tower(floors: usize) -> Vec<Piece> {
    let at = |leg: usize, floor: usize| {
        let half = 3000.0 * (1.0 - 0.6 * floor as f64 / floors as f64);
        let [x, y] = [[1.0, 1.0], [-1.0, 1.0], [-1.0, -1.0], [1.0, -1.0]][leg % 4];
        [x * half, y * half, floor as f64 * 2500.0]
    };
    let of = |leg: usize, f: usize| {
        [[at(leg, f), at(leg, f + 1)], [at(leg, f + 1), at(leg + 1, f + 1)], [at(leg, f), at(leg + 1, f + 1)]]
    };
    lines((0..floors).flat_map(|f| (0..4).flat_map(move |leg| of(leg, f))))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    /// Gaps at ends, doubles, a long line over several members, crumbs, order and direction: the plot proposes a tolerance
    /// between the gaps and the members, and the frame is the clean one.
    #[test]
    fn a_spoilt_frame_comes_back(
        kind in 0..4_usize, size in (1..4_usize, 1..3_usize, 1..3_usize), gaps in prop::collection::vec((0..1000_usize, -3.0..3.0_f64, 0..3_usize), 0..6),
        doubles in prop::collection::vec(0..1000_usize, 0..4), flips in any::<u64>(),
    ) {
        let clean = match kind {
            0 => grid(size.0, size.1, size.2),
            1 => truss(2 * size.0 + size.1, 1200.0 * size.2 as f64),
            2 => dome(5 + size.0, 1 + size.1),
            _ => tower(size.0 + size.1),
        };
        let (expected, none) = frame_of(&clean, vec![], 1e-6, false, &Watch::default()).unwrap();
        prop_assert_eq!((none.ends_moved, none.doubles, expected.members.len()), (0, 0, clean.len()));
        let mut spoilt = clean.clone();
        let mut uses: std::collections::HashMap<[u64; 3], usize> = Default::default();
        for p in clean.iter().flat_map(|p| p.ends) {
            *uses.entry(p.map(f64::to_bits)).or_default() += 1;
        }
        for (i, by, axis) in &gaps {
            let i = i % spoilt.len();
            // Where two meet only, nobody knows which of them is right.
            if uses[&clean[i].ends[1].map(f64::to_bits)] > 2 && spoilt[i] == clean[i] {
                spoilt[i].ends[1][*axis] += by;
                *uses.get_mut(&clean[i].ends[1].map(f64::to_bits)).unwrap() -= 1;
            }
        }
        for i in doubles {
            let copy = clean[i % clean.len()];
            spoilt.push(copy);
        }
        // A line over all bays of the lowest beam, and a crumb.
        if kind == 0 {
            let over = [size.0 as f64 * 4000.0, 0.0, 0.0];
            spoilt.push(Piece { ends: [clean[0].ends[1], add(clean[0].ends[1], over)], layer: 1 });
        }
        spoilt.push(Piece { ends: [clean[0].ends[0], add(clean[0].ends[0], [0.5, 0.0, 0.0])], layer: 1 });
        for (i, p) in spoilt.iter_mut().enumerate() {
            if flips >> (i % 64) & 1 == 1 {
                p.ends.swap(0, 1);
            }
        }
        let proposed = plot(&spoilt, &Watch::default()).unwrap().proposal.unwrap_or(1.0);
        prop_assert!(proposed < 1000.0, "{proposed}");
        let (frame, _) = frame_of(&spoilt, vec![], proposed.max(6.0), false, &Watch::default()).unwrap();
        let key = |f: &hull_frames::Frame| {
            let mut all: Vec<[[i64; 3]; 2]> = f.members.iter().map(|m| {
                let mut ends = f.places(m).map(|p| p.map(|x| (x * 1e3).round() as i64));
                ends.sort_unstable();
                ends
            }).collect();
            all.sort_unstable();
            all
        };
        prop_assert_eq!(key(&frame), key(&expected));
        let figures = Figures::of(&frame);
        prop_assert_eq!((figures.groups, figures.lone), (1, 0));
    }
}

#[test]
fn an_end_near_a_member_divides_it_and_crossings_do_if_wished() {
    let piece = |a, b| Piece { ends: [a, b], layer: 0 };
    let beam = piece([0.0; 3], [1000.0, 0.0, 0.0]);
    let post = piece([400.0, 0.0, 3.0], [400.0, 0.0, 500.0]);
    let (frame, done) = frame_of(&[beam, post], vec![], 5.0, false, &Watch::default()).unwrap();
    assert_eq!((frame.members.len(), done.divided), (3, 1));
    let other = piece([500.0, -300.0, 1.0], [500.0, 300.0, 1.0]);
    for (wished, members) in [(false, 2), (true, 4)] {
        let (frame, _) = frame_of(&[beam, other], vec![], 2.0, wished, &Watch::default()).unwrap();
        assert_eq!(frame.members.len(), members);
    }
    assert_eq!(lerp([0.0; 3], scale([1.0; 3], 2.0), 0.5), [1.0; 3]);
    assert!(plot(&[], &Watch::default()).unwrap().proposal.is_none());
}
