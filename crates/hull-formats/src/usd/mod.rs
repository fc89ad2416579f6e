//! USD, as text, crate or USDZ (AOUSD Core Specification 1.0; USDZ File Format Specification): meshes and points of one
//! layer where their parents place them, with names and colours; what a layer refers to elsewhere is counted. Layers are parsed and written by the crate
//! `openusd`.

mod children;
mod honest;
pub mod physics;
pub mod solids;
mod write;

pub use write::{crate_of_text, points, points_layer, surface, surface_layer, usdz};

use crate::affine::Affine;
use crate::assembled::Assembled;
use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, Format, ReadError, ReceivedPoints, Skipped};
use hull_exact::model::DeclaredUnit;
use hull_geometry::cloud::Cloud;
use hull_geometry::splats::Splat;
use hull_geometry::{Point, PointId, Watch, triangulate};
use openusd::sdf::{AbstractData, Path, SpecType, Value};
use openusd::{usda, usdc};
use std::collections::BTreeMap;
use std::io::{Cursor, Read as _};
use std::panic::{AssertUnwindSafe, catch_unwind};

/// USD.
pub const FORMAT: FileFormat = FileFormat {
    id: "usd",
    title: "USD",
    endings: &["usdz", "usdc", "usda", "usd"],
    declares: "its unit and which axis is up; names and colours",
    needs_unit: true,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(usdc::MAGIC) || bytes.starts_with(b"#usda") || is_packed(bytes),
    read,
    write: Some(|s| surface(s.mesh, s.parts, s.unit)),
    write_points: Some(|cloud, _, unit| points(cloud, unit)),
    write_lines: None,
    gather: None,
};

/// A stage as its file's ending says: `.usdc` is the layer alone as a crate, `.usda` the same as text, anything else stays the
/// USDZ that it is.
///
/// # Errors
/// A sentence, if the layer cannot be said as text.
pub fn as_named(name: &str, stage: Vec<u8>) -> Result<Vec<u8>, String> {
    let ends = |ending: &str| name.to_ascii_lowercase().ends_with(ending);
    if ends(".usdc") {
        return packed(&stage);
    }
    if !ends(".usda") {
        return Ok(stage);
    }
    let text = usda::TextWriter::write_to_string(layer_of(&packed(&stage)?)?.as_ref()).map_err(|e| e.to_string())?;
    Ok(text.into_bytes())
}

/// Whether bytes are a zip whose first file is a layer.
fn is_packed(bytes: &[u8]) -> bool {
    let name = bytes.get(30..).unwrap_or_default();
    bytes.starts_with(b"PK") && name[..name.len().min(120)].windows(4).any(|w| w == b".usd")
}

/// A layer with more prims than this is no geometry that anybody wants at once.
const MOST_PRIMS: usize = 100_000;

/// The layer of a file, whatever its form.
fn layer(name: &str, bytes: &[u8]) -> Result<Box<dyn AbstractData>, ReadError> {
    let refused = |why: String| ReadError::whole(name, format!("the layer cannot be read: {why}"));
    let parsed = || -> Result<Box<dyn AbstractData>, String> {
        if bytes.starts_with(b"PK") {
            return packed(bytes).and_then(|own| layer_of(&own));
        }
        layer_of(bytes)
    };
    // A parser that is not ours may panic on bytes that lie; a worker is a process of its own for what it may allocate.
    catch_unwind(AssertUnwindSafe(parsed)).unwrap_or_else(|_| Err("its bytes make no sense".into())).map_err(refused)
}

