//! Every reader with truncated, lying and random bytes: an error that names the place, never a panic.

use hull_formats::{Location, ReadError, Received, obj, off, ply, read, stl};
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::{FacetId, Mesh, Watch};
use proptest::prelude::*;

fn attempt(name: &str, bytes: &[u8]) -> Result<Received, ReadError> {
    read(name, bytes, &Watch::default())
}

fn all(mesh: &Mesh) -> Vec<FacetId> {
    mesh.triangles.keys().collect()
}

fn part<'a>(name: &'a str, facets: &'a [FacetId]) -> hull_formats::NamedFacets<'a> {
    hull_formats::NamedFacets { name, facets, role: None }
}

/// One file of each form, all of the same ball.
fn samples() -> Vec<(&'static str, Vec<u8>)> {
    let mesh = sphere(1.0, 8, 5);
    let facets = all(&mesh);
    let whole = [part("ball", &facets)];
    [
        ("a.stl", stl::write_ascii(&mesh, &whole)),
        ("b.stl", stl::write_whole(&mesh)),
        ("c.obj", obj::write(&mesh, Default::default(), &whole)),
        ("d.ply", ply::write(&mesh, Default::default(), true)),
        ("e.ply", ply::write(&mesh, Default::default(), false)),
        ("f.ply", big_endian_ply(&mesh)),
        ("g.off", off::write(&mesh, Default::default())),
    ]
    .into_iter()
    .chain(written(&mesh, &whole))
    .collect()
}

/// The same in the formats that are written through the table, as bytes and as text.
fn written(mesh: &Mesh, parts: &[hull_formats::NamedFacets]) -> Vec<(&'static str, Vec<u8>)> {
    let of = |name: &'static str, ascii: bool| {
        let format = hull_formats::FileFormat::of_name(name).expect("it is in the table");
        let surface =
            hull_formats::Surface { mesh, cells: Default::default(), parts, ascii, unit: Some(hull_geometry::Unit::M) };
        (name, format.write.expect("it carries facets")(&surface))
    };
    vec![
        of("h.dxf", true),
        of("i.3mf", false),
        of("j.glb", false),
        of("k.vtk", false),
        of("l.vtk", true),
        of("m.vtu", false),
        of("n.vtu", true),
        of("o.vtp", false),
    ]
}

fn big_endian_ply(mesh: &Mesh) -> Vec<u8> {
    let mut out = format!(
        "ply\nformat binary_big_endian 1.0\nelement vertex {}\nproperty double x\nproperty double y\nproperty double z\n\
         element face {}\nproperty list uchar int vertex_indices\nend_header\n",
        mesh.points.len(),
        mesh.triangles.len()
    )
    .into_bytes();
    mesh.points.iter().flatten().for_each(|x| out.extend(x.to_be_bytes()));
    for t in &mesh.triangles {
        out.push(3);
        t.iter().for_each(|p| out.extend(p.0.to_be_bytes()));
    }
    out
}

fn place(error: ReadError) -> Location {
    match error {
        ReadError::Unusable { place, reason, .. } => {
            assert!(!reason.is_empty());
            place
        }
        ReadError::Cancelled(_) => panic!("nobody cancelled"),
    }
}

#[test]
fn every_form_reads_back_as_it_was_written() {
    let mesh = sphere(1.0, 8, 5);
    for (name, bytes) in samples() {
        let got = attempt(name, &bytes).unwrap();
        assert_eq!(
            (got.mesh.triangles.len(), got.mesh.points.len()),
            (mesh.triangles.len(), mesh.points.len()),
            "{name}"
        );
        let volume = hull_geometry::measure::mass(&got.mesh, &got.mesh.bounds()).volume;
        let exact = hull_geometry::measure::mass(&mesh, &mesh.bounds()).volume;
        assert!((volume - exact).abs() < 1e-6, "{name}: {volume}");
    }
}

#[test]
fn a_file_cut_off_anywhere_is_an_error_with_a_place_or_still_whole() {
    for (name, bytes) in samples() {
        for cut in (0..bytes.len() - 1).step_by(7) {
            match attempt(name, &bytes[..cut]) {
                Err(e) => drop(place(e)),
                // OBJ has no end mark, and the end of a last number or name does not show that more followed.
                Ok(got) => {
                    assert!(name == "c.obj" || bytes.len() - cut < 24, "{name} cut at {cut} gave {}", got.faces_in_file)
                }
            }
        }
    }
}

