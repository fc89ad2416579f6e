//! The description: what of it says where facets are.

use super::arrays::Arrays;
use super::coded::{Coded, MOST_BYTES};
use super::packed::Packed;
use crate::format::Beside;
use crate::text::shown;
use base64::Engine;
use serde::Deserialize;
use serde::de::IgnoredAny;
use std::borrow::Cow;
use std::collections::{BTreeMap, HashSet};

/// The description.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Document {
    scene: Option<usize>,
    scenes: Vec<SceneNodes>,
    /// Places.
    pub nodes: Vec<Node>,
    /// Shapes.
    pub meshes: Vec<Mesh>,
    materials: Vec<Material>,
    /// Arrays.
    pub accessors: Vec<Accessor>,
    /// Stretches of buffers.
    pub buffer_views: Vec<View>,
    buffers: Vec<Buffer>,
    /// Counted only.
    pub animations: Vec<IgnoredAny>,
    /// Counted only.
    pub skins: Vec<IgnoredAny>,
    extensions_required: Vec<String>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Head {
    asset: Asset,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Asset {
    version: serde_json::Value,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct SceneNodes {
    nodes: Vec<usize>,
}

/// A place.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Node {
    /// As the file names it.
    pub name: Option<String>,
    /// What stands there.
    pub mesh: Option<usize>,
    /// Places below.
    pub children: Vec<usize>,
    /// Columns.
    pub matrix: Option<[f64; 16]>,
    /// In the unit of the file.
    pub translation: Option<[f64; 3]>,
    /// A quaternion, its real part last.
    pub rotation: Option<[f64; 4]>,
    /// Along the node's axes.
    pub scale: Option<[f64; 3]>,
}

/// A shape.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Mesh {
    /// As the file names it.
    pub name: Option<String>,
    /// Its pieces.
    pub primitives: Vec<Primitive>,
}

/// A piece of one material.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Primitive {
    /// Accessors by meaning.
    pub attributes: BTreeMap<String, usize>,
    /// An accessor.
    pub indices: Option<usize>,
    /// A material.
    pub material: Option<usize>,
    /// What the points form.
    pub mode: Option<u32>,
    /// Counted only.
    pub targets: Vec<IgnoredAny>,
    /// How its arrays are packed, if they are.
    pub extensions: Extensions,
}

/// What extensions say of a piece.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Extensions {
    /// Its arrays are packed.
    #[serde(rename = "KHR_draco_mesh_compression")]
    pub packed: Option<Packed>,
}

/// The kinds of packing that are read.
const READ: [&str; 2] = ["KHR_draco_mesh_compression", "EXT_meshopt_compression"];

#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
struct Material {
    name: Option<String>,
    pbr_metallic_roughness: Option<Look>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
struct Look {
    base_color_factor: Option<[f64; 4]>,
}

/// An array.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Accessor {
    /// Where it is.
    pub buffer_view: Option<usize>,
    /// From there.
    pub byte_offset: usize,
    /// What its numbers are.
    pub component_type: u32,
    /// Whether whole numbers mean shares of their largest.
    pub normalized: bool,
    /// How many items.
    pub count: usize,
    /// How many numbers an item has, as a word.
    #[serde(rename = "type")]
    pub shape: String,
    /// Items that stand elsewhere.
    pub sparse: Option<Sparse>,
}

/// Items that are replaced.
#[derive(Debug, Deserialize)]
pub struct Sparse {
    /// How many.
    pub count: usize,
    /// Which.
    pub indices: Stretch,
    /// By what.
    pub values: Stretch,
}

/// A stretch of a view.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Stretch {
    /// Which view.
    pub buffer_view: usize,
    /// From where in it.
    #[serde(default)]
    pub byte_offset: usize,
    /// What its numbers are; of values the accessor's.
    #[serde(default)]
    pub component_type: u32,
}

