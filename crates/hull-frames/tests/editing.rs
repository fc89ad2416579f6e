//! Changes to frames: what they keep, and that they undo each other.

use hull_frames::statics::solve;
use hull_frames::{Combination, End, Fix, Frame, Joint, Load, LoadKind, Material, Member, Section};
use proptest::prelude::*;

const FIXED: [Fix; 6] = [Fix::Held; 6];

/// A portal: two posts of a height, a beam of a width, feet fixed; an even load on the beam and a push at its corner.
fn portal(width: f64, height: f64) -> Frame {
    let at = [[0.0, 0.0, 0.0], [0.0, 0.0, height], [width, 0.0, height], [width, 0.0, 0.0]];
    let mut frame = Frame { layers: vec!["all".into()], ..Frame::default() };
    frame.joints = at.iter().map(|p| Joint { at: *p, ..Joint::default() }).collect();
    (frame.joints[0].held, frame.joints[3].held) = (FIXED, FIXED);
    let section = Some(frame.take_section(Section::named("IPE 200").unwrap()));
    let material = Some(frame.take_material(Material::named("S235").unwrap()));
    let member = |ends| Member { ends, section, material, ..Member::default() };
    frame.members = vec![member([0, 1]), member([1, 2]), member([2, 3])];
    let load = |case: &str, kind| Load { case: case.into(), kind };
    frame.loads = vec![
        load("snow", LoadKind::Line { member: 1, force: [0.0, 0.0, -3.0] }),
        load("wind", LoadKind::Joint { joint: 1, force: [2000.0, 500.0, 0.0, 0.0, 0.0, 0.0] }),
        load("wind", LoadKind::Line { member: 0, force: [0.5, 0.0, 0.0] }),
        load("weight", LoadKind::Weight { acceleration: [0.0, 0.0, -9806.65] }),
    ];
    frame
}

proptest! {
    /// Loads are linear: a combination moves every joint as its cases do, each times its factor.
    #[test]
    fn a_combination_is_the_sum_of_its_cases(width in 1000.0..8000.0_f64, height in 1000.0..5000.0_f64, f in prop::array::uniform3(-2.0..2.0_f64)) {
        let mut frame = portal(width, height);
        let names = ["snow", "wind", "weight"];
        let parts = names.iter().zip(f).map(|(n, f)| (n.to_string(), f)).collect();
        frame.combinations.push(Combination { name: "all".into(), parts });
        let together = solve(&frame, Some("all")).unwrap();
        let alone: Vec<_> = names.iter().map(|n| solve(&frame, Some(n)).unwrap()).collect();
        for (j, moved) in together.moved.iter().enumerate() {
            for (k, value) in moved.iter().enumerate() {
                let sum: f64 = alone.iter().zip(f).map(|(s, f)| f * s.moved[j][k]).sum();
                let size: f64 = alone.iter().map(|s| s.moved[j][k].abs()).fold(1e-9, f64::max);
                prop_assert!((value - sum).abs() <= 1e-8 * size, "{value} for {sum}");
            }
        }
    }

    /// Dividing members moves nothing, and merging straight pieces gives the frame as it was.
    #[test]
    fn dividing_and_merging_undo_each_other(width in 1000.0..8000.0_f64, height in 1000.0..5000.0_f64, pieces in prop::array::uniform3(1_usize..6), pinned in any::<bool>()) {
        let mut frame = portal(width, height);
        if pinned {
            frame.members[1].joined = [End::Pinned, End::Rigid];
        }
        let whole = frame.clone();
        for (m, n) in pieces.iter().enumerate() {
            let shares: Vec<f64> = (1..*n).map(|k| k as f64 / *n as f64).collect();
            frame.divide_at(m, &shares);
        }
        prop_assert_eq!(frame.members.len(), pieces.iter().sum::<usize>());
        let (a, b) = (solve(&whole, None).unwrap(), solve(&frame, None).unwrap());
        for j in 0..4 {
            for k in 0..6 {
                prop_assert!((a.moved[j][k] - b.moved[j][k]).abs() <= 1e-7 * a.largest_move().0.max(1e-3));
            }
        }
        let went = frame.merge_straight(0.1);
        prop_assert_eq!(went, pieces.iter().sum::<usize>() - 3);
        prop_assert_eq!(&frame.members, &whole.members);
        prop_assert_eq!(&frame.joints, &whole.joints);
        prop_assert_eq!(frame.loads.len(), whole.loads.len());
    }
}

