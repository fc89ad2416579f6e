//! A robot packed, and brought in again from what was packed: the same links, joints, masses and places.

use hull_geometry::cloud::Cloud;
use hull_geometry::shapes::cuboid;
use hull_geometry::transform::{rotate, translate};
use hull_geometry::{Mesh, Point, Watch};
use hull_robots::motion::places;
use hull_robots::plan::{Plan, PlannedFrame, PlannedJoint, PlannedLink};
use hull_robots::{JointKind, urdf};
use hull_workshop::body::{Facts, Scale};
use hull_workshop::robot::{Checked, checked, followed, packed};
use hull_workshop::robot_in::{Brought, brought, brought_stage};
use hull_workshop::scene::{Around, layers};
use hull_workshop::steps::mirror::{Across, Mirror};
use hull_workshop::steps::move_turn::MoveTurn;
use hull_workshop::steps::orient::Orient;
use hull_workshop::steps::scale_axes::ScaleAxes;
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::{Body, Destination, Step, apply};
use proptest::prelude::*;
use std::collections::BTreeSet;

fn block(size: Point, turned: f64, by: Point) -> Mesh {
    let mut mesh = cuboid(size);
    let (s, c) = turned.sin_cos();
    rotate(&mut mesh, &[[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]]);
    translate(&mut mesh, by);
    mesh
}

fn joint(kind: JointKind, parent: &str, child: &str, at: Point, axis: Point) -> PlannedJoint {
    let limits = kind.has_limits().then_some([-40.0, 75.0]);
    PlannedJoint {
        name: format!("to {child}"),
        kind,
        at,
        axis,
        limits,
        damping: 0.3,
        ..PlannedJoint::fixed(parent, child)
    }
}

const KINDS: [JointKind; 6] = [
    JointKind::Fixed,
    JointKind::Revolute,
    JointKind::Continuous,
    JointKind::Prismatic,
    JointKind::Planar,
    JointKind::Floating,
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, ..ProptestConfig::default() })]

    /// Built, packed, brought in, built again: names, kinds, limits, masses, and every link's place and box are as they were,
    /// wherever joints stand and however their axes lie.
    #[test]
    fn a_packed_robot_comes_in_as_it_went_out(
        sizes in prop::collection::vec(prop::array::uniform3(20.0..200.0_f64), 3..5),
        turns in prop::collection::vec(-3.0..3.0_f64, 5),
        spots in prop::collection::vec(prop::array::uniform3(-300.0..300.0_f64), 5),
        kinds in prop::collection::vec(0..KINDS.len(), 5),
        mass in 0.5..20.0_f64,
    ) {
        let names: Vec<String> = (0..sizes.len()).map(|i| format!("link_{i}")).collect();
        let meshes: Vec<Mesh> = sizes.iter().enumerate().map(|(i, s)| block(*s, turns[i], spots[i])).collect();
        let mut plan = Plan { name: "bench".into(), ..Plan::default() };
        for (i, name) in names.iter().enumerate() {
            plan.links.push(PlannedLink { mass: (i == 1).then_some(mass), ..PlannedLink::of(name, name) });
        }
        for i in 1..names.len() {
            let axis = [turns[i], 1.0, 0.3 * turns[i - 1]];
            plan.joints.push(joint(KINDS[kinds[i]], &names[(i - 1) / 2], &names[i], spots[i], axis));
        }
        plan.frames.push(PlannedFrame { name: "tool".into(), link: names[2].clone(), at: spots[0], axis: [0.0, 1.0, 1.0] });
        let watch = Watch::default();
        let sent = checked(&plan, &meshes, &watch).map_err(|e| TestCaseError::fail(e.to_string()))?;
        let (files, _) = packed(&plan, &sent, &[], &watch).map_err(|e| TestCaseError::fail(e.to_string()))?;
        let description = files.iter().find(|f| f.0.ends_with(".urdf")).expect("always packed");
        let back = brought(&description.1, &files, &watch).map_err(TestCaseError::fail)?;
        same(&sent, &back, (1e-12, 1e-6))?;
        // The stage keeps single precision, and its turns as quaternions.
        let stage = files.iter().find(|f| f.0.ends_with(".usda")).expect("always packed");
        let back = brought_stage("robot.usda", &stage.1, &watch).map_err(TestCaseError::fail)?;
        same(&sent, &back, (2e-6, 1e-5))?;
    }
}

