//! USD as text: links as transforms with masses, meshes to see and to touch, joints of the physics schema. Metres, Z up.

use crate::cameras::{Intrinsics, Stand};
use crate::model::{Geometry, Inertia, JointKind, Pose, Robot, Shape};
use crate::motion::places;
use hull_geometry::Mesh;
use hull_geometry::vector::V3;
use std::fmt::Write as _;

/// What a body that weighs nothing weighs in a stage, where nought would mean that its mass follows from its volume: a
/// milligram.
pub const ALMOST_NOTHING: Inertia =
    Inertia { at: Pose { xyz: [0.0; 3], rpy: [0.0; 3] }, mass: 1e-6, moments: [1e-9, 0.0, 0.0, 1e-9, 0.0, 1e-9] };

/// A camera on a link: the link's name, its own, its numbers, and how it stands in the link's frame.
pub type Mounted<'a> = (&'a str, &'a str, Intrinsics, Stand);

/// Writes a stage; `mesh` gives the mesh of a file that the robot names, with its colour.
pub fn write(robot: &Robot, cameras: &[Mounted], mesh: impl Fn(&str) -> Option<(Mesh, Option<[u8; 3]>)>) -> String {
    let mut x = String::new();
    let name = &robot.name;
    // Writing to memory cannot fail.
    let _ = write!(
        x,
        "#usda 1.0\n(\n    defaultPrim = \"{name}\"\n    metersPerUnit = 1\n    kilogramsPerUnit = 1\n    upAxis = \"Z\"\n)\n\n\
         def Xform \"{name}\" (\n    prepend apiSchemas = [\"PhysicsArticulationRootAPI\"]\n)\n{{\n"
    );
    let at = places(robot, &vec![0.0; robot.joints.len()]);
    for (link, place) in robot.links.iter().zip(&at) {
        // A frame is a place alone.
        let schemas = match link.is_frame() {
            true => "",
            false => " (\n        prepend apiSchemas = [\"PhysicsRigidBodyAPI\", \"PhysicsMassAPI\"]\n    )",
        };
        let _ = write!(x, "    def Xform \"{}\"{schemas}\n    {{\n", link.name);
        if let Some(i) = &link.inertia.or_else(|| (!link.is_frame()).then_some(ALMOST_NOTHING)) {
            let (axes, moments) = crate::checks::principal_axes(&i.moments);
            let q = quaternion(&axes);
            let _ = write!(
                x,
                "        float physics:mass = {}\n        point3f physics:centerOfMass = {}\n        float3 physics:diagonalInertia = {}\n        quatf physics:principalAxes = ({}, {}, {}, {})\n",
                i.mass,
                triple(i.at.xyz),
                triple(moments),
                q[0],
                q[1],
                q[2],
                q[3]
            );
        }
        transform(&mut x, 8, &place.rotation, place.shift);
        for (k, shape) in link.visual.iter().enumerate() {
            solid(&mut x, &format!("seen_{}", k + 1), shape, &mesh, false);
        }
        for (k, shape) in link.collision.iter().enumerate() {
            solid(&mut x, &format!("touched_{}", k + 1), shape, &mesh, true);
        }
        cameras.iter().filter(|c| c.0 == link.name).for_each(|c| camera(&mut x, c));
        x.push_str("    }\n");
    }
    let is_frame = |name: &str| robot.links.iter().any(|l| l.name == name && l.is_frame());
    for j in robot.joints.iter().filter(|j| !is_frame(&j.child)) {
        let kind = match j.kind {
            JointKind::Fixed => "PhysicsFixedJoint",
            JointKind::Revolute | JointKind::Continuous => "PhysicsRevoluteJoint",
            JointKind::Prismatic => "PhysicsPrismaticJoint",
            JointKind::Planar | JointKind::Floating => "PhysicsJoint",
        };
        // The joint's own x is its axis.
        let [a, b] = across(j.axis);
        let q = quaternion(&[j.axis, a, b]);
        let turn = rows(&j.at);
        let above = quaternion(&[j.axis, a, b].map(|v| turn.map(|row| hull_geometry::vector::dot(row, v))));
        let _ = write!(
            x,
            "    def {kind} \"{}\"{}\n    {{\n        rel physics:body0 = </{name}/{}>\n        rel physics:body1 = </{name}/{}>\n        point3f physics:localPos0 = {}\n        point3f physics:localPos1 = (0, 0, 0)\n        quatf physics:localRot0 = ({}, {}, {}, {})\n        quatf physics:localRot1 = ({}, {}, {}, {})\n",
            j.name,
            if j.kind == JointKind::Planar { LOCKED_SCHEMAS } else { "" },
            j.parent,
            j.child,
            triple(j.at.xyz),
            above[0],
            above[1],
            above[2],
            above[3],
            q[0],
            q[1],
            q[2],
            q[3]
        );
        if j.kind.has_axis() && j.kind != JointKind::Planar {
            x.push_str("        uniform token physics:axis = \"X\"\n");
        }
        if j.kind == JointKind::Planar {
            x.push_str(
                &LOCKED
                    .map(|m| {
                        format!("        float limit:{m}:physics:low = 1\n        float limit:{m}:physics:high = -1\n")
                    })
                    .concat(),
            );
        }
        if let Some(l) = j.limits {
            let [from, to] = if j.kind == JointKind::Revolute { l.map(f64::to_degrees) } else { l };
            let _ = write!(x, "        float physics:lowerLimit = {from}\n        float physics:upperLimit = {to}\n");
        }
        x.push_str("    }\n");
    }
    x + "}\n"
}

