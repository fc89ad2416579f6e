//! The trial against closed forms: beams and columns of handbooks (Roark; Timoshenko and Gere, *Theory of Elastic Stability*;
//! Blevins, *Formulas for Natural Frequency*), and sections against tables.

use hull_frames::modes::{buckling, frequencies};
use hull_frames::statics::{mechanism, solve};
use hull_frames::{End, Fix, Frame, Joint, Load, LoadKind, Material, Member, Section};
use proptest::prelude::*;
use std::f64::consts::PI;

const HELD: [Fix; 6] = [Fix::Held; 6];
const PINNED: [Fix; 6] = [Fix::Held, Fix::Held, Fix::Held, Fix::Free, Fix::Free, Fix::Free];

/// A straight run of `n` members along x, `length` long.
fn beam(length: f64, n: usize) -> Frame {
    let at = |i: usize| [length * i as f64 / n as f64, 0.0, 0.0];
    let mut frame =
        Frame { joints: (0..=n).map(|i| Joint { at: at(i), ..Joint::default() }).collect(), ..Frame::default() };
    let section = frame.take_section(Section::named("RHS 100x50x5").unwrap());
    let material = frame.take_material(Material::named("S235").unwrap());
    frame.members = (0..n as u32)
        .map(|i| Member { ends: [i, i + 1], section: Some(section), material: Some(material), ..Member::default() })
        .collect();
    frame
}

fn force(frame: &mut Frame, joint: u32, force: [f64; 6]) {
    frame.loads.push(Load { case: "test".into(), kind: LoadKind::Joint { joint, force } });
}

fn line(frame: &mut Frame, force: [f64; 3]) {
    for member in 0..frame.members.len() as u32 {
        frame.loads.push(Load { case: "test".into(), kind: LoadKind::Line { member, force } });
    }
}

fn close(what: &str, ours: f64, exact: f64, relative: f64) {
    assert!((ours - exact).abs() <= relative * exact.abs(), "{what}: {ours} against {exact}");
}

#[test]
fn a_cantilever_bends_shears_and_turns_as_timoshenko_says() {
    for (axis, z) in [(2, true), (1, false)] {
        let (l, p) = (2000.0, 1000.0);
        let mut frame = beam(l, 1);
        frame.joints[0].held = HELD;
        let mut load = [0.0; 6];
        (load[axis], load[0], load[3]) = (-p, 500.0, 2e5);
        force(&mut frame, 1, load);
        let (s, m) = (frame.sections[0].clone(), frame.materials[0].clone());
        let (i, shear) = if z { (s.iy, s.shear[1]) } else { (s.iz, s.shear[0]) };
        let solved = solve(&frame, None).unwrap();
        let tip = solved.moved[1];
        close("deflection", -tip[axis], p * l.powi(3) / (3.0 * m.young * i) + p * l / (m.shear * shear), 1e-9);
        close("stretch", tip[0], 500.0 * l / (m.young * s.area), 1e-9);
        close("twist", tip[3], 2e5 * l / (m.shear * s.torsion), 1e-9);
        close("reaction", solved.reactions[0][axis], p, 1e-9);
        let bending = if z { &solved.members[0].bending[0] } else { &solved.members[0].bending[1] };
        close("moment at the root", bending[0].abs(), p * l, 1e-9);
        assert!(bending[10].abs() < 1e-6 * p * l && solved.imbalance < 1e-9);
    }
}

