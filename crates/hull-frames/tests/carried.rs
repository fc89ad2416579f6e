//! A frame that is carried as a whole bears as it did: movements, reactions and forces go with it, whatever it is made of.

use hull_frames::modes::frequencies;
use hull_frames::statics::{Solved, solve};
use hull_frames::{End, Fix, Frame, Joint, Load, LoadKind, Material, Member, Section};
use hull_geometry::Point;
use hull_geometry::vector::{V3, cross, dot, norm, sub};
use proptest::prelude::*;

/// Sections of every kind: alike about no axis, one, two and all.
const SECTIONS: [&str; 8] =
    ["IPE 200", "U 100x50x5x8", "T 80x60x6x8", "L 80x60x6", "RHS 120x80x6", "CHS 60.3x4", "FLAT 100x10", "ROUND 20"];

/// One number of a movement: where axes come to, in which sense.
#[derive(Clone, Copy, Debug)]
struct Motion {
    /// Rows: what becomes x, y and z.
    rows: [V3; 3],
    shift: V3,
}

impl Motion {
    fn turn(&self, v: V3) -> V3 {
        self.rows.map(|r| dot(r, v))
    }

    fn place(&self, p: Point) -> Point {
        let q = self.turn(p);
        [0, 1, 2].map(|k| q[k] + self.shift[k])
    }

    fn hand(&self) -> f64 {
        dot(cross(self.rows[0], self.rows[1]), self.rows[2])
    }

    /// Six numbers along and about the axes: what turns about an axis turns the other way in a mirror.
    fn six(&self, v: [f64; 6]) -> [f64; 6] {
        let (a, b) = (self.turn([v[0], v[1], v[2]]), self.turn([v[3], v[4], v[5]]).map(|x| x * self.hand()));
        [a[0], a[1], a[2], b[0], b[1], b[2]]
    }
}

/// A quarter turn or a mirror of any kind: axes exchanged, each pointing either way.
fn along_axes() -> impl Strategy<Value = Motion> {
    let orders = [[0, 1, 2], [1, 2, 0], [2, 0, 1], [0, 2, 1], [2, 1, 0], [1, 0, 2]];
    (0..6_usize, any::<[bool; 3]>(), prop::array::uniform3(-5000.0..5000.0_f64)).prop_map(move |(o, way, shift)| {
        let row = |k: usize| {
            [0, 1, 2].map(|i| {
                if i != orders[o][k] {
                    0.0
                } else if way[k] {
                    1.0
                } else {
                    -1.0
                }
            })
        };
        Motion { rows: [row(0), row(1), row(2)], shift }
    })
}

/// Any turn, by a quaternion.
fn askew() -> impl Strategy<Value = Motion> {
    (prop::array::uniform4(-1.0..1.0_f64), prop::array::uniform3(-5000.0..5000.0_f64)).prop_filter_map(
        "no turn",
        |(q, shift)| {
            let n = q.iter().map(|x| x * x).sum::<f64>().sqrt();
            let [w, x, y, z] = q.map(|c| c / n);
            let rows = [
                [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y - w * z), 2.0 * (x * z + w * y)],
                [2.0 * (x * y + w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z - w * x)],
                [2.0 * (x * z - w * y), 2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y)],
            ];
            (n > 0.1).then_some(Motion { rows, shift })
        },
    )
}