/// What a planar joint about its own x does not do: a lower limit above the upper one locks.
const LOCKED: [&str; 3] = ["transX", "rotY", "rotZ"];
const LOCKED_SCHEMAS: &str = " (\n        prepend apiSchemas = [\"PhysicsLimitAPI:transX\", \"PhysicsLimitAPI:rotY\", \"PhysicsLimitAPI:rotZ\"]\n    )";

/// Looks along −z with y up; the aperture in tenths of a unit, as the schema has it.
fn camera(x: &mut String, (_, name, lens, stand): &Mounted) {
    const APERTURE: f64 = 20.955;
    let _ = write!(
        x,
        "        def Camera \"{name}\"\n        {{\n            float horizontalAperture = {APERTURE}\n            float verticalAperture = {}\n            float focalLength = {}\n            float2 clippingRange = (0.01, 1000)\n",
        APERTURE * lens.height as f64 / lens.width as f64,
        APERTURE * lens.focal / lens.width as f64
    );
    let [right, down, forward] = stand.axes;
    let columns = [right, down.map(|x| -x), forward.map(|x| -x)];
    let rotation = [0, 1, 2].map(|i| columns.map(|c| c[i]));
    transform(x, 12, &rotation, stand.at);
    x.push_str("        }\n");
}

fn triple(v: V3) -> String {
    format!("({}, {}, {})", v[0], v[1], v[2])
}

fn transform(x: &mut String, indent: usize, rotation: &[V3; 3], shift: V3) {
    let pad = " ".repeat(indent);
    let r = rotation;
    // Rows of the matrix are where x, y and z go.
    let _ = write!(
        x,
        "{pad}matrix4d xformOp:transform = ( ({}, {}, {}, 0), ({}, {}, {}, 0), ({}, {}, {}, 0), ({}, {}, {}, 1) )\n{pad}uniform token[] xformOpOrder = [\"xformOp:transform\"]\n",
        r[0][0], r[1][0], r[2][0], r[0][1], r[1][1], r[2][1], r[0][2], r[1][2], r[2][2], shift[0], shift[1], shift[2]
    );
}

/// The rows of the turn of a place.
fn rows(at: &Pose) -> [V3; 3] {
    let [r, p, y] = at.rpy;
    let (sr, cr) = r.sin_cos();
    let (sp, cp) = p.sin_cos();
    let (sy, cy) = y.sin_cos();
    [
        [cy * cp, cy * sp * sr - sy * cr, cy * sp * cr + sy * sr],
        [sy * cp, sy * sp * sr + cy * cr, sy * sp * cr - cy * sr],
        [-sp, cp * sr, cp * cr],
    ]
}