#[test]
fn beams_under_even_load_have_the_moments_of_handbooks_wherever_they_stand() {
    let (l, q) = (3000.0, 2.0);
    // Held at both ends: q l²/12 at the ends, q l²/24 in the middle. Propped: q l²/8 at the held end.
    let mut both = beam(l, 1);
    (both.joints[0].held, both.joints[1].held) = (HELD, HELD);
    line(&mut both, [0.0, 0.0, -q]);
    let solved = solve(&both, Some("test")).unwrap();
    close("ends", solved.members[0].bending[0][0].abs(), q * l * l / 12.0, 1e-9);
    close("middle", solved.members[0].bending[0][5].abs(), q * l * l / 24.0, 1e-9);
    assert!(solved.members[0].bending[0][0] * solved.members[0].bending[0][5] < 0.0);
    // A pin is a held joint whose member lets go of the turn.
    let mut pinned = both.clone();
    pinned.members[0].joined = [End::Pinned, End::Pinned];
    let solved = solve(&pinned, None).unwrap();
    close("simple span", solved.members[0].bending[0][5].abs(), q * l * l / 8.0, 1e-9);
    assert!(solved.members[0].bending[0][0].abs() < 1e-6 * q * l * l);
    // Turned in space, loaded along the same local direction, it is the same.
    let mut turned = both.clone();
    turned.joints[1].at = [l * 0.6, 0.0, l * 0.8];
    turned.loads.clear();
    line(&mut turned, [0.8 * q, 0.0, -0.6 * q]);
    let solved = solve(&turned, None).unwrap();
    close("turned", solved.members[0].bending[0][0].abs(), q * l * l / 12.0, 1e-9);
    // Support that settles: 6 E I d / l² in a beam without shear; with shear it is divided by 1 + phi.
    let mut settled = both.clone();
    settled.loads.clear();
    settled.joints[1].held[2] = Fix::Moved(-5.0);
    let (s, m) = (settled.sections[0].clone(), settled.materials[0].clone());
    let phi = 12.0 * m.young * s.iy / (m.shear * s.shear[1] * l * l);
    let solved = solve(&settled, None).unwrap();
    close("settled", solved.members[0].bending[0][0].abs(), 6.0 * m.young * s.iy * 5.0 / (l * l) / (1.0 + phi), 1e-9);
}

#[test]
fn warmth_pushes_and_weight_adds_up() {
    let mut frame = beam(1000.0, 2);
    (frame.joints[0].held, frame.joints[2].held) = (HELD, HELD);
    for member in 0..2 {
        let kind = LoadKind::Warmth { member, by: 30.0, growth: 1.2e-5 };
        frame.loads.push(Load { case: "sun".into(), kind });
    }
    frame.loads.push(Load { case: "weight".into(), kind: LoadKind::Weight { acceleration: [0.0, 0.0, -9806.65] } });
    let (s, m) = (&frame.sections[0], &frame.materials[0]);
    let solved = solve(&frame, Some("sun")).unwrap();
    close("push", -solved.members[0].normal[3], m.young * s.area * 1.2e-5 * 30.0, 1e-9);
    let solved = solve(&frame, Some("weight")).unwrap();
    let up: f64 = solved.reactions.iter().map(|r| r[2]).sum();
    close("weight", up, frame.mass() * 9806.65, 1e-9);
    assert!(solved.imbalance < 1e-9);
}

#[test]
fn four_columns_buckle_at_eulers_loads() {
    let l = 4000.0;
    let free = PINNED;
    let mut guided = HELD;
    guided[0] = Fix::Free;
    let mut slides = PINNED;
    (slides[0], slides[3]) = (Fix::Free, Fix::Held);
    let cases = [
        ([HELD, [Fix::Free; 6]], 2.0),
        ([with_twist(free), slides], 1.0),
        ([HELD, slides], 0.699_156),
        ([HELD, guided], 0.5),
    ];
    for ([first, last], factor) in cases {
        let mut frame = beam(l, 4);
        (frame.joints[0].held, frame.joints[4].held) = (first, last);
        force(&mut frame, 4, [-1.0, 0.0, 0.0, 0.0, 0.0, 0.0]);
        let (s, m) = (frame.sections[0].clone(), frame.materials[0].clone());
        let euler = PI * PI * m.young * s.iz / (factor * l).powi(2);
        // Shear makes it a little softer: Engesser, 1 / (1 + P / G A).
        let exact = euler / (1.0 + euler / (m.shear * s.shear[0]));
        let found = buckling(&frame, None).unwrap().expect("it is pressed").value;
        close(&format!("column {factor}"), found, exact, 2e-3);
    }
    let mut pulled = beam(l, 1);
    pulled.joints[0].held = HELD;
    force(&mut pulled, 1, [1.0, 0.0, 0.0, 0.0, 0.0, 0.0]);
    assert!(buckling(&pulled, None).unwrap().is_none());
}

