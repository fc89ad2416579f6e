//! Primitives whose arrays are packed by the extension `KHR_draco_mesh_compression`.

use super::arrays::Arrays;
use super::document::Document;
use draco_core::{DecodeLimits, DecoderBuffer, Mesh, MeshDecoder};
use hull_geometry::Point;
use serde::Deserialize;
use std::collections::BTreeMap;

/// Where the packed arrays of a primitive are.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Packed {
    buffer_view: usize,
    /// Numbers of packed arrays by meaning.
    attributes: BTreeMap<String, u32>,
}

/// Points, and the order in which a primitive uses them.
pub type Used = (Vec<Point>, Vec<u32>);

/// The points and the corners of facets.
///
/// # Errors
/// A sentence.
pub fn unpack(d: &Document, arrays: &Arrays, packed: &Packed) -> Result<Used, String> {
    let (bytes, _) = arrays.view(d, packed.buffer_view)?;
    let mut mesh = Mesh::new();
    // Some hundred bytes may stand for millions of equal points: the library's own limits hold (2 GB of values).
    let mut buffer = DecoderBuffer::new(bytes).with_limits(DecodeLimits::default());
    let told = |e| format!("its packed arrays are damaged: {e}");
    MeshDecoder::new().decode(&mut buffer, &mut mesh).map_err(told)?;
    let which = packed.attributes.get("POSITION").ok_or("its packed arrays hold no places")?;
    let places = mesh.attribute_by_unique_id(*which).filter(|a| a.num_components() == 3);
    let places = places.ok_or("its packed arrays hold no places")?;
    let count = mesh.num_points();
    let numbers = places.read_f32s(count, 3);
    if let Some(i) = numbers.iter().position(|x| !x.is_finite()) {
        return Err(format!("packed place {} is not finite", i / 3));
    }
    let points = numbers.as_chunks::<3>().0.iter().map(|p| p.map(f64::from)).collect();
    let corners: Vec<u32> = mesh.faces().iter().flat_map(|f| f.map(|p| p.0)).collect();
    match corners.iter().find(|p| **p as usize >= count) {
        Some(wrong) => Err(format!("a packed facet names point {wrong}, but there are {count}, from 0")),
        None => Ok((points, corners)),
    }
}
