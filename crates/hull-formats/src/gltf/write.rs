//! A surface as one binary file: a node for each part below one that brings it to metres with Y up.

use crate::format::Surface;
use hull_geometry::Unit;
use serde_json::{Value, json};

/// Writes a surface whose Z is up. Coordinates keep single precision, which is what the format has.
pub fn write(s: &Surface) -> Vec<u8> {
    let metres = s.unit.unwrap_or(Unit::Mm).millimetres() / 1000.0;
    let mut bin: Vec<u8> = Vec::with_capacity(s.mesh.points.len() * 12 + s.mesh.triangles.len() * 12);
    let (mut low, mut high) = ([f32::INFINITY; 3], [f32::NEG_INFINITY; 3]);
    for p in &s.mesh.points {
        for k in 0..3 {
            let x = p[k] as f32;
            (low[k], high[k]) = (low[k].min(x), high[k].max(x));
            bin.extend(x.to_le_bytes());
        }
    }
    let places = bin.len();
    let mut views = vec![json!({ "buffer": 0, "byteOffset": 0, "byteLength": places, "target": 34962 })];
    let mut accessors = vec![json!({
        "bufferView": 0, "componentType": 5126, "count": s.mesh.points.len(), "type": "VEC3", "min": low, "max": high,
    })];
    let (mut meshes, mut nodes): (Vec<Value>, Vec<Value>) = Default::default();
    let parts: Vec<_> = s.parts.iter().filter(|p| !p.facets.is_empty()).collect();
    // A quarter turn about x brings Z up to Y up.
    let half = std::f64::consts::FRAC_1_SQRT_2;
    let below: Vec<usize> = (1..=parts.len()).collect();
    nodes.push(json!({ "name": "metres, Y up", "rotation": [-half, 0.0, 0.0, half], "scale": [metres, metres, metres], "children": below }));
    for part in parts {
        let from = bin.len();
        for f in part.facets {
            s.mesh.triangles[*f].iter().for_each(|k| bin.extend(k.0.to_le_bytes()));
        }
        views.push(json!({ "buffer": 0, "byteOffset": from, "byteLength": bin.len() - from, "target": 34963 }));
        let indices = accessors.len();
        let count = 3 * part.facets.len();
        accessors
            .push(json!({ "bufferView": views.len() - 1, "componentType": 5125, "count": count, "type": "SCALAR" }));
        let primitive = json!({ "attributes": { "POSITION": 0 }, "indices": indices, "mode": 4 });
        nodes.push(json!({ "name": part.name, "mesh": meshes.len() }));
        meshes.push(json!({ "name": part.name, "primitives": [primitive] }));
    }
    let document = json!({
        "asset": { "version": "2.0", "generator": "Ready Hull" },
        "scene": 0, "scenes": [{ "nodes": [0] }],
        "nodes": nodes, "meshes": meshes, "accessors": accessors, "bufferViews": views,
        "buffers": [{ "byteLength": bin.len() }],
    });
    pack(document.to_string().into_bytes(), bin)
}

/// Both chunks with their heads, each a multiple of four bytes long.
pub fn pack(mut text: Vec<u8>, mut bin: Vec<u8>) -> Vec<u8> {
    text.resize(text.len().next_multiple_of(4), b' ');
    bin.resize(bin.len().next_multiple_of(4), 0);
    let length = 12 + 8 + text.len() + 8 + bin.len();
    let mut out = Vec::with_capacity(length);
    out.extend(b"glTF");
    out.extend(2_u32.to_le_bytes());
    out.extend((length as u32).to_le_bytes());
    for (kind, chunk) in [(b"JSON", &text), (b"BIN\0", &bin)] {
        out.extend((chunk.len() as u32).to_le_bytes());
        out.extend(kind);
        out.extend(chunk.as_slice());
    }
    out
}