fn with_twist(mut held: [Fix; 6]) -> [Fix; 6] {
    held[3] = Fix::Held;
    held
}

/// Members that only bend, for closed forms that know no other way to give: `RHS 100x50x5` with a large area and no shear.
fn only_bending(frame: &mut Frame) {
    let section = &mut frame.sections[0];
    (section.area, section.shear) = (section.area * 1e5, [section.shear[0] * 1e5, section.shear[1] * 1e5]);
}

/// A portal held at its feet, pushed at the corner: Kleinlogel, *Rahmenformeln*, frame with fixed feet, from memory. With k =
/// (I of the beam / I of posts) · h / l the feet turn against H h (3 k + 1) / (6 k + 1) / 2 and the corners against
/// H h · 3 k / (6 k + 1) / 2. On pins the corners take H h / 2 and the feet push and pull H h / l.
#[test]
fn portals_take_a_push_as_kleinlogel_says() {
    let (h, l, push) = (3000.0, 5000.0, 1000.0);
    for pinned in [false, true] {
        let mut frame = beam(l, 3);
        only_bending(&mut frame);
        // Upright members bend about their strong axis in the plane x–z once they are turned.
        let places = [[0.0, 0.0, 0.0], [0.0, 0.0, h], [l, 0.0, h], [l, 0.0, 0.0]];
        frame.joints = places.map(|at| Joint { at, ..Joint::default() }).to_vec();
        for joint in [0, 3] {
            frame.joints[joint].held =
                if pinned { [Fix::Held, Fix::Held, Fix::Held, Fix::Held, Fix::Free, Fix::Held] } else { HELD };
        }
        force(&mut frame, 1, [push, 0.0, 0.0, 0.0, 0.0, 0.0]);
        let solved = solve(&frame, None).unwrap();
        // The web of an upright member lies along x: its strong axis is y, as the beam's is.
        let k = h / l;
        let (foot, corner) = if pinned {
            (0.0, push * h / 2.0)
        } else {
            (push * h / 2.0 * (3.0 * k + 1.0) / (6.0 * k + 1.0), push * h / 2.0 * 3.0 * k / (6.0 * k + 1.0))
        };
        let [post, beam, _] = [0, 1, 2].map(|m| &solved.members[m].bending[0]);
        assert!((post[0].abs() - foot).abs() < 1e-4 * push * h, "foot {} against {foot}", post[0]);
        close("corner", post[10].abs(), corner, 1e-3);
        close("beam", beam[0].abs(), corner, 1e-3);
        close("feet", solved.reactions[3][2], 2.0 * corner / l, 1e-3);
    }
}

/// A half circle on two pins under a force at its crown: the pins push outward with P / π (Timoshenko, *Strength of Materials*).
/// Its chords come nearer with the square of their length.
#[test]
fn an_arch_of_chords_converges_to_its_thrust() {
    let (radius, load) = (3000.0, 1000.0);
    let off = |n: usize| {
        let mut frame = beam(1.0, n);
        only_bending(&mut frame);
        for (i, j) in frame.joints.iter_mut().enumerate() {
            let (s, c) = (PI * i as f64 / n as f64).sin_cos();
            j.at = [-radius * c, 0.0, radius * s];
        }
        let pin = [Fix::Held, Fix::Held, Fix::Held, Fix::Held, Fix::Free, Fix::Held];
        (frame.joints[0].held, frame.joints[n].held) = (pin, pin);
        force(&mut frame, (n / 2) as u32, [0.0, 0.0, -load, 0.0, 0.0, 0.0]);
        let solved = solve(&frame, None).unwrap();
        close("half of it each side", solved.reactions[0][2], load / 2.0, 1e-6);
        (solved.reactions[0][0] / (load / PI) - 1.0).abs()
    };
    let [coarse, fine, finer] = [8, 16, 32].map(off);
    assert!(coarse < 0.05 && fine < coarse / 3.5 && finer < fine / 3.5, "{coarse} {fine} {finer}");
}

