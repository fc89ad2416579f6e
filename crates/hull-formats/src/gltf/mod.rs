//! glTF 2.0 (ISO/IEC 12113), as text or binary: meshes where the nodes of the scene put them, in metres with Y up by definition.
//!
//! The description is plain JSON; arrays are read by our own code, which never trusts what the description says of them.

mod arrays;
mod coded;
mod document;
mod packed;
mod write;

pub use write::{pack, write};

use crate::affine::Affine;
use crate::assembled::Assembled;
use crate::bundles::Bundles;
use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, Format, ReadError, Received, Skipped};
use arrays::Arrays;
use document::{Document, Node, Primitive};
use hull_exact::model::DeclaredUnit;
use hull_geometry::{Point, PointId, Watch};
use std::collections::BTreeMap;

/// glTF.
pub const FORMAT: FileFormat = FileFormat {
    id: "gltf",
    title: "glTF",
    endings: &["glb", "gltf"],
    declares: "metres and Y up by definition; names of nodes, materials",
    needs_unit: true,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(b"glTF") || document::looks_like(bytes),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(write),
    write_points: None,
    write_lines: None,
    gather: Some(document::gathered),
};

/// Nodes may stand below nodes so deep.
const DEEPEST: usize = 256;
/// Points are placed so often at most.
const MOST: usize = 200_000_000;

/// # Errors
/// [`ReadError`] with the reason, and the part of the description that it is about.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let told = |why: String| ReadError::whole(name, why);
    let (document, arrays) = document::open(bytes).map_err(told)?;
    let mut scene = Scene {
        document: &document,
        arrays: &arrays,
        out: Assembled::default(),
        lines: Bundles::default(),
        skipped: BTreeMap::new(),
        placed: 0,
        watch,
    };
    for root in document.roots() {
        scene.node(root, &Affine::NONE, 0).map_err(|e| e.of(name))?;
    }
    for (what, n) in [("animations", document.animations.len()), ("skins: taken as at rest", document.skins.len())] {
        if n > 0 {
            scene.skipped.insert(what.into(), n);
        }
    }
    let skipped = scene.skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect();
    let unit = DeclaredUnit { name: "metre".into(), millimetres: 1000.0 };
    let declared = Declared { unit: Some(unit.clone()), certain: true, up: Some("+y".into()) };
    let lines = scene.lines.finish(Some(unit));
    Ok(Received { lines, ..scene.out.finish(Format::Gltf, declared, skipped) })
}

/// Why a node cannot be read.
enum Stop {
    Cancelled(hull_geometry::Cancelled),
    Wrong(String),
}

impl Stop {
    fn of(self, file: &str) -> ReadError {
        match self {
            Stop::Cancelled(c) => c.into(),
            Stop::Wrong(why) => ReadError::whole(file, why),
        }
    }
}

impl From<hull_geometry::Cancelled> for Stop {
    fn from(c: hull_geometry::Cancelled) -> Stop {
        Stop::Cancelled(c)
    }
}

impl From<String> for Stop {
    fn from(why: String) -> Stop {
        Stop::Wrong(why)
    }
}

struct Scene<'a> {
    document: &'a Document,
    arrays: &'a Arrays<'a>,
    out: Assembled,
    lines: Bundles,
    skipped: BTreeMap<String, usize>,
    placed: usize,
    watch: &'a Watch,
}