/// A stretch of a buffer.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct View {
    /// Which buffer.
    pub buffer: usize,
    /// From where in it.
    pub byte_offset: usize,
    /// How far.
    pub byte_length: usize,
    /// From item to item; 0 if they follow each other.
    pub byte_stride: usize,
    extensions: OfView,
}

/// What extensions say of a stretch.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct OfView {
    #[serde(rename = "EXT_meshopt_compression")]
    coded: Option<Coded>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Buffer {
    uri: Option<String>,
}

impl Document {
    /// The nodes that the scene begins with: those of the scene that is to be shown, else all that stand below no other.
    pub fn roots(&self) -> Vec<usize> {
        match self.scenes.get(self.scene.unwrap_or(0)) {
            Some(scene) => scene.nodes.clone(),
            None => {
                let below: HashSet<usize> = self.nodes.iter().flat_map(|n| n.children.iter().copied()).collect();
                (0..self.nodes.len()).filter(|n| !below.contains(n)).collect()
            }
        }
    }

    /// What a material is called: its name, else its colour.
    pub fn material(&self, number: usize) -> Option<String> {
        let material = self.materials.get(number)?;
        let byte = |x: f64| (x.clamp(0.0, 1.0) * 255.0).round() as u8;
        let colour = || {
            let [r, g, b, _] = material.pbr_metallic_roughness.as_ref()?.base_color_factor?;
            Some(format!("#{:02x}{:02x}{:02x}", byte(r), byte(g), byte(b)))
        };
        material.name.clone().filter(|n| !n.is_empty()).or_else(colour)
    }
}

/// Whether text looks like a description: an object with an asset that has a version.
pub fn looks_like(bytes: &[u8]) -> bool {
    let start = bytes.trim_ascii_start();
    start.first() == Some(&b'{')
        && memchr::memmem::find(start, b"\"asset\"").is_some()
        && memchr::memmem::find(start, b"\"version\"").is_some()
}

/// The description with its arrays.
///
/// # Errors
/// A sentence.
pub fn open(bytes: &[u8]) -> Result<(Document, Arrays<'_>), String> {
    let (text, own) = if bytes.starts_with(b"glTF") { chunks(bytes)? } else { (bytes, None) };
    let told = |e: serde_json::Error| format!("its description cannot be read: {e}");
    // What is said of itself first: the rest of other versions has other forms.
    let head: Head = serde_json::from_slice(text).map_err(told)?;
    let version = head.asset.version.to_string().trim_matches('"').to_string();
    if !version.starts_with('2') {
        return Err(format!("it is of version “{version}”; version 2 is read"));
    }
    let document: Document = serde_json::from_slice(text).map_err(told)?;
    let packed = document.extensions_required.iter().find(|e| e.contains("compression") && !READ.contains(&e.as_str()));
    if let Some(packed) = packed {
        return Err(format!("its arrays are packed by {packed}, which is not read: save it without"));
    }
    let mut buffers = Vec::new();
    for (i, buffer) in document.buffers.iter().enumerate() {
        buffers.push(match (&buffer.uri, own) {
            (None, Some(own)) if i == 0 => Cow::Borrowed(own),
            // What stands in it is coded in another one.
            (None, _) if document.buffer_views.iter().any(|v| v.extensions.coded.is_some()) => Cow::Borrowed(&[][..]),
            (None, _) => return Err(format!("buffer {i} is not in the file")),
            (Some(uri), _) => Cow::Owned(embedded(i, uri)?),
        });
    }
    let mut arrays = Arrays { buffers, decoded: BTreeMap::new() };
    // Many stretches may be coded by the same bytes.
    let mut left = MOST_BYTES;
    for (i, view) in document.buffer_views.iter().enumerate() {
        if let Some(coded) = &view.extensions.coded {
            let bytes = arrays.stretch(coded.buffer, coded.byte_offset, coded.byte_length)?;
            let decoded = coded.decoded(bytes, left).map_err(|why| format!("stretch {i} of the buffers: {why}"))?;
            left -= decoded.len();
            arrays.decoded.insert(i, (decoded, coded.byte_stride));
        }
    }
    Ok((document, arrays))
}

