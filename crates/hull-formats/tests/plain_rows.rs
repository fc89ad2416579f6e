//! What is decoded many rows at a time is the same as what is read number by number, in every layout, and so are refusals.

use crate::archives::zip;
use hull_formats::{Content, Received, open, ply};
use hull_geometry::Watch;
use hull_geometry::cloud::Cloud;
use proptest::prelude::*;
use std::fmt::Write as _;

/// Kinds of numbers by their names, and how each is written in either order of bytes.
const KINDS: [&str; 8] = ["char", "uchar", "short", "ushort", "int", "uint", "float", "double"];

fn put(out: &mut Vec<u8>, kind: &str, x: f64, big: bool) {
    let mut bytes = match kind {
        "char" => (x as i8).to_le_bytes().to_vec(),
        "uchar" => (x as u8).to_le_bytes().to_vec(),
        "short" => (x as i16).to_le_bytes().to_vec(),
        "ushort" => (x as u16).to_le_bytes().to_vec(),
        "int" => (x as i32).to_le_bytes().to_vec(),
        "uint" => (x as u32).to_le_bytes().to_vec(),
        "float" => (x as f32).to_le_bytes().to_vec(),
        _ => x.to_le_bytes().to_vec(),
    };
    if big {
        bytes.reverse();
    }
    out.extend(bytes);
}

