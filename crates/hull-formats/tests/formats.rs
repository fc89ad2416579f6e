//! What the table of formats promises, asked of each in it.

use hull_formats::format::dotted;
use hull_formats::{Carries, Content, FORMATS, FileFormat, NamedFacets, Surface, open};
use hull_geometry::cloud::Cloud;
use hull_geometry::shapes::cuboid;
use hull_geometry::splats::Splat;
use hull_geometry::{FacetId, Mesh, Watch};
use std::path::Path;
use typed_index_collections::TiVec;

/// Lines of numbers, and bare ones, could be anything: nobody takes them for its own.
const ANYTHING: [&str; 2] = ["xyz", "splat"];

fn splats(many: usize) -> Vec<Splat> {
    let of = |i: usize| Splat {
        axes: [0.1 + i as f32, 0.25, 0.5],
        turn: [0.5, 0.5, -0.5, 0.5],
        opacity: 0.2 + 0.05 * (i % 10) as f32,
        colour: [0.1, 0.5, 0.9],
        sheen: [[0.01, -0.02, 0.03], [0.0, 0.1, 0.2], [-0.1, 0.0, 0.05]],
    };
    (0..many).map(of).collect()
}

/// A file of each format: written by it where it writes facets, a reference file where it carries exact geometry.
fn sample(format: &FileFormat) -> Vec<u8> {
    let mesh = cuboid([1.0, 2.0, 3.0]);
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let mut cloud = Cloud { points: mesh.points.raw.clone(), ..Default::default() };
    if format.id == "splat" {
        cloud.splats = splats(8);
    }
    match (format.write, format.write_points) {
        (Some(write), _) => write(&Surface {
            mesh: &mesh,
            cells: Default::default(),
            parts: &[NamedFacets { name: "box", facets: &all, role: None }],
            ascii: false,
            unit: None,
        }),
        (None, Some(write)) => write(&cloud, false, None),
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
        let expected = if ANYTHING.contains(&format.id) { vec![] } else { vec![format.id] };
        assert_eq!(knows, expected, "only it takes its files for its own");
    }
}

