//! Parts of a surface under any names, through every format that carries facets: what is written is read again, facet by facet,
//! and parts stay apart.

use hull_formats::{Content, FORMATS, FileFormat, NamedFacets, Received, Surface, open};
use hull_geometry::shapes::torus;
use hull_geometry::{FacetId, Mesh, Point, Unit, Watch};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

/// Formats that say nothing of parts; neither do bytes of STL.
const WITHOUT_NAMES: [&str; 2] = ["off", "ply"];
/// Formats whose parts are numbers alone.
const NUMBERED: [&str; 1] = ["vtk"];

/// A word that no format takes for a word of its own.
fn is_plain(name: &str) -> bool {
    let own = ["g", "solid", "mesh", "points", "default", "none"];
    !name.is_empty() && name.len() < 10 && name.chars().all(|c| c.is_ascii_lowercase()) && !own.contains(&name)
}

/// What a name is in a format: spaces around it are none, and in DXF what is on no layer is on “0”.
fn name_in<'a>(format: &str, name: &'a str) -> &'a str {
    match name.trim() {
        "" if format == "dxf" => "0",
        name => name,
    }
}

/// Whether parts of these names stay apart in a format.
fn are_apart(format: &str, a: &str, b: &str) -> bool {
    name_in(format, a) != name_in(format, b)
}

/// Plain words; none; what people type; what files are made of; words that differ late or in nothing; words of the formats.
fn name() -> impl Strategy<Value = String> {
    let odd = prop::sample::select(vec![
        "",
        " ",
        ".",
        "..",
        "/",
        "a/b",
        "größe",
        "船体",
        "\"quoted\"",
        "<x>&amp;",
        "'",
        "1",
        "0",
        "ZoneBC",
        "ZoneType",
        "GridCoordinates",
        "DataClass",
        "DimensionalUnits",
        "Surface",
        "Base",
        "solid",
        "endsolid x",
        "g",
        "o p",
        "default",
        "none",
        "a,b",
        "a;b",
        "#a",
        "tab\there",
        "mesh",
        "points",
    ]);
    prop_oneof![
        3 => "[a-z][a-z0-9_]{0,8}",
        3 => odd.prop_map(String::from),
        // Many formats write some of these signs alike.
        2 => prop::sample::select(vec!["a b", "a_b", "a/b", "a-b", "a:b", "a\tb", "a  b", "a_b_2", "unnamed", "0"]).prop_map(String::from),
        1 => (0..3_u8).prop_map(|i| format!("{}{i}", "a long name that goes on and on for a while ".repeat(2))),
        1 => (0..3_u8).prop_map(|i| format!("{}{i}", "é".repeat(120))),
    ]
}

/// A ring in numbers that single precision has, its facets as parts by chance.
fn ring() -> Mesh {
    let mut mesh = torus(40.0, 15.0, 12, 8);
    mesh.points.iter_mut().flatten().for_each(|x| *x = (*x * 8.0).round() / 8.0);
    mesh
}

/// The facets by where they are, in sixteenths of a millimetre and with z up, each with the number of its part.
fn placed(mesh: &Mesh, mm: f64, up: Option<&str>, part: impl Fn(FacetId) -> u32) -> BTreeMap<[[i64; 3]; 3], u32> {
    let key = |f: FacetId| {
        let level = |[x, y, z]: Point| if up == Some("+y") { [x, -z, y] } else { [x, y, z] };
        let mut c = mesh.corners(f).map(|p| level(p).map(|x| (x * mm * 16.0).round() as i64));
        let least = (0..3).min_by_key(|&k| c[k]).unwrap_or(0);
        c.rotate_left(least);
        c
    };
    mesh.triangles.keys().map(|f| (key(f), part(f))).collect()
}

/// What a format makes of a surface in millimetres.
fn through(format: &FileFormat, mesh: &Mesh, parts: &[NamedFacets], ascii: bool) -> Received {
    let write = format.write.expect("it writes facets");
    let surface = Surface { mesh, cells: Default::default(), parts, ascii, unit: Some(Unit::Mm) };
    let file = format!("a.{}", format.endings[0]);
    match open(&file, &write(&surface), &Watch::default()) {
        Ok(Content::Facets(received)) => received,
        Ok(other) => panic!("{file}: {other:?}"),
        Err(e) => panic!("{file}: {e} for {:?}", parts.iter().map(|p| p.name).collect::<Vec<_>>()),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    /// Every facet comes back where it was. Facets of one part come back under one name, those of parts with different names
    /// under different ones, and plain words come back as they are.
    #[test]
    fn parts_come_back_from_every_format(
        names in prop::collection::vec(name(), 1..6),
        part_of in prop::collection::vec(0_usize..6, 192),
    ) {
        let mesh = ring();
        let own = |f: FacetId| part_of[usize::from(f)] % names.len();
        let sets: Vec<Vec<FacetId>> =
            (0..names.len()).map(|k| mesh.triangles.keys().filter(|f| own(*f) == k).collect()).collect();
        let parts: Vec<NamedFacets> =
            names.iter().zip(&sets).map(|(name, facets)| NamedFacets { name, facets, role: None }).collect();
        let before = placed(&mesh, 1.0, None, |f| own(f) as u32);
        let mut wrong = Vec::new();
        for (format, ascii) in FORMATS.iter().filter(|f| f.write.is_some()).flat_map(|f| [(f, false), (f, true)]) {
            let back = through(format, &mesh, &parts, ascii);
            let mm = back.declared.unit.as_ref().map_or(1.0, |u| u.millimetres);
            let label = |f: FacetId| back.label_of.get(f).copied().unwrap_or(0);
            let after = placed(&back.mesh, mm, back.declared.up.as_deref(), label);
            let told = format!("{}{}", format.id, if ascii { " as text" } else { "" });
            if before.keys().ne(after.keys()) {
                wrong.push(format!("{told}: other facets"));
                continue;
            }
            if WITHOUT_NAMES.contains(&format.id) || (format.id == "stl" && !ascii) {
                continue;
            }
            let mut labels: BTreeMap<usize, BTreeSet<u32>> = BTreeMap::new();
            before.iter().zip(&after).for_each(|((_, part), (_, label))| {
                labels.entry(*part as usize).or_default().insert(*label);
            });
            for (part, of_part) in &labels {
                let name = &names[*part];
                if of_part.len() != 1 {
                    wrong.push(format!("{told}: {name:?} came apart"));
                }
                let label = &back.labels[*of_part.first().unwrap() as usize];
                // 3MF has materials, which are named.
                let found = label.material.as_ref().filter(|_| format.id == "threemf").unwrap_or(&label.name);
                let is_single = names.iter().filter(|n| *n == name).count() == 1;
                if is_plain(name) && is_single && found != name && !NUMBERED.contains(&format.id) {
                    wrong.push(format!("{told}: {name:?} came back as {found:?}"));
                }
                for (other, of_other) in labels.range(part + 1..) {
                    if are_apart(format.id, name, &names[*other]) && !of_part.is_disjoint(of_other) {
                        wrong.push(format!("{told}: {name:?} and {:?} are one", names[*other]));
                    }
                }
            }
        }
        prop_assert!(wrong.is_empty(), "{wrong:#?}");
    }
}