/// Whether a robot that was brought in is the one that was sent: figures to a relative, places in m to an absolute bound.
fn same(sent: &Checked, back: &Brought, (relative, places_off): (f64, f64)) -> Result<(), TestCaseError> {
    let own: Vec<Mesh> = back.bodies.iter().map(|b| b.1.clone()).collect();
    let again = checked(&back.plan, &own, &Watch::default()).map_err(|e| TestCaseError::fail(e.to_string()))?;
    let (a, b) = (&sent.built.robot, &again.built.robot);
    // Frames are no bodies of a stage.
    let is_there = |name: &str| b.links.iter().any(|l| l.name == name);
    let frames = a.links.iter().filter(|l| l.is_frame() && !is_there(&l.name)).count();
    prop_assert_eq!(a.links.len(), b.links.len() + frames);
    prop_assert_eq!(a.joints.len(), b.joints.len() + frames);
    let (at_a, at_b) = (places(a, &[]), places(b, &[]));
    for (i, link) in a.links.iter().enumerate().filter(|(_, l)| is_there(&l.name)) {
        let j = b.links.iter().position(|l| l.name == link.name).expect("is there");
        for k in 0..3 {
            prop_assert!((at_a[i].shift[k] - at_b[j].shift[k]).abs() < places_off, "{}", link.name);
        }
        if let (Some(x), Some(y)) = (&link.inertia, &b.links[j].inertia) {
            let (x, y) = (x.seen_from(&at_a[i]), y.seen_from(&at_b[j]));
            let most = x.moments.iter().fold(0.0_f64, |m, v| m.max(v.abs()));
            prop_assert!((x.mass - y.mass).abs() <= relative * x.mass, "{} {}", x.mass, y.mass);
            for k in 0..6 {
                let off = (x.moments[k] - y.moments[k]).abs();
                prop_assert!(off <= 10.0 * relative * most, "{}: {:?} {:?}", link.name, x.moments, y.moments);
            }
        }
        let (x, y) = (sent.built.seen[i].bounds(), again.built.seen[j].bounds());
        // Meshes went out in single precision.
        if !sent.built.seen[i].triangles.is_empty() {
            let off = (0..3).map(|k| (x.min[k] - y.min[k]).abs().max((x.max[k] - y.max[k]).abs())).fold(0.0, f64::max);
            prop_assert!(off < places_off, "{}: {off}", link.name);
        }
    }
    for j in a.joints.iter().filter(|j| is_there(&j.child)) {
        let k = b.joints.iter().find(|k| k.child == j.child).expect("the same joint");
        prop_assert_eq!((j.kind, &j.parent), (k.kind, &k.parent));
        for (x, y) in j.limits.into_iter().flatten().zip(k.limits.into_iter().flatten()) {
            prop_assert!((x - y).abs() < places_off, "{} {}", x, y);
        }
        for x in 0..3 {
            prop_assert!(!j.kind.has_axis() || (j.axis[x] - k.axis[x]).abs() < places_off, "{:?} {:?}", j.axis, k.axis);
        }
    }
    Ok(())
}