#[test]
fn a_facet_count_that_lies_is_told_from_the_file_s_length() {
    let mesh = cuboid([1.0; 3]);
    for claimed in [0u32, 3, 11, 13, 20_000_000, u32::MAX] {
        let mut bytes = stl::write_whole(&mesh);
        bytes[80..84].copy_from_slice(&claimed.to_le_bytes());
        assert_eq!(place(attempt("lie.stl", &bytes).unwrap_err()), Location::Byte(80));
    }
    for claimed in ["11", "13", "50000000", "18446744073709551615"] {
        for binary in [false, true] {
            let honest = ply::write(&mesh, Default::default(), !binary);
            let end = honest.windows(11).position(|w| w == b"end_header\n").unwrap();
            let head = String::from_utf8(honest[..end].to_vec()).unwrap();
            let lie = head.replace("element face 12", &format!("element face {claimed}"));
            let bytes = [lie.as_bytes(), &honest[end..]].concat();
            assert_ne!(place(attempt("lie.ply", &bytes).unwrap_err()), Location::Whole);
        }
    }
}

#[test]
fn a_binary_file_that_begins_with_solid_is_read_as_binary() {
    let mesh = cuboid([1.0; 3]);
    let mut bytes = stl::write_whole(&mesh);
    bytes[..14].copy_from_slice(b"solid of steel");
    assert_eq!(attempt("a.stl", &bytes).unwrap().mesh.triangles.len(), 12);
}

#[test]
fn numbers_that_are_none_and_indices_out_of_range_are_errors_with_their_line() {
    let facet = "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 X 0\nendloop\nendfacet\n";
    for bad in ["nan", "inf", "-inf", "1e999", "one"] {
        let text = format!("solid s\n{}endsolid\n", facet.replace('X', bad));
        assert_eq!(place(attempt("a.stl", text.as_bytes()).unwrap_err()), Location::Line(6), "{bad}");
        let text = format!("v 0 0 0\nv 1 0 0\nv 0 {bad} 0\nf 1 2 3\n");
        assert_eq!(place(attempt("a.obj", text.as_bytes()).unwrap_err()), Location::Line(3), "{bad}");
    }
    for face in ["f 1 2 4", "f 0 1 2", "f -4 1 2", "f 1 2", "f 1 2 9999999999999999999", "f a b c"] {
        let text = format!("v 0 0 0\nv 1 0 0\nv 0 1 0\n{face}\n");
        assert_eq!(place(attempt("a.obj", text.as_bytes()).unwrap_err()), Location::Line(4), "{face}");
    }
    let mut binary = stl::write_whole(&cuboid([1.0; 3]));
    binary[84 + 50 + 12..84 + 50 + 16].copy_from_slice(&f32::NAN.to_le_bytes());
    assert_eq!(place(attempt("a.stl", &binary).unwrap_err()), Location::Byte(84 + 50 + 12));
}

#[test]
fn empty_files_and_files_without_facets_say_so() {
    let none = stl::write_whole(&Mesh::default());
    for (name, bytes) in [
        ("a.stl", &b""[..]),
        ("a.stl", b"solid a\nendsolid a\n"),
        ("a.stl", &none),
        ("a.obj", b"v 0 0 0\n"),
        ("a.ply", b""),
    ] {
        assert!(attempt(name, bytes).unwrap_err().to_string().starts_with(&format!("{name}: the file")), "{name}");
    }
    assert!(attempt("a.pdf", b"x").unwrap_err().to_string().contains(".ply, .off, .xyz, .pts"));
}

#[test]
fn every_solid_group_and_material_keeps_its_name() {
    let mesh = cuboid([1.0; 3]);
    let facets = all(&mesh);
    let bytes = stl::write_ascii(&mesh, &[part("top", &facets[..5]), part("skirt", &facets[5..])]);
    let got = attempt("a.stl", &bytes).unwrap();
    assert_eq!(got.labels.iter().map(|l| l.name.as_str()).collect::<Vec<_>>(), ["top", "skirt"]);
    assert_eq!(got.label_of.iter().filter(|l| **l == 1).count(), 7);
    let text = "v 0 0 0\nv 1 0 0\nv 0 1 0\no hull\nusemtl steel\nf 1 2 3\ng keel\nf -3 -2 \\\n -1\n";
    let got = attempt("a.obj", text.as_bytes()).unwrap();
    let names: Vec<_> = got.labels.iter().map(|l| (l.name.as_str(), l.material.as_deref())).collect();
    assert_eq!(names, [("hull", Some("steel")), ("keel", Some("steel"))]);
}