/// Joints in a box, each with a member to one before it; sections, turns, hinges, offsets, supports and loads of every kind.
fn frames() -> impl Strategy<Value = Frame> {
    let joint = (prop::array::uniform3(0.0..4000.0_f64), any::<u32>(), prop::array::uniform6(-1.0..1.0_f64));
    let member = (0..SECTIONS.len(), -180.0..180.0_f64, 0..6_u8, prop::array::uniform3(-50.0..50.0_f64));
    (2..7_usize).prop_flat_map(move |n| {
        (prop::collection::vec(joint.clone(), n), prop::collection::vec(member.clone(), 2 * n)).prop_map(
            |(joints, members)| {
                let mut frame = Frame { layers: vec!["all".into()], ..Frame::default() };
                for (at, pick, _) in &joints {
                    // Now and then straight above the one before: “upright” is told apart.
                    let at = match frame.joints.last() {
                        Some(j) if pick % 4 == 0 => [j.at[0], j.at[1], j.at[2] + 700.0],
                        _ => *at,
                    };
                    frame.joints.push(Joint { at, ..Joint::default() });
                }
                let material = Some(frame.take_material(Material::named("S235").unwrap()));
                for (i, (section, turn, kind, offset)) in members.iter().enumerate() {
                    let (a, b) = (i % joints.len(), (joints[i % joints.len()].1 as usize / 7 + i) % joints.len());
                    // A tree first, so that all hangs together.
                    let ends = if i < joints.len() - 1 {
                        [(i + 1) as u32, (joints[i + 1].1 as usize % (i + 1)) as u32]
                    } else {
                        [a as u32, b as u32]
                    };
                    let section = Some(frame.take_section(Section::named(SECTIONS[*section]).unwrap()));
                    let joined =
                        if i >= joints.len() && *kind == 1 { [End::Pinned, End::Rigid] } else { [End::Rigid; 2] };
                    let offset = if *kind == 2 { [*offset, [0.0; 3]] } else { [[0.0; 3]; 2] };
                    let like = Member { section, material, turn: *turn, joined, ..Member::default() };
                    if frame.draw(ends, like) {
                        frame.members.last_mut().unwrap().offset = offset;
                    }
                }
                frame.joints[0].held = [Fix::Held; 6];
                for (i, (_, pick, force)) in joints.iter().enumerate().skip(1) {
                    for (k, way) in force.iter().enumerate() {
                        let size = if k < 3 { 1e3 } else { 1e6 };
                        frame.joints[i].held[k] = match pick >> (3 * k + 5) & 7 {
                            0 => Fix::Held,
                            1 => Fix::Spring(size * (2.0 + way)),
                            2 => Fix::Moved(way * if k < 3 { 3.0 } else { 0.002 }),
                            _ => Fix::Free,
                        };
                    }
                    let scaled = std::array::from_fn(|k| force[k] * if k < 3 { 1e3 } else { 1e6 });
                    frame
                        .loads
                        .push(Load { case: "a".into(), kind: LoadKind::Joint { joint: i as u32, force: scaled } });
                }
                for m in 0..frame.members.len() as u32 {
                    let force = members[m as usize].3.map(|x| x / 20.0);
                    let kind = if m % 2 == 0 {
                        LoadKind::Line { member: m, force }
                    } else {
                        LoadKind::Warmth { member: m, by: force[0] * 10.0, growth: 12e-6 }
                    };
                    frame.loads.push(Load { case: "a".into(), kind });
                }
                frame
            },
        )
    })
}

/// How far two lists of numbers are apart, against the largest of them.
fn apart<'a>(a: impl Iterator<Item = &'a f64>, b: impl Iterator<Item = &'a f64>) -> f64 {
    let (a, b): (Vec<f64>, Vec<f64>) = (a.copied().collect(), b.copied().collect());
    let largest = a.iter().chain(&b).fold(1e-9_f64, |m, x| m.max(x.abs()));
    a.iter().zip(&b).map(|(x, y)| (x - y).abs() / largest).fold(if a.len() == b.len() { 0.0 } else { 1.0 }, f64::max)
}