fn embedded(i: usize, uri: &str) -> Result<Vec<u8>, String> {
    let Some(data) = uri.strip_prefix("data:") else {
        return Err(format!(
            "its arrays stand in another file, “{}”: save it as one file (.glb, or with its buffers embedded)",
            uri.chars().take(100).collect::<String>()
        ));
    };
    let text = data.split_once(";base64,").map(|x| x.1).ok_or_else(|| format!("buffer {i} is not in base 64"))?;
    let engine = base64::engine::general_purpose::STANDARD;
    engine.decode(text.trim()).map_err(|e| format!("buffer {i} is damaged: {e}"))
}

/// A description with the arrays in it that stood in other files; `None` where there are none.
///
/// # Errors
/// A sentence, if a file is not there.
pub fn gathered(bytes: &[u8], beside: Beside) -> Result<Option<Vec<u8>>, String> {
    let Ok(mut document) = serde_json::from_slice::<serde_json::Value>(bytes) else { return Ok(None) };
    let Some(buffers) = document.get_mut("buffers").and_then(|b| b.as_array_mut()) else { return Ok(None) };
    let mut any = false;
    for buffer in buffers {
        let Some(uri) = buffer.get("uri").and_then(|u| u.as_str()).filter(|u| !u.starts_with("data:")) else {
            continue;
        };
        let name = unescaped(uri);
        // A file names what stands beside it, and nothing else on the machine.
        let plain = !name.starts_with('/') && !name.contains(['\\', ':']) && !name.split('/').any(|p| p == "..");
        let found = if plain { beside(&name) } else { None };
        let found = found.ok_or_else(|| {
            format!("its arrays stand in another file, “{}”, which is not there", shown(name.as_bytes()))
        })?;
        let text = base64::engine::general_purpose::STANDARD.encode(found);
        buffer["uri"] = format!("data:application/octet-stream;base64,{text}").into();
        any = true;
    }
    Ok(any.then(|| document.to_string().into_bytes()))
}

/// A name as addresses write it: `%20` is a blank.
fn unescaped(uri: &str) -> String {
    let mut out = Vec::new();
    let mut rest = uri.as_bytes();
    while let [first, after @ ..] = rest {
        let code = after.get(..2).and_then(|h| u8::from_str_radix(std::str::from_utf8(h).ok()?, 16).ok());
        match (first, code) {
            (b'%', Some(code)) => (out.push(code), rest = &after[2..]).1,
            _ => (out.push(*first), rest = after).1,
        }
    }
    String::from_utf8_lossy(&out).into_owned()
}

/// Chunks of the binary form: the description, and the first buffer.
fn chunks(bytes: &[u8]) -> Result<(&[u8], Option<&[u8]>), String> {
    let word = |at: usize| bytes.get(at..at + 4).and_then(|b| b.try_into().ok()).map(u32::from_le_bytes);
    match word(4) {
        Some(2) => {}
        Some(version) => return Err(format!("it is of version {version}; version 2 is read")),
        None => return Err("the file ends within its head: it is cut off".into()),
    }
    let length = word(8).unwrap_or(0) as usize;
    if length > bytes.len() {
        return Err(format!("the file says that it has {length} bytes, and has {}: it is cut off", bytes.len()));
    }
    let (mut at, mut text, mut own) = (12, None, None);
    while let (Some(length), Some(kind)) = (word(at), word(at + 4)) {
        let chunk = bytes.get(at + 8..at + 8 + length as usize);
        let chunk = chunk.ok_or("the file ends within a chunk: it is cut off")?;
        match &kind.to_le_bytes() {
            b"JSON" if text.is_none() => text = Some(chunk),
            b"BIN\0" if own.is_none() => own = Some(chunk),
            _ => {}
        }
        at += 8 + (length as usize).next_multiple_of(4);
    }
    Ok((text.ok_or("the file has no description")?, own))
}
