//! Layers written as crate, and packed as USDZ.

use super::children::as_lists;
use crate::NamedFacets;
use hull_geometry::cloud::Cloud;
use hull_geometry::{Mesh, Unit};
use openusd::gf::{Quatf, Vec3f};
use openusd::sdf::{ChildrenKey, Data, FieldKey, Path, SpecType, Specifier, Value, Variability};
use openusd::usdc::CrateWriter;
use openusd::usdz::ArchiveWriter;
use std::io::Cursor;

/// A layer in the making: prims below one root.
struct Layer {
    data: Data,
    prims: Vec<String>,
}

/// An attribute: its name, its type as USD says it, its value, whether it stands for each point, and whether it may not vary.
struct Attribute(String, &'static str, Value, bool, bool);

const ROOT: &str = "/root";

impl Layer {
    fn new(unit: Option<Unit>) -> Layer {
        let mut data = Data::new();
        let metres = unit.unwrap_or(Unit::Mm).millimetres() / 1000.0;
        let root = data.create_spec(Path::abs_root(), SpecType::PseudoRoot);
        root.add(ChildrenKey::PrimChildren, Value::TokenVec(vec!["root".into()]));
        root.add(FieldKey::DefaultPrim, Value::Token("root".into()));
        root.add("metersPerUnit", Value::Double(metres));
        root.add("upAxis", Value::Token("Z".into()));
        Layer { data, prims: Vec::new() }
    }

    fn prim(&mut self, name: &str, kind: &str, attributes: Vec<Attribute>) {
        let path = Path::from(format!("{ROOT}/{name}").as_str());
        let spec = self.data.create_spec(path.clone(), SpecType::Prim);
        spec.add(FieldKey::Specifier, Value::Specifier(Specifier::Def));
        spec.add(FieldKey::TypeName, Value::Token(kind.into()));
        let names = attributes.iter().map(|a| a.0.as_str().into()).collect();
        spec.add(ChildrenKey::PropertyChildren, Value::TokenVec(names));
        for Attribute(name, kind, value, each, fixed) in attributes {
            // Names of attributes are ours and legal.
            let Ok(path) = path.append_property(name.as_str()) else { continue };
            let spec = self.data.create_spec(path, SpecType::Attribute);
            spec.add(FieldKey::TypeName, Value::Token(kind.into()));
            spec.add(FieldKey::Default, value);
            if each {
                spec.add("interpolation", Value::Token("vertex".into()));
            }
            if fixed {
                spec.add(FieldKey::Variability, Value::Variability(Variability::Uniform));
            }
            if name.starts_with("splat:") {
                spec.add("custom", Value::Bool(true));
            }
        }
        self.prims.push(name.into());
    }

    /// The layer as a crate.
    fn finish(mut self) -> Vec<u8> {
        let root = self.data.create_spec(Path::from(ROOT), SpecType::Prim);
        root.add(FieldKey::Specifier, Value::Specifier(Specifier::Def));
        root.add(FieldKey::TypeName, Value::Token("Xform".into()));
        root.add(ChildrenKey::PrimChildren, Value::TokenVec(self.prims.iter().map(|n| n.as_str().into()).collect()));
        let mut out = Cursor::new(Vec::new());
        // Everything in the layer is of a type that crates have, and memory does not fail.
        let _ = CrateWriter::write(&self.data, &mut out);
        let written = out.into_inner();
        as_lists(&written).unwrap_or(written)
    }
}

/// A layer alone in a USDZ.
fn alone(layer: Vec<u8>) -> Vec<u8> {
    // One file under a name that is legal.
    usdz(&[("root.usdc".into(), layer)]).unwrap_or_default()
}

/// A layer of text as a crate.
///
/// # Errors
/// A sentence, if the text is none.
pub fn crate_of_text(text: &str) -> Result<Vec<u8>, String> {
    let data = openusd::usda::parse(text).map_err(|e| e.to_string())?;
    let mut out = Cursor::new(Vec::new());
    CrateWriter::write(&data, &mut out).map_err(|e| e.to_string())?;
    as_lists(out.get_ref()).ok_or_else(|| "the layer could not be written as a crate".into())
}

/// Layers packed as USDZ, the first one the stage: nothing compressed, each file on a boundary of 64 bytes.
///
/// # Errors
/// A sentence, if a name is not one that such a file can have.
pub fn usdz(files: &[(String, Vec<u8>)]) -> Result<Vec<u8>, String> {
    let mut out = ArchiveWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        out.add_layer(name, bytes).map_err(|e| e.to_string())?;
    }
    Ok(out.finish().map_err(|e| e.to_string())?.into_inner())
}

fn vector(p: [f64; 3]) -> Vec3f {
    let [x, y, z] = p.map(|x| x as f32);
    Vec3f { x, y, z }
}