/// The bytes of the first layer of a USDZ, which stand there as they are.
fn packed(bytes: &[u8]) -> Result<Vec<u8>, String> {
    let mut zip = zip::ZipArchive::new(Cursor::new(bytes)).map_err(|e| e.to_string())?;
    let ends = |n: &str| [".usdc", ".usda", ".usd"].iter().any(|e| n.ends_with(e));
    let first = (0..zip.len()).find(|i| zip.name_for_index(*i).is_some_and(|n| n.is_ok_and(|n| ends(&n))));
    let file = zip.by_index(first.ok_or("it holds no layer")?).map_err(|e| e.to_string())?;
    if file.compression() != zip::CompressionMethod::Stored {
        return Err("a USDZ holds its files uncompressed, and this one does not".into());
    }
    let mut out = Vec::new();
    // What is stored is no longer than the archive.
    file.take(bytes.len() as u64).read_to_end(&mut out).map_err(|e| e.to_string())?;
    Ok(out)
}

fn layer_of(bytes: &[u8]) -> Result<Box<dyn AbstractData>, String> {
    let told = |e: &dyn std::fmt::Display| e.to_string();
    if bytes.starts_with(usdc::MAGIC) {
        if !(honest::sections(bytes) && honest::values(bytes)) {
            return Err("its bytes claim more than they hold".into());
        }
        let data = usdc::CrateData::open(Cursor::new(bytes.to_vec()), true).map_err(|e| told(&e))?;
        return Ok(Box::new(data));
    }
    let text = std::str::from_utf8(bytes).map_err(|e| told(&e))?;
    Ok(Box::new(usda::parse(text).map_err(|e| told(&e))?))
}

fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Content, ReadError> {
    let data = layer(name, bytes)?;
    let all = AssertUnwindSafe(|| Scene { data: data.as_ref(), skipped: BTreeMap::new() }.read(name, watch));
    catch_unwind(all).unwrap_or_else(|_| Err(ReadError::whole(name, "the layer's values make no sense")))
}

struct Scene<'a> {
    data: &'a dyn AbstractData,
    skipped: BTreeMap<String, usize>,
}

