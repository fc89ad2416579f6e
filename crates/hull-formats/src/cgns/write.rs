//! A surface as one zone: a section of triangles, a family and a boundary condition for each part.

use super::{NAME, UNITS};
use crate::NamedFacets;
use crate::format::Surface;
use crate::naming::distinct;
use hdf5_pure::{AttrValue, FileBuilder, FinishedGroup};
use hull_geometry::Unit;

/// The value of a node.
enum Data<'a> {
    None,
    Text(&'a str),
    Ints(&'a [i32], Vec<u64>),
    Reals(&'a [f64]),
}

/// A node with its children.
fn node(name: &str, label: &str, data: Data, children: Vec<FinishedGroup>) -> FinishedGroup {
    let mut group = FileBuilder::new().create_group(name);
    let kind = match data {
        Data::None => "MT",
        Data::Text(_) => "C1",
        Data::Ints(..) => "I4",
        Data::Reals(_) => "R8",
    };
    attributes(&mut |key, value| group.set_attr(key, value), name, label, kind);
    group.set_attr("flags", AttrValue::I32Array(vec![1]));
    match data {
        Data::None => {}
        Data::Text(text) => {
            let bytes: Vec<i8> = text.bytes().map(|b| b as i8).collect();
            group.create_dataset(" data").with_i8_data(&bytes).with_shape(&[bytes.len() as u64]);
        }
        Data::Ints(values, shape) => {
            group.create_dataset(" data").with_i32_data(values).with_shape(&shape);
        }
        Data::Reals(values) => {
            group.create_dataset(" data").with_f64_data(values).with_shape(&[values.len() as u64]);
        }
    }
    for child in children {
        group.add_group(child);
    }
    group.finish()
}

/// The attributes that every node has, at their fixed widths.
fn attributes(set: &mut dyn FnMut(&str, AttrValue), name: &str, label: &str, kind: &str) {
    for (key, value, width) in [("name", name, 33), ("label", label, 33), ("type", kind, 3)] {
        // Names fit and are plain before they come here.
        if let Ok(value) = AttrValue::ascii_string_sized(value.to_string(), width) {
            set(key, value);
        }
    }
}

/// What a role is called as a condition.
fn condition(role: Option<&str>) -> &'static str {
    match role {
        Some("inlet") => "BCInflow",
        Some("outlet") => "BCOutflow",
        Some("wall") => "BCWall",
        Some("symmetry") => "BCSymmetryPlane",
        _ => "UserDefined",
    }
}

/// Writes a surface in its unit; in metres where nobody knows.
pub fn write(s: &Surface) -> Vec<u8> {
    let mm = s.unit.unwrap_or(Unit::M).millimetres();
    let unit = UNITS.iter().find(|u| u.1 == mm).map_or("UserDefined", |u| u.0);
    let padded = |words: &[&str]| -> String { words.iter().map(|w| format!("{w:<32}")).collect() };
    let units = padded(&["Kilogram", unit, "Second", "Kelvin", "Degree"]);
    let facets: usize = s.parts.iter().map(|p| p.facets.len()).sum();
    let axis = |name: &str, k: usize| {
        let values: Vec<f64> = s.mesh.points.iter().map(|p| p[k]).collect();
        node(name, "DataArray_t", Data::Reals(&values), Vec::new())
    };
    let coordinates = vec![axis("CoordinateX", 0), axis("CoordinateY", 1), axis("CoordinateZ", 2)];
    let mut of_zone = vec![
        node("ZoneType", "ZoneType_t", Data::Text("Unstructured"), Vec::new()),
        node("GridCoordinates", "GridCoordinates_t", Data::None, coordinates),
    ];
    let (mut families, mut conditions) = (Vec::new(), Vec::new());
    let mut first = 1_i32;
    let parts: Vec<&NamedFacets> = s.parts.iter().filter(|p| !p.facets.is_empty()).collect();
    for (part, name) in parts.iter().zip(titles(&parts)) {
        let last = first + part.facets.len() as i32 - 1;
        let corners: Vec<i32> = part.facets.iter().flat_map(|f| s.mesh.triangles[*f]).map(|p| p.0 as i32 + 1).collect();
        let range = [first, last];
        let n = corners.len() as u64;
        // The type 5 is TRI_3.
        of_zone.push(node(
            &name,
            "Elements_t",
            Data::Ints(&[5, 0], vec![2]),
            vec![
                node("ElementRange", "IndexRange_t", Data::Ints(&range, vec![2]), Vec::new()),
                node("ElementConnectivity", "DataArray_t", Data::Ints(&corners, vec![n]), Vec::new()),
            ],
        ));
        families.push(node(
            &name,
            "Family_t",
            Data::None,
            vec![node("FamBC", "FamilyBC_t", Data::Text(condition(part.role)), Vec::new())],
        ));
        conditions.push(node(
            &name,
            "BC_t",
            Data::Text("FamilySpecified"),
            vec![
                node("PointRange", "IndexRange_t", Data::Ints(&range, vec![2, 1]), Vec::new()),
                node("GridLocation", "GridLocation_t", Data::Text("CellCenter"), Vec::new()),
                node("FamilyName", "FamilyName_t", Data::Text(&name), Vec::new()),
            ],
        ));
        first = last + 1;
    }
    of_zone.push(node("ZoneBC", "ZoneBC_t", Data::None, conditions));
    let size = [s.mesh.points.len() as i32, facets as i32, 0];
    let mut of_base = vec![
        node("DataClass", "DataClass_t", Data::Text("Dimensional"), Vec::new()),
        text_table("DimensionalUnits", "DimensionalUnits_t", &units, 5),
    ];
    of_base.extend(families);
    of_base.push(node("Surface", "Zone_t", Data::Ints(&size, vec![3, 1]), of_zone));
    let mut file = FileBuilder::new();
    attributes(&mut |key, value| file.set_attr(key, value), "HDF5 MotherNode", "Root Node of HDF5 File", "MT");
    let format: Vec<i8> = b"IEEE_LITTLE_32\0".iter().map(|b| *b as i8).collect();
    file.create_dataset(" format").with_i8_data(&format).with_shape(&[15]);
    let mut version = b"HDF5 Version 1.8.0".to_vec();
    version.resize(33, 0);
    let version: Vec<i8> = version.iter().map(|b| *b as i8).collect();
    file.create_dataset(" hdf5version").with_i8_data(&version).with_shape(&[33]);
    let mut library = FileBuilder::new().create_group("CGNSLibraryVersion");
    attributes(&mut |k, v| library.set_attr(k, v), "CGNSLibraryVersion", "CGNSLibraryVersion_t", "R4");
    library.set_attr("flags", AttrValue::I32Array(vec![1]));
    library.create_dataset(" data").with_f32_data(&[4.2]).with_shape(&[1]);
    file.add_group(library.finish());
    file.add_group(node("Base", "CGNSBase_t", Data::Ints(&[2, 3], vec![2]), of_base));
    // Everything was made here, of kinds that the library knows.
    file.finish().unwrap_or_default()
}

/// Names of the nodes that stand beside those of the parts.
const OURS: [&str; 6] = ["ZoneType", "GridCoordinates", "ZoneBC", "DataClass", "DimensionalUnits", "Surface"];

/// Names as nodes may have them: letters, digits and signs of ASCII, without a slash.
fn titles(parts: &[&NamedFacets]) -> Vec<String> {
    let plain = |c: char| if c.is_ascii_graphic() && c != '/' || c == ' ' { c } else { '_' };
    let clean = |p: &&NamedFacets| -> String {
        let clean: String = p.name.trim().chars().map(plain).collect();
        if clean.chars().all(|c| c == '.') { format!("part{clean}") } else { clean }
    };
    distinct(parts.iter().map(clean), NAME, &OURS)
}

/// Words of 32 characters each, one behind the other.
fn text_table(name: &str, label: &str, text: &str, rows: u64) -> FinishedGroup {
    let mut group = FileBuilder::new().create_group(name);
    attributes(&mut |k, v| group.set_attr(k, v), name, label, "C1");
    group.set_attr("flags", AttrValue::I32Array(vec![1]));
    let bytes: Vec<i8> = text.bytes().map(|b| b as i8).collect();
    group.create_dataset(" data").with_i8_data(&bytes).with_shape(&[rows, 32]);
    group.finish()
}