#[test]
fn what_holds_loads_or_meets_a_joint_keeps_it() {
    let divided = || {
        let mut frame = portal(4000.0, 3000.0);
        let middle = frame.divide_at(1, &[0.5])[0];
        (frame, middle)
    };
    let (mut free, _) = divided();
    assert_eq!(free.merge_straight(0.1), 1);
    let (mut held, middle) = divided();
    held.joints[middle as usize].held[2] = Fix::Held;
    assert_eq!(held.merge_straight(0.1), 0);
    let (mut loaded, middle) = divided();
    loaded.loads.push(Load { case: "a".into(), kind: LoadKind::Joint { joint: middle, force: [1.0; 6] } });
    assert_eq!(loaded.merge_straight(0.1), 0);
    let (mut hinged, _) = divided();
    hinged.members[1].joined[1] = End::Pinned;
    assert_eq!(hinged.merge_straight(0.1), 0);
    let (mut other, _) = divided();
    other.members[1].turn = 90.0;
    assert_eq!(other.merge_straight(0.1), 0);
    let (mut met, middle) = divided();
    let foot = met.joint_at([2000.0, 0.0, 0.0], 0.0);
    assert!(met.draw([middle, foot], Member::default()));
    assert_eq!(met.merge_straight(0.1), 0);
}

#[test]
fn a_member_that_is_drawn_meets_joints_and_divides_what_it_ends_on() {
    let mut frame = portal(4000.0, 3000.0);
    // From the middle of the beam, a millimetre off, to a foot.
    let from = frame.joint_at([2001.0, 0.0, 3000.0], 2.0);
    let to = frame.joint_at([0.5, 0.0, 0.0], 2.0);
    assert_eq!((frame.members.len(), to), (4, 0));
    assert!((frame.joints[from as usize].at[0] - 2001.0).abs() < 1e-9);
    assert!(frame.draw([from, to], Member::default()));
    assert!(!frame.draw([to, from], Member::default()), "there is one between them");
    assert!(!frame.draw([to, to], Member::default()));
    // The load along the beam is on both its pieces.
    let along: Vec<u32> = frame
        .loads
        .iter()
        .filter_map(|l| {
            if let LoadKind::Line { member, force } = l.kind { (force[2] < 0.0).then_some(member) } else { None }
        })
        .collect();
    assert_eq!(along, [1, 3]);
}

#[test]
fn copies_share_joints_and_what_goes_takes_its_loads_along() {
    let mut frame = portal(4000.0, 3000.0);
    // The next bay has a post already: beam and far post come, with two joints.
    assert_eq!(frame.copy(&[0, 1, 2], |p| [p[0] + 4000.0, p[1], p[2]]), 2);
    assert_eq!((frame.members.len(), frame.joints.len()), (5, 6));
    // Mirrored in its middle it lies on itself.
    assert_eq!(frame.copy(&[0, 1, 2, 3, 4], |p| [8000.0 - p[0], p[1], p[2]]), 0);
    let kept: Vec<bool> = (0..5).map(|m| m != 1).collect();
    frame.keep(&kept);
    assert_eq!((frame.members.len(), frame.joints.len(), frame.loads.len()), (4, 6, 3));
    assert!(frame.loads.iter().all(|l| !matches!(l.kind, LoadKind::Line { force, .. } if force[2] < 0.0)));
    frame.keep(&[true, false, false, false]);
    assert_eq!(frame.joints.len(), 2);
}
