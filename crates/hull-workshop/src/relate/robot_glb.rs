//! A robot as one binary glTF 2.0 file (ISO/IEC 12113): a node for each link below the one it hangs on, under its joint's
//! pose at nought, in metres; the scene's root brings Z up to the format's Y up. Joints themselves are no part of the format:
//! URDF and USD carry them.

use hull_formats::gltf;
use hull_geometry::Mesh;
use hull_robots::{Geometry, Pose, Robot};
use serde_json::{Value, json};

/// Writes what is seen of a robot; `meshes` are its files by their names, in metres.
pub fn write<'a>(robot: &Robot, mesh_of: impl Fn(&str) -> Option<&'a Mesh>) -> Vec<u8> {
    let mut out = Document::default();
    let half = std::f64::consts::FRAC_1_SQRT_2;
    out.nodes.push(json!({ "name": robot.name, "rotation": [-half, 0.0, 0.0, half] }));
    let first = out.nodes.len();
    for link in &robot.links {
        out.nodes.push(json!({ "name": link.name }));
    }
    for (i, link) in robot.links.iter().enumerate() {
        let mut children: Vec<usize> = Vec::new();
        for (k, joint) in robot.joints.iter().enumerate().filter(|(_, j)| j.parent == link.name) {
            if let Some(child) = robot.links.iter().position(|l| l.name == joint.child) {
                place(&mut out.nodes[first + child], &robot.joints[k].at);
                children.push(first + child);
            }
        }
        for shape in &link.visual {
            let Geometry::Mesh { file, scale } = &shape.geometry else { continue };
            let Some(mesh) = mesh_of(file) else { continue };
            let number = out.mesh(&link.name, mesh, shape.colour);
            let mut node = json!({ "name": format!("{} surface", link.name), "mesh": number, "scale": scale });
            place(&mut node, &shape.at);
            children.push(out.nodes.len());
            out.nodes.push(node);
        }
        if !children.is_empty() {
            out.nodes[first + i]["children"] = json!(children);
        }
    }
    let roots: Vec<usize> = (0..robot.links.len())
        .filter(|i| robot.joints.iter().all(|j| j.child != robot.links[*i].name))
        .map(|i| first + i)
        .collect();
    out.nodes[0]["children"] = json!(roots);
    out.packed()
}

fn place(node: &mut Value, pose: &Pose) {
    let [r, p, y] = pose.rpy.map(|x| (x / 2.0).sin_cos());
    // Roll, pitch and yaw about fixed axes as a quaternion x, y, z, w.
    let turned = [
        r.0 * p.1 * y.1 - r.1 * p.0 * y.0,
        r.1 * p.0 * y.1 + r.0 * p.1 * y.0,
        r.1 * p.1 * y.0 - r.0 * p.0 * y.1,
        r.1 * p.1 * y.1 + r.0 * p.0 * y.0,
    ];
    node["translation"] = json!(pose.xyz);
    node["rotation"] = json!(turned);
}

#[derive(Default)]
struct Document {
    bin: Vec<u8>,
    nodes: Vec<Value>,
    meshes: Vec<Value>,
    materials: Vec<Value>,
    accessors: Vec<Value>,
    views: Vec<Value>,
}

impl Document {
    /// Adds a mesh with its material; gives its number.
    fn mesh(&mut self, name: &str, mesh: &Mesh, colour: Option<[f64; 4]>) -> usize {
        let from = self.bin.len();
        let (mut low, mut high) = ([f32::INFINITY; 3], [f32::NEG_INFINITY; 3]);
        for p in &mesh.points {
            for k in 0..3 {
                let x = p[k] as f32;
                (low[k], high[k]) = (low[k].min(x), high[k].max(x));
                self.bin.extend(x.to_le_bytes());
            }
        }
        let facets = self.bin.len();
        mesh.triangles.iter().flatten().for_each(|p| self.bin.extend(p.0.to_le_bytes()));
        let views = self.views.len();
        self.views.push(json!({ "buffer": 0, "byteOffset": from, "byteLength": facets - from, "target": 34962 }));
        let length = self.bin.len() - facets;
        self.views.push(json!({ "buffer": 0, "byteOffset": facets, "byteLength": length, "target": 34963 }));
        let accessors = self.accessors.len();
        self.accessors.push(json!({ "bufferView": views, "componentType": 5126, "count": mesh.points.len(), "type": "VEC3", "min": low, "max": high }));
        let count = 3 * mesh.triangles.len();
        self.accessors
            .push(json!({ "bufferView": views + 1, "componentType": 5125, "count": count, "type": "SCALAR" }));
        let colour = colour.unwrap_or([0.6, 0.6, 0.6, 1.0]);
        self.materials.push(json!({
            "name": name, "doubleSided": true,
            "pbrMetallicRoughness": { "baseColorFactor": colour, "metallicFactor": 0.0, "roughnessFactor": 0.8 },
        }));
        let material = self.materials.len() - 1;
        let primitive = json!({ "attributes": { "POSITION": accessors }, "indices": accessors + 1, "material": material, "mode": 4 });
        self.meshes.push(json!({ "name": name, "primitives": [primitive] }));
        self.meshes.len() - 1
    }

    fn packed(self) -> Vec<u8> {
        let document = json!({
            "asset": { "version": "2.0", "generator": "Ready Hull" },
            "scene": 0, "scenes": [{ "nodes": [0] }],
            "nodes": self.nodes, "meshes": self.meshes, "materials": self.materials,
            "accessors": self.accessors, "bufferViews": self.views,
            "buffers": [{ "byteLength": self.bin.len() }],
        });
        gltf::pack(document.to_string().into_bytes(), self.bin)
    }
}