#[test]
fn a_file_under_a_wrong_name_is_refused_with_what_it_looks_like() {
    for is in FORMATS.iter().filter(|f| !ANYTHING.contains(&f.id)) {
        for named in FORMATS.iter().filter(|f| f.id != is.id) {
            // Two forms that one reader reads.
            if [["vtu", "vtp"], ["las", "laz"]].iter().any(|two| two.contains(&is.id) && two.contains(&named.id)) {
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
    let stages = [".usdz", ".usdc", ".usda", ".usd"];
    let known = |e: &str| facets.contains(&e) || solver.contains(&e) || stages.contains(&e);
    assert!(dotted(|f| f.write.is_some()).iter().all(|e| known(e)));
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
        let cell_of: TiVec<FacetId, u32> = (0..n).map(|f| cells[f % cells.len()]).collect();
        let all: Vec<FacetId> = mesh.triangles.keys().collect();
        let facets = |m: &Mesh| {
            let key = |f: FacetId| {
                let mut c = m.corners(f).map(|p| p.map(|x| (x * 1e9).round() as i64));
                let least = (0..3).min_by_key(|&k| c[k]).unwrap_or(0);
                c.rotate_left(least);
                c
            };
            let mut out: Vec<_> = m.triangles.keys().map(key).collect();
            out.sort_unstable();
            out
        };
        let parts = [NamedFacets { name: "all", facets: &all, role: None }];
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
    Mesh::from_arrays(points, (0..n).flat_map(|i| (0..n).map(move |j| (i, j))).flat_map(cell).collect())
}

/// Splats go out as PLY, as text and binary, as 32 bytes each and as USDZ, and come back; what bytes lose is a step of them.
#[test]
fn splats_come_back_from_every_format_that_carries_them() {
    let points: Vec<[f64; 3]> = (0..50).map(|i| [f64::from(i), 0.5, -f64::from(i * i)]).collect();
    let cloud = Cloud { points, splats: splats(50), ..Default::default() };
    let back = |name: &str, bytes: &[u8]| match open(name, bytes, &Watch::default()) {
        Ok(Content::Points(read)) => read,
        other => panic!("{name}: {other:?}"),
    };
    let near = |a: f32, b: f32, within: f32| assert!((a - b).abs() <= within, "{a} for {b}");
    for (name, bytes, step, sheen) in [
        ("a.ply", hull_formats::ply::write_points(&cloud, true), 1e-5, true),
        ("a.ply", hull_formats::ply::write_points(&cloud, false), 1e-5, true),
        ("a.splat", hull_formats::splat::write(&cloud), 0.5 / 127.0, false),
        ("a.usdz", hull_formats::usd::points(&cloud, Some(hull_geometry::Unit::Cm)), 1e-6, false),
    ] {
        let read = back(name, &bytes);
        assert_eq!(read.cloud.points, cloud.points, "{name}");
        assert!(read.skipped.is_empty(), "{:?}", read.skipped);
        for (a, b) in read.cloud.splats.iter().zip(&cloud.splats) {
            a.axes.iter().zip(b.axes).for_each(|(x, y)| near(*x, y, 1e-5 * y));
            a.turn.iter().zip(b.turn).for_each(|(x, y)| near(*x, y, step));
            a.colour.iter().zip(b.colour).for_each(|(x, y)| near(*x, y, step));
            near(a.opacity, b.opacity, step);
            let wanted = if sheen { b.sheen } else { [[0.0; 3]; 3] };
            a.sheen.as_flattened().iter().zip(wanted.as_flattened()).for_each(|(x, y)| near(*x, *y, 1e-5));
        }
        if name == "a.usdz" {
            assert_eq!(read.declared.unit.map(|u| u.millimetres), Some(10.0));
        }
    }
}

/// Numbers that are none, sizes beyond measure and turns of nothing: mended or left out, and told with the first of them.
#[test]
fn broken_splats_are_left_out_or_mended_and_told() {
    let names = "x y z f_dc_0 f_dc_1 f_dc_2 opacity scale_0 scale_1 scale_2 rot_0 rot_1 rot_2 rot_3";
    let columns: String = names.split(' ').map(|n| format!("property float {n}\n")).collect();
    let whole = [0f32, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0];
    let mut rows = [whole; 5];
    rows[1][0] = f32::NAN;
    rows[2][7] = 30.0;
    (rows[3][0], rows[3][10]) = (2.0, 0.0);
    rows[4][5] = f32::INFINITY;
    let head = format!("ply\nformat binary_little_endian 1.0\nelement vertex 5\n{columns}end_header\n");
    let bytes: Vec<u8> =
        head.into_bytes().into_iter().chain(rows.as_flattened().iter().flat_map(|x| x.to_le_bytes())).collect();
    let Ok(Content::Points(read)) = open("a.ply", &bytes, &Watch::default()) else { panic!("no points") };
    assert_eq!(read.cloud.points, [[0.0; 3], [2.0, 0.0, 0.0]]);
    assert_eq!(read.cloud.splats[1].turn, [1.0, 0.0, 0.0, 0.0]);
    let told: Vec<String> = read.skipped.iter().map(|s| format!("{} {}", s.count, s.what)).collect();
    assert_eq!(
        told,
        [
            "1 splats larger than all measure, left out (the first is number 3)",
            "1 splats with numbers that are none, left out (the first is number 5)",
            "1 splats without a place, left out (the first is number 2)",
            "1 splats without a rotation, taken as not turned (the first is number 4)",
        ]
    );
    let cut = open("a.splat", &[0; 33], &Watch::default()).unwrap_err().to_string();
    assert!(cut.contains("cut off"), "{cut}");
}

/// A stage with parents that turn, scale and shift, a left-handed mesh and a reference to elsewhere.
#[test]
fn a_stage_is_read_where_its_parents_place_it() {
    let text = r#"#usda 1.0
( metersPerUnit = 0.01
  upAxis = "Y" )
def Xform "A" ( prepend references = @other.usd@ ) {
    double3 xformOp:translate = (10, 0, 0)
    float xformOp:rotateZ = 90
    double3 xformOp:scale = (2, 2, 2)
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateZ", "xformOp:scale"]
    def Mesh "flap" {
        point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        uniform token orientation = "leftHanded"
    }
}
"#;
    let Ok(Content::Facets(read)) = open("a.usda", text.as_bytes(), &Watch::default()) else { panic!("no facets") };
    assert_eq!(read.labels[0].name, "flap");
    let b = read.mesh.bounds();
    for (have, want) in b.min.iter().chain(&b.max).zip([8.0, 0.0, 0.0, 10.0, 2.0, 0.0]) {
        assert!((have - want).abs() < 1e-9, "{b:?}");
    }
    let up: f64 = (0..2).map(|f| read.mesh.area_vector(FacetId(f))[2]).sum();
    assert!((up + 8.0).abs() < 1e-9, "left-handed faces look down: {up}");
    assert_eq!(read.declared.up.as_deref(), Some("+y"));
    assert_eq!(read.skipped.iter().map(|s| s.what.as_str()).collect::<Vec<_>>(), ["references to other layers"]);
    let crate_bytes = hull_formats::usd::crate_of_text(text).unwrap();
    let Ok(Content::Facets(again)) = open("a.usdc", &crate_bytes, &Watch::default()) else { panic!("no facets") };
    assert_eq!(again.mesh, read.mesh);
    // Truncated and lying bytes are refused with a sentence, whatever they are.
    for cut in (0..crate_bytes.len()).step_by(7) {
        assert!(open("a.usdc", &crate_bytes[..cut], &Watch::default()).is_err());
        let mut lie = crate_bytes.clone();
        lie[cut] ^= 0xff;
        let _ = open("a.usdc", &lie, &Watch::default());
    }
}

/// A stage in the form that its name says, each read back the same: a crate begins as one, text as text, a package as a zip.
#[test]
fn a_stage_has_the_form_that_its_name_says() {
    let mesh = hull_geometry::shapes::cuboid([3.0, 2.0, 1.0]);
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let parts = [hull_formats::NamedFacets { name: "box", facets: &all, role: None }];
    for (name, start) in [("a.usda", &b"#usda 1.0"[..]), ("A.USDC", b"PXR-USDC"), ("a.usdz", b"PK"), ("a.usd", b"PK")] {
        let stage = hull_formats::usd::surface(&mesh, &parts, Some(hull_geometry::Unit::M));
        let bytes = hull_formats::usd::as_named(name, stage).unwrap();
        assert!(bytes.starts_with(start), "{name}");
        let back = hull_formats::read(name, &bytes, &Watch::default()).unwrap();
        assert_eq!((back.mesh.triangles.len(), back.mesh.bounds()), (12, mesh.bounds()), "{name}");
    }
}

/// Clouds of hardly any size, far from the origin and of one point come back from every format that holds points; from those
/// that count steps, within a step.
#[test]
fn clouds_of_every_size_come_back() {
    let clouds = [
        vec![[1e3, -2e6, 5.0]],
        vec![[0.0; 3], [1e-230, 0.0, 0.0], [0.0, -2e-230, 0.0]],
        vec![[1e9, 1e9, 0.0], [1e9 + 1e-3, 1e9, 0.0]],
        vec![[-1e12, 0.0, 1.0], [1e12, 3.0, 2.0]],
    ];
    for format in FORMATS.iter().filter(|f| f.write_points.is_some()) {
        for points in &clouds {
            let cloud = Cloud { points: points.clone(), splats: splats(points.len()), ..Cloud::default() };
            let bytes = (format.write_points.unwrap())(&cloud, false, None);
            let Ok(Content::Points(back)) = (format.read)("a", &bytes, &Watch::default()) else {
                panic!("{}: {points:?} do not come back", format.id)
            };
            assert_eq!(back.cloud.points.len(), points.len(), "{}", format.id);
            if ["las", "laz"].contains(&format.id) {
                let bounds = cloud.bounds();
                let reach = bounds.min.iter().chain(&bounds.max).fold(0.0_f64, |m, x| m.max(x.abs()));
                let step = (bounds.diagonal() * 1e-8).max(reach * 1e-14).max(1e-199);
                for (p, q) in points.iter().flatten().zip(back.cloud.points.iter().flatten()) {
                    assert!((p - q).abs() <= step, "{}: {p} {q}", format.id);
                }
            }
        }
    }
}