/// Columns of points, in an order, each of a kind; whole numbers from 0 to 100 fit in all kinds.
#[derive(Clone, Debug)]
struct Layout {
    columns: Vec<(&'static str, &'static str)>,
    /// Count and corner of a face.
    list: [&'static str; 2],
    /// A list of nothing behind each point: what is then read number by number.
    listed: bool,
}

fn layouts() -> impl Strategy<Value = Layout> {
    let names = Just(vec!["x", "y", "z", "nx", "ny", "nz", "red", "green", "blue", "quality"]);
    let kinds = prop::collection::vec(0..KINDS.len(), 10);
    (names.prop_shuffle(), kinds, 0..4_usize, prop::array::uniform2(1..6_usize)).prop_map(
        |(names, kinds, left_out, list)| {
            let columns = names.into_iter().zip(kinds.into_iter().map(|k| KINDS[k]));
            // Colours as fractions are another meaning of the same column.
            let columns = columns.map(|(n, k)| (n, if ["red", "green", "blue"].contains(&n) { "uchar" } else { k }));
            let columns = columns
                .filter(|(n, _)| left_out == 0 || !["quality", "nx", "red"].iter().take(left_out).any(|l| l == n));
            Layout { columns: columns.collect(), list: list.map(|k| KINDS[k]), listed: false }
        },
    )
}

/// A file of rows of whole numbers, a row for each point, and triangles.
fn file(layout: &Layout, rows: &[[u8; 10]], faces: &[[u8; 3]], form: &str) -> Vec<u8> {
    let mut head = format!("ply\nformat {form} 1.0\nelement vertex {}\n", rows.len());
    layout.columns.iter().for_each(|(name, kind)| writeln!(head, "property {kind} {name}").unwrap());
    if layout.listed {
        head += "property list uchar int nothing\n";
    }
    let [count, corner] = layout.list;
    write!(head, "element face {}\nproperty list {count} {corner} vertex_indices\nend_header\n", faces.len()).unwrap();
    let mut out = head.into_bytes();
    let (text, big) = (form == "ascii", form == "binary_big_endian");
    let mut number = |kind: &str, x: u8| match text {
        true => out.extend(format!("{x}\n").bytes()),
        false => put(&mut out, kind, f64::from(x), big),
    };
    for row in rows {
        layout.columns.iter().zip(row).for_each(|((_, kind), x)| number(kind, *x));
        if layout.listed {
            number("uchar", 0);
        }
    }
    for face in faces {
        number(count, 3);
        face.iter().for_each(|p| number(corner, *p));
    }
    out
}

#[derive(Debug, PartialEq)]
enum Seen {
    Points(Cloud),
    Facets(String),
    Refused(String),
}

fn seen(bytes: &[u8]) -> Seen {
    match ply::read_any("a.ply", bytes, &Watch::default()) {
        Ok(Content::Points(p)) => Seen::Points(p.cloud),
        Ok(Content::Facets(mut r)) => {
            // The form of the file is told apart; nothing else may be.
            r.format = hull_formats::Format::PlyAscii;
            Seen::Facets(format!("{r:?}"))
        }
        Ok(_) => panic!("a PLY file holds neither points nor facets"),
        // Where it is told is a line or a byte.
        Err(e) => Seen::Refused(
            e.to_string()
                .split_once(": ")
                .map_or_else(String::new, |(_, why)| why.rsplit(": ").next().unwrap_or(why).into()),
        ),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    #[test]
    fn points_and_facets_are_the_same_in_every_form_of_every_layout(
        layout in layouts(),
        rows in prop::collection::vec(prop::array::uniform10(0..100_u8), 3..40),
        picks in prop::collection::vec(prop::array::uniform3(any::<prop::sample::Index>()), 0..30),
        wrong in prop::option::weighted(0.1, 41..100_u8),
    ) {
        let mut faces: Vec<[u8; 3]> = picks.iter().map(|t| t.each_ref().map(|p| p.index(rows.len()) as u8)).collect();
        if let (Some(wrong), Some(last)) = (wrong, faces.last_mut()) {
            last[1] = wrong;
        }
        let expected = seen(&file(&layout, &rows, &faces, "ascii"));
        prop_assert_eq!(matches!(expected, Seen::Refused(_)), wrong.is_some() && !faces.is_empty());
        for form in ["binary_little_endian", "binary_big_endian"] {
            prop_assert_eq!(&seen(&file(&layout, &rows, &faces, form)), &expected);
            let listed = Layout { listed: true, ..layout.clone() };
            prop_assert_eq!(&seen(&file(&listed, &rows, &faces, form)), &expected);
        }
    }
}

/// A package of one object that is built once.
fn package(points: &str, triangles: &str) -> Vec<u8> {
    let model = format!(
        "<?xml version=\"1.0\"?>\n<model unit=\"millimeter\" xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\">\n\
         <resources><basematerials id=\"5\"><base name=\"red\" displaycolor=\"#FF0000\"/><base name=\"blue\" displaycolor=\"#0000FF\"/></basematerials>\
         <object id=\"1\" pid=\"5\" pindex=\"0\"><mesh><vertices>{points}</vertices><triangles>{triangles}</triangles></mesh></object></resources>\n\
         <build><item objectid=\"1\"/></build></model>"
    );
    zip(&[("3D/3dmodel.model", model.as_bytes())])
}

fn read(package: &[u8]) -> Result<Received, String> {
    match open("a.3mf", package, &Watch::default()) {
        Ok(Content::Facets(r)) => Ok(r),
        Ok(_) => panic!("a 3MF file holds no facets"),
        Err(e) => Err(e.to_string()),
    }
}

const POINTS: [[&str; 3]; 4] = [["0", "0", "0"], ["10", "0", "0"], ["0", "1e1", "0"], ["0.0", "-0", "+10.5"]];

/// However rows of XML are written, they are the same object.
#[test]
fn rows_of_xml_are_the_same_however_they_are_written() {
    let points = |row: fn(&[&str; 3]) -> String| POINTS.iter().map(row).collect::<String>();
    let plain = points(|[x, y, z]| format!("<vertex x=\"{x}\" y=\"{y}\" z=\"{z}\"/>"));
    let triangles = ["0 2 1", "0 1 3", "1 2 3", "0 3 2"].map(|t| {
        let n: Vec<&str> = t.split(' ').collect();
        format!("<triangle v1=\"{}\" v2=\"{}\" v3=\"{}\" pid=\"5\" p1=\"1\"/>", n[0], n[1], n[2])
    });
    let plain_triangles = triangles.concat();
    let expected = read(&package(&plain, &plain_triangles)).expect("a good file");
    let same = |made: Result<Received, String>| format!("{:?}", made) == format!("{:?}", Ok::<_, String>(&expected));
    assert_eq!((expected.mesh.points.len(), expected.mesh.triangles.len()), (4, 4));
    assert!(expected.labels.iter().any(|l| l.material.as_deref() == Some("blue")), "{:?}", expected.labels);
    let written: [String; 6] = [
        points(|[x, y, z]| format!("\n\t<vertex  z='{z}'\r\n y='{y}' x='{x}' />")),
        points(|[x, y, z]| format!("<vertex x=\"{x}\" y=\"{y}\" z=\"{z}\"></vertex>")),
        points(|[x, y, z]| format!("<!-- a <vertex/> in a remark --><vertex x=\"{x}\" y=\"{y}\" z=\"{z}\"/>")),
        points(|[x, y, z]| format!("<vertex x=\" {x} \" y=\"{y}\" z=\"{z}\" own:colour=\"1\"/>")),
        points(|[x, y, z]| format!("<vertex x=\"{x}\" y=\"{y}\" z=\"{z}\"/>") + "<!-- </vertices> -->"),
        points(|[x, y, z]| format!("<vertex x=\"{x}\" y=\"{y}\" z=\"{z}\"/>") + " "),
    ];
    for points in &written {
        assert!(same(read(&package(points, &plain_triangles))), "{points}");
    }
    for one in [plain_triangles.replace("/>", "></triangle>"), plain_triangles.replace("p1=", "p2='0' p3='0' p1=")] {
        assert!(same(read(&package(&plain, &one))), "{one}");
    }
    // What names no place of the group is of what the whole object is of.
    let others = read(&package(&plain, &plain_triangles.replace(" pid=\"5\" p1=\"1\"", ""))).expect("a good file");
    assert!(others.labels.iter().any(|l| l.material.as_deref() == Some("red")), "{:?}", others.labels);
}

/// What is wrong is told with its line, in a long list too.
#[test]
fn wrong_rows_of_xml_are_refused_where_they_stand() {
    let row = "<vertex x=\"1\" y=\"2\" z=\"3\"/>\n";
    let many = |wrong: &str| row.repeat(20_000) + wrong + &row.repeat(10);
    for (wrong, why) in [
        ("<vertex x=\"1\" y=\"2\"/>\n", "a point without three coordinates"),
        ("<vertex x=\"1\" y=\"2\" z=\"inf\"/>\n", "“inf” is not a finite number"),
        ("<vertex x=\"1\" y=\"2\" z=\"3&#9;4\"/>\n", "is not a finite number"),
    ] {
        let told = read(&package(&many(wrong), "<triangle v1=\"0\" v2=\"1\" v3=\"2\"/>")).expect_err("refused");
        assert!(told.contains(why) && told.contains("20003"), "{told}");
    }
    let told = read(&package(&many(""), "<triangle v1=\"0\" v2=\"1\" v3=\"20010\"/>")).expect_err("refused");
    assert!(told.contains("names point 20010, but its object has 20010"), "{told}");
    let told = read(&package(&many(""), "<triangle v1=\"0\" v2=\"1\"/>")).expect_err("refused");
    assert!(told.contains("without three corners"), "{told}");
}