#[test]
fn quads_and_polygons_survive_as_cells() {
    let text = "v 0 0 0\nv 2 0 0\nv 2 1 0\nv 1 .2 0\nv 0 1 0\nv 0 0 1\nv 2 0 1\nf 1 2 3 4 5\nf 1 6 7 2\n";
    let got = attempt("a.obj", text.as_bytes()).unwrap();
    assert_eq!((got.faces_in_file, got.mesh.triangles.len()), (2, 5));
    let facets = all(&got.mesh);
    for bytes in [obj::write(&got.mesh, &got.cell_of, &[part("", &facets)]), ply::write(&got.mesh, &got.cell_of, false)]
    {
        let name = if bytes.starts_with(b"ply") { "a.ply" } else { "b.obj" };
        let again = attempt(name, &bytes).unwrap();
        assert_eq!((again.faces_in_file, again.mesh.triangles.len()), (2, 5), "{name}");
    }
}

/// Short ones try the heads; long ones hold hundreds of facets and pass the end of a reader's buffer.
fn short_or_long() -> impl Strategy<Value = Vec<u8>> {
    prop_oneof![prop::collection::vec(any::<u8>(), 0..400), prop::collection::vec(any::<u8>(), 10_000..80_000)]
}

proptest! {
    #[test]
    fn random_bytes_never_panic(bytes in short_or_long(), form in 0..15usize) {
        let (name, head): (&str, &[u8]) = [
            ("a.stl", &b""[..]), ("a.stl", b"solid x\nfacet normal 0 0 1\nouter loop\nvertex "), ("a.obj", b"v 0 0 0\nf "),
            ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 9\nproperty float x\nend_header\n"),
            ("a.ply", b"ply\nformat binary_little_endian 1.0\nelement face 3\nproperty list uint int vertex_indices\nend_header\n"),
            ("a.ply", b"ply\n"),
            ("a.dxf", b"0\nSECTION\n2\nENTITIES\n0\n"),
            ("a.dxf", b"12345678Binary DXF\r\n\x1a\0\0\0SECTION\0"),
            ("a.3mf", b"PK\x03\x04"),
            ("a.glb", b"glTF\x02\0\0\0"),
            ("a.vtk", b"# vtk DataFile Version 3.0\nt\nBINARY\nDATASET POLYDATA\nPOINTS 9 float\n"),
            ("a.vtu", b"<VTKFile type=\"UnstructuredGrid\"><Piece NumberOfPoints=\"3\"><Points><DataArray type=\"Float64\" format=\"binary\">"),
            ("a.las", b"LASF"),
            ("a.e57", b"ASTM-E57\x01\0\0\0"),
            ("a.csv", b"x,y,z\n"),
        ][form];
        let _ = attempt(name, &[head, &bytes].concat());
    }

    #[test]
    fn flipped_bytes_never_panic(form in 0..15usize, at in any::<prop::sample::Index>(), value in any::<u8>()) {
        let (name, mut bytes) = samples().swap_remove(form);
        let at = at.index(bytes.len());
        bytes[at] = value;
        let _ = attempt(name, &bytes);
    }
}

