//! What the table of formats promises, asked of each in it.

use hull_formats::format::dotted;
use hull_formats::{Carries, Content, FORMATS, FileFormat, Part, Surface, open};
use hull_geometry::cloud::Cloud;
use hull_geometry::shapes::cuboid;
use hull_geometry::{Mesh, Watch};
use std::path::Path;

/// A file of each format: written by it where it writes facets, a reference file where it carries exact geometry.
fn sample(format: &FileFormat) -> Vec<u8> {
    let mesh = cuboid([1.0, 2.0, 3.0]);
    let all: Vec<u32> = (0..12).collect();
    let cloud = Cloud { points: mesh.points.clone(), ..Default::default() };
    match (format.write, format.write_points) {
        (Some(write), _) => write(&Surface {
            mesh: &mesh,
            cells: &[],
            parts: &[Part { name: "box", facets: &all, role: None }],
            ascii: false,
            unit: None,
        }),
        (None, Some(write)) => write(&cloud, false),
        (None, None) => {
            let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/reference").join(format.id);
            let first = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()).min().unwrap();
            std::fs::read(first).unwrap()
        }
    }
}

#[test]
fn every_format_has_a_folder_reads_its_own_files_under_every_ending_and_knows_them_by_their_bytes() {
    for format in FORMATS {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("src").join(format.id);
        assert!(folder.join("mod.rs").exists(), "{}", format.id);
        let bytes = sample(format);
        for ending in format.endings {
            let name = format!("part.{}", ending.to_uppercase());
            assert_eq!(FileFormat::of_name(&name).unwrap().id, format.id);
            let read = open(&name, &bytes, &Watch::default()).unwrap_or_else(|e| panic!("{e}"));
            let holds = match read {
                Content::Facets(_) => Carries::Facets,
                Content::Exact(_) => Carries::Exact,
                Content::Points(_) => Carries::Points,
            };
            assert_eq!(holds, format.carries, "{}", format.id);
        }
        let knows: Vec<&str> = FORMATS.iter().filter(|f| (f.sniff)(&bytes)).map(|f| f.id).collect();
        // Lines of numbers could be anything: nobody takes them for its own.
        let expected = if format.id == "xyz" { vec![] } else { vec![format.id] };
        assert_eq!(knows, expected, "only it takes its files for its own");
    }
}

#[test]
fn a_file_under_a_wrong_name_is_refused_with_what_it_looks_like() {
    for is in FORMATS.iter().filter(|f| f.id != "xyz") {
        for named in FORMATS.iter().filter(|f| f.id != is.id) {
            // Both are the XML form of VTK, and read by one reader.
            if ["vtu", "vtp"].contains(&is.id) && ["vtu", "vtp"].contains(&named.id) {
                continue;
            }
            let name = format!("part.{}", named.endings[0]);
            let error = open(&name, &sample(is), &Watch::default()).expect_err("not that format").to_string();
            let words = format!("its name says {}, its bytes look like {}", named.title, is.title);
            assert!(error.contains(&words), "{} as {}: {error}", is.id, named.id);
        }
    }
}

#[test]
fn what_is_offered_follows_from_the_table() {
    let endings = dotted(|_| true);
    let error = FileFormat::of_name("drawing.pdf").unwrap_err();
    assert!(endings.iter().all(|e| error.contains(e.as_str())), "{error}");
    let solver = [".cgns", ".exo", ".e", ".ex2", ".g"];
    let facets = [".stl", ".obj", ".ply", ".off", ".dxf", ".3mf", ".glb", ".gltf", ".vtk", ".vtu", ".vtp"];
    assert!(dotted(|f| f.write.is_some()).iter().all(|e| facets.contains(&e.as_str()) || solver.contains(&e.as_str())));
}