impl Scene<'_> {
    fn skip(&mut self, what: &str) {
        *self.skipped.entry(what.into()).or_default() += 1;
    }

    fn node(&mut self, number: usize, above: &Affine, depth: usize) -> Result<(), Stop> {
        self.watch.report(0.5, "placing meshes")?;
        let Some(node) = self.document.nodes.get(number) else {
            self.skip("nodes that are not there");
            return Ok(());
        };
        if depth > DEEPEST {
            return Err(Stop::Wrong(format!("node {number} stands below itself, or too deep")));
        }
        let placed = above.after(&place_of(node));
        if let Some(mesh) = node.mesh {
            let Some(found) = self.document.meshes.get(mesh) else {
                self.skip("meshes that are not there");
                return Ok(());
            };
            let name = node.name.clone().or_else(|| found.name.clone()).unwrap_or_default();
            for (k, primitive) in found.primitives.iter().enumerate() {
                let told = |why: String| format!("mesh {mesh}, primitive {k}: {why}");
                self.primitive(primitive, &name, &placed).map_err(|e| match e {
                    Stop::Wrong(why) => Stop::Wrong(told(why)),
                    cancelled => cancelled,
                })?;
            }
        }
        for child in &node.children {
            self.node(*child, &placed, depth + 1)?;
        }
        Ok(())
    }

    fn primitive(&mut self, p: &Primitive, name: &str, placed: &Affine) -> Result<(), Stop> {
        let Some((points, indices)) = self.points_and_indices(p)? else {
            self.skip("primitives without places");
            return Ok(());
        };
        self.placed += points.len();
        if self.placed > MOST {
            return Err(Stop::Wrong(format!("nodes place more than {MOST} points")));
        }
        if !p.targets.is_empty() {
            self.skip("shapes to morph into");
        }
        match p.mode.unwrap_or(4) {
            4..=6 => self.facets(p, name, placed, &points, &indices),
            mode @ 1..=3 => self.strokes(mode, name, placed, &points, &indices),
            0 => self.skip("primitives of points"),
            _ => self.skip("primitives of an unknown mode"),
        }
        Ok(())
    }

    /// The points of a primitive and the order in which it uses them; `None` if it has no places.
    fn points_and_indices(&self, p: &Primitive) -> Result<Option<packed::Used>, String> {
        if let Some(packed) = &p.extensions.packed {
            if p.mode == Some(5) {
                return Err("its packed arrays form a strip, which is not read: save it without packing".into());
            }
            return packed::unpack(self.document, self.arrays, packed).map(Some);
        }
        let Some(position) = p.attributes.get("POSITION") else { return Ok(None) };
        let points = self.arrays.points(self.document, *position)?;
        let indices = match p.indices {
            Some(accessor) => self.arrays.indices(self.document, accessor, points.len())?,
            None => (0..points.len() as u32).collect(),
        };
        Ok(Some((points, indices)))
    }

    fn facets(&mut self, p: &Primitive, name: &str, placed: &Affine, points: &[Point], indices: &[u32]) {
        let first = self.out.points(points, placed);
        let label = self.out.label(name, p.material.and_then(|m| self.document.material(m)));
        let mirrored = placed.mirrors();
        let mut add = |t: [u32; 3]| self.out.facet(t.map(|k| first + PointId(k)), label, mirrored);
        match p.mode.unwrap_or(4) {
            4 => indices.as_chunks::<3>().0.iter().for_each(|t| add(*t)),
            // Strip: every other facet runs the other way; fan: all share the first point.
            5 => indices
                .windows(3)
                .enumerate()
                .for_each(|(i, w)| add(if i % 2 == 0 { [w[0], w[1], w[2]] } else { [w[1], w[0], w[2]] })),
            _ => indices.windows(2).skip(1).for_each(|w| add([indices[0], w[0], w[1]])),
        }
    }

    fn strokes(&mut self, mode: u32, name: &str, placed: &Affine, points: &[Point], indices: &[u32]) {
        let at = |k: u32| placed.point(points[k as usize]);
        let name = if name.is_empty() { "lines" } else { name };
        if mode == 1 {
            indices.as_chunks::<2>().0.iter().for_each(|[a, b]| self.lines.line(name, at(*a), at(*b)));
            return;
        }
        let mut run: Vec<Point> = indices.iter().map(|k| at(*k)).collect();
        if mode == 2 {
            run.extend(run.first().copied());
        }
        self.lines.polyline(name, &run);
    }
}

/// A node's matrix, or its scale, then turn, then shift.
fn place_of(node: &Node) -> Affine {
    if let Some(m) = node.matrix {
        return Affine::of_columns(&[0, 4, 8, 12].map(|k| [m[k], m[k + 1], m[k + 2]]));
    }
    let [x, y, z, w] = node.rotation.unwrap_or([0.0, 0.0, 0.0, 1.0]);
    let s = node.scale.unwrap_or([1.0; 3]);
    let turned = [
        [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + z * w), 2.0 * (x * z - y * w)],
        [2.0 * (x * y - z * w), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + x * w)],
        [2.0 * (x * z + y * w), 2.0 * (y * z - x * w), 1.0 - 2.0 * (x * x + y * y)],
    ];
    let columns = [0, 1, 2].map(|k| turned[k].map(|v| v * s[k]));
    Affine { columns, origin: node.translation.unwrap_or_default() }
}