fn extent(points: impl Iterator<Item = [f64; 3]>) -> Value {
    let b = hull_geometry::mesh::Bounds::of(points);
    Value::Vec3fVec(vec![vector(b.min), vector(b.max)])
}

fn attribute(name: &str, kind: &'static str, value: Value) -> Attribute {
    Attribute(name.into(), kind, value, false, false)
}

/// Points or splats as USDZ: points with widths (of splats twice the longest standard deviation), colours and opacities; of splats the
/// axes and turns besides, under names of their own.
pub fn points(cloud: &Cloud, unit: Option<Unit>) -> Vec<u8> {
    alone(points_layer(cloud, unit))
}

/// The same as a crate, to be referred to.
pub fn points_layer(cloud: &Cloud, unit: Option<Unit>) -> Vec<u8> {
    let mut layer = Layer::new(unit);
    let colours = if cloud.splats.is_empty() {
        cloud.colours.iter().map(|c| vector(c.map(|x| f64::from(x) / 255.0))).collect()
    } else {
        cloud.splats.iter().map(|s| vector(s.colour.map(|x| f64::from(x.clamp(0.0, 1.0))))).collect::<Vec<_>>()
    };
    let each = |name: &str, kind: &'static str, value: Value| Attribute(name.into(), kind, value, true, false);
    let places = cloud.points.iter().map(|p| vector(*p)).collect();
    let mut all = vec![
        attribute("points", "point3f[]", Value::Vec3fVec(places)),
        attribute("extent", "float3[]", extent(cloud.points.iter().copied())),
    ];
    if !colours.is_empty() {
        all.push(each("primvars:displayColor", "color3f[]", Value::Vec3fVec(colours)));
    }
    if !cloud.normals.is_empty() {
        let normals = cloud.normals.iter().map(|n| vector(n.map(f64::from))).collect();
        all.push(each("normals", "normal3f[]", Value::Vec3fVec(normals)));
    }
    if !cloud.splats.is_empty() {
        let s = &cloud.splats;
        let opacities = s.iter().map(|s| s.opacity).collect();
        let turns = s.iter().map(|s| s.turn).map(|[w, x, y, z]| Quatf { w, x, y, z }).collect();
        all.push(each("widths", "float[]", Value::FloatVec(s.iter().map(|s| 2.0 * s.size()).collect())));
        all.push(each("primvars:displayOpacity", "float[]", Value::FloatVec(opacities)));
        let axes = s.iter().map(|s| vector(s.axes.map(f64::from))).collect();
        all.push(attribute("splat:axes", "float3[]", Value::Vec3fVec(axes)));
        all.push(attribute("splat:turns", "quatf[]", Value::QuatfVec(turns)));
    }
    layer.prim("points", "Points", all);
    layer.finish()
}

/// Facets as USDZ: a mesh a part, under its name as far as USD allows it.
pub fn surface(mesh: &Mesh, parts: &[NamedFacets], unit: Option<Unit>) -> Vec<u8> {
    alone(surface_layer(mesh, parts, unit))
}

/// The same as a crate, to be referred to.
pub fn surface_layer(mesh: &Mesh, parts: &[NamedFacets], unit: Option<Unit>) -> Vec<u8> {
    let mut layer = Layer::new(unit);
    let mut taken: Vec<String> = Vec::new();
    for part in parts {
        let mut number = std::collections::BTreeMap::new();
        let (mut places, mut corners) = (Vec::new(), Vec::new());
        for p in part.facets.iter().flat_map(|f| mesh.triangles[*f]) {
            let next = places.len() as i32;
            corners.push(*number.entry(p).or_insert_with(|| {
                places.push(mesh.points[p]);
                next
            }));
        }
        let name = legal(part.name, &taken);
        layer.prim(
            &name,
            "Mesh",
            vec![
                attribute("points", "point3f[]", Value::Vec3fVec(places.iter().map(|p| vector(*p)).collect())),
                attribute("faceVertexCounts", "int[]", Value::IntVec(vec![3; part.facets.len()])),
                attribute("faceVertexIndices", "int[]", Value::IntVec(corners)),
                attribute("extent", "float3[]", extent(places.iter().copied())),
                Attribute("subdivisionScheme".into(), "token", Value::Token("none".into()), false, true),
            ],
        );
        taken.push(name);
    }
    layer.finish()
}

/// A name of letters, digits and underscores that does not begin with a digit, unlike those that are taken.
fn legal(name: &str, taken: &[String]) -> String {
    let mut out: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if out.is_empty() || out.starts_with(|c: char| c.is_ascii_digit()) {
        out.insert(0, '_');
    }
    let mut n = 2;
    let base = out.clone();
    while taken.contains(&out) {
        out = format!("{base}_{n}");
        n += 1;
    }
    out
}