/// Text as editors leave it behind: UTF-16 either way, with its mark or without, and UTF-8 with one; endings in capitals.
#[test]
fn text_in_other_encodings_is_read_as_what_it_is() {
    let utf16 = |text: &str, order: fn(u16) -> [u8; 2], mark: bool| -> Vec<u8> {
        let mark = mark.then_some(0xfeff);
        mark.into_iter().chain(text.encode_utf16()).flat_map(order).collect()
    };
    let stl = "solid bü\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid bü\n";
    let obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n";
    let ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n\
               element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
    for (name, text) in [("A.STL", stl), ("a.Obj", obj), ("A.PLY", ply)] {
        for bytes in [
            text.as_bytes().to_vec(),
            [b"\xef\xbb\xbf", text.as_bytes()].concat(),
            utf16(text, u16::to_le_bytes, true),
            utf16(text, u16::to_be_bytes, true),
        ] {
            let read = hull_formats::read(name, &bytes, &Watch::default()).unwrap_or_else(|e| panic!("{name}: {e}"));
            assert_eq!(read.mesh.triangles.len(), 1, "{name}");
            if text == stl {
                assert_eq!(read.labels[0].name, "bü");
            }
        }
    }
    for order in [u16::to_le_bytes, u16::to_be_bytes] {
        let read = hull_formats::read("a.obj", &utf16(obj, order, false), &Watch::default()).expect("without a mark");
        assert_eq!(read.mesh.triangles.len(), 1);
    }
    // What a file calls its parts is cut and cleaned.
    let long = format!("g {}\u{1}\n{obj}", "n".repeat(1000));
    let read = hull_formats::read("a.obj", long.as_bytes(), &Watch::default()).expect("it is read");
    assert_eq!(read.labels[0].name, "n".repeat(200));
}

proptest::proptest! {
    /// Facets whose cells are whatever a repair left of them: what is read back are the same facets, or the file has them as
    /// triangles.
    #[test]
    fn facets_of_mixed_cells_come_back_as_they_were(
        cells in proptest::collection::vec(0..40_u32, 96),
        bumps in proptest::collection::vec(-0.3..0.3_f64, 48),
        flat in proptest::prelude::any::<bool>(),
    ) {
        let mut mesh = if flat { grid(7) } else { hull_geometry::shapes::torus(5.0, 2.0, 8, 6) };
        if !flat {
            mesh.points.iter_mut().zip(&bumps).for_each(|(p, b)| p[2] += b);
        }
        let n = mesh.triangles.len();
        let cell_of: Vec<u32> = (0..n).map(|f| cells[f % cells.len()]).collect();
        let all: Vec<u32> = (0..n as u32).collect();
        let facets = |m: &Mesh| {
            let key = |f: u32| {
                let mut c = m.corners(f).map(|p| p.map(|x| (x * 1e9).round() as i64));
                let least = (0..3).min_by_key(|&k| c[k]).unwrap_or(0);
                c.rotate_left(least);
                c
            };
            let mut out: Vec<_> = (0..m.triangles.len() as u32).map(key).collect();
            out.sort_unstable();
            out
        };
        let parts = [Part { name: "all", facets: &all, role: None }];
        for (name, bytes) in [
            ("a.ply", hull_formats::ply::write(&mesh, &cell_of, true)),
            ("b.ply", hull_formats::ply::write(&mesh, &cell_of, false)),
            ("c.obj", hull_formats::obj::write(&mesh, &cell_of, &parts)),
        ] {
            let back = hull_formats::read(name, &bytes, &Watch::default()).expect("it is read");
            proptest::prop_assert_eq!(facets(&back.mesh), facets(&mesh), "{}", name);
        }
    }
}

/// A square of n by n cells of two triangles each.
fn grid(n: u32) -> Mesh {
    let points = (0..=n).flat_map(|i| (0..=n).map(move |j| [f64::from(i), f64::from(j), 0.0])).collect();
    let at = |i: u32, j: u32| i * (n + 1) + j;
    let cell =
        |(i, j): (u32, u32)| [[at(i, j), at(i + 1, j), at(i + 1, j + 1)], [at(i, j), at(i + 1, j + 1), at(i, j + 1)]];
    Mesh { points, triangles: (0..n).flat_map(|i| (0..n).map(move |j| (i, j))).flat_map(cell).collect() }
}