#[test]
fn beams_sing_at_the_frequencies_of_blevins() {
    let l = 6000.0;
    // (λ / l)² √(E I / m) / 2π, for the first two in the weak plane and the first in the strong one.
    for (held, lambdas) in [([HELD, [Fix::Free; 6]], [1.875_104, 4.694_091]), ([HELD, HELD], [4.730_041, 7.853_205])] {
        let mut frame = beam(l, 6);
        (frame.joints[0].held, frame.joints[6].held) = (held[0], held[1]);
        let (s, m) = (frame.sections[0].clone(), frame.materials[0].clone());
        let exact =
            |lambda: f64, i: f64| (lambda / l).powi(2) * (m.young * i / (m.density * s.area)).sqrt() / (2.0 * PI);
        let found: Vec<f64> = frequencies(&frame, 4).unwrap().iter().map(|f| f.value).collect();
        close("first, weak", found[0], exact(lambdas[0], s.iz), 3e-3);
        close("first, strong", found[1], exact(lambdas[0], s.iy), 4e-3);
        close("second, weak", found[2], exact(lambdas[1], s.iz), 6e-3);
    }
}

#[test]
fn a_square_of_pins_moves_freely_and_a_brace_holds_it() {
    let corner = |x: f64, z: f64| Joint { at: [x, 0.0, z], ..Joint::default() };
    let mut frame = beam(1000.0, 1);
    frame.joints = vec![corner(0.0, 0.0), corner(0.0, 1000.0), corner(1000.0, 1000.0), corner(1000.0, 0.0)];
    (frame.joints[0].held, frame.joints[3].held) = (PINNED, PINNED);
    // Out of its plane it is held, so that only the sway is left.
    for j in [1, 2] {
        (frame.joints[j].held[1], frame.joints[j].held[3]) = (Fix::Held, Fix::Held);
    }
    let bar = |ends: [u32; 2], of: &Member| Member { ends, joined: [End::Pinned; 2], ..of.clone() };
    let of = frame.members[0].clone();
    frame.members = vec![bar([0, 1], &of), bar([1, 2], &of), bar([2, 3], &of)];
    let found = mechanism(&frame).unwrap().expect("it sways");
    assert_eq!(found.joints, [1, 2]);
    assert!((found.moved[1][0] - found.moved[2][0]).abs() < 1e-6 && found.moved[1][2].abs() < 1e-6);
    assert!(solve(&frame, None).is_err());
    frame.members.push(bar([0, 2], &of));
    assert!(mechanism(&frame).unwrap().is_none());
    force(&mut frame, 2, [1000.0, 0.0, 0.0, 0.0, 0.0, 0.0]);
    let solved = solve(&frame, None).unwrap();
    // A truss: the brace takes √2 of the force, nothing bends.
    close("brace", solved.members[3].normal[0], 1000.0 * 2.0_f64.sqrt(), 1e-9);
    // Nothing at all is supported: it is told, not computed.
    frame.joints.iter_mut().for_each(|j| j.held = [Fix::Free; 6]);
    assert!(mechanism(&frame).unwrap().is_some());
}