/// Movements and reactions are carried; forces along members are what they were, the sense of what acts across aside.
fn bears_alike(motion: &Motion, before: &Solved, after: &Solved) -> Result<(), TestCaseError> {
    for (what, a, b) in [("movements", &before.moved, &after.moved), ("reactions", &before.reactions, &after.reactions)]
    {
        let carried: Vec<[f64; 6]> = a.iter().map(|m| motion.six(*m)).collect();
        // Lengths and angles, forces and moments, are of different sizes.
        for part in [0..3, 3..6] {
            let of = |all: &[[f64; 6]]| all.iter().flat_map(|m| m[part.clone()].to_vec()).collect::<Vec<f64>>();
            let off = apart(of(&carried).iter(), of(b).iter());
            prop_assert!(off < 1e-6, "{} {:?} are {} off", what, part, off);
        }
    }
    for (m, n) in before.members.iter().zip(&after.members) {
        prop_assert!(apart(m.normal.iter(), n.normal.iter()) < 1e-6 || norm([m.normal[0], 0.0, 0.0]) < 1e-3);
        prop_assert!((m.stress - n.stress).abs() <= 1e-6 * m.stress.max(1e-6), "{} and {}", m.stress, n.stress);
        prop_assert!((m.share - n.share).abs() <= 1e-6 * m.share.max(1e-9));
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    /// Quarter turns and mirrors take supports of every kind along.
    #[test]
    fn a_frame_that_is_turned_along_axes_or_mirrored_bears_as_before(frame in frames(), motion in along_axes()) {
        let Ok(before) = solve(&frame, Some("a")) else { return Ok(()) };
        let mut carried = frame.clone();
        carried.carry(|p| motion.place(p));
        bears_alike(&motion, &before, &solve(&carried, Some("a")).unwrap())?;
        // There and back it is the frame it was: supports to the letter, places by rounding.
        let [i, j, k] = motion.rows;
        let back = Motion { rows: [0, 1, 2].map(|c| [i[c], j[c], k[c]]), shift: [0.0; 3] };
        carried.carry(|p| back.place(sub(p, motion.shift)));
        for (a, b) in frame.joints.iter().zip(&carried.joints) {
            prop_assert!(norm(sub(a.at, b.at)) < 1e-8);
            prop_assert_eq!(a.held, b.held);
        }
        for (a, b) in frame.members.iter().zip(&carried.members) {
            let off = (a.turn - b.turn).rem_euclid(180.0);
            prop_assert!(off.min(180.0 - off) < 1e-6, "{} and {}", a.turn, b.turn);
        }
    }

    /// Any other turn does where supports hold all directions alike.
    #[test]
    fn a_frame_that_is_turned_askew_bears_as_before(frame in frames(), motion in askew()) {
        let mut frame = frame;
        for joint in &mut frame.joints {
            let (along, about) = (joint.held[0], joint.held[3]);
            let alike = |fix: Fix| if let Fix::Moved(_) = fix { Fix::Held } else { fix };
            joint.held = [[alike(along); 3], [alike(about); 3]].concat().try_into().unwrap();
        }
        let Ok(before) = solve(&frame, Some("a")) else { return Ok(()) };
        let mut carried = frame.clone();
        carried.carry(|p| motion.place(p));
        bears_alike(&motion, &before, &solve(&carried, Some("a")).unwrap())?;
        // It also swings as it did.
        let of = |f: &Frame| frequencies(f, 3).map(|all| all.iter().map(|m| m.value).collect::<Vec<_>>());
        if let (Ok(a), Ok(b)) = (of(&frame), of(&carried)) {
            prop_assert!(apart(a.iter(), b.iter()) < 1e-4, "{:?} and {:?}", a, b);
        }
    }

    /// Sections stand in space as they stood: their axes are carried, up to the sense that a mirror image must change.
    #[test]
    fn sections_are_carried_with_their_members(frame in frames(), motion in prop_oneof![along_axes(), askew()]) {
        let mut carried = frame.clone();
        carried.carry(|p| motion.place(p));
        for (a, b) in frame.members.iter().zip(&carried.members) {
            let (was, is) = (frame.axes(a).map(|v| motion.turn(v)), carried.axes(b));
            let kept: Vec<bool> = (0..3).map(|k| dot(was[k], is[k]) > 1.0 - 1e-9).collect();
            let name = &frame.sections[a.section.unwrap() as usize].name;
            let expected = match motion.hand() > 0.0 {
                true => [true, true, true],
                // A channel opens to its side, whatever else does stands upright.
                false if name.starts_with('U') => [true, true, false],
                false => [true, false, true],
            };
            prop_assert_eq!(kept, expected, "{}", name);
        }
        let size = |f: &Frame| f.members.iter().map(|m| f.length(m)).collect::<Vec<_>>();
        prop_assert!(apart(size(&frame).iter(), size(&carried).iter()) < 1e-9);
    }

    /// A copy of members beside them bears what they bear: copied and mirrored sections stand as the others do.
    #[test]
    fn copies_stand_as_what_they_are_copies_of(frame in frames(), axis in 0..3_usize, is_mirror in any::<bool>()) {
        let mut both = frame.clone();
        let far = 20_000.0;
        let place = |mut p: Point| {
            p[axis] = if is_mirror { far - p[axis] } else { far + p[axis] };
            p
        };
        let all: Vec<usize> = (0..frame.members.len()).collect();
        let came = both.copy(&all, place);
        prop_assert_eq!(came, frame.members.len());
        for (a, b) in frame.members.iter().zip(&both.members[frame.members.len()..]) {
            let (mut was, is) = (frame.axes(a), both.axes(b));
            if is_mirror {
                was.iter_mut().for_each(|v| v[axis] = -v[axis]);
            }
            prop_assert!(dot(was[0], is[0]) > 1.0 - 1e-9);
            prop_assert!((1..3).all(|k| dot(was[k], is[k]).abs() > 1.0 - 1e-9), "{:?} for {:?}", is, was);
        }
    }
}

/// By hand: a cantilever along x, bent by a moment about y, mirrored at x = 0, is bent by the opposite moment.
#[test]
fn a_moment_in_a_mirror_turns_the_other_way() {
    let mut frame = Frame { layers: vec!["all".into()], ..Frame::default() };
    frame.joints = [[0.0; 3], [1000.0, 0.0, 0.0]].map(|at| Joint { at, ..Joint::default() }).to_vec();
    frame.joints[0].held = [Fix::Held; 6];
    let section = Some(frame.take_section(Section::named("IPE 200").unwrap()));
    let material = Some(frame.take_material(Material::named("S235").unwrap()));
    frame.members = vec![Member { ends: [0, 1], section, material, ..Member::default() }];
    let kind = LoadKind::Joint { joint: 1, force: [0.0, 0.0, 0.0, 0.0, 1e6, 0.0] };
    frame.loads = vec![Load { case: "a".into(), kind }];
    let down = |f: &Frame| solve(f, None).unwrap().moved[1][2];
    // M l² / (2 E I), downward.
    let expected = -1e6 * 1e6 / (2.0 * 210_000.0 * frame.sections[0].iy);
    assert!((down(&frame) - expected).abs() < 1e-9 * expected.abs(), "{} for {expected}", down(&frame));
    frame.carry(|p| [-p[0], p[1], p[2]]);
    assert_eq!(frame.joints[1].at, [-1000.0, 0.0, 0.0]);
    assert!((down(&frame) - expected).abs() < 1e-9 * expected.abs(), "the mirror image hangs as far");
    // A roller that lets go along x lets go along y after a quarter turn about z.
    frame.joints[1].held = [Fix::Free, Fix::Held, Fix::Held, Fix::Free, Fix::Free, Fix::Moved(0.001)];
    frame.carry(|[x, y, z]| [-y, x, z]);
    assert_eq!(frame.joints[1].held, [Fix::Held, Fix::Free, Fix::Held, Fix::Free, Fix::Free, Fix::Moved(0.001)]);
    frame.carry(|[x, y, z]| [x, -y, -z]);
    assert_eq!(frame.joints[1].held[5], Fix::Moved(-0.001), "turned over");
}