impl Scene<'_> {
    fn read(mut self, name: &str, watch: &Watch) -> Result<Content, ReadError> {
        let prims = self.prims();
        if prims.len() > MOST_PRIMS {
            return Err(ReadError::whole(name, format!("the layer has more than {MOST_PRIMS} prims")));
        }
        let (mut out, mut cloud) = (Assembled::default(), Cloud::default());
        let mut refers = 0;
        for (i, prim) in prims.iter().enumerate() {
            watch.report(i as f64 / prims.len() as f64, "reading prims")?;
            for what in ["references", "payload"] {
                if self.data.has_field(prim, what) {
                    refers += 1;
                    *self.skipped.entry(format!("{what} to other layers")).or_default() += 1;
                }
            }
            // What a stage keeps for tools alone, shapes to touch among it, is no part of the model.
            if self.value_word(prim, "purpose") == "guide" {
                *self.skipped.entry("prims of the purpose “guide”".into()).or_default() += 1;
                continue;
            }
            match self.word(prim, "typeName").as_str() {
                "Mesh" => self.mesh(name, prim, &mut out)?,
                "Points" => self.points(name, prim, &mut cloud)?,
                "" | "Xform" | "Scope" => {}
                other => self.simple(name, prim, other, &mut out)?,
            }
        }
        if refers > 0 && out.count_of_points() == 0 && cloud.points.is_empty() {
            let why =
                "the layer has no geometry of its own: it refers to other layers, which are not followed. Open those.";
            return Err(ReadError::whole(name, why));
        }
        let declared = self.declared();
        let skipped: Vec<Skipped> = self.skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect();
        if out.count_of_points() == 0 && !cloud.points.is_empty() {
            return Ok(Content::Points(ReceivedPoints { format: "USD".into(), cloud, skipped, declared }));
        }
        Ok(Content::Facets(out.finish(Format::Usd, declared, skipped)))
    }

    /// The prims in the order of the layer, each before its children.
    fn prims(&self) -> Vec<Path> {
        let (mut out, mut waiting) = (Vec::new(), vec![Path::abs_root()]);
        while let Some(at) = waiting.pop() {
            if let Some(Value::TokenVec(children)) = self.data.try_field(&at, "primChildren").ok().flatten().as_deref()
            {
                let above = at.as_str().trim_end_matches('/');
                let below = children.iter().rev().filter_map(|c| openusd::sdf::path(format!("{above}/{c}")).ok());
                waiting.extend(below);
            }
            if self.data.spec_type(&at) == Some(SpecType::Prim) {
                out.push(at);
            }
            if out.len() + waiting.len() > 2 * MOST_PRIMS {
                break;
            }
        }
        out
    }

    fn declared(&self) -> Declared {
        let root = Path::abs_root();
        let metres = match self.data.try_field(&root, "metersPerUnit").ok().flatten().as_deref() {
            Some(Value::Double(m)) => *m,
            Some(Value::Float(m)) => f64::from(*m),
            // What the specification takes where nothing is said.
            _ => 0.01,
        };
        let name = match metres {
            1.0 => "metre".to_string(),
            0.01 => "centimetre".to_string(),
            0.001 => "millimetre".to_string(),
            m => format!("{m} m"),
        };
        let unit = (metres > 0.0 && metres.is_finite()).then_some(DeclaredUnit { name, millimetres: 1000.0 * metres });
        let up = if self.word(&root, "upAxis") == "Z" { "+z" } else { "+y" };
        Declared { unit, certain: true, up: Some(up.into()) }
    }

    /// A field that is a word; empty where it is not.
    fn word(&self, path: &Path, field: &str) -> String {
        match self.data.try_field(path, field).ok().flatten().as_deref() {
            Some(Value::Token(t)) => t.as_str().to_string(),
            Some(Value::String(s)) => s.clone(),
            _ => String::new(),
        }
    }

    /// The value of an attribute of a prim.
    fn value(&self, prim: &Path, attribute: &str) -> Option<Value> {
        let path = prim.append_property(attribute).ok()?;
        self.data.try_field(&path, "default").ok().flatten().map(std::borrow::Cow::into_owned)
    }

    /// Three numbers each.
    fn triples(&self, prim: &Path, attribute: &str) -> Vec<Point> {
        match self.value(prim, attribute) {
            Some(Value::Vec3fVec(v)) => v.iter().map(|p| [p.x, p.y, p.z].map(f64::from)).collect(),
            Some(Value::Vec3dVec(v)) => v.iter().map(|p| [p.x, p.y, p.z]).collect(),
            _ => Vec::new(),
        }
    }

    fn numbers(&self, prim: &Path, attribute: &str) -> Vec<f32> {
        match self.value(prim, attribute) {
            Some(Value::FloatVec(v)) => v,
            _ => Vec::new(),
        }
    }

    fn whole(&self, prim: &Path, attribute: &str) -> Vec<i32> {
        match self.value(prim, attribute) {
            Some(Value::IntVec(v)) => v,
            _ => Vec::new(),
        }
    }

    /// Where a prim is placed by itself and all above it.
    fn placed(&mut self, prim: &Path) -> Affine {
        let mut out = Affine::NONE;
        let text = prim.as_str().to_string();
        let ends = text.match_indices('/').map(|m| m.0).skip(1).chain([text.len()]);
        for end in ends {
            let Ok(above) = openusd::sdf::path(&text[..end]) else { continue };
            let Some(Value::TokenVec(order)) = self.value(&above, "xformOpOrder") else { continue };
            for op in &order {
                match self.operation(&above, op.as_str()) {
                    Some(Step::Map(map)) => out = out.after(&map),
                    Some(Step::FromHere) => out = Affine::NONE,
                    None => *self.skipped.entry(format!("placements by {}", op.as_str())).or_default() += 1,
                }
            }
        }
        out
    }

    fn operation(&self, prim: &Path, op: &str) -> Option<Step> {
        if op == "!resetXformStack!" {
            return Some(Step::FromHere);
        }
        let value = self.value(prim, op)?;
        let kind = op.strip_prefix("xformOp:")?.split(':').next()?;
        let three = match &value {
            Value::Vec3d(v) => Some([v.x, v.y, v.z]),
            Value::Vec3f(v) => Some([v.x, v.y, v.z].map(f64::from)),
            _ => None,
        };
        let one = match &value {
            Value::Double(x) => Some(*x),
            Value::Float(x) => Some(f64::from(*x)),
            _ => None,
        };
        let turn = |axis: usize, degrees: f64| {
            let (s, c) = degrees.to_radians().sin_cos();
            let mut columns = Affine::NONE.columns;
            let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
            (columns[i][i], columns[i][j], columns[j][i], columns[j][j]) = (c, s, -s, c);
            Affine { columns, origin: [0.0; 3] }
        };
        let map = match (kind, &value) {
            ("transform", Value::Matrix4d(m)) => {
                let row = |k: usize| [m.0[4 * k], m.0[4 * k + 1], m.0[4 * k + 2]];
                Affine { columns: [row(0), row(1), row(2)], origin: row(3) }
            }
            ("translate", _) => Affine { origin: three?, ..Affine::NONE },
            ("scale", _) => {
                let [x, y, z] = three?;
                Affine { columns: [[x, 0.0, 0.0], [0.0, y, 0.0], [0.0, 0.0, z]], origin: [0.0; 3] }
            }
            ("rotateX", _) => turn(0, one?),
            ("rotateY", _) => turn(1, one?),
            ("rotateZ", _) => turn(2, one?),
            ("rotateXYZ", _) => {
                let [x, y, z] = three?;
                turn(2, z).after(&turn(1, y)).after(&turn(0, x))
            }
            ("orient", Value::Quatf(q)) => turned([q.w, q.x, q.y, q.z].map(f64::from)),
            ("orient", Value::Quatd(q)) => turned([q.w, q.x, q.y, q.z]),
            _ => return None,
        };
        Some(Step::Map(map))
    }

    /// A colour that a whole prim has, as `#rrggbb`.
    fn colour(&self, prim: &Path) -> Option<String> {
        let [r, g, b] = *self.triples(prim, "primvars:displayColor").first()?;
        let byte = |x: f64| (x * 255.0).round().clamp(0.0, 255.0) as u8;
        Some(format!("#{:02x}{:02x}{:02x}", byte(r), byte(g), byte(b)))
    }

    fn mesh(&mut self, file: &str, prim: &Path, out: &mut Assembled) -> Result<(), ReadError> {
        let placed = self.placed(prim);
        let (places, counts) = (self.triples(prim, "points"), self.whole(prim, "faceVertexCounts"));
        let corners = self.whole(prim, "faceVertexIndices");
        let wrong = |why: String| ReadError::whole(file, format!("mesh “{}”: {why}", prim.as_str()));
        if !places.iter().flat_map(|p| placed.point(*p)).all(f64::is_finite) {
            return Err(wrong("a coordinate is not finite".into()));
        }
        let total: i64 = counts.iter().map(|n| i64::from(*n)).sum();
        if total != corners.len() as i64 || counts.iter().any(|n| *n < 3) {
            return Err(wrong(format!("its faces ask for {total} corners, {} are there", corners.len())));
        }
        if let Some(c) = corners.iter().find(|c| **c < 0 || **c as usize >= places.len()) {
            return Err(wrong(format!("a face names point {c}, but there are {} points", places.len())));
        }
        let name = prim.as_str().rsplit('/').next().unwrap_or_default();
        let label = out.label(name, self.colour(prim));
        let first = out.points(&places, &placed);
        // Faces of a left-handed mesh run the other way round.
        let turned = placed.mirrors() != (self.value_word(prim, "orientation") == "leftHanded");
        let mut at = 0;
        for n in counts {
            let face = &corners[at..at + n as usize];
            at += n as usize;
            let own: Vec<Point> = face.iter().map(|c| places[*c as usize]).collect();
            for t in triangulate::face(&own) {
                out.facet(t.map(|k| first + PointId(face[k as usize] as u32)), label, turned);
            }
        }
        Ok(())
    }

    /// A solid that is told by its measures, as facets; anything else is counted.
    fn simple(&mut self, file: &str, prim: &Path, kind: &str, out: &mut Assembled) -> Result<(), ReadError> {
        let number = |name: &str, none: f64| match self.value(prim, name) {
            Some(Value::Double(x)) => x,
            Some(Value::Float(x)) => f64::from(x),
            _ => none,
        };
        let axis = match self.value_word(prim, "axis").as_str() {
            "X" => 0,
            "Y" => 1,
            _ => 2,
        };
        let Some(mesh) = solids::surface(kind, axis, number) else {
            *self.skipped.entry(format!("prims of the type {kind}")).or_default() += 1;
            return Ok(());
        };
        let placed = self.placed(prim);
        if !mesh.points.iter().flat_map(|p| placed.point(*p)).all(f64::is_finite) {
            return Err(ReadError::whole(file, format!("{kind} “{}”: its size is not finite", prim.as_str())));
        }
        let name = prim.as_str().rsplit('/').next().unwrap_or_default();
        let label = out.label(name, self.colour(prim));
        let first = out.points(&mesh.points.raw, &placed);
        let mirrored = placed.mirrors();
        mesh.triangles.iter().for_each(|t| out.facet(t.map(|k| first + k), label, mirrored));
        Ok(())
    }

    fn value_word(&self, prim: &Path, attribute: &str) -> String {
        match self.value(prim, attribute) {
            Some(Value::Token(t)) => t.as_str().to_string(),
            _ => String::new(),
        }
    }

    fn points(&mut self, file: &str, prim: &Path, cloud: &mut Cloud) -> Result<(), ReadError> {
        let placed = self.placed(prim);
        let places = self.triples(prim, "points");
        if !places.iter().flat_map(|p| placed.point(*p)).all(f64::is_finite) {
            return Err(ReadError::whole(file, format!("points “{}”: a coordinate is not finite", prim.as_str())));
        }
        if !cloud.points.is_empty() {
            *self.skipped.entry("prims of points beyond the first".into()).or_default() += 1;
            return Ok(());
        }
        cloud.points = places.iter().map(|p| placed.point(*p)).collect();
        let byte = |x: f64| (x * 255.0).round().clamp(0.0, 255.0) as u8;
        let colours = self.triples(prim, "primvars:displayColor");
        if colours.len() == places.len() {
            cloud.colours = colours.iter().map(|c| c.map(byte)).collect();
        }
        cloud.splats = self.splats(prim, &colours, places.len());
        Ok(())
    }

    /// The ellipsoids that [`points`] writes beside widths and opacities.
    fn splats(&self, prim: &Path, colours: &[Point], many: usize) -> Vec<Splat> {
        let (axes, opacities) = (self.triples(prim, "splat:axes"), self.numbers(prim, "primvars:displayOpacity"));
        let Some(Value::QuatfVec(turns)) = self.value(prim, "splat:turns") else { return Vec::new() };
        if [axes.len(), opacities.len(), turns.len(), colours.len()].iter().any(|n| *n != many) {
            return Vec::new();
        }
        let made = (0..many).map(|i| {
            let q = &turns[i];
            let splat = Splat {
                axes: axes[i].map(|x| x as f32),
                turn: [q.w, q.x, q.y, q.z],
                opacity: opacities[i],
                colour: colours[i].map(|x| x as f32),
                sheen: [[0.0; 3]; 3],
            };
            splat.settled()
        });
        made.collect::<Option<Vec<Splat>>>().unwrap_or_default()
    }
}

enum Step {
    Map(Affine),
    /// What is above does not count.
    FromHere,
}

/// A rotation by a quaternion of any length.
fn turned(q: [f64; 4]) -> Affine {
    let length = q.iter().map(|x| x * x).sum::<f64>().sqrt();
    if !(length > 0.0 && length.is_finite()) {
        return Affine::NONE;
    }
    Affine { columns: hull_geometry::splats::columns(q.map(|x| x / length)), origin: [0.0; 3] }
}