/// Area in cm², second moments in cm⁴, torsion in cm⁴: EN 10210-2:2006, tables B; EN 10365 section tables; *from memory*.
#[test]
fn sections_carry_what_the_tables_say() {
    for (name, area, iy, iz, torsion, digits) in [
        ("RHS 100x50x5", 13.7, 167.0, 54.3, 135.0, 0.005),
        ("SHS 100x5", 18.7, 279.0, 279.0, 439.0, 0.004),
        ("CHS 114.3x5", 17.2, 257.0, 257.0, 514.0, 0.004),
        ("IPE 200", 28.48, 1943.0, 142.4, 6.98, 0.01),
        ("IPE 300", 53.81, 8356.0, 603.8, 20.12, 0.01),
        ("HEA 200", 53.83, 3692.0, 1336.0, 20.98, 0.015),
        ("HEB 200", 78.08, 5696.0, 2003.0, 59.28, 0.01),
    ] {
        let s = Section::named(name).unwrap();
        close(&format!("{name}: A"), s.area / 1e2, area, 3e-3);
        close(&format!("{name}: Iy"), s.iy / 1e4, iy, 4e-3);
        close(&format!("{name}: Iz"), s.iz / 1e4, iz, 4e-3);
        close(&format!("{name}: J"), s.torsion / 1e4, torsion, digits);
    }
    for bad in ["RHS 100x50x40", "IPE 205", "XYZ 10", "RHS 100", "CHS -5x1", "", "FLAT 10xNaN"] {
        assert!(Section::named(bad).is_err(), "{bad}");
    }
}

/// Ends on springs: of q l²/12 a spring of k leaves 1 / (1 + 2 E I / (k l)) (slope and deflection; shear does not count, both
/// sides being alike), and between the held and the hinged beam everything is met.
#[test]
fn elastic_ends_take_their_share_of_the_moment() {
    let (l, q) = (3000.0, 2.0);
    let mut frame = beam(l, 1);
    (frame.joints[0].held, frame.joints[1].held) = (HELD, HELD);
    line(&mut frame, [0.0, 0.0, -q]);
    let (s, m) = (frame.sections[0].clone(), frame.materials[0].clone());
    for k in [1e6, 1e9, 3.7e9, 1e12] {
        frame.members[0].joined = [End::Elastic(k); 2];
        let solved = solve(&frame, None).unwrap();
        let share = 1.0 / (1.0 + 2.0 * m.young * s.iy / (k * l));
        let bending = &solved.members[0].bending[0];
        close("ends", bending[0].abs(), share * q * l * l / 12.0, 1e-9);
        close("middle", bending[5].abs(), q * l * l / 8.0 - share * q * l * l / 12.0, 1e-9);
        close("feet", solved.reactions[0][4].abs(), share * q * l * l / 12.0, 1e-9);
        assert!(solved.imbalance < 1e-9);
    }
    // A column on a spring at its foot, held at its head against moving only: between Euler's first and the propped one.
    let column = |end: End| {
        let mut frame = beam(l, 1);
        frame.joints[0].held = HELD;
        frame.joints[1].held = [Fix::Free, Fix::Held, Fix::Held, Fix::Held, Fix::Free, Fix::Free];
        frame.members[0].joined[0] = end;
        force(&mut frame, 1, [-1000.0, 0.0, 0.0, 0.0, 0.0, 0.0]);
        buckling(&frame, None).unwrap().unwrap().value
    };
    let all = [End::Pinned, End::Elastic(1e7), End::Elastic(1e9), End::Rigid].map(column);
    assert!(all.windows(2).all(|w| w[0] < w[1]), "{all:?}");
    close("nearly held", column(End::Elastic(1e15)), all[3], 1e-4);
}

