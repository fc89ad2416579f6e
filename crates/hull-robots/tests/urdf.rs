//! Descriptions: read, checked, written again; broken ones refused or told.

use hull_robots::checks::{findings, principal};
use hull_robots::{JointKind, urdf};
use proptest::prelude::*;

const ARM: &str = r#"<?xml version="1.0"?>
<robot name="winch &amp; arm">
  <material name="grey"><color rgba="0.5 0.5 0.5 1"/></material>
  <link name="base"><visual><geometry><mesh filename="meshes/base.stl" scale="0.001 0.001 0.001"/></geometry></visual></link>
  <link name="arm">
    <inertial><origin xyz="0 0 0.5"/><mass value="12"/><inertia ixx="1" ixy="0" ixz="0" iyy="1" iyz="0" izz="0.1"/></inertial>
    <visual><geometry><cylinder radius="0.05" length="1"/></geometry><material name="grey"/></visual>
    <collision><origin xyz="0 0 0.5" rpy="0 0 1"/><geometry><box size="0.1 0.1 1"/></geometry></collision>
  </link>
  <joint name="slew" type="revolute">
    <parent link="base"/><child link="arm"/><origin xyz="0 0 0.2"/><axis xyz="0 0 1"/>
    <limit lower="-1.5" upper="1.5" effort="300" velocity="0.5"/><dynamics damping="0.1"/>
  </joint>
</robot>"#;

#[test]
fn a_description_is_read_whole_checked_and_written_the_same() {
    let read = urdf::read(ARM.as_bytes()).unwrap();
    let robot = &read.robot;
    assert_eq!((robot.name.as_str(), robot.links.len(), robot.joints[0].kind), ("winch & arm", 2, JointKind::Revolute));
    assert_eq!((robot.mass(), robot.meshes(), robot.roots()), (12.0, vec!["meshes/base.stl"], vec!["base"]));
    assert!(read.skipped.is_empty() && robot.links[1].visual[0].colour == Some([0.5, 0.5, 0.5, 1.0]));
    assert!(findings(robot, |_| true).is_empty(), "{:?}", findings(robot, |_| true));
    assert_eq!(findings(robot, |_| false), ["mesh “meshes/base.stl” is not there"]);
    assert_eq!(urdf::read(urdf::write(robot).as_bytes()).unwrap().robot, *robot);
}

#[test]
fn each_fault_is_told_with_its_name() {
    for (from, to, why) in [
        (r#"<parent link="base"/>"#, r#"<parent link="deck"/>"#, "leads from link “deck”"),
        (r#"<child link="arm"/>"#, r#"<child link="base"/>"#, "loop"),
        (r#"<link name="base">"#, r#"<link name="arm">"#, "2 × link of the name “arm”"),
        (r#"xyz="0 0 1"/>"#, r#"xyz="0 0 0"/>"#, "axis of no length"),
        (r#"xyz="0 0 1"/>"#, r#"xyz="0 0 2"/>"#, "length 2.0000"),
        (r#"lower="-1.5""#, r#"lower="2""#, "the wrong way round"),
        (r#"<mass value="12"/>"#, r#"<mass value="0"/>"#, "a mass of 0"),
        (r#"izz="0.1""#, r#"izz="3""#, "no body has"),
        (r#"izz="0.1""#, r#"izz="-1""#, "not positive"),
        ("meshes/base.stl", "package://winch/base.stl", "on this machine only"),
        (r#"<link name="base">"#, r#"<link name="loose"/><link name="base">"#, "2 links are roots"),
        (r#"size="0.1 0.1 1""#, r#"size="0.1 0 1""#, "shape of no size"),
    ] {
        assert!(ARM.contains(from), "{from}");
        let all = findings(&urdf::read(ARM.replacen(from, to, 1).as_bytes()).unwrap().robot, |_| true);
        assert!(all.iter().any(|f| f.contains(why)), "{to}: {all:?}");
    }
}

#[test]
fn what_is_no_description_is_refused_with_its_line() {
    let bomb = format!("<!DOCTYPE robot [<!ENTITY a \"aaaa\">]>\n{ARM}");
    for (text, why) in [
        (bomb.as_str(), "line 1: a document type"),
        (&ARM[..ARM.len() - 8], "cut off"),
        ("<sdf/>", "no element “robot”"),
        ("", "no element “robot”"),
        (&ARM.replace("value=\"12\"", "value=\"NaN\""), "line 6: “NaN” is not a finite number"),
        (&ARM.replace("xyz=\"0 0 1\"", "xyz=\"0 0\""), "not three finite numbers"),
        (&ARM.replace("revolute", "hinge"), "no type of a joint"),
    ] {
        let error = urdf::read(text.as_bytes()).unwrap_err();
        assert!(error.contains(why), "{error} for {why}");
    }
}

proptest! {
    /// A box's moments about any turned axes are those about its own.
    #[test]
    fn principal_moments_do_not_depend_on_the_axes(size in [0.1..2.0_f64, 0.1..2.0_f64, 0.1..2.0_f64], turn in [0.0..6.0_f64, 0.0..6.0_f64]) {
        let [x, y, z] = size.map(|s| s * s / 12.0);
        let mut own = [y + z, x + z, x + y];
        let (s, c) = turn[0].sin_cos();
        // About z, then about x.
        let [a, b, d] = own;
        let (xx, yy, xy) = (a * c * c + b * s * s, a * s * s + b * c * c, (a - b) * s * c);
        let (s, c) = turn[1].sin_cos();
        let turned = [xx, xy * c, xy * s, yy * c * c + d * s * s, (yy - d) * s * c, yy * s * s + d * c * c];
        own.sort_by(f64::total_cmp);
        let found = principal(&turned);
        for (f, o) in found.iter().zip(own) {
            prop_assert!((f - o).abs() < 1e-6 * own[2], "{found:?} against {own:?}");
        }
    }

    #[test]
    fn random_bytes_never_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), at in 0..1000_usize) {
        let _ = urdf::read(&bytes);
        let mut text = ARM.as_bytes().to_vec();
        let n = text.len();
        text.splice(at % n..at % n, bytes);
        if let Ok(read) = urdf::read(&text) {
            let _ = findings(&read.robot, |_| true);
        }
    }
}