/// A link that has nothing to see goes into its neighbour or becomes a frame; one between joints that move gets a stand-in,
/// and is told; what did not come, or is no tree, is refused.
#[test]
fn links_without_anything_to_see_are_dealt_with_and_told() {
    let text = r#"<robot name="r">
  <link name="world"/><link name="base"><visual><geometry><box size="0.2 0.2 0.1"/></geometry></visual></link>
  <link name="knuckle"/><link name="finger"><visual><origin xyz="0 0 0.05"/><geometry><cylinder radius="0.01" length="0.1"/></geometry></visual><inertial><mass value="0.2"/></inertial></link>
  <link name="tip"/>
  <joint name="a" type="fixed"><parent link="world"/><child link="base"/><origin xyz="0 0 1"/></joint>
  <joint name="b" type="revolute"><parent link="base"/><child link="knuckle"/><origin xyz="0.1 0 0"/><axis xyz="0 1 0"/><limit lower="-1" upper="1" effort="1" velocity="1"/></joint>
  <joint name="c" type="revolute"><parent link="knuckle"/><child link="finger"/><origin rpy="0 1.5707963267948966 0"/><axis xyz="1 0 0"/><limit lower="-1" upper="1" effort="1" velocity="1"/></joint>
  <joint name="d" type="fixed"><parent link="finger"/><child link="tip"/><origin xyz="0 0 0.1"/></joint>
</robot>"#;
    let watch = Watch::default();
    let found = brought(text.as_bytes(), &[], &watch).unwrap();
    let names: Vec<&str> = found.plan.links.iter().map(|l| l.name.as_str()).collect();
    assert_eq!(names, ["base", "knuckle", "finger"]);
    assert!(found.notes.iter().any(|n| n.contains("“knuckle” has nothing to see")), "{:?}", found.notes);
    // The finger lies along x, from the knuckle at 0.1 m, a metre up; its tip is a frame there.
    let tip = found.plan.frames.iter().find(|f| f.name == "tip").expect("a frame");
    let (tip, finger) = (tip, found.bodies[2].1.bounds());
    assert!(tip.link == "finger" && (tip.at[0] - 200.0).abs() < 1e-9 && (tip.at[2] - 1000.0).abs() < 1e-9);
    assert!((finger.min[0] - 100.0).abs() < 1e-9 && (finger.max[0] - 200.0).abs() < 1e-9, "{finger:?}");
    let meshes: Vec<Mesh> = found.bodies.iter().map(|b| b.1.clone()).collect();
    let built = checked(&found.plan, &meshes, &watch).unwrap().built.robot;
    assert_eq!((built.links.len(), built.links[2].inertia.unwrap().mass), (5, 0.2));
    assert_eq!(urdf::read(urdf::write(&built).as_bytes()).unwrap().robot, built);

    // Only the tree is held against it: a joint that lacks its limits, called "root" or not, is told on the page.
    let bare = text
        .replace(r#"<joint name="b""#, r#"<joint name="root""#)
        .replace(r#"<limit lower="-1" upper="1" effort="1" velocity="1"/>"#, "");
    assert_eq!(brought(bare.as_bytes(), &[], &watch).unwrap().plan.joints[0].name, "root");
    let twice = text.replace(r#"<link name="tip"/>"#, r#"<link name="tip"/><link name="base"/>"#);
    assert!(brought(twice.as_bytes(), &[], &watch).unwrap_err().contains("2 × link of the name “base”"));

    let two = text.replace(r#"<child link="base"/>"#, r#"<child link="tip"/>"#);
    assert!(brought(two.as_bytes(), &[], &watch).unwrap_err().contains("no tree"));
    let mesh = text.replace(r#"<box size="0.2 0.2 0.1"/>"#, r#"<mesh filename="a.stl"/>"#);
    let told = brought(mesh.as_bytes(), &[], &watch).unwrap();
    assert!(told.notes.iter().any(|n| n.contains("mesh “a.stl” did not come with it")), "{:?}", told.notes);
    // What is touched is shown where nothing to see came.
    let touched = r#"<collision><geometry><box size="0.2 0.2 0.1"/></geometry></collision></link>"#;
    let touched =
        mesh.replace(r#""a.stl"/></geometry></visual></link>"#, &format!(r#""a.stl"/></geometry></visual>{touched}"#));
    let shown = brought(touched.as_bytes(), &[], &watch).unwrap();
    assert!(shown.notes.iter().any(|n| n.contains("mesh “a.stl” did not come with it")), "{:?}", shown.notes);
    let size = shown.bodies[0].1.bounds().size();
    assert!((0..3).all(|k| (size[k] - [200.0, 200.0, 100.0][k]).abs() < 1e-9), "{size:?}");
    let all = mesh.replace(r#"<cylinder radius="0.01" length="0.1"/>"#, r#"<mesh filename="package://x/b.stl"/>"#);
    assert!(brought(all.as_bytes(), &[], &watch).unwrap_err().contains("Send a zip"));
    assert!(brought(b"<robot", &[], &watch).is_err());
}

fn stepped(body: Body, steps: &[Step]) -> Body {
    let asks_nothing = Destination::asking_nothing();
    steps.iter().fold(body, |b, step| apply(&b, step, &asks_nothing, &Watch::default()).unwrap().0)
}

/// What a file declares of a link goes with its body: after turning, moving, mirroring and another unit, the declared mass
/// stands where the body's own integrals are. Bodies of one link that go different ways, or stretched ones, are refused.
#[test]
fn declared_masses_follow_their_bodies() {
    let text = r#"<robot name="r"><link name="base">
  <visual><origin xyz="0.2 0.1 0.3" rpy="0.3 0.2 0.1"/><geometry><box size="0.2 0.1 0.05"/></geometry></visual>
  <collision><origin xyz="0.2 0.1 0.3" rpy="0.3 0.2 0.1"/><geometry><box size="0.2 0.1 0.05"/></geometry></collision>
  <inertial><origin xyz="0.2 0.1 0.3" rpy="0.3 0.2 0.1"/><mass value="12"/>
    <inertia ixx="0.0125" iyy="0.0425" izz="0.05" ixy="0" ixz="0" iyz="0"/></inertial>
</link></robot>"#;
    let watch = Watch::default();
    let found = brought(text.as_bytes(), &[], &watch).unwrap();
    let facts = Facts { scale: Some(Scale::Unit(hull_geometry::Unit::Mm)), ..Facts::default() };
    let body = Body { mesh: found.bodies[0].1.clone(), facts, ..Body::default() };
    let turned =
        Step::MoveTurn(MoveTurn { turn: [20.0, -50.0, 70.0], about: [10.0, 0.0, 0.0], by: [0.0, 400.0, 30.0] });
    let steps = [
        Step::Orient(Orient {
            up: hull_geometry::transform::Axis::PlusY,
            forward: hull_geometry::transform::Axis::MinusZ,
        }),
        turned.clone(),
        Step::Mirror(Mirror { axis: Across::X, in_place: true }),
        Step::SetUnit(SetUnit { unit: hull_geometry::Unit::Cm }),
    ];
    let moved = stepped(body.clone(), &steps);
    let plan = followed(&found.plan, |_| moved.facts.placed).unwrap();
    let declared = checked(&plan, std::slice::from_ref(&moved.mesh), &watch).unwrap();
    let mut own = found.plan.clone();
    own.links[0].inertia = None;
    let measured = checked(&own, std::slice::from_ref(&moved.mesh), &watch).unwrap();
    let figures = |c: &Checked| {
        let i = c.built.robot.links[0].inertia.unwrap();
        [[i.mass].as_slice(), &i.at.xyz, &i.moments].concat()
    };
    for (a, b) in figures(&declared).into_iter().zip(figures(&measured)) {
        assert!((a - b).abs() < 1e-9 * (1.0 + b.abs()), "{a} {b}");
    }
    let cost = &declared.built.links[0].collision;
    assert!(cost.sticks_out < 1e-9 && cost.volume_error.abs() < 1e-9, "{cost:?}");
    // Left where it was, nothing of the plan changes.
    assert_eq!(followed(&found.plan, |_| body.facts.placed).unwrap(), found.plan);

    let mut two = found.plan.clone();
    two.links[0].parts.push("lid".into());
    let apart = |part: &str| if part == "lid" { None } else { moved.facts.placed };
    assert!(followed(&two, apart).unwrap_err().to_string().contains("moved apart"));
    let stretched = stepped(body, &[Step::ScaleAxes(ScaleAxes { factors: [1.0, 2.0, 1.0] })]);
    assert!(followed(&two, |_| stretched.facts.placed).unwrap_err().to_string().contains("stretched"));
    // What is told to be done ends it.
    two.links[0].inertia = None;
    assert!(followed(&two, |_| stretched.facts.placed).is_err(), "its shapes to touch are its file's still");
    two.links[0].collision = hull_robots::plan::Collision::Hull;
    assert_eq!(followed(&two, |_| stretched.facts.placed).unwrap(), two);
}

/// Bodies around a robot are layers of their own in one scene, whatever they are called: as the robot, as the scene, or alike.
#[test]
fn bodies_around_a_robot_have_layers_of_their_own() {
    for robot in ["crane", "scene"] {
        let stage = format!(
            "#usda 1.0\n(\n    defaultPrim = \"{robot}\"\n    metersPerUnit = 1\n    upAxis = \"Z\"\n)\n\ndef Xform \"{robot}\"\n{{\n}}\n"
        );
        let names = ["Crane", "Scene", "deck plate", "deck_plate", "Deck plate 2", "deck-plate", "甲板"];
        let body =
            |name: &&str| Around { name: (*name).into(), mesh: cuboid([40.0, 30.0, 20.0]), cloud: Cloud::default() };
        let around: Vec<Around> = names.iter().map(body).collect();
        let (files, rows) = layers(robot, &stage, &around, &Watch::default()).unwrap();
        let called: BTreeSet<&str> = files.iter().map(|f| f.0.as_str()).collect();
        assert_eq!(called.len(), files.len(), "{:?}", files.iter().map(|f| &f.0).collect::<Vec<_>>());
        assert!(rows.len() == names.len() && rows.iter().all(|r| r.same && r.sent == "12"), "{rows:?}");
        // The scene has nothing of its own, which is said where somebody opens it; each layer has its body, in metres.
        let scene =
            files.iter().find(|f| f.0.starts_with("scene") && f.0.ends_with(".usdz") && f.0 != format!("{robot}.usdz"));
        let (name, bytes) = scene.expect("a scene");
        let why = hull_formats::open(name, bytes, &Watch::default()).unwrap_err().to_string();
        assert!(why.contains("refers to other layers"), "{why}");
        let has_a_body = |f: &&(String, Vec<u8>)| match hull_formats::open(&f.0, &f.1, &Watch::default()) {
            Ok(hull_formats::Content::Facets(read)) => {
                read.mesh.triangles.len() == 12 && (read.mesh.bounds().size()[0] - 0.04).abs() < 1e-9
            }
            _ => false,
        };
        let bodies = files.iter().filter(|f| f.0.ends_with(".usdc")).filter(has_a_body).count();
        assert_eq!(bodies, names.len());
    }
}