/// A member beside its joints: an eccentric push bends it all along by the push times its distance.
#[test]
fn an_offset_member_is_bent_by_what_pushes_beside_it() {
    let (l, push, beside) = (2500.0, 4000.0, 80.0);
    let mut frame = beam(l, 1);
    frame.joints[0].held = HELD;
    frame.members[0].offset = [[0.0, 0.0, beside]; 2];
    force(&mut frame, 1, [-push, 0.0, 0.0, 0.0, 0.0, 0.0]);
    let (s, m) = (frame.sections[0].clone(), frame.materials[0].clone());
    let solved = solve(&frame, None).unwrap();
    let turn = push * beside * l / (m.young * s.iy);
    solved.members[0].bending[0].iter().for_each(|b| close("moment", b.abs(), push * beside, 1e-9));
    close("stress", solved.members[0].stress, push / s.area + push * beside * s.reach[0] / s.iy, 1e-9);
    close("turn", solved.moved[1][4].abs(), turn, 1e-9);
    close("deflection", solved.moved[1][2].abs(), turn * l / 2.0, 1e-9);
    // The joint goes as the member's end does, and further by its turn.
    close("push", -solved.moved[1][0], push * l / (m.young * s.area) + turn * beside, 1e-9);
    close("foot", solved.reactions[0][4].abs() + 1.0, 1.0, 1e-6 * push * beside);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// A portal whose members end beside its joints moves, and is bent, as one with very stiff short pieces there; copied and
    /// divided it keeps them.
    #[test]
    fn offsets_are_stiff_pieces(offsets in prop::collection::vec(prop::array::uniform3(20.0..120.0_f64), 6)) {
        let places = [[0.0, 0.0, 0.0], [0.0, 0.0, 3000.0], [4000.0, 200.0, 3000.0], [4000.0, 0.0, 0.0]];
        let mut frame = beam(1000.0, 3);
        frame.joints = places.map(|at| Joint { at, ..Joint::default() }).to_vec();
        (frame.joints[0].held, frame.joints[3].held) = (HELD, HELD);
        for (i, m) in frame.members.iter_mut().enumerate() {
            m.offset = [offsets[2 * i], offsets[2 * i + 1]];
        }
        line(&mut frame, [0.1, -0.2, -1.0]);
        force(&mut frame, 1, [900.0, 300.0, 0.0, 0.0, 1e5, 0.0]);
        let solved = solve(&frame, None).unwrap();
        prop_assert!(solved.imbalance < 1e-9);

        let mut stiff = frame.clone();
        let steel = Material { young: 2.1e6, shear: 8.1e5, ..Material::named("S235").unwrap() };
        let material = stiff.take_material(Material { name: "stiff".into(), density: 0.0, ..steel });
        let section = stiff.take_section(Section { name: "thick".into(), area: 1e6, iy: 1e10, iz: 1e10, torsion: 1e10, shear: [1e6; 2], ..Section::named("RHS 100x50x5").unwrap() });
        for i in 0..3 {
            let ends = frame.places(&frame.members[i]);
            for (end, at) in ends.into_iter().enumerate() {
                let joint = stiff.joints.len() as u32;
                stiff.joints.push(Joint { at, ..Joint::default() });
                let before = std::mem::replace(&mut stiff.members[i].ends[end], joint);
                stiff.members.push(Member { ends: [before, joint], section: Some(section), material: Some(material), ..Member::default() });
            }
            stiff.members[i].offset = [[0.0; 3]; 2];
        }
        let wanted = solve(&stiff, None).unwrap();
        for j in 0..4 {
            for k in 0..6 {
                let scale = if k < 3 { 1.0 } else { 1e-3 };
                prop_assert!((solved.moved[j][k] - wanted.moved[j][k]).abs() < 2e-4 * scale, "{j} {k}: {} {}", solved.moved[j][k], wanted.moved[j][k]);
            }
        }
        for (a, b) in solved.members.iter().zip(&wanted.members) {
            prop_assert!((a.stress - b.stress).abs() < 1e-3 * b.stress, "{} {}", a.stress, b.stress);
        }
        let divided = solve(&frame.divided(3), None).unwrap();
        for j in 0..4 {
            prop_assert!((0..3).all(|k| (solved.moved[j][k] - divided.moved[j][k]).abs() < 1e-9 * (1.0 + solved.moved[j][k].abs())));
        }
    }
}