fn pose(x: &mut String, at: &Pose) {
    transform(x, 12, &rows(at), at.xyz);
}

fn solid(
    x: &mut String,
    name: &str,
    shape: &Shape,
    mesh: &impl Fn(&str) -> Option<(Mesh, Option<[u8; 3]>)>,
    touched: bool,
) {
    let (schema, purpose) = if touched {
        (
            " (\n            prepend apiSchemas = [\"PhysicsCollisionAPI\"]\n        )",
            "            uniform token purpose = \"guide\"\n",
        )
    } else {
        ("", "")
    };
    let mut open = |kind: &str| {
        let _ = write!(x, "        def {kind} \"{name}\"{schema}\n        {{\n{purpose}");
    };
    match &shape.geometry {
        Geometry::Sphere(r) => {
            open("Sphere");
            let _ = writeln!(x, "            double radius = {r}");
        }
        Geometry::Cylinder(r, l) => {
            open("Cylinder");
            let _ = write!(
                x,
                "            double radius = {r}\n            double height = {l}\n            uniform token axis = \"Z\"\n"
            );
        }
        Geometry::Box(size) => {
            open("Cube");
            let _ = writeln!(x, "            double size = 1");
            let [r, p, y] = shape.at.rpy;
            let _ = write!(
                x,
                "            double3 xformOp:translate = {}\n            float3 xformOp:rotateXYZ = {}\n            float3 xformOp:scale = {}\n            uniform token[] xformOpOrder = [\"xformOp:translate\", \"xformOp:rotateXYZ\", \"xformOp:scale\"]\n        }}\n",
                triple(shape.at.xyz),
                triple([r, p, y].map(f64::to_degrees)),
                triple(*size)
            );
            return;
        }
        Geometry::Mesh { file, .. } => {
            let Some((m, colour)) = mesh(file) else { return };
            open("Mesh");
            let counts = vec!["3"; m.triangles.len()].join(", ");
            let corners: Vec<String> = m.triangles.iter().flatten().map(|p| p.0.to_string()).collect();
            let points: Vec<String> = m.points.iter().map(|p| triple(*p)).collect();
            let _ = write!(
                x,
                "            int[] faceVertexCounts = [{counts}]\n            int[] faceVertexIndices = [{}]\n            point3f[] points = [{}]\n            uniform token subdivisionScheme = \"none\"\n",
                corners.join(", "),
                points.join(", ")
            );
            if let Some(c) = colour {
                let _ = writeln!(
                    x,
                    "            color3f[] primvars:displayColor = [{}]",
                    triple(c.map(|v| f64::from(v) / 255.0))
                );
            }
        }
    }
    pose(x, &shape.at);
    x.push_str("        }\n");
}

/// Two directions across a third, right-handed with it.
pub(crate) fn across(z: V3) -> [V3; 2] {
    let [x, y] = hull_geometry::section::directions(z);
    [x, y]
}

/// The turn that brings x, y and z to axes, its real part first.
fn quaternion(axes: &[V3; 3]) -> [f64; 4] {
    let m = |i: usize, j: usize| axes[j][i];
    let trace = m(0, 0) + m(1, 1) + m(2, 2);
    if trace > 0.0 {
        let s = 2.0 * (trace + 1.0).sqrt();
        return [0.25 * s, (m(2, 1) - m(1, 2)) / s, (m(0, 2) - m(2, 0)) / s, (m(1, 0) - m(0, 1)) / s];
    }
    let i = (0..3).max_by(|a, b| m(*a, *a).total_cmp(&m(*b, *b))).unwrap_or(0);
    let (j, k) = ((i + 1) % 3, (i + 2) % 3);
    let s = 2.0 * (1.0 + m(i, i) - m(j, j) - m(k, k)).sqrt();
    let mut q = [(m(k, j) - m(j, k)) / s, 0.0, 0.0, 0.0];
    q[1 + i] = 0.25 * s;
    q[1 + j] = (m(j, i) + m(i, j)) / s;
    q[1 + k] = (m(k, i) + m(i, k)) / s;
    q
}