/// What is so far away that areas and volumes leave the range of doubles is refused with its line, in whatever format.
#[test]
fn a_coordinate_that_no_figure_can_be_computed_of_is_refused_with_line_and_value() {
    // The place of the first vertex of a file of another system.
    let step = include_str!("reference/step/pump-foot-ap214-mm.step");
    let (_, vertex) = step.split_once("VERTEX_POINT('',").expect("it has vertices");
    let number = &vertex[..vertex.find(')').expect("a closed bracket")];
    let at = step.lines().position(|l| l.starts_with(&format!("{number} ="))).expect("its place");
    let line = step.lines().nth(at).expect("that line");
    let far = format!("{number} = CARTESIAN_POINT('',(0.,-1.E+200,0.));");
    let (step, step_line) = (step.replacen(line, &far, 1), at + 1);
    let cases: [(&str, &str, usize, &str); 6] = [
        (
            "a.stl",
            "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1e80 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n",
            5,
            "1e80",
        ),
        ("a.obj", "v 0 0 0\nv 0 -3E+99 0\nv 0 1 0\nf 1 2 3\n", 2, "-3E+99"),
        ("a.off", "OFF\n3 1 0\n0 0 0\n1 0 1000000000000000000\n0 1 0\n3 0 1 2\n", 4, "1000000000000000000"),
        ("a.xyz", "0 0 0\n1 1 1\n1e16 0 0\n", 3, "1e16"),
        (
            "a.ply",
            "ply\nformat ascii 1.0\nelement vertex 3\nproperty double x\nproperty double y\nproperty double z\nelement face 1\n\
             property list uchar int vertex_indices\nend_header\n0 0 0\n0 0 9e15\n0 1 0\n3 0 1 2\n",
            11,
            "9e15",
        ),
        ("a.step", &step, step_line, "-1.E+200"),
    ];
    for (name, text, line, value) in cases {
        let opened = hull_formats::open(name, text.as_bytes(), &Watch::default());
        let refused = opened.map(|_| ()).expect_err(name).to_string();
        assert!(refused.starts_with(&format!("{name}, line {line}: a coordinate of {value} ")), "{refused}");
    }
    // A binary file has no lines; what is just within bounds is taken.
    let mut mesh = hull_geometry::shapes::cuboid([1.0, 1.0, 1.0]);
    mesh.points.iter_mut().for_each(|p| p[0] *= 1e16);
    let refused = hull_formats::open("b.stl", &hull_formats::stl::write_whole(&mesh), &Watch::default());
    assert!(refused.map(|_| ()).unwrap_err().to_string().starts_with("b.stl: a coordinate of "));
    mesh.points.iter_mut().for_each(|p| p[0] /= 100.0);
    assert!(hull_formats::open("b.stl", &hull_formats::stl::write_whole(&mesh), &Watch::default()).is_ok());
}

/// A point of a spline surface thrown far away: bounds that lie off their surface are told, and not sampled finer round by round.
#[test]
fn bounds_that_lie_off_a_torn_surface_are_told() {
    use hull_exact::{Motion, assembly::usual_fineness, parameter_loops::Reader};
    let whole = include_str!("reference/step/keel-fin-ap242-m.step");
    let torn =
        whole.replacen("#668 = CARTESIAN_POINT('',(0.163952632119,", "#668 = CARTESIAN_POINT('',(4294967296,", 1);
    assert_ne!(torn, whole);
    let failed = |text: &str| {
        let design = hull_formats::step::read("fin.step", text.as_bytes(), &Watch::default()).expect("it can be read");
        let fineness = usual_fineness(1.0);
        let made = design.model.facets(&fineness, Reader::Trusting, &Motion::NONE, &Watch::default());
        made.expect("not cancelled").failed
    };
    assert_eq!(failed(whole), []);
    let why = failed(&torn);
    assert!(why.len() == 1 && why[0].1.contains("lie off its surface"), "{why:?}");
}

/// Motions that lead beyond all numbers leave no coordinates: refused, in words of what is wrong.
#[test]
fn places_that_cannot_be_computed_are_told() {
    let facet: Vec<u8> =
        [0.0_f32, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0].iter().flat_map(|x| x.to_le_bytes()).collect();
    let file = |scale: f64| {
        let data = base64::Engine::encode(&base64::prelude::BASE64_STANDARD, &facet);
        format!(
            r#"{{"asset":{{"version":"2.0"}},"scenes":[{{"nodes":[0]}}],"scene":0,
            "nodes":[{{"scale":[{scale:e},{scale:e},{scale:e}],"children":[1]}},{{"scale":[{scale:e},{scale:e},{scale:e}],"mesh":0}}],
            "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}}}}]}}],
            "accessors":[{{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}}],
            "bufferViews":[{{"buffer":0,"byteLength":36}}],
            "buffers":[{{"byteLength":36,"uri":"data:application/octet-stream;base64,{data}"}}]}}"#
        )
    };
    assert_eq!(attempt("a.gltf", file(2.0).as_bytes()).unwrap().mesh.triangles.len(), 1);
    let told = attempt("a.gltf", file(1e200).as_bytes()).unwrap_err().to_string();
    assert!(told.contains("a place has no coordinates"), "{told}");
}
